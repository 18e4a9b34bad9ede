//! Texture against optics and sensitometry, measured on pictures as a laboratory would.

#![allow(clippy::unwrap_used)]

use lantern_core::film::stock::negatives;
use lantern_core::film::{Chain, GREY};
use lantern_core::step::{Bloom, Grain, Halation, Negative, Print, Softness};
use lantern_core::texture::point_spread::Component;
use lantern_core::texture::{FrameGeometry, Texture, grain, taps};

const SIZES: [(usize, usize); 2] = [(960, 540), (3840, 2160)];
const GAUGE: f64 = 24.9;

fn lamp(w: usize, h: usize, light: f32) -> Vec<[f32; 4]> {
    let mut pixels = vec![[0.0, 0.0, 0.0, 1.0]; w * h];
    pixels[(h / 2) * w + w / 2] = [light, light, light, 1.0];
    pixels
}

fn sum(pixels: &[[f32; 4]], c: usize) -> f64 {
    pixels.iter().map(|p| f64::from(p[c])).sum()
}

/// Mean squared distance from the lamp, in square micrometres, of the light of a channel.
fn spread(pixels: &[[f32; 4]], c: usize, geometry: &FrameGeometry) -> f64 {
    let [w, h] = geometry.size;
    let place = |i: usize| [(i % w) as f64 - (w / 2) as f64, (i / w) as f64 - (h / 2) as f64];
    let moment: f64 = pixels
        .iter()
        .enumerate()
        .map(|(i, p)| f64::from(p[c]) * place(i).iter().map(|v| v * v).sum::<f64>())
        .sum();
    moment / sum(pixels, c) * geometry.pitch * geometry.pitch
}

/// The radius in micrometres that holds a share of a channel's light.
fn radius(pixels: &[[f32; 4]], c: usize, share: f64, geometry: &FrameGeometry) -> f64 {
    let [w, h] = geometry.size;
    let mut by: Vec<(f64, f64)> = pixels
        .iter()
        .enumerate()
        .map(|(i, p)| {
            (((i % w) as f64 - (w / 2) as f64).hypot((i / w) as f64 - (h / 2) as f64), f64::from(p[c]))
        })
        .collect();
    by.sort_by(|a, b| a.0.total_cmp(&b.0));
    let wanted = share * by.iter().map(|b| b.1).sum::<f64>();
    let mut so_far = 0.0;
    for (r, light) in by {
        so_far += light;
        if so_far >= wanted {
            return r * geometry.pitch;
        }
    }
    f64::NAN
}

#[test]
fn halation_keeps_the_light_and_its_radii_at_both_sizes() {
    let stock = &negatives()[2].halation;
    for (w, h) in SIZES {
        let geometry = FrameGeometry::whole(w, h, GAUGE, 0);
        let kernel = Halation { threshold: -4.0, ..Default::default() }.kernel(1.0, stock);
        let mut pixels = lamp(w, h, 900.0);
        Texture::Halation(kernel.clone()).run(&mut pixels, &geometry);
        for c in 0..3 {
            // Energy: what comes back is what was taken.
            assert!((sum(&pixels, c) / 900.0 - 1.0).abs() < 1e-3, "{w}: {}", sum(&pixels, c));
        }
        let mut alone = lamp(w, h, 900.0);
        kernel.alone(&mut alone, &geometry);
        // The share that comes back, red before green before blue.
        for c in 0..3 {
            assert!((sum(&alone, c) / 900.0 / stock.share[c] - 1.0).abs() < 0.01);
        }
        // E[r^2] of exp(-r/a) / (2 pi a^2) over the plane is 6 a^2.
        let want: f64 =
            stock.reach.iter().zip(stock.weights).map(|(a, w)| 6.0 * a * a * w).sum::<f64>().sqrt();
        let got = spread(&alone, 0, &geometry).sqrt();
        assert!((got / want - 1.0).abs() < 0.05, "{w}: {got} for {want} micrometres");
        // Half of the light lies within the radius where the sum of the falloffs' shares is a half.
        let within = |r: f64| {
            let parts = stock.reach.iter().zip(stock.weights);
            parts.map(|(a, w)| w * Component::Exponential(*a).within(r)).sum::<f64>()
        };
        let half = (1..2000).map(f64::from).find(|r| within(*r) >= 0.5).unwrap();
        let got = radius(&alone, 0, 0.5, &geometry);
        assert!((got - half).abs() < 0.05 * half + 0.6 * geometry.pitch, "{w}: {got} for {half}");
    }
}

