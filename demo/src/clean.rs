//! Taking the last noise out of a frame.
//!
//! Light on matte paint is smooth where paint is not: it is cleaned over the paint's reflectance, and the paint, which
//! has next to no noise, is put back. What is mirrored and what is seen straight are cleaned apart. Each half
//! of the paths is averaged with weights that the *other* half gives (Rousselle, Manzi and Zwicker 2013), so that noise
//! does not choose itself; directions, distances and paint lead.

use crate::frame::{Frame, Pixel};
use crate::vector::V3;
use lantern_core::picture::Picture;
use rayon::prelude::*;

/// Half the side of the window that a pixel looks for its like in: for light on matte paint, the noisiest part, and for
/// the others; and of the neighbourhoods compared.
const REACH: isize = 8;
const NEAR: isize = 5;
const PATCH: isize = 2;
/// Half the side of the window that noise is judged over.
const AROUND: isize = 3;
/// Rows that one thread cleans at a time.
const BAND: usize = 24;
/// How unlike two neighbourhoods may be, in times their noise.
const TOLERANCE: f32 = 0.6;

/// The picture of a frame, in linear AP1.
pub fn picture(frame: &Frame) -> Vec<V3> {
    let size = [frame.width, frame.height];
    let guide = Guide::new(frame);
    let halves = |part: fn(&Pixel, usize) -> V3| {
        [0, 1].map(|h: usize| -> Vec<V3> { frame.pixels.par_iter().map(|p| part(p, h)).collect() })
    };
    let matte = calmed(&halves(|p, h| p.halves[h].lit()), size);
    let matte = clean(size, REACH, &guide, matte);
    let gloss = clean(size, NEAR, &guide, calmed(&halves(|p, h| p.halves[h].gloss), size));
    // Nothing leads what is out of focus: the far ends of a lamp's blur, which a path in a thousand meets, and paint.
    let nothing = Guide::default();
    let shine = clean(size, NEAR, &nothing, halves(|p, h| p.shines[h]));
    let paint = clean(size, NEAR, &nothing, halves(|p, h| p.paints[h]));
    let all: Vec<V3> = (0..frame.pixels.len()).map(|i| shine[i] + paint[i] * matte[i] + gloss[i]).collect();
    settled(&settled(&all, size), size)
}

/// A finished picture, evened twice more.
pub fn evenly(mut p: Picture) -> Picture {
    let size = [p.width(), p.height()];
    let all: Vec<V3> = p.pixels.iter().map(|[r, g, b, _]| V3([*r, *g, *b])).collect();
    let all = settled(&settled(&all, size), size);
    p.pixels.iter_mut().zip(&all).for_each(|(p, V3([r, g, b]))| *p = [*r, *g, *b, p[3]]);
    p
}

/// The last unevenness, below what an eye or a display's code can tell: each pixel becomes a mean of those around it that
/// differ by a per cent or so.
fn settled(all: &[V3], size: [usize; 2]) -> Vec<V3> {
    /// How far two pixels may be apart in stops, and half the side of the window.
    const APART: f32 = 0.018;
    const ABOUT: isize = 3;
    // Stops over a floor as deep as a sensor's.
    let stops = [0, 1, 2].map(|c: usize| Plane::new(size, |i| (all[i].0[c].max(0.0) + 0.006).log2()));
    let w = size[0];
    let row = |y: usize| {
        let mut sums = vec![[0.0_f32; 4]; w];
        let here = stops.each_ref().map(|s| s.row(y as isize, 0, w));
        for dy in -ABOUT..=ABOUT {
            for dx in -ABOUT..=ABOUT {
                let there = stops.each_ref().map(|s| s.row(y as isize + dy, dx, w));
                for (x, sum) in sums.iter_mut().enumerate() {
                    let d = |c: usize| (here[c][x] - there[c][x]) * (here[c][x] - there[c][x]);
                    let left = 1.0 - (d(0) + d(1) + d(2)) * (1.0 / (12.0 * APART * APART));
                    let weight = if left > 0.0 { left * left } else { 0.0 };
                    for c in 0..3 {
                        sum[c] += weight * there[c][x];
                    }
                    sum[3] += weight;
                }
            }
        }
        sums.into_iter().map(|[r, g, b, n]| V3([r, g, b].map(|s| (s / n).exp2() - 0.006)))
    };
    (0..size[1]).into_par_iter().flat_map_iter(row).collect()
}

