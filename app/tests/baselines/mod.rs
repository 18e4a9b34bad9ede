//! What is commonly done to give one picture the colours of another, to be beaten: mean and spread, histograms, linear and
//! sliced optimal transport. In tests only.

use lantern_core::matching::small::Small;
use lantern_core::matching::training::Random;
use lantern_core::matching::transport::Straight;

type Colours = Vec<[f64; 3]>;

fn colours(of: &Small) -> Colours {
    of.pixels.iter().map(|p| [p[0], p[1], p[2]].map(f64::from)).collect()
}

fn picture(like: &Small, colours: Colours) -> Small {
    let pixels = colours.iter().map(|c| {
        let [r, g, b] = c.map(|v| v.clamp(0.0, 1.0) as f32);
        [r, g, b, 1.0]
    });
    Small { pixels: pixels.collect(), ..like.clone() }
}

/// Mean and spread of each channel; each histogram; linear transport; sliced transport.
pub fn all(shot: &Small, reference: &Small) -> [Small; 4] {
    let (a, b) = (colours(shot), colours(reference));
    let spread: Colours = {
        let moments = |of: &Colours, c: usize| {
            let n = of.len() as f64;
            let mean = of.iter().map(|v| v[c]).sum::<f64>() / n;
            (mean, (of.iter().map(|v| (v[c] - mean).powi(2)).sum::<f64>() / n).sqrt())
        };
        let m = [0, 1, 2].map(|c| (moments(&a, c), moments(&b, c)));
        a.iter()
            .map(|v| [0, 1, 2].map(|c| m[c].1.0 + (v[c] - m[c].0.0) * m[c].1.1 / m[c].0.1.max(1e-6)))
            .collect()
    };
    let mut histogram = a.clone();
    for c in 0..3 {
        along(&mut histogram, &b, [0, 1, 2].map(|i| f64::from(u8::from(i == c))), 1.0);
    }
    let map = Straight::between(&a, &b, 1e-3);
    let linear = a.iter().map(|v| map.at(*v)).collect();
    let mut sliced = a.clone();
    let mut random = Random(3);
    for _ in 0..40 {
        let d = [random.bell(), random.bell(), random.bell()];
        let length = d.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-9);
        along(&mut sliced, &b, d.map(|v| v / length), 0.5);
    }
    [spread, histogram, linear, sliced].map(|c| picture(shot, c))
}

/// Moves colours along a direction so that they are spread along it as others are.
fn along(of: &mut Colours, to: &Colours, d: [f64; 3], share: f64) {
    let on = |v: &[f64; 3]| v[0] * d[0] + v[1] * d[1] + v[2] * d[2];
    let mut wanted: Vec<f64> = to.iter().map(on).collect();
    wanted.sort_by(f64::total_cmp);
    let mut order: Vec<usize> = (0..of.len()).collect();
    let places: Vec<f64> = of.iter().map(on).collect();
    order.sort_by(|a, b| places[*a].total_cmp(&places[*b]));
    for (rank, i) in order.into_iter().enumerate() {
        let by = share * (wanted[rank * wanted.len() / of.len()] - places[i]);
        (0..3).for_each(|c| of[i][c] += by * d[c]);
    }
}
