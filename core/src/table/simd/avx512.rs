//! Tetrahedral lookup with AVX-512: the two phases of the AVX2 twin, sixteen pixels at a time in the first and
//! four in the second.

use super::NODE;
use crate::numeric::lane::N;
use crate::table::{Table3, lookup::Lookup};
use std::arch::x86_64::*;

/// What the second phase needs of a pixel: four weights side by side, and three node places in bytes.
#[repr(C, align(64))]
struct Places {
    weights: [[f32; 4]; N],
    base: [u32; N],
    first: [u32; N],
    middle: [u32; N],
}

impl Places {
    const NONE: Self = Self { weights: [[0.0; 4]; N], base: [0; N], first: [0; N], middle: [0; N] };
}

/// Looks up RGBA pixels in place; the same bits as `Lookup::at`.
#[target_feature(enable = "avx512f")]
pub(super) fn apply(table: &Table3, pixels: &mut [[f32; 4]]) {
    let look = Lookup::new(table);
    let cells = Cells::new(&look);
    let mut places = Places::NONE;
    let (blocks, rest) = pixels.as_chunks_mut::<N>();
    for block in blocks {
        find(&cells, block, &mut places);
        fetch(&look, &places, block);
    }
    if !rest.is_empty() {
        let mut full = [[0.0; 4]; N];
        full[..rest.len()].copy_from_slice(rest);
        find(&cells, &full, &mut places);
        fetch(&look, &places, &mut full);
        rest.copy_from_slice(&full[..rest.len()]);
    }
}

/// Looks up planes of whole blocks of [`N`] in place.
#[target_feature(enable = "avx512f")]
pub(super) fn apply_planes(table: &Table3, planes: [&mut [f32]; 3]) {
    let look = Lookup::new(table);
    let cells = Cells::new(&look);
    let (mut places, mut pixels) = (Places::NONE, [[0.0; 4]; N]);
    let [red, green, blue] = planes.map(|p| p.as_chunks_mut::<N>().0);
    for ((red, green), blue) in red.iter_mut().zip(green).zip(blue) {
        find_planes(&cells, [red, green, blue], &mut places);
        fetch(&look, &places, &mut pixels);
        for i in (0..N).step_by(16) {
            // SAFETY: i + 16 <= N, so sixteen pixels of four f32, and sixteen values, lie behind the pointers.
            unsafe {
                let [r, g, b] = deinterleave(&*pixels.as_ptr().add(i).cast());
                _mm512_storeu_ps(red.as_mut_ptr().add(i), r);
                _mm512_storeu_ps(green.as_mut_ptr().add(i), g);
                _mm512_storeu_ps(blue.as_mut_ptr().add(i), b);
            }
        }
    }
}

/// Looks up planes of whole blocks of [`N`]; the results as pixels, whose alpha is left.
#[target_feature(enable = "avx512f")]
pub(super) fn to_pixels(table: &Table3, planes: [&[f32]; 3], out: &mut [[f32; 4]]) {
    let look = Lookup::new(table);
    let cells = Cells::new(&look);
    let mut places = Places::NONE;
    let [red, green, blue] = planes.map(|p| p.as_chunks::<N>().0);
    for (((red, green), blue), out) in red.iter().zip(green).zip(blue).zip(out.as_chunks_mut::<N>().0) {
        find_planes(&cells, [red, green, blue], &mut places);
        fetch(&look, &places, out);
    }
}

/// First phase, from planes.
#[target_feature(enable = "avx512f")]
fn find_planes(cells: &Cells, planes: [&[f32; N]; 3], places: &mut Places) {
    for i in (0..N).step_by(16) {
        // SAFETY: i + 16 <= N, so sixteen values lie behind each pointer.
        let rgb = planes.map(|p| unsafe { _mm512_loadu_ps(p.as_ptr().add(i)) });
        cells.place(rgb, i, places);
    }
}

/// First phase.
#[target_feature(enable = "avx512f")]
fn find(cells: &Cells, block: &[[f32; 4]; N], places: &mut Places) {
    for i in (0..N).step_by(16) {
        // SAFETY: i + 16 <= N, so sixteen pixels of four f32 lie behind the pointer.
        let rgb = deinterleave(unsafe { &*block.as_ptr().add(i).cast() });
        cells.place(rgb, i, places);
    }
}

/// What finds the cells of a table.
struct Cells {
    count: __m512,
    last: __m512i,
    scale: [__m512; 3],
    min: [__m512; 3],
    stride: [__m512i; 3],
    all: __m512i,
}