/// Values of a picture, a plane, its edges repeated outward so far that a window never leaves it.
struct Plane {
    values: Vec<f32>,
    stride: usize,
}

const MARGIN: usize = (REACH + PATCH) as usize;

impl Plane {
    fn new([w, h]: [usize; 2], value: impl Fn(usize) -> f32 + Sync) -> Self {
        let stride = w + 2 * MARGIN;
        let mut values = vec![0.0; stride * (h + 2 * MARGIN)];
        values.par_chunks_mut(stride).enumerate().for_each(|(y, row)| {
            let y = y.saturating_sub(MARGIN).min(h - 1) * w;
            for (x, v) in row.iter_mut().enumerate() {
                *v = value(y + x.saturating_sub(MARGIN).min(w - 1));
            }
        });
        Self { values, stride }
    }

    /// `count` values of a row, from `x` on; both may lie in the margin.
    fn row(&self, y: isize, x: isize, count: usize) -> &[f32] {
        let at = (y + MARGIN as isize) as usize * self.stride + (x + MARGIN as isize) as usize;
        &self.values[at..at + count]
    }
}

/// What is known of each pixel with next to no noise: direction, paint and nearness, each with what it may differ by:
/// its own variance and a little more.
#[derive(Default)]
struct Guide {
    values: Vec<(Vec<Plane>, Plane)>,
}

impl Guide {
    fn new(frame: &Frame) -> Self {
        let size = [frame.width, frame.height];
        let plane = |f: &(dyn Fn(&Pixel) -> f32 + Sync)| Plane::new(size, |i| f(&frame.pixels[i]));
        let triple = |f: fn(&Pixel) -> V3| [0, 1, 2].map(|c| plane(&move |p| f(p).0[c])).into();
        Self {
            values: vec![
                (triple(|p| p.normal), plane(&|p| p.varied[1] + 0.0025)),
                (triple(Pixel::paint), plane(&|p| p.varied[0] + 0.0004 + 0.004 * p.paint().dot(p.paint()))),
                (vec![plane(&|p| p.near)], plane(&|p| p.varied[2] + 1e-8 + (0.012 * p.near).powi(2))),
            ],
        }
    }

    /// How unlike the pixels of a row are to those `dx`, `dy` away, the noise of both taken off.
    fn apart(&self, y: isize, [dx, dy]: [isize; 2], out: &mut [f32]) {
        let w = out.len();
        out.fill(0.0);
        let mut squares = vec![0.0_f32; w];
        for (planes, slack) in &self.values {
            squares.fill(0.0);
            for plane in planes {
                let (a, b) = (plane.row(y, 0, w), plane.row(y + dy, dx, w));
                for x in 0..w {
                    squares[x] += (a[x] - b[x]) * (a[x] - b[x]);
                }
            }
            let (a, b) = (slack.row(y, 0, w), slack.row(y + dy, dx, w));
            for x in 0..w {
                let both = a[x] + b[x];
                let more = squares[x] - both;
                out[x] += if more > 0.0 { more } else { 0.0 } / both;
            }
        }
    }
}

/// Cleans a part of a frame that is given in two halves.
fn clean([w, h]: [usize; 2], reach: isize, guide: &Guide, halves: [Vec<V3>; 2]) -> Vec<V3> {
    // Noise of one half, from how far the two are apart, evened over the surroundings.
    let noise = [0, 1, 2].map(|c: usize| {
        let apart: Vec<f32> =
            (0..w * h).map(|i| 0.5 * (halves[0][i].0[c] - halves[1][i].0[c]).powi(2)).collect();
        let evened = evened(&apart, w, h, AROUND);
        Plane::new([w, h], |i| evened[i])
    });
    let halves = [0, 1].map(|k: usize| [0, 1, 2].map(|c: usize| Plane::new([w, h], |i| halves[k][i].0[c])));
    let bands: Vec<usize> = (0..h).step_by(BAND).collect();
    bands
        .into_par_iter()
        .flat_map_iter(|y| band(guide, &halves, &noise, [w, reach as usize], y..(y + BAND).min(h)))
        .collect()
}

