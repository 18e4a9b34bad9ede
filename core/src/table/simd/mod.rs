//! Vector twins of the 3D lookup, chosen at run time. The only place with `unsafe`.
#![allow(unsafe_code)]

#[cfg(target_arch = "x86_64")]
mod avx2;
#[cfg(target_arch = "x86_64")]
mod avx512;

use super::Table3;

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
