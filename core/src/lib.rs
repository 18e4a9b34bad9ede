//! The rules and the arithmetic of Dusky Lantern, in the order the light travels.
//!
//! * [`colour`] — encodings, camera profiles, adaptation, the colour-difference plane, CIEDE2000.
//! * [`step`] — one file a step kind: parameters with their ranges, and what the step does to a colour.
//! * [`film`] — negative, printer, print and projection; stocks.
//! * [`texture`] — what light and film do across neighbouring pixels: bloom, halation, grain, softness and more.
//! * [`region`] — where a step or a group works.
//! * [`look`] — the document, its path of steps, compiling a path to a [`look::Program`] and running it.
//! * [`table`] — lookup tables: interpolation, baking, the fidelity report, the judgement of a table.
//! * [`scope`] — waveform, vectorscope, histogram and chromaticity counts, limits, false colour, readout.
//! * [`matching`] — bringing one shot to another.
//! * [`picture`] — RGBA pictures in f32.
//! * [`lane`] — the planar blocks that all of it runs on, and their elementary functions.
//!
//! **Out of scope:** files, clocks, networks, databases. Bytes become core types in `lantern-formats`.
//!
//! **Conventions.** Picture values are f32 and may leave 0..1 anywhere between two steps. Scene-linear
//! values are AP1 with 0.18 = middle grey; display-linear values are P3-D65 with 1.0 = peak white. Exposure
//! is in stops, angles in degrees, chromaticities are CIE 1931 xy.

pub mod colour;
pub mod film;
mod half;
pub mod lane;
pub mod look;
pub mod matching;
pub mod picture;
pub mod region;
pub mod scope;
pub mod step;
pub mod table;
pub mod texture;
