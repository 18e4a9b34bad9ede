//! Scope counts against their definitions, computed in numpy and colour-science by `xtask/fixtures.py`.

#![allow(clippy::unwrap_used)]

use lantern_core::scope::chromaticity::chromaticity;
use lantern_core::scope::{Area, LEVELS, histogram, luma_waveform, vectorscope, waveform};
use serde::Deserialize;

#[derive(Deserialize)]
struct Fixture {
    width: usize,
    height: usize,
    columns: usize,
    /// Column, channel, level, count.
    wave: Vec<Vec<usize>>,
    /// Column, level, count.
    luma: Vec<Vec<usize>>,
    /// Row, column, count.
    vector: Vec<Vec<usize>>,
    histogram: Vec<Vec<u32>>,
    corners: Vec<[f64; 2]>,
    inside: usize,
    histogram_inside: Vec<u32>,
    /// Row, column, count.
    chromaticity: Vec<Vec<usize>>,
}

/// The fixture, and the picture that it was counted from: Knuth's multiplicative hash of each sample's place.
fn fixture() -> (Fixture, Vec<[u8; 4]>) {
    let f: Fixture = serde_json::from_str(include_str!("../fixtures/scopes.json")).unwrap();
    let code = |n: u32| (n.wrapping_mul(2_654_435_761) >> 24) as u8;
    let pixels =
        (0..(f.width * f.height) as u32).map(|i| [code(3 * i), code(3 * i + 1), code(3 * i + 2), 255]);
    let pixels = pixels.collect();
    (f, pixels)
}

/// Places in a layout of these sizes as places in a row, with their counts.
fn flat(list: &[Vec<usize>], sizes: &[usize]) -> Vec<[usize; 2]> {
    let place = |at: &[usize]| at.iter().zip(sizes).fold(0, |k, (i, n)| k * n + i);
    list.iter().map(|c| [place(&c[..c.len() - 1]), c[c.len() - 1]]).collect()
}

fn sparse(counts: &[u16]) -> Vec<[usize; 2]> {
    counts.iter().enumerate().filter(|(_, n)| **n > 0).map(|(i, n)| [i, usize::from(*n)]).collect()
}

/// The share of counted pixels that two sets of counts place differently.
fn apart(ours: &[[usize; 2]], theirs: &[[usize; 2]]) -> f64 {
    let of = |list: &[[usize; 2]], cell: usize| list.iter().find(|c| c[0] == cell).map_or(0, |c| c[1]);
    let total: usize = theirs.iter().map(|c| c[1]).sum();
    let missing: usize = theirs.iter().map(|[cell, n]| n.saturating_sub(of(ours, *cell))).sum();
    missing as f64 / total as f64
}

#[test]
fn waveforms_and_histograms_are_what_their_definitions_count() {
    let (f, pixels) = fixture();
    assert_eq!(sparse(&waveform(&pixels, f.width, f.columns, None)), flat(&f.wave, &[f.columns, 3, LEVELS]));
    // Luma is rounded in 65536ths here, in doubles there: a few lie on either side of a half.
    assert!(
        apart(
            &sparse(&luma_waveform(&pixels, f.width, f.columns, None)),
            &flat(&f.luma, &[f.columns, LEVELS])
        ) < 0.002
    );
    let counts = histogram(&pixels);
    for (c, want) in f.histogram.iter().enumerate() {
        assert_eq!(&counts[c * LEVELS..(c + 1) * LEVELS], &want[..]);
    }
}

#[test]
fn the_vectorscope_puts_every_colour_where_bt709_defines_it() {
    let (f, pixels) = fixture();
    let vector = flat(&f.vector, &[LEVELS, LEVELS]);
    assert!(apart(&sparse(&vectorscope(&pixels, 1.0)), &vector) < 0.005);
    // Zoomed twice, a cell holds what lies within half as far from the centre.
    let near = |list: &[[usize; 2]], half: usize| -> usize {
        let inside = |i: usize| (128 - half..128 + half).contains(&i);
        list.iter().filter(|c| inside(c[0] % LEVELS) && inside(c[0] / LEVELS)).map(|c| c[1]).sum()
    };
    let zoomed = near(&sparse(&vectorscope(&pixels, 2.0)), 120);
    let whole = near(&vector, 60);
    assert!(zoomed.abs_diff(whole) <= 2 + whole / 50, "{zoomed} {whole}");
}

#[test]
fn an_area_holds_the_pixels_that_the_even_odd_rule_gives_it() {
    let (f, pixels) = fixture();
    let mask = Area { corners: f.corners.clone() }.mask(f.width, f.height).unwrap();
    let inside = mask.gather(&pixels);
    assert_eq!(inside.len(), f.inside);
    assert_eq!(&histogram(&inside)[LEVELS..2 * LEVELS], &f.histogram_inside[..]);
    let held: u32 = waveform(&pixels, f.width, f.columns, Some(&mask)).iter().map(|n| u32::from(*n)).sum();
    assert_eq!(held as usize, 3 * f.inside);
}

#[test]
fn chromaticities_are_those_of_colour_science() {
    let (f, pixels) = fixture();
    let light: Vec<[f32; 4]> =
        pixels.iter().map(|p| [p[0], p[1], p[2], 255].map(|v| f32::from(v) / 255.0)).collect();
    assert!(apart(&sparse(&chromaticity(&light)), &flat(&f.chromaticity, &[LEVELS, LEVELS])) < 0.005);
}