/// A mean over a window, by sums along rows and columns.
fn evened(v: &[f32], w: usize, h: usize, reach: isize) -> Vec<f32> {
    let mut rows = vec![0.0; w * h];
    rows.par_chunks_mut(w).zip(v.par_chunks(w)).for_each(|(out, row)| {
        for (x, out) in out.iter_mut().enumerate() {
            let (a, b) = (x.saturating_sub(reach as usize), (x + reach as usize + 1).min(w));
            *out = row[a..b].iter().sum::<f32>() / (b - a) as f32;
        }
    });
    let mut all = vec![0.0; w * h];
    all.par_chunks_mut(w).enumerate().for_each(|(y, out)| {
        let (a, b) = (y.saturating_sub(reach as usize), (y + reach as usize + 1).min(h));
        for row in rows[a * w..b * w].chunks(w) {
            out.iter_mut().zip(row).for_each(|(o, r)| *o += r / (b - a) as f32);
        }
    });
    all
}

/// Single pixels twice as bright as four of five of those around them are paths that found a lamp by rare chance.
fn calmed(halves: &[Vec<V3>; 2], [w, h]: [usize; 2]) -> [Vec<V3>; 2] {
    [0, 1].map(|k: usize| {
        (0..w * h)
            .into_par_iter()
            .map(|i| {
                let (x, y) = (i % w, i / w);
                let mut about = [0.0_f32; 50];
                let mut n = 0;
                for b in y.saturating_sub(2)..(y + 3).min(h) {
                    for a in x.saturating_sub(2)..(x + 3).min(w) {
                        for half in halves {
                            about[n] = half[b * w + a].max();
                            n += 1;
                        }
                    }
                }
                let rank = n * 4 / 5;
                let (_, high, _) = about[..n].select_nth_unstable_by(rank, f32::total_cmp);
                let most = *high * 2.0 + 1e-3;
                let own = halves[k][i];
                if own.max() > most { own * (most / own.max()) } else { own }
            })
            .collect()
    })
}

