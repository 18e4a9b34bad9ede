//! Taking the last noise out of a render.

use lantern_core::picture::Picture;

/// A non-local mean in log light: pixels of a small window count by how alike their neighbourhoods are, at the
/// level of the render's own noise, so that texture and edges stay.
pub fn without_fireflies(picture: &Picture) -> Picture {
    use rayon::prelude::*;
    let (w, h) = (picture.width(), picture.height());
    let log: Vec<[f32; 3]> =
        picture.pixels.iter().map(|p| [p[0], p[1], p[2]].map(|v| (v.max(0.0) + 0.004).log2())).collect();
    let at = |x: isize, y: isize| {
        let (x, y) = (x.clamp(0, w as isize - 1) as usize, y.clamp(0, h as isize - 1) as usize);
        y * w + x
    };
    let apart = |a: usize, b: usize| (0..3).map(|c| (log[a][c] - log[b][c]).powi(2)).sum::<f32>();
    let pixels = (0..h)
        .into_par_iter()
        .flat_map_iter(|y| (0..w).map(move |x| (x as isize, y as isize)))
        .map(|(x, y)| {
            let (mut sum, mut weights) = ([0.0_f32; 3], 0.0);
            for dy in -6..=6_isize {
                for dx in -6..=6_isize {
                    let mut d = 0.0;
                    for (py, px) in
                        [(0, 0), (-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (1, 1), (-1, 1), (1, -1)]
                    {
                        d += apart(at(x + px, y + py), at(x + dx + px, y + dy + py));
                    }
                    // Strength found by eye: about the spread that 100 paths leave in the darks.
                    let weight = (-(d / 9.0) / 0.055).exp();
                    let p = &picture.pixels[at(x + dx, y + dy)];
                    for c in 0..3 {
                        sum[c] += p[c] * weight;
                    }
                    weights += weight;
                }
            }
            let [r, g, b] = sum.map(|s| s / weights);
            [r, g, b, 1.0]
        })
        .collect();
    Picture::new(w, h, pixels).unwrap_or_else(|_| picture.clone())
}
