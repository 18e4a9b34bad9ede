/** Numbers that server and page both know. Written by `cargo xtask types` from the server's `api::constants`. */

/** The most characters of a name. */
export const MAX_NAME = 200;

/** The version of look documents that is written. */
export const LOOK_VERSION = 8;

/** The most points of a curve. */
export const MAX_POINTS = 16;

/** The most bands of a dye. */
export const MAX_BANDS = 6;

/** Code value of middle grey in the Screen zone, in per cent; its tonal axis counts tenths of the range from there. */
export const SCREEN_GREY = 38.31187;

/** The skin line of the vectorscope, the I axis, in degrees. */
export const SKIN_DEGREES = 123;

/** Half the side of the vectorscope, in colour-difference units. */
export const VECTOR_SPAN = 0.62;

/** Levels of a waveform and of a histogram, and the side of the vectorscope. */
export const LEVELS = 256;

/** What names of tables end with, beside PNG. */
export const TABLE_ENDINGS = [".cube", ".spi3d", ".spi1d", ".cc", ".ccc", ".cdl", ".clf"];
