//! Lines through a table: dips, flats and kinks.

use super::{Lab, Reader};
use crate::colour::plane::{Plane, SKIN_DEGREES, polar};
use crate::numeric::percentile::percentile;
use crate::table::{Domain, Table3};

/// What lines through a table show.
pub(super) struct Lines {
    /// Running maximum of L* less L* along the neutral scale, at its largest.
    pub dip: f64,
    /// Share of its steps that do not rise.
    pub flat: f64,
    /// Largest kinks along the neutral scale, and along skin lines and hue rings.
    pub neutral_kink: f64,
    pub colour_kink: f64,
    /// The 95th percentile of the change when every other point is taken out.
    pub decimated: f64,
}

/// The least light a table's neutral axis is judged from, so that a log encoding's codes below black, which
/// no picture holds, do not count as flat.
const FLAT_FROM: f64 = 0.5;
/// Code values this near to 0 or 1 are at the display's ends: a line that meets them has a corner there, and may.
const AT_END: f32 = 2e-3;

pub(super) fn measure(reader: &Reader<'_>) -> Lines {
    let ramp = |n: usize| -> Vec<Lab> {
        let inputs: Vec<_> = (0..n).map(|i| [i as f64 / (n - 1) as f64; 3]).collect();
        reader.labs(&reader.codes(&inputs))
    };
    Lines {
        dip: neutral_dip(&ramp(1025)),
        flat: flat_share(&ramp(256)),
        neutral_kink: neutral_kink(reader),
        colour_kink: colour_kink(reader),
        decimated: decimated(reader),
    }
}

fn neutral_dip(ramp: &[Lab]) -> f64 {
    let mut top = f64::NEG_INFINITY;
    let mut dip = 0.0_f64;
    for lab in ramp {
        top = top.max(lab[0]);
        dip = dip.max(top - lab[0]);
    }
    dip
}

/// Share of steps of a neutral ramp, between black and white, that do not rise.
fn flat_share(ramp: &[Lab]) -> f64 {
    let low = ramp.iter().map(|l| l[0]).fold(f64::INFINITY, f64::min);
    let high = ramp.iter().map(|l| l[0]).fold(f64::NEG_INFINITY, f64::max);
    let inside = |l: f64| l > low + FLAT_FROM && l < high - FLAT_FROM;
    let steps: Vec<_> = ramp.windows(2).filter(|w| inside(w[0][0]) && inside(w[1][0])).collect();
    if steps.is_empty() {
        return 1.0;
    }
    steps.iter().filter(|w| w[1][0] - w[0][0] < 1e-4).count() as f64 / steps.len() as f64
}

fn second_difference(a: Lab, b: Lab, c: Lab) -> f64 {
    (0..3).map(|k| (a[k] - 2.0 * b[k] + c[k]).powi(2)).sum::<f64>().sqrt()
}

/// Largest change from one second difference to the next along a line of evenly spaced colours: a smooth bend
/// has large second differences that follow each other, a kink stands alone. Second differences that touch an end of the
/// display do not count.
fn largest_kink(reader: &Reader<'_>, inputs: &[[f64; 3]]) -> f64 {
    let codes = reader.codes(inputs);
    let line = reader.labs(&codes);
    let at_end = |c: &[f32; 3]| c.iter().any(|v| *v < AT_END || *v > 1.0 - AT_END);
    let seconds: Vec<Option<f64>> = (1..line.len().saturating_sub(1))
        .map(|i| {
            let free = !codes[i - 1..=i + 1].iter().any(at_end);
            free.then(|| second_difference(line[i - 1], line[i], line[i + 1]))
        })
        .collect();
    let kinks = seconds.windows(3).filter_map(|w| Some(w[1]? - w[0]?.max(w[2]?)));
    kinks.fold(0.0, f64::max)
}

fn neutral_kink(reader: &Reader<'_>) -> f64 {
    largest_kink(reader, &(0..reader.size()).map(|i| [i as f64 * reader.pitch(); 3]).collect::<Vec<_>>())
}

/// Four skin lines (dark to light at four saturations) and four hue rings, at the lattice's pitch.
fn colour_kink(reader: &Reader<'_>) -> f64 {
    let plane = Plane::bt709();
    let inside = |rgb: [f64; 3]| rgb.map(|v| v.clamp(0.0, 1.0));
    let at = |y: f64, hue: f64, radius: f64| {
        let (cb, cr) = polar(hue, radius);
        inside(plane.join(y as f32, cb as f32, cr as f32).map(f64::from))
    };
    let (n, pitch) = (reader.size(), reader.pitch());
    let mut worst = 0.0_f64;
    for k in 1..=4 {
        let skin = (n / 5..n * 4 / 5).map(|i| at(i as f64 * pitch, SKIN_DEGREES, 0.02 * f64::from(k)));
        worst = worst.max(largest_kink(reader, &skin.collect::<Vec<_>>()));
        // As many points on the ring as make steps of one pitch.
        let radius = 0.03 * f64::from(k);
        let points = ((std::f64::consts::TAU * radius / pitch).ceil() as usize).max(24);
        let ring = (0..points + 4).map(|i| at(0.45, 360.0 * i as f64 / points as f64, radius));
        worst = worst.max(largest_kink(reader, &ring.collect::<Vec<_>>()));
    }
    worst
}

fn decimated(reader: &Reader<'_>) -> f64 {
    let n = reader.size();
    if n < 5 || n.is_multiple_of(2) {
        return 0.0;
    }
    let half = n / 2 + 1;
    let nodes: Vec<[f32; 3]> = (0..half * half * half)
        .map(|i| reader.cube.node(2 * (i % half), 2 * (i / half % half), 2 * (i / half / half)))
        .collect();
    let Ok(coarse) = Table3::new(half, Domain::UNIT, &nodes) else { return 0.0 };
    let fine: Vec<[f32; 3]> = reader.cube.nodes().iter().map(|p| [p[0], p[1], p[2]]).collect();
    let at = |i: usize| i as f32 * reader.pitch() as f32;
    let read: Vec<[f32; 3]> =
        (0..fine.len()).map(|i| coarse.at([at(i % n), at(i / n % n), at(i / n / n)])).collect();
    percentile(&mut reader.differences(&fine, &read), 0.95)
}
