//! Edges that development draws: where light changes, the brighter side grows brighter and the darker one darker.
//!
//! Fresh developer comes in from a dark side and spent developer from a bright one, so that a place is developed by what
//! it has around it. Light is moved away from that of its neighbourhood by the ratio r of both: to r^k for small steps, and
//! no further than (1 + k) / (1 - k) for large ones, as ((1 + k) r + (1 - k)) / ((1 - k) r + (1 + k)).

use super::blur::{Across, Blur, Downward};
use super::chain::{Before, Ready, Stage, Wide};
use super::columns::Columns;
use super::scanline::{Ring, Scanline, held, sum};
use super::spread::{Halves, across, back};
use super::taps::bell;
use crate::numeric::lane;

/// Deviation in pixels from which the neighbourhood is made at half the size.
const WIDE: f64 = 1.5;

/// Edges of a strength along a neighbourhood of a deviation in pixels.
pub(super) fn ready<'a>(sigma: f64, share: f32, height: usize) -> Ready<'a> {
    let taps = |sigma: f64| -> Vec<f32> { bell(sigma).iter().map(|t| *t as f32).collect() };
    if sigma < WIDE {
        let taps = taps(sigma);
        return Ready::wide(Near { share, blur: Blur { taps: [taps.clone(), taps.clone(), taps], height } });
    }
    // Down and up through the binomial is a variance of 2 square pixels; half the size counts four times.
    let taps = taps((0.25 * (sigma * sigma - 2.0)).sqrt());
    Ready::wide(Far {
        share,
        downward: [0, 1].map(|y| downward(&taps, y)),
        taps: [taps.clone(), taps.clone(), taps],
        height,
    })
}

/// Weights of coarse rows for a row that lies on one or between two: taps over them, put back.
fn downward(taps: &[f32], y: usize) -> Vec<f32> {
    let side = taps.len() as isize - 1;
    let weight = |d: isize| -> f32 {
        let at = |b: isize| taps.get((d - b).unsigned_abs()).copied().unwrap_or(0.0);
        (-1..=1).zip(back(y)).map(|(b, w)| w * at(b)).sum()
    };
    (-side - 1..=side + 1).map(weight).collect()
}

/// Light so faint that ratios stop.
const FAINTEST: f32 = 1e-6;

/// near = own, moved away from near.
#[inline(always)]
fn draw(near: &mut Scanline, own: &Scanline, share: f32) {
    let (more, less) = (1.0 + share, 1.0 - share);
    for c in 0..3 {
        for (n, e) in near.plane_mut(c).iter_mut().zip(own.plane(c)) {
            let (a, b) = (e + FAINTEST, *n + FAINTEST);
            *n = e * (more.mul_add(a, less * b) / less.mul_add(a, more * b));
        }
    }
}

/// A narrow neighbourhood.
struct Near {
    share: f32,
    blur: Blur,
}

struct NearBand<'a> {
    of: &'a Near,
    own: Ring,
    across: Ring,
}

impl Wide for Near {
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_> {
        let (width, side) = (columns.count, self.blur.side());
        Box::new(NearBand {
            of: self,
            own: Ring::new(width, side + 1),
            across: Ring::new(width, 2 * side + 1),
        })
    }

    fn halo(&self) -> usize {
        self.blur.side()
    }
}

impl Stage for NearBand<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        struct Draw<'a>(&'a mut Scanline, &'a Scanline, f32);
        impl pulp::NullaryFnOnce for Draw<'_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                draw(self.0, self.1, self.2);
            }
        }
        let Blur { taps, height } = &self.of.blur;
        let side = self.of.blur.side();
        let (first, last) = (y.saturating_sub(side), (y + side).min(height - 1));
        let Self { of, own, across } = self;
        // One after the other: of the rows themselves only those from this one on are still needed.
        while let Some((at, line)) = across.missing(first, last) {
            if let Some((_, own)) = own.missing(at, at) {
                before(at, own);
                own.extend();
            }
            lane::vectorised(Across { taps, row: own.get(at), line });
        }
        lane::vectorised(Downward { taps, ring: across, y, height: *height, out });
        lane::vectorised(Draw(out, own.get(y), of.share));
    }
}

/// A wide neighbourhood, made at half the size.
struct Far {
    share: f32,
    taps: [Vec<f32>; 3],
    /// For rows that lie on a coarse one and for those between two.
    downward: [Vec<f32>; 2],
    /// Rows of the picture.
    height: usize,
}

struct FarBand<'a> {
    of: &'a Far,
    own: Ring,
    coarse: Ring,
    halves: Halves,
    half: Scanline,
    back: Scanline,
}

impl Far {
    /// Coarse rows that a row reaches on both sides of the one that it lies in.
    fn side(&self) -> usize {
        self.taps[0].len()
    }
}

impl Wide for Far {
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_> {
        let width = columns.count;
        let half = width.div_ceil(2);
        Box::new(FarBand {
            of: self,
            // From the row that is made to the last one that a coarse row reaches.
            own: Ring::new(width, 2 * self.side() + 4),
            coarse: Ring::new(half, 2 * self.side() + 1),
            halves: Halves::new([width, self.height]),
            half: Scanline::new(half),
            back: Scanline::new(half),
        })
    }

    fn halo(&self) -> usize {
        // Coarse columns, the ones that those are made of, and the ones that they are put back from.
        2 * self.side() + 2 + super::spread::HALVING
    }
}

impl Stage for FarBand<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        let height = self.of.height;
        let (middle, side, rows) = (y / 2, self.of.side(), height.div_ceil(2));
        let Self { of, own, coarse, halves, half, back } = self;
        while let Some((at, line)) =
            coarse.missing(middle.saturating_sub(side), (middle + side).min(rows - 1))
        {
            halves.row(at, half, &mut |at, give| {
                if let Some((_, line)) = own.missing(at, at) {
                    before(at, line);
                    give(line);
                }
            });
            half.extend();
            lane::vectorised(Across { taps: &of.taps, row: half, line });
        }
        // Near the lower edge no coarse row has asked for the last ones.
        while let Some((at, line)) = own.missing(y, y) {
            before(at, line);
        }
        lane::vectorised(Drawn { of, own: own.get(y), coarse, y, rows, back, out });
    }
}

/// One row with its edges.
struct Drawn<'a, 'b> {
    of: &'a Far,
    own: &'a Scanline,
    coarse: &'a Ring,
    y: usize,
    rows: usize,
    back: &'a mut Scanline,
    out: &'b mut Scanline,
}

impl pulp::NullaryFnOnce for Drawn<'_, '_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { of, own, coarse, y, rows, back, out } = self;
        let weights = &of.downward[y % 2];
        let first = (y / 2) as isize - of.side() as isize;
        for c in 0..3 {
            sum(back.plane_mut(c), weights, |k| coarse.get(held(first + k as isize, rows)).plane(c));
        }
        across(back, 0, out, |v, to| *v = to);
        draw(out, own, of.share);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weights_of_coarse_rows_are_shares() {
        let taps: Vec<f32> = bell(1.1).iter().map(|t| *t as f32).collect();
        for y in 0..2 {
            let w = downward(&taps, y);
            assert!(w.len() == 2 * taps.len() + 1 && (w.iter().sum::<f32>() - 1.0).abs() < 1e-6);
        }
    }
}