impl Cells {
    #[target_feature(enable = "avx512f")]
    fn new(look: &Lookup<'_>) -> Self {
        let table = look.table;
        Self {
            count: _mm512_set1_ps((table.size - 1) as f32),
            last: _mm512_set1_epi32((table.size - 2) as i32),
            scale: look.scale.map(|v| _mm512_set1_ps(v)),
            min: table.domain.min.map(|v| _mm512_set1_ps(v)),
            stride: look.stride.map(|v| _mm512_set1_epi32((v * NODE) as i32)),
            all: _mm512_set1_epi32((look.stride.iter().sum::<usize>() * NODE) as i32),
        }
    }

    /// The places and weights of the sixteen pixels from `i` on, a whole sixteen below [`N`].
    #[inline]
    #[target_feature(enable = "avx512f")]
    fn place(&self, rgb: [__m512; 3], i: usize, places: &mut Places) {
        let zero = _mm512_setzero_ps();
        let stride = self.stride;
        let mut base = _mm512_setzero_si512();
        let mut f = [zero; 3];
        for c in 0..3 {
            let t = _mm512_mul_ps(_mm512_sub_ps(rgb[c], self.min[c]), self.scale[c]);
            // max returns its second operand for a NaN: 0, as the scalar definition does.
            let t = _mm512_min_ps(_mm512_max_ps(t, zero), self.count);
            let cell = _mm512_min_epi32(_mm512_cvttps_epi32(t), self.last);
            f[c] = _mm512_sub_ps(t, _mm512_cvtepi32_ps(cell));
            base = _mm512_add_epi32(base, _mm512_mullo_epi32(cell, stride[c]));
        }
        let [r, g, b] = f;
        let r_g = _mm512_cmp_ps_mask::<_CMP_GE_OQ>(r, g);
        let r_b = _mm512_cmp_ps_mask::<_CMP_GE_OQ>(r, b);
        let g_b = _mm512_cmp_ps_mask::<_CMP_GE_OQ>(g, b);
        let first = _mm512_mask_mov_epi32(stride[2], g_b, stride[1]);
        let first = _mm512_mask_mov_epi32(first, r_g & r_b, stride[0]);
        // b <= r && b <= g, written with the masks of r >= b and g >= b; then g <= r as r >= g.
        let least = _mm512_mask_mov_epi32(stride[0], r_g, stride[1]);
        let least = _mm512_mask_mov_epi32(least, r_b & g_b, stride[2]);
        let high = _mm512_max_ps(_mm512_max_ps(r, g), b);
        let low = _mm512_min_ps(_mm512_min_ps(r, g), b);
        let middle = _mm512_max_ps(_mm512_min_ps(r, g), _mm512_min_ps(_mm512_max_ps(r, g), b));
        let weights = interleave([
            _mm512_sub_ps(_mm512_set1_ps(1.0), high),
            _mm512_sub_ps(high, middle),
            _mm512_sub_ps(middle, low),
            low,
        ]);
        let i = i.min(N - 16);
        // SAFETY: i + 16 <= N, so sixteen values lie behind each pointer.
        unsafe {
            _mm512_storeu_si512(places.base.as_mut_ptr().add(i).cast(), base);
            _mm512_storeu_si512(places.first.as_mut_ptr().add(i).cast(), _mm512_add_epi32(base, first));
            let middle = _mm512_add_epi32(base, _mm512_sub_epi32(self.all, least));
            _mm512_storeu_si512(places.middle.as_mut_ptr().add(i).cast(), middle);
            for (k, four) in weights.into_iter().enumerate() {
                _mm512_storeu_ps(places.weights.as_mut_ptr().add(i + 4 * k).cast(), four);
            }
        }
    }
}

/// R, G and B of sixteen pixels.
#[target_feature(enable = "avx512f")]
fn deinterleave(pixels: &[[f32; 4]; 16]) -> [__m512; 3] {
    // SAFETY: sixteen pixels are four times sixteen f32.
    let [a, b, c, d] =
        [0, 4, 8, 12].map(|i: usize| unsafe { _mm512_loadu_ps(pixels.as_ptr().add(i).cast()) });
    let red_green = _mm512_setr_epi32(0, 4, 8, 12, 16, 20, 24, 28, 1, 5, 9, 13, 17, 21, 25, 29);
    let blue = _mm512_setr_epi32(2, 6, 10, 14, 18, 22, 26, 30, 2, 6, 10, 14, 18, 22, 26, 30);
    let (rg_low, rg_high) =
        (_mm512_permutex2var_ps(a, red_green, b), _mm512_permutex2var_ps(c, red_green, d));
    let (b_low, b_high) = (_mm512_permutex2var_ps(a, blue, b), _mm512_permutex2var_ps(c, blue, d));
    [
        _mm512_shuffle_f32x4::<0b01_00_01_00>(rg_low, rg_high),
        _mm512_shuffle_f32x4::<0b11_10_11_10>(rg_low, rg_high),
        _mm512_shuffle_f32x4::<0b01_00_01_00>(b_low, b_high),
    ]
}

