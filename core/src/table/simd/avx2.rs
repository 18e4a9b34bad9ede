//! Tetrahedral lookup with AVX2, in two phases over blocks of [`N`] pixels: first all node places and weights,
//! eight pixels at a time, then all lookups, two pixels at a time, with one 128-bit load a corner. Splitting the
//! phases keeps many loads in flight at once. The second phase asks for the next block's pixels meanwhile: a
//! block is as long as a page of memory, and the machine's own prefetcher stops at its end.

use super::NODE;
use crate::numeric::lane::N;
use crate::table::{Table3, lookup::Lookup};
use std::arch::x86_64::*;

/// What the second phase needs of a pixel: four weights side by side, and three node places in bytes.
#[repr(C, align(32))]
struct Places {
    weights: [[f32; 4]; N],
    base: [u32; N],
    first: [u32; N],
    middle: [u32; N],
}

/// Looks up RGBA pixels in place; the same bits as `Lookup::at`.
#[target_feature(enable = "avx2")]
pub(super) fn apply(table: &Table3, pixels: &mut [[f32; 4]]) {
    let look = Lookup::new(table);
    let mut places = Places { weights: [[0.0; 4]; N], base: [0; N], first: [0; N], middle: [0; N] };
    let mut blocks = pixels.chunks_exact_mut(N);
    for block in &mut blocks {
        find(&look, block, &mut places);
        fetch(&look, &places, block);
    }
    let rest = blocks.into_remainder();
    if !rest.is_empty() {
        let mut full = [[0.0; 4]; N];
        full[..rest.len()].copy_from_slice(rest);
        find(&look, &full, &mut places);
        fetch(&look, &places, &mut full);
        rest.copy_from_slice(&full[..rest.len()]);
    }
}

/// First phase. `block` has exactly [`N`] pixels.
#[target_feature(enable = "avx2")]
fn find(look: &Lookup<'_>, block: &[[f32; 4]], places: &mut Places) {
    let table = look.table;
    let cells = _mm256_set1_ps((table.size - 1) as f32);
    let last = _mm256_set1_epi32((table.size - 2) as i32);
    let zero = _mm256_setzero_ps();
    let scale = look.scale.map(|v| _mm256_set1_ps(v));
    let min = table.domain.min.map(|v| _mm256_set1_ps(v));
    let stride = look.stride.map(|v| _mm256_set1_epi32((v * NODE) as i32));
    let all = _mm256_set1_epi32((look.stride.iter().sum::<usize>() * NODE) as i32);

    for i in (0..N).step_by(8) {
        let rgb = deinterleave(&block[i..i + 8]);
        let mut base = _mm256_setzero_si256();
        let mut f = [zero; 3];
        for c in 0..3 {
            let t = _mm256_mul_ps(_mm256_sub_ps(rgb[c], min[c]), scale[c]);
            // max returns its second operand for a NaN: 0, as the scalar definition does.
            let t = _mm256_min_ps(_mm256_max_ps(t, zero), cells);
            let cell = _mm256_min_epi32(_mm256_cvttps_epi32(t), last);
            f[c] = _mm256_sub_ps(t, _mm256_cvtepi32_ps(cell));
            base = _mm256_add_epi32(base, _mm256_mullo_epi32(cell, stride[c]));
        }
        let [r, g, b] = f;
        let ge = |a, b| _mm256_castps_si256(_mm256_cmp_ps::<_CMP_GE_OQ>(a, b));
        let pick = |no, yes, mask| _mm256_blendv_epi8(no, yes, mask);
        let (r_g, r_b, g_b) = (ge(r, g), ge(r, b), ge(g, b));
        let first = pick(pick(stride[2], stride[1], g_b), stride[0], _mm256_and_si256(r_g, r_b));
        // b <= r && b <= g, written with the masks of r >= b and g >= b; then g <= r as r >= g.
        let least = pick(pick(stride[0], stride[1], r_g), stride[2], _mm256_and_si256(r_b, g_b));
        let high = _mm256_max_ps(_mm256_max_ps(r, g), b);
        let low = _mm256_min_ps(_mm256_min_ps(r, g), b);
        let middle = _mm256_max_ps(_mm256_min_ps(r, g), _mm256_min_ps(_mm256_max_ps(r, g), b));
        let weights = [
            _mm256_sub_ps(_mm256_set1_ps(1.0), high),
            _mm256_sub_ps(high, middle),
            _mm256_sub_ps(middle, low),
            low,
        ];
        let ints = [
            (&mut places.base, base),
            (&mut places.first, _mm256_add_epi32(base, first)),
            (&mut places.middle, _mm256_add_epi32(base, _mm256_sub_epi32(all, least))),
        ];
        for (out, v) in ints {
            // SAFETY: i + 8 <= N, so eight u32 lie behind the pointer.
            unsafe { _mm256_storeu_si256(out.as_mut_ptr().add(i).cast(), v) };
        }
        for (k, pair) in interleave(weights).into_iter().enumerate() {
            // SAFETY: i + 8 <= N, so the weights of pixels i..i + 8, four f32 each, lie behind the pointer.
            unsafe {
                let out = places.weights.as_mut_ptr().add(i + k).cast::<f32>();
                _mm_storeu_ps(out, _mm256_castps256_ps128(pair));
                _mm_storeu_ps(out.add(16), _mm256_extractf128_ps::<1>(pair));
            }
        }
    }
}

