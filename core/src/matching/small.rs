//! A picture made small, as code values of the Screen zone: what is compared and measured.

use super::MatchError;
use crate::colour::plane::Plane;
use crate::colour::transfer::Transfer;
use crate::colour::{Encoding, display::SDR_PEAK, primaries::P3_D65};
use crate::graph::Program;
use crate::look::Path;
use crate::numeric::lane::{Channel, N, Planes};
use crate::picture::Picture;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The longer side of a small picture, in pixels: grain and detail are gone, and patches are still there.
const LONG: usize = 192;

/// The Screen zone's code values on an SDR display.
pub fn screen() -> Encoding {
    Encoding::screen(SDR_PEAK)
}

/// The plane of colour differences of the Screen zone.
pub fn plane() -> Plane {
    Plane::of(&P3_D65)
}

/// A rectangle of a picture, as shares of its sides from the top left.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Area {
    /// Left edge.
    pub x: f64,
    /// Top edge.
    pub y: f64,
    /// Width.
    pub width: f64,
    /// Height.
    pub height: f64,
}

/// A picture made small.
#[derive(Clone, Debug, PartialEq)]
pub struct Small {
    /// Pixels in a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// Code values of the Screen zone, in row order.
    pub pixels: Vec<[f32; 4]>,
}

impl Small {
    /// A picture of an encoding: small as means of light, through a trim and the plain rendering where it is scene light.
    pub fn of(picture: &Picture, encoding: &Encoding, trim: &Path) -> Result<Self, MatchError> {
        let small = Self::shrunk(picture, encoding)?;
        let mut pixels = small.pixels;
        let light = Encoding { transfer: Transfer::Linear, ..encoding.clone() };
        Program::compile(trim, &light, &screen())?.run_parallel(&mut pixels);
        Ok(Self { pixels, ..small })
    }

    /// Means over blocks, of the encoding's linear light; of large blocks over pixels spread evenly.
    fn shrunk(picture: &Picture, encoding: &Encoding) -> Result<Self, MatchError> {
        let (w, h) = (picture.width(), picture.height());
        let scale = (LONG as f64 / w.max(h) as f64).min(1.0);
        let side = |n: usize| ((n as f64 * scale).round() as usize).max(1);
        let (width, height) = (side(w), side(h));
        // The pixels of each block, one block after the other; then light, many pixels at once.
        let mut all: Vec<[f32; 4]> = Vec::new();
        let mut ends = Vec::with_capacity(width * height);
        for y in 0..height {
            for x in 0..width {
                let (x0, x1) = (x * w / width, ((x + 1) * w / width).max(x * w / width + 1));
                let (y0, y1) = (y * h / height, ((y + 1) * h / height).max(y * h / height + 1));
                for row in (y0..y1).step_by((y1 - y0).div_ceil(MOST_IN_BLOCK)) {
                    let inside = &picture.pixels[row * w + x0..row * w + x1];
                    all.extend(inside.iter().step_by((x1 - x0).div_ceil(MOST_IN_BLOCK)));
                }
                ends.push(all.len());
            }
        }
        for some in all.chunks_mut(N) {
            let mut planes: Planes = [Channel::of(0.0); 3];
            for (i, p) in some.iter().enumerate() {
                (0..3).for_each(|c| planes[c][i] = p[c]);
            }
            encoding.transfer.decode(&mut planes);
            for (i, p) in some.iter_mut().enumerate() {
                (0..3).for_each(|c| p[c] = planes[c][i]);
            }
        }
        let mut pixels = Vec::with_capacity(width * height);
        let mut from = 0;
        for to in ends {
            let block = &all[from..to];
            let mean = |c: usize| block.iter().map(|p| f64::from(p[c])).sum::<f64>() / block.len() as f64;
            let [r, g, b] = [0, 1, 2].map(|c| mean(c) as f32);
            if ![r, g, b].iter().all(|v| v.is_finite()) {
                return Err(MatchError::NotFinite);
            }
            pixels.push([r, g, b, 1.0]);
            from = to;
        }
        Ok(Self { width, height, pixels })
    }

    /// The mean of an area. An error where it holds too few pixels to say anything.
    pub fn mean(&self, area: &Area) -> Result<[f32; 3], MatchError> {
        let inside = |v: f64| (0.0..=1.0).contains(&v);
        let fine =
            inside(area.x) && inside(area.y) && inside(area.x + area.width) && inside(area.y + area.height);
        if !fine || area.width <= 0.0 || area.height <= 0.0 {
            return Err(MatchError::Outside);
        }
        let cells = |from: f64, length: f64, n: usize| {
            let first = (from * n as f64).floor() as usize;
            let end = ((from + length) * n as f64).ceil() as usize;
            first.min(n - 1)..end.min(n)
        };
        let (xs, ys) = (cells(area.x, area.width, self.width), cells(area.y, area.height, self.height));
        let covered = area.width * self.width as f64 * area.height * self.height as f64;
        if covered < LEAST_AREA {
            return Err(MatchError::TinyPair);
        }
        let mut sum = [0.0_f64; 3];
        let mut count = 0.0;
        for y in ys {
            for x in xs.clone() {
                let p = self.pixels[y * self.width + x];
                (0..3).for_each(|c| sum[c] += f64::from(p[c]));
                count += 1.0;
            }
        }
        Ok(sum.map(|s| (s / count) as f32))
    }

    /// Whether it is one flat colour: nothing can be read from it.
    pub fn is_flat(&self) -> bool {
        let spread = |c: usize| {
            let values = self.pixels.iter().map(|p| p[c]);
            let low = values.clone().fold(f32::INFINITY, f32::min);
            values.fold(f32::NEG_INFINITY, f32::max) - low
        };
        (0..3).all(|c| spread(c) < FLAT)
    }

    /// Luma and colour differences of every pixel.
    pub fn split(&self) -> Vec<[f64; 3]> {
        let plane = plane();
        let of = |p: &[f32; 4]| {
            let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
            [f64::from(y), f64::from(cb), f64::from(cr)]
        };
        self.pixels.iter().map(of).collect()
    }
}

/// Pixels of a block's side that go into its mean at most.
const MOST_IN_BLOCK: usize = 8;
/// Small pixels that a patch covers at least.
const LEAST_AREA: f64 = 2.0;
/// Code values that a picture's pixels are apart at least.
const FLAT: f32 = 0.01;