#[test]
fn bloom_keeps_the_light_and_its_reach_at_both_sizes() {
    for (w, h) in SIZES {
        let geometry = FrameGeometry::whole(w, h, GAUGE, 0);
        let bloom = Bloom { amount: 0.5, reach: 400.0 };
        let mut pixels = lamp(w, h, 10.0);
        Texture::Bloom(bloom.kernel(1.0)).run(&mut pixels, &geometry);
        assert!((sum(&pixels, 1) / 10.0 - 1.0).abs() < 1e-3, "{w}: {}", sum(&pixels, 1));
        // Half of the light stays at the lamp; the octaves' variances add up to the rest: E[r^2] = 2 sigma^2 each.
        let octaves = (0..4).map(|k| 2.0 * (400.0 * 0.5_f64.powi(k)).powi(2)).sum::<f64>() / 4.0;
        let want = (0.5 * octaves).sqrt();
        let got = spread(&pixels, 1, &geometry).sqrt();
        assert!((got / want - 1.0).abs() < 0.05, "{w}: {got} for {want}");
    }
}

/// Modulation transfer from an edge that leans by one pixel in `lean` rows (ISO 12233, slanted edge: each row's edge is
/// found, all rows are laid over each other at a quarter pixel, the edge's slope is the line spread, its Fourier
/// transform the transfer). Gives cycles per pixel and transfer.
fn slanted_edge(pixels: &[[f32; 4]], w: usize, h: usize, c: usize, lean: f64) -> impl Fn(f64) -> f64 + use<> {
    const FINE: f64 = 4.0;
    let mut bins: Vec<(f64, f64)> = vec![(0.0, 0.0); w * FINE as usize];
    for y in 8..h - 8 {
        let edge = w as f64 / 2.0 + (y as f64 - h as f64 / 2.0) / lean;
        for x in 0..w {
            let place = (x as f64 + 0.5 - edge + w as f64 / 2.0) * FINE;
            if let Some(bin) = bins.get_mut(place.max(0.0) as usize) {
                bin.0 += f64::from(pixels[y * w + x][c]);
                bin.1 += 1.0;
            }
        }
    }
    let edge: Vec<f64> = bins.iter().filter(|b| b.1 > 0.0).map(|b| b.0 / b.1).collect();
    let line: Vec<f64> = edge.windows(2).map(|p| p[1] - p[0]).collect();
    let middle = line.len() / 2;
    let near = line[middle - 60..middle + 60].to_vec();
    move |f: f64| {
        let (mut re, mut im, mut all) = (0.0, 0.0, 0.0);
        for (i, v) in near.iter().enumerate() {
            let phase = 2.0 * std::f64::consts::PI * f * i as f64 / FINE;
            re += v * phase.cos();
            im -= v * phase.sin();
            all += v;
        }
        // The quarter-pixel bins and the difference of two of them have a transfer of their own.
        let own = |x: f64| if x == 0.0 { 1.0 } else { x.sin() / x };
        let bin = own(std::f64::consts::PI * f / FINE);
        re.hypot(im) / all / (bin * bin)
    }
}

#[test]
fn softness_has_half_its_transfer_where_the_stock_says() {
    let stock = &negatives()[2];
    // A scan at 4 micrometres a pixel, so that the frequencies lie within the pixels' own.
    let (w, h, lean) = (256, 160, 11.0);
    let geometry = FrameGeometry::whole(w, h, 0.004 * w as f64, 0);
    let covered = |x: f64, y: f64| {
        let edge = w as f64 / 2.0 + (y - h as f64 / 2.0) / lean;
        (x + 1.0 - edge).clamp(0.0, 1.0) as f32
    };
    let mut pixels: Vec<[f32; 4]> =
        (0..w * h).map(|i| covered((i % w) as f64, (i / w) as f64)).map(|v| [v, v, v, 1.0]).collect();
    let before = slanted_edge(&pixels, w, h, 0, lean);
    let step = Softness { amount: 1.0, edges: 0.0 };
    Texture::Softness(step.kernel(1.0, stock)).run(&mut pixels, &geometry);
    for c in 0..3 {
        let after = slanted_edge(&pixels, w, h, c, lean);
        // The scan's own pixels are divided out.
        let transfer = |f: f64| after(f) / before(f);
        let f50 = (1..5000).map(|i| f64::from(i) * 1e-4).find(|f| transfer(*f) <= 0.5).unwrap()
            / geometry.pitch
            * 1000.0;
        let want = stock.softness[c];
        assert!((f50 / want - 1.0).abs() < 0.05, "layer {c}: {f50} for {want} cycles/mm");
    }
    // The form behind it: half at f50 by construction.
    assert!((taps::transfer(taps::radius(50.0) / 1000.0, 50.0) - 0.5).abs() < 1e-12);
}

