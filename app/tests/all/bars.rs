//! Colour bars that ffmpeg makes, on our vectorscope: they land in the boxes that BT.709 defines for them.

#![allow(clippy::unwrap_used)]

use lantern_core::picture::to_bytes;
use lantern_core::scope::{LEVELS, VECTOR_SPAN, vectorscope};
use std::process::Command;

/// The scope's target boxes reach this far from their centre.
const BOX: f32 = 0.024;

#[test]
fn smpte_hd_bars_land_in_the_targets_boxes() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("bars.png");
    let done = Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", "smptehdbars=s=1280x720", "-frames:v", "1"])
        .args(["-vf", "scale=in_color_matrix=bt709:in_range=tv:out_range=pc,format=rgb24"])
        .arg(&file)
        .status()
        .unwrap();
    assert!(done.success());
    let picture = lantern_formats::picture::read(&std::fs::read(file).unwrap()).unwrap();
    let mut bytes = vec![0; picture.pixels.len() * 4];
    to_bytes(&picture.pixels, &mut bytes);
    let pixels: Vec<[u8; 4]> = bytes.chunks_exact(4).map(|p| [p[0], p[1], p[2], p[3]]).collect();
    let counts = vectorscope(&pixels, 1.0);
    // 75 % bars by BT.709-6, 3.2 and 3.3.
    for (name, [r, g, b]) in [
        ("red", [0.75, 0.0, 0.0]),
        ("green", [0.0, 0.75, 0.0]),
        ("blue", [0.0, 0.0, 0.75]),
        ("yellow", [0.75, 0.75, 0.0]),
        ("cyan", [0.0, 0.75, 0.75]),
        ("magenta", [0.75, 0.0, 0.75_f32]),
    ] {
        let y = 0.2126 * r + 0.7152 * g + 0.0722 * b;
        let (cb, cr) = ((b - y) / 1.8556, (r - y) / 1.5748);
        let inside: u32 = counts
            .iter()
            .enumerate()
            .filter(|(i, _)| {
                let place = |cell: usize| (cell as f32 + 0.5 - 128.0) / 128.0 * VECTOR_SPAN;
                let (x, y) = (place(i % LEVELS), -place(i / LEVELS));
                (x - cb).abs() <= BOX && (y - cr).abs() <= BOX
            })
            .map(|(_, n)| u32::from(*n))
            .sum();
        // Each bar takes 7 twelfths of the height and 3 quarters of a seventh of the width (SMPTE RP 219).
        assert!(
            f64::from(inside) > 0.98 * (1280.0 * 3.0 / 28.0 - 2.0) * (720.0 * 7.0 / 12.0),
            "{name}: {inside}"
        );
    }
}

#[test]
fn the_skin_line_of_the_page_lies_at_123_degrees() {
    // The I axis (common practice); the page draws it from this constant.
    let constants = include_str!("../../../web/src/data/constants.ts");
    assert!(constants.contains("SKIN_DEGREES = 123;"));
}
