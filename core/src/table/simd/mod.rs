//! Vector twins of the 3D lookup, chosen at run time. With [`crate::numeric::half`] the only place with `unsafe`.
#![allow(unsafe_code)]

#[cfg(target_arch = "x86_64")]
mod avx2;
#[cfg(target_arch = "x86_64")]
mod avx512;

use super::Table3;
use super::lookup::Lookup;
use crate::numeric::lane::N;

/// Bytes of a node.
#[cfg(target_arch = "x86_64")]
const NODE: usize = size_of::<[f32; 4]>();

/// A lookup of RGBA pixels in place.
pub(super) type Twin = fn(&Table3, &mut [[f32; 4]]);

/// The twins that this machine can run, fastest first.
pub(super) fn twins() -> impl Iterator<Item = Twin> {
    #[cfg(target_arch = "x86_64")]
    {
        // SAFETY: each is called only where the instruction set that it asks for was found.
        let wide: Twin = |table, pixels| unsafe { avx512::apply(table, pixels) };
        let narrow: Twin = |table, pixels| unsafe { avx2::apply(table, pixels) };
        let avx512 = std::arch::is_x86_feature_detected!("avx512f").then_some(wide);
        let avx2 = std::arch::is_x86_feature_detected!("avx2").then_some(narrow);
        avx512.into_iter().chain(avx2)
    }
    #[cfg(not(target_arch = "x86_64"))]
    std::iter::empty()
}

/// A lookup of RGBA pixels in place, by the fastest that this machine has.
pub(super) fn apply(table: &Table3, pixels: &mut [[f32; 4]]) {
    match twins().next() {
        Some(twin) => twin(table, pixels),
        None => Lookup::new(table).apply(pixels),
    }
}

#[cfg(target_arch = "x86_64")]
fn has_avx512() -> bool {
    is_x86_feature_detected!("avx512f")
}

/// A lookup of planes of whole blocks of [`N`] in place; the same bits as the twins'.
pub(super) fn apply_planes(table: &Table3, planes: [&mut [f32]; 3]) {
    #[cfg(target_arch = "x86_64")]
    if has_avx512() {
        // SAFETY: the instruction set was found.
        return unsafe { avx512::apply_planes(table, planes) };
    }
    let [red, green, blue] = planes.map(|p| p.as_chunks_mut::<N>().0);
    let mut pixels = [[0.0; 4]; N];
    for ((r, g), b) in red.iter_mut().zip(green).zip(blue) {
        gather([r, g, b], &mut pixels);
        apply(table, &mut pixels);
        for (i, p) in pixels.iter().enumerate() {
            (r[i], g[i], b[i]) = (p[0], p[1], p[2]);
        }
    }
}

/// A lookup of planes of whole blocks of [`N`]; the results as pixels, whose alpha is left. The same bits as the twins'.
pub(super) fn to_pixels(table: &Table3, planes: [&[f32]; 3], out: &mut [[f32; 4]]) {
    #[cfg(target_arch = "x86_64")]
    if has_avx512() {
        // SAFETY: the instruction set was found.
        return unsafe { avx512::to_pixels(table, planes, out) };
    }
    let [red, green, blue] = planes.map(|p| p.as_chunks::<N>().0);
    for (((r, g), b), out) in red.iter().zip(green).zip(blue).zip(out.as_chunks_mut::<N>().0) {
        gather([r, g, b], out);
        apply(table, out);
    }
}

fn gather([r, g, b]: [&[f32; N]; 3], out: &mut [[f32; 4]; N]) {
    for (i, p) in out.iter_mut().enumerate() {
        (p[0], p[1], p[2]) = (r[i], g[i], b[i]);
    }
}