#[test]
fn edges_are_drawn_on_both_sides_and_even_fields_are_left() {
    let stock = &negatives()[0];
    let (w, h) = (200, 40);
    let geometry = FrameGeometry::whole(w, h, 1.0, 0);
    let step = |i: usize| if i % w < w / 2 { 0.05_f32 } else { 0.5 };
    let mut pixels: Vec<[f32; 4]> = (0..w * h).map(step).map(|v| [v, v, v, 1.0]).collect();
    Texture::Softness(Softness { amount: 0.0, edges: 2.0 }.kernel(1.0, stock)).run(&mut pixels, &geometry);
    let row = &pixels[20 * w..21 * w];
    assert!(row[w / 2 - 2][1] < 0.049 && row[w / 2 + 1][1] > 0.51, "{:?}", &row[w / 2 - 3..w / 2 + 3]);
    assert!((row[10][1] - 0.05).abs() < 1e-5);
}

struct Patch {
    pixels: Vec<[f32; 4]>,
    side: usize,
    pitch: f64,
}

/// A patch of even density with grain, at `pitch` micrometres a pixel.
fn grained(step: &Grain, chain: &Chain, density: f32, side: usize, pitch: f64, frame: u32) -> Patch {
    let geometry =
        FrameGeometry { frame, ..FrameGeometry::whole(side, side, pitch * side as f64 / 1000.0, 0) };
    let mut pixels = vec![[density, density, density, 1.0]; side * side];
    Texture::Grain(step.kernel(1.0, chain)).run(&mut pixels, &geometry);
    Patch { pixels, side, pitch }
}

impl Patch {
    /// Deviation of density through a square aperture of `n` pixels a side.
    fn rms(&self, c: usize, n: usize) -> f64 {
        let per = self.side / n;
        let mean = |i: usize| -> f64 {
            let (bx, by) = (i % per * n, i / per * n);
            let all = (0..n * n).map(|k| f64::from(self.pixels[(by + k / n) * self.side + bx + k % n][c]));
            all.sum::<f64>() / (n * n) as f64
        };
        let means: Vec<f64> = (0..per * per).map(mean).collect();
        let m = means.iter().sum::<f64>() / means.len() as f64;
        (means.iter().map(|v| (v - m).powi(2)).sum::<f64>() / means.len() as f64).sqrt()
    }
}

fn film(of: usize) -> Chain {
    let n = Negative { stock: negatives()[of].clone(), ..Default::default() };
    Chain::new(Some(&n), Some(&Print::default()))
}

#[test]
fn granularity_follows_selwyn_over_the_aperture_and_is_the_stocks() {
    let chain = film(2);
    // 6 micrometres a pixel: apertures of 48 to 384 micrometres, all well over a clump.
    let patch = grained(&Grain::default(), &chain, 1.0, 2048, 6.0, 3);
    for c in 0..3 {
        let points: Vec<(f64, f64)> =
            [8, 16, 32, 64].map(|n| ((n as f64 * patch.pitch).ln(), patch.rms(c, n).ln())).to_vec();
        let mean = |f: &dyn Fn(&(f64, f64)) -> f64| points.iter().map(f).sum::<f64>() / points.len() as f64;
        let (mx, my) = (mean(&|p| p.0), mean(&|p| p.1));
        let slope = points.iter().map(|p| (p.0 - mx) * (p.1 - my)).sum::<f64>()
            / points.iter().map(|p| (p.0 - mx).powi(2)).sum::<f64>();
        // Deviation times the square root of the area is constant: -1 over the side.
        assert!((slope + 1.0).abs() < 0.05, "layer {c}: {slope}");
        // Rms granularity: a thousand times the deviation through 48 micrometres at density 1.
        let own = chain.stock.grain[c].rms;
        let side = 8.0 * patch.pitch;
        let quoted = patch.rms(c, 8) * side / grain::APERTURE.sqrt() * 1000.0;
        assert!((quoted / own - 1.0).abs() < 0.05, "layer {c}: {quoted} for {own}");
    }
}

#[test]
fn grain_depends_on_density_as_the_stock_says() {
    let chain = film(1);
    let layer = &chain.stock.grain[1];
    let most = chain.chemistry.curves[1].most();
    let raw = |d: f64| ((d + layer.fog) * (1.0 - layer.fall * d / most)).sqrt();
    let at = |d: f64| grained(&Grain::default(), &chain, d as f32, 768, 13.0, 1).rms(1, 1);
    let one = at(1.0);
    for d in [0.1, 0.4, 0.8, 1.2, 1.5] {
        let (got, want) = (at(d) / one, raw(d) / raw(1.0));
        assert!((got / want - 1.0).abs() < 0.1, "{d}: {got} for {want}");
    }
}

