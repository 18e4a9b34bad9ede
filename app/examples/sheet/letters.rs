//! Names on a sheet.

use noto_sans_mono_bitmap::{FontWeight, RasterHeight, get_raster, get_raster_width};

const WEIGHT: FontWeight = FontWeight::Regular;
const SIZE: RasterHeight = RasterHeight::Size16;

/// The height of a line in pixels.
pub const LINE: usize = 16;

/// The grey of letters.
const GREY: f32 = 0.75;

/// Breaks words into lines of at most `width` pixels; a longer word stands on its own line and is cut.
pub fn lines(text: &str, width: usize) -> Vec<String> {
    let most = (width / get_raster_width(WEIGHT, SIZE)).max(1);
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        let word: String = word.chars().take(most).collect();
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= most => {
                line.push(' ');
                line.push_str(&word);
            }
            _ => lines.push(word),
        }
    }
    lines
}

/// Writes lines with their upper left corner at a place of a picture `width` wide; what lies beyond is left out.
pub fn write(pixels: &mut [[f32; 4]], width: usize, [x0, y0]: [usize; 2], lines: &[String]) {
    for (row, line) in lines.iter().enumerate() {
        for (column, letter) in line.chars().enumerate() {
            let Some(raster) = get_raster(letter, WEIGHT, SIZE).or_else(|| get_raster('?', WEIGHT, SIZE))
            else {
                continue;
            };
            for (dy, values) in raster.rows().enumerate() {
                for (dx, value) in values.iter().enumerate() {
                    let x = x0 + column * raster.width() + dx;
                    let at = (y0 + row * LINE + dy) * width + x;
                    if let Some(pixel) = pixels.get_mut(at).filter(|_| x < width) {
                        let share = f32::from(*value) / 255.0;
                        *pixel = pixel.map(|v| v + share * (GREY - v));
                        pixel[3] = 1.0;
                    }
                }
            }
        }
    }
}