/// Four planes of sixteen values as sixteen pixels.
#[target_feature(enable = "avx512f")]
fn interleave([a, b, c, d]: [__m512; 4]) -> [__m512; 4] {
    let (ab_low, ab_high) = (_mm512_unpacklo_ps(a, b), _mm512_unpackhi_ps(a, b));
    let (cd_low, cd_high) = (_mm512_unpacklo_ps(c, d), _mm512_unpackhi_ps(c, d));
    // Pixels 0 4 8 12, 1 5 9 13, 2 6 10 14, 3 7 11 15; then a transposition of the quarters.
    let p0 = _mm512_shuffle_ps::<0b01_00_01_00>(ab_low, cd_low);
    let p1 = _mm512_shuffle_ps::<0b11_10_11_10>(ab_low, cd_low);
    let p2 = _mm512_shuffle_ps::<0b01_00_01_00>(ab_high, cd_high);
    let p3 = _mm512_shuffle_ps::<0b11_10_11_10>(ab_high, cd_high);
    let (q0, q1) =
        (_mm512_shuffle_f32x4::<0b10_00_10_00>(p0, p1), _mm512_shuffle_f32x4::<0b11_01_11_01>(p0, p1));
    let (q2, q3) =
        (_mm512_shuffle_f32x4::<0b10_00_10_00>(p2, p3), _mm512_shuffle_f32x4::<0b11_01_11_01>(p2, p3));
    [
        _mm512_shuffle_f32x4::<0b10_00_10_00>(q0, q2),
        _mm512_shuffle_f32x4::<0b10_00_10_00>(q1, q3),
        _mm512_shuffle_f32x4::<0b11_01_11_01>(q0, q2),
        _mm512_shuffle_f32x4::<0b11_01_11_01>(q1, q3),
    ]
}

/// Four nodes of four f32 as one vector.
///
/// # Safety
/// A node has to lie at each of the four places, counted in bytes from `nodes`.
#[target_feature(enable = "avx512f")]
unsafe fn four(nodes: *const u8, at: &[u32; 4]) -> __m512 {
    // SAFETY: as promised by the caller.
    let [a, b, c, d] = at.map(|at| unsafe { _mm_loadu_ps(nodes.add(at as usize).cast()) });
    let v = _mm512_insertf32x4::<1>(_mm512_castps128_ps512(a), b);
    _mm512_insertf32x4::<3>(_mm512_insertf32x4::<2>(v, c), d)
}

/// Second phase.
#[target_feature(enable = "avx512f")]
fn fetch(look: &Lookup<'_>, places: &Places, block: &mut [[f32; 4]; N]) {
    /// Red, green and blue of four pixels; alpha is left as it is.
    const COLOUR: u16 = 0b0111_0111_0111_0111;
    let near = look.table.nodes.as_ptr().cast::<u8>();
    // SAFETY: the cell's far corner lies `all` nodes on, within the table for every cell.
    let far = unsafe { near.add(look.stride.iter().sum::<usize>() * NODE) };
    let pixels = block.as_mut_ptr().cast::<f32>();
    let (base, _) = places.base.as_chunks::<4>();
    let (first, _) = places.first.as_chunks::<4>();
    let (middle, _) = places.middle.as_chunks::<4>();
    for i in 0..N / 4 {
        // SAFETY: `find` holds every cell at or below size - 2 and NaN at 0, so that the places are those of
        // whole nodes of four f32; i < N / 4, so four pixels, of four f32 each, lie behind the pointers.
        // A prefetch never faults, wherever it points.
        unsafe {
            let w = _mm512_load_ps(places.weights.as_ptr().add(4 * i).cast());
            let p0 = _mm512_mul_ps(four(near, &base[i]), _mm512_permute_ps::<0b00_00_00_00>(w));
            let p1 = _mm512_mul_ps(four(near, &first[i]), _mm512_permute_ps::<0b01_01_01_01>(w));
            let p2 = _mm512_mul_ps(four(near, &middle[i]), _mm512_permute_ps::<0b10_10_10_10>(w));
            let p3 = _mm512_mul_ps(four(far, &base[i]), _mm512_permute_ps::<0b11_11_11_11>(w));
            let sum = _mm512_add_ps(_mm512_add_ps(_mm512_add_ps(p0, p1), p2), p3);
            let pixel = pixels.add(16 * i);
            _mm_prefetch::<_MM_HINT_T0>(pixel.wrapping_add(4 * N).cast());
            _mm512_mask_storeu_ps(pixel, COLOUR, sum);
        }
    }
}
