//! What is painted over a picture: false colour, and marks on what is clipped or out of gamut.

use super::layout::HEADER;
use super::output::{Output, Point};
use super::proxy::Proxy;
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::scope::{limits, stops};
use rayon::prelude::*;

/// Puts a picture that is transparent on black.
pub fn on_black(frame: &mut [u8], proxy: &Proxy) {
    if !proxy.clear {
        return;
    }
    bands(frame, proxy, |pixels, _, out| {
        for (p, o) in pixels.iter().zip(out.chunks_exact_mut(4)).filter(|(p, _)| p[3] < 1.0) {
            let alpha = p[3].max(0.0);
            o[..3].iter_mut().for_each(|v| *v = (f32::from(*v) * alpha + 0.5) as u8);
        }
    });
}

/// Puts false colour in place of the picture's bytes.
pub fn stops(frame: &mut [u8], proxy: &Proxy, path: &Path) {
    let program = Program::scene(path, &proxy.encoding);
    bands(frame, proxy, |pixels, _, out| {
        let mut light = pixels.to_vec();
        program.run(&mut light);
        for (p, o) in light.iter().zip(out.chunks_exact_mut(4)) {
            o[..3].copy_from_slice(&stops::colour(p));
        }
    });
}

/// The stripes of marks: 4 pixels wide, so that they are seen on large places and never look like part of a picture.
const STRIPE: usize = 4;
/// Of clipped lights, crushed darks, and colours outside of the gamut.
const LIGHT: [u8; 3] = [214, 92, 40];
const DARK: [u8; 3] = [70, 110, 200];
const WIDE: [u8; 3] = [240, 226, 120];

/// Whether a place across the stripes lies on one.
fn stripe(across: usize) -> bool {
    (across / STRIPE).is_multiple_of(2)
}

/// Draws stripes over what is clipped or was brought into the gamut; the rest is dimmed to grey.
pub fn marks(frame: &mut [u8], proxy: &Proxy, output: &Output<'_>) {
    let (fitted, unfitted) = (output.all(Point::Delivered), output.all(Point::Unfitted));
    let w = proxy.picture.width();
    bands(frame, proxy, |pixels, start, out| {
        let own = start..start + pixels.len();
        let both = fitted[own.clone()].iter().zip(&unfitted[own]);
        for (i, ((f, u), o)) in both.zip(out.chunks_exact_mut(4)).enumerate() {
            let m = limits::marks(f, u);
            let (x, y) = ((start + i) % w, (start + i) / w);
            let (rising, falling) = (stripe(x + y), stripe(x + w - y % w));
            let colour = if m & limits::WHITE != 0 && rising {
                Some(LIGHT)
            } else if m & limits::BLACK != 0 && falling && m & limits::GAMUT == 0 {
                Some(DARK)
            } else if m & limits::GAMUT != 0 && falling {
                Some(WIDE)
            } else {
                None
            };
            let grey = ((u32::from(o[0]) * 54 + u32::from(o[1]) * 183 + u32::from(o[2]) * 19) >> 8) as u8;
            o[..3].copy_from_slice(&colour.unwrap_or([grey / 2 + 24; 3]));
        }
    });
}

/// Puts a region's matte in place of the picture, or greys the picture where the region does not hold it.
pub fn matte(frame: &mut [u8], proxy: &Proxy, program: &Program, isolated: bool) {
    bands(frame, proxy, |pixels, _, out| {
        let mut matte = pixels.to_vec();
        program.run(&mut matte);
        for (m, o) in matte.iter().zip(out.chunks_exact_mut(4)) {
            let m = m[0].max(0.0).min(1.0);
            if isolated {
                let luma = u32::from(o[0]) * 54 + u32::from(o[1]) * 183 + u32::from(o[2]) * 19;
                let grey = (luma >> 8) as f32 * 0.4 + 48.0;
                o[..3].iter_mut().for_each(|v| *v = (grey + m * (f32::from(*v) - grey)) as u8);
            } else {
                o[..3].fill((m * 255.0 + 0.5) as u8);
            }
        }
    });
}

/// Runs a job over bands of pixels: source pixels, the place of the first one, and the bytes to paint.
fn bands(frame: &mut [u8], proxy: &Proxy, job: impl Fn(&[[f32; 4]], usize, &mut [u8]) + Sync) {
    const BAND: usize = 8192;
    let pixels = &proxy.picture.pixels;
    let out = &mut frame[HEADER..HEADER + pixels.len() * 4];
    pixels
        .par_chunks(BAND)
        .zip(out.par_chunks_mut(BAND * 4))
        .enumerate()
        .for_each(|(k, (pixels, out))| job(pixels, k * BAND, out));
}