/// R, G and B of eight pixels.
#[target_feature(enable = "avx2")]
fn deinterleave(pixels: &[[f32; 4]]) -> [__m256; 3] {
    assert!(pixels.len() == 8);
    let half = |i: usize| {
        // SAFETY: i + 4 < 8, so pixels i and i + 4, of four f32 each, exist.
        unsafe {
            let low = _mm_loadu_ps(pixels.as_ptr().add(i).cast());
            let high = _mm_loadu_ps(pixels.as_ptr().add(i + 4).cast());
            _mm256_set_m128(high, low)
        }
    };
    let (a, b, c, d) = (half(0), half(1), half(2), half(3));
    let (rg_ac, rg_bd) = (_mm256_unpacklo_ps(a, c), _mm256_unpacklo_ps(b, d));
    let (ba_ac, ba_bd) = (_mm256_unpackhi_ps(a, c), _mm256_unpackhi_ps(b, d));
    [_mm256_unpacklo_ps(rg_ac, rg_bd), _mm256_unpackhi_ps(rg_ac, rg_bd), _mm256_unpacklo_ps(ba_ac, ba_bd)]
}

/// Four planes of eight values as pixels 0 and 4, 1 and 5, 2 and 6, 3 and 7.
#[target_feature(enable = "avx2")]
fn interleave([a, b, c, d]: [__m256; 4]) -> [__m256; 4] {
    let (ab_low, ab_high) = (_mm256_unpacklo_ps(a, b), _mm256_unpackhi_ps(a, b));
    let (cd_low, cd_high) = (_mm256_unpacklo_ps(c, d), _mm256_unpackhi_ps(c, d));
    [
        _mm256_shuffle_ps::<0b01_00_01_00>(ab_low, cd_low),
        _mm256_shuffle_ps::<0b11_10_11_10>(ab_low, cd_low),
        _mm256_shuffle_ps::<0b01_00_01_00>(ab_high, cd_high),
        _mm256_shuffle_ps::<0b11_10_11_10>(ab_high, cd_high),
    ]
}

/// Second phase. `block` has exactly [`N`] pixels.
#[target_feature(enable = "avx2")]
fn fetch(look: &Lookup<'_>, places: &Places, block: &mut [[f32; 4]]) {
    assert!(block.len() == N);
    let near = look.table.nodes.as_ptr().cast::<u8>();
    // SAFETY: the cell's far corner lies `all` nodes on, within the table for every cell.
    let far = unsafe { near.add(look.stride.iter().sum::<usize>() * NODE) };
    let pixels = block.as_mut_ptr().cast::<f32>();
    for i in (0..N).step_by(2) {
        // SAFETY: `find` holds every cell at or below size - 2 and NaN at 0, so that the places are those of
        // whole nodes of four f32; i + 1 < N, so two pixels, of four f32 each, lie behind the pointer.
        // A prefetch never faults, wherever it points.
        unsafe {
            let both = |nodes: *const u8, at: &[u32; N]| {
                let low = _mm_loadu_ps(nodes.add(at[i] as usize).cast());
                let high = _mm_loadu_ps(nodes.add(at[i + 1] as usize).cast());
                _mm256_set_m128(high, low)
            };
            let w = _mm256_loadu_ps(places.weights.as_ptr().add(i).cast());
            let p0 = _mm256_mul_ps(both(near, &places.base), _mm256_permute_ps::<0b00_00_00_00>(w));
            let p1 = _mm256_mul_ps(both(near, &places.first), _mm256_permute_ps::<0b01_01_01_01>(w));
            let p2 = _mm256_mul_ps(both(near, &places.middle), _mm256_permute_ps::<0b10_10_10_10>(w));
            let p3 = _mm256_mul_ps(both(far, &places.base), _mm256_permute_ps::<0b11_11_11_11>(w));
            let sum = _mm256_add_ps(_mm256_add_ps(_mm256_add_ps(p0, p1), p2), p3);
            let pixel = pixels.add(4 * i);
            if i % 4 == 0 {
                _mm_prefetch::<_MM_HINT_T0>(pixel.wrapping_add(4 * N).cast());
            }
            let old = _mm256_loadu_ps(pixel);
            _mm256_storeu_ps(pixel, _mm256_blend_ps::<0b1000_1000>(sum, old));
        }
    }
}