/// The cleaned rows of a band.
fn band(
    guide: &Guide,
    halves: &[[Plane; 3]; 2],
    noise: &[Plane; 3],
    [w, reach]: [usize; 2],
    rows: std::ops::Range<usize>,
) -> Vec<V3> {
    let n = rows.len() * w;
    let (wide, tall) = (w + 2 * PATCH as usize, rows.len() + 2 * PATCH as usize);
    let mut sums = [0, 1].map(|_| [0, 1, 2].map(|_| vec![0.0_f32; n]));
    let mut weights = [0, 1].map(|_| vec![0.0_f32; n]);
    let mut apart = vec![0.0_f32; wide];
    let mut along = vec![0.0_f32; tall * w];
    let mut led = vec![0.0_f32; n];
    let mut weight = vec![0.0_f32; w];
    let patch = 2 * PATCH as usize + 1;
    let reach = reach as isize;
    for dy in -reach..=reach {
        for dx in -reach..=reach {
            for (k, led) in led.chunks_mut(w).enumerate() {
                guide.apart((rows.start + k) as isize, [dx, dy], led);
            }
            for half in 0..2 {
                for (k, along) in along.chunks_mut(w).enumerate() {
                    let y = rows.start as isize + k as isize - PATCH;
                    apart.fill(0.0);
                    for c in 0..3 {
                        let (v, s) = (&halves[1 - half][c], &noise[c]);
                        let (va, vb) = (v.row(y, -PATCH, wide), v.row(y + dy, dx - PATCH, wide));
                        let (sa, sb) = (s.row(y, -PATCH, wide), s.row(y + dy, dx - PATCH, wide));
                        for x in 0..wide {
                            let (d, both) = (va[x] - vb[x], sa[x] + sb[x]);
                            let floor = 1e-10 + 1e-5 * va[x] * va[x];
                            apart[x] += (d * d - both) / (both * TOLERANCE + floor);
                        }
                    }
                    along.copy_from_slice(&apart[..w]);
                    for r in 1..patch {
                        for (a, b) in along.iter_mut().zip(&apart[r..]) {
                            *a += b;
                        }
                    }
                }
                for k in 0..rows.len() {
                    weight.fill(0.0);
                    for row in along[k * w..(k + patch) * w].chunks(w) {
                        for (a, b) in weight.iter_mut().zip(row) {
                            *a += b;
                        }
                    }
                    let here = k * w..(k + 1) * w;
                    for ((weight, led), all) in
                        weight.iter_mut().zip(&led[here.clone()]).zip(&mut weights[half][here.clone()])
                    {
                        let far = *weight * (1.0 / (3 * patch * patch) as f32);
                        let left = 1.0 - (if far > 0.0 { far } else { 0.0 } + led) * 0.25;
                        let left = if left > 0.0 { left * left } else { 0.0 };
                        *weight = left * left;
                        *all += *weight;
                    }
                    for c in 0..3 {
                        let from = halves[half][c].row((rows.start + k) as isize + dy, dx, w);
                        for ((sum, weight), v) in
                            sums[half][c][here.clone()].iter_mut().zip(&weight).zip(from)
                        {
                            *sum += weight * v;
                        }
                    }
                }
            }
        }
    }
    (0..n)
        .map(|i| {
            let one = |h: usize| V3([0, 1, 2].map(|c| sums[h][c][i])) * (1.0 / weights[h][i].max(1e-12));
            (one(0) + one(1)) * 0.5
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dice::Dice;
    use crate::frame::Part;
    use crate::vector::{splat, v};

    const W: usize = 64;
    const H: usize = 40;

    /// A frame of paint under light, both given at each place, with noise of a share of the light in each half.
    fn frame(paint: impl Fn(usize) -> f32, light: impl Fn(usize) -> f32, noise: f32) -> Frame {
        let mut dice = Dice::new(9);
        let pixels = (0..W * H)
            .map(|i| {
                let paint = splat(paint(i % W));
                let mut p = Pixel::default();
                p.halves = [0; 2].map(|_| {
                    let matte = paint * (light(i % W) * (1.0 + noise * (2.0 * dice.roll() - 1.0)));
                    Part { matte, paint, gloss: splat(0.0) }
                });
                p.paints = [paint; 2];
                p.normal = v(0.0, 0.0, 1.0);
                p.near = 0.2;
                p
            })
            .collect();
        Frame { width: W, height: H, pixels }
    }

    /// Mean and standard deviation of columns of a picture.
    fn spread(all: &[V3], columns: std::ops::Range<usize>) -> (f64, f64) {
        let all: Vec<f64> =
            (0..W * H).filter(|i| columns.contains(&(i % W))).map(|i| f64::from(all[i].0[1])).collect();
        let mean = all.iter().sum::<f64>() / all.len() as f64;
        (mean, (all.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / all.len() as f64).sqrt())
    }

    #[test]
    fn noise_goes_and_the_edge_of_a_shadow_stays() {
        let clean = picture(&frame(|_| 0.5, |x| if x < W / 2 { 0.1 } else { 1.6 }, 0.2));
        for (columns, want) in [(0..W / 2 - 2, 0.05), (W / 2 + 2..W, 0.8)] {
            let (mean, left) = spread(&clean, columns);
            assert!((mean / want - 1.0).abs() < 0.01, "{mean} for {want}");
            // A fifth of even noise is 8 % over two halves.
            assert!(left / mean < 0.01, "{left} of {mean}");
        }
        let step = |x: usize| clean[10 * W + x].0[0];
        assert!(step(W / 2 - 1) < 0.08 && step(W / 2) > 0.7, "{} {}", step(W / 2 - 1), step(W / 2));
    }

    #[test]
    fn fine_paint_under_noisy_light_keeps_its_strokes() {
        let stroke = |x: usize| if x.is_multiple_of(2) { 0.30 } else { 0.36 };
        let clean = picture(&frame(stroke, |_| 1.0, 0.3));
        for x in 4..W - 4 {
            let (mean, _) = spread(&clean, x..x + 1);
            assert!((mean / f64::from(stroke(x)) - 1.0).abs() < 0.02, "{x}: {mean}");
        }
    }

    #[test]
    fn a_single_lucky_path_does_not_stand_out() {
        let mut noisy = frame(|_| 0.5, |_| 0.4, 0.1);
        noisy.pixels[20 * W + 30].halves[0].matte = splat(40.0);
        let clean = picture(&noisy);
        assert!((clean[20 * W + 30].0[1] / 0.2 - 1.0).abs() < 0.1, "{:?}", clean[20 * W + 30]);
    }

    #[test]
    fn a_lamps_rim_without_noise_is_left_as_it_is() {
        let mut all = frame(|_| 0.0, |_| 0.0, 0.0);
        for (i, p) in all.pixels.iter_mut().enumerate() {
            let rim = ((i % W) as f32 - 30.0).clamp(0.0, 3.0) / 3.0;
            p.shines = [splat(0.02 + 26.0 * rim); 2];
        }
        let clean = picture(&all);
        for (p, c) in all.pixels.iter().zip(&clean) {
            assert!((c.0[0] / p.shines[0].0[0] - 1.0).abs() < 0.01, "{c:?}");
        }
    }
}