#[test]
fn grain_is_new_in_each_frame_the_same_for_the_same_and_never_tiles() {
    let chain = film(1);
    let draw = |frame: u32| grained(&Grain::default(), &chain, 0.8, 512, 13.0, frame);
    let (a, b, again) = (draw(5), draw(6), draw(5));
    assert_eq!(a.pixels, again.pixels);
    let one = rayon::ThreadPoolBuilder::new().num_threads(1).build().unwrap();
    assert_eq!(one.install(|| draw(5)).pixels, a.pixels, "threads change nothing");
    let centred = |p: &Patch| -> Vec<f64> {
        let v: Vec<f64> = p.pixels.iter().map(|p| f64::from(p[1])).collect();
        let m = v.iter().sum::<f64>() / v.len() as f64;
        v.iter().map(|x| x - m).collect()
    };
    let (x, y) = (centred(&a), centred(&b));
    let power = x.iter().map(|v| v * v).sum::<f64>();
    let with = |other: &[f64], by: usize| {
        x.iter().zip(other.iter().cycle().skip(by)).map(|(a, b)| a * b).sum::<f64>() / power
    };
    assert!(with(&y, 0).abs() < 0.05, "{}", with(&y, 0));
    // No tile comes back: places far apart have nothing in common.
    for by in [64, 128, 200, 256, 64 * 512, 128 * 512 + 7, 256 * 512, 256 * 512 + 256] {
        assert!(with(&x, by).abs() < 0.02, "{by}: {}", with(&x, by));
    }
    // The layers are independent where they are in colour, and one where they are not.
    let layers = |p: &Patch| {
        let (r, b): (Vec<f64>, Vec<f64>) =
            p.pixels.iter().map(|p| (f64::from(p[0]) - 0.8, f64::from(p[2]) - 0.8)).unzip();
        let s = |u: &[f64], v: &[f64]| u.iter().zip(v).map(|(a, b)| a * b).sum::<f64>();
        s(&r, &b) / (s(&r, &r) * s(&b, &b)).sqrt()
    };
    assert!(layers(&a).abs() < 0.05);
    let grey = Grain { colour: 0.0, ..Default::default() };
    assert!(layers(&grained(&grey, &chain, 0.8, 256, 13.0, 5)) > 0.9);
}

#[test]
fn a_part_of_a_frame_has_the_grain_of_the_whole() {
    let chain = film(0);
    let kernel = Grain::default().kernel(1.0, &chain);
    let geometry = FrameGeometry::whole(320, 180, GAUGE, 9);
    let mut whole = vec![[0.7, 0.7, 0.7, 1.0]; 320 * 180];
    Texture::Grain(kernel.clone()).run(&mut whole, &geometry);
    let mut part = vec![[0.7, 0.7, 0.7, 1.0]; 40 * 30];
    Texture::Grain(kernel).run(&mut part, &geometry.part([100, 60], [40, 30]));
    for y in 0..30 {
        assert_eq!(part[y * 40..(y + 1) * 40], whole[(y + 60) * 320 + 100..(y + 60) * 320 + 140]);
    }
}

#[test]
fn grain_leaves_the_mean_colour_of_a_patch() {
    use lantern_core::colour::difference::{ciede2000, xyz_to_lab};
    use lantern_core::colour::{chromaticity::xy_to_xyz, primaries::AP1};
    use lantern_core::numeric::lane::{Channel, N, Planes};
    for of in [0, 2, 5] {
        let chain = film(of);
        for stops in [-4.0, -2.0, 0.0, 2.0, 4.0] {
            let d = chain.chemistry.neutral(GREY * f64::exp2(stops)).map(|v| v as f32);
            let side = 512;
            let geometry = FrameGeometry::whole(side, side, 13.0 * side as f64 / 1000.0, 2);
            let mut pixels = vec![[d[0], d[1], d[2], 1.0]; side * side];
            Texture::Grain(Grain::default().kernel(1.0, &chain)).run(&mut pixels, &geometry);
            // Mean light, as the eye takes it from afar.
            let mut mean = [0.0_f64; 3];
            for block in pixels.chunks(N) {
                let mut p: Planes = [Channel::of(0.0); 3];
                (0..N).for_each(|i| (0..3).for_each(|c| p[c][i] = block[i][c]));
                chain.printing.run(&mut p);
                (0..3).for_each(|c| mean[c] += p[c].iter().map(|v| f64::from(*v)).sum::<f64>());
            }
            let to_lab = |rgb: [f64; 3]| xyz_to_lab(AP1.to_xyz().apply(rgb), xy_to_xyz(AP1.white));
            let got = to_lab(mean.map(|v| v / (side * side) as f64));
            let want = to_lab(chain.projection.ap1(chain.neutral(GREY * f64::exp2(stops))));
            assert!(ciede2000(got, want) < 0.2, "stock {of} at {stops}: {got:?} for {want:?}");
        }
    }
}
