//! Vector twins of the 3D lookup, chosen at run time. The only place with `unsafe`.
#![allow(unsafe_code)]

#[cfg(target_arch = "x86_64")]
mod avx2;

use super::Table3;

/// Looks up `pixels` with the machine's vector instructions. `false` where it has none that we know.
pub(super) fn apply(table: &Table3, pixels: &mut [[f32; 4]]) -> bool {
    #[cfg(target_arch = "x86_64")]
    if std::arch::is_x86_feature_detected!("avx2") {
        // SAFETY: the function only asks for AVX2, which was just found.
        unsafe { avx2::apply(table, pixels) };
        return true;
    }
    let _ = (table, pixels);
    false
}
