//! Bringing display light into a display's own cube: sharply what Screen steps push out, smoothly what comes from films
//! and from other displays.

use super::{Adaptation, Display};
use crate::numeric::lane::{N, Planes, powf, select};

/// The cube of a display: luma weights of its primaries, and its brightest light.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cube {
    /// Luma weights; they sum to 1.
    pub luma: [f32; 3],
    /// The cube reaches from 0 to here in each channel.
    pub peak: f32,
}

impl Cube {
    /// The cube of a display.
    pub fn of(display: &Display) -> Self {
        Self { luma: display.luma(), peak: display.headroom as f32 }
    }
}

/// Share of the peak by which light may lie above it before colour is taken for it: PQ's arithmetic in f32 is off by half of
/// that, which would otherwise be seen in the other channels of bright yellows. Such light ends at the peak.
const SPARE: f32 = 1e-4;

/// Moves a colour that lies outside the cube toward its own luma until it is inside. Colours inside are left bit
/// for bit, hue in the colour-difference plane and luma are kept; luma above the peak gives the peak. Channels below zero take
/// no more than three quarters of the luma of the others away ([`held`]), so that no lamp turns black at once.
///
/// The rendering brings wide colours in smoothly before; this catches only what Screen steps push out.
#[inline(always)]
pub fn into_cube(cube: Cube, planes: &mut Planes) {
    let Cube { luma, peak } = cube;
    let [r, g, b] = planes;
    for i in 0..N {
        let y = luma[0] * r[i] + luma[1] * g[i] + luma[2] * b[i];
        let above = luma[0] * r[i].max(0.0) + luma[1] * g[i].max(0.0) + luma[2] * b[i].max(0.0);
        let y = held(y, above).min(peak);
        let high = r[i].max(g[i]).max(b[i]);
        let low = r[i].min(g[i]).min(b[i]);
        // How far the chroma may grow before the top or the floor of the cube is met.
        let over = (high - peak * (1.0 + SPARE)).max(0.0);
        let up = select(high > peak, (peak - y) / (peak + over - y).max(1e-12), 1.0);
        let down = select(low < 0.0, y / (y - low).max(1e-12), 1.0);
        let k = up.min(down);
        r[i] = toward(y, r[i], k, peak);
        g[i] = toward(y, g[i], k, peak);
        b[i] = toward(y, b[i], k, peak);
    }
}

/// Luma of which channels below zero take no more than a share away: with t = `y` / `above`, the luma of the channels above
/// zero, t from a half on stays, and below it becomes 1/4 + 1/4 / (3 - 4 t), which has the same value and slope there.
#[inline(always)]
fn held(y: f32, above: f32) -> f32 {
    let t = y / above.max(1e-12);
    select(t < 0.5, above * (0.25 + 0.25 / (3.0 - 4.0 * t.min(0.5))), y)
}

/// Distance from neutral, as a share of what the cube has room for, up to which colours of another display stay as they
/// are.
const REFIT_FROM: f64 = 0.95;
/// Steepness of its knee, as published for the ACES reference gamut compression.
const REFIT_POWER: f64 = 1.2;
/// Points on a side of the faces of a cube on which its widest colour is looked for.
const FACE_POINTS: usize = 33;

/// The knee of the ACES reference gamut compression: distances up to [`REFIT_FROM`] stay, `limit` becomes 1.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Knee {
    scale: f32,
}

impl Knee {
    /// `None` where nothing lies beyond 1.
    fn new(limit: f64) -> Option<Self> {
        if limit <= 1.0 + 1e-6 {
            return None;
        }
        let reach = limit - REFIT_FROM;
        let scale = reach / (((1.0 - REFIT_FROM) / reach).powf(-REFIT_POWER) - 1.0).powf(1.0 / REFIT_POWER);
        Some(Self { scale: scale as f32 })
    }

    /// What a distance is multiplied by; exactly 1 up to where the knee begins.
    #[inline(always)]
    fn gain(&self, distance: f32) -> f32 {
        const FROM: f32 = REFIT_FROM as f32;
        const POWER: f32 = REFIT_POWER as f32;
        let x = (distance - FROM).max(0.0) / self.scale;
        let kept = FROM + self.scale * x * powf(1.0 + powf(x, POWER), -1.0 / POWER);
        select(distance > FROM, kept / distance.max(FROM), 1.0)
    }
}

/// Rolls lights that steps push above a display's peak off: the largest channel goes through the same knee, of which the
/// steps' own reach is the limit, so that it vanishes as they do.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RollOff {
    peak: f32,
    knee: Knee,
}

impl RollOff {
    /// For steps that bring the neutral scale of a display up to `reach`. `None` where that is not above the peak.
    pub fn new(display: &Display, reach: f64) -> Option<Self> {
        Knee::new(reach / display.headroom).map(|knee| Self { peak: display.headroom as f32, knee })
    }

    /// One gain for all channels.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let per = 1.0 / self.peak;
        let [r, g, b] = planes;
        for i in 0..N {
            let gain = self.knee.gain(r[i].max(g[i]).max(b[i]) * per);
            r[i] *= gain;
            g[i] *= gain;
            b[i] *= gain;
        }
    }
}

/// The way from the cube of one display into another's, where that is smaller: colours keep their luma and their hue in
/// the colour-difference plane.
///
/// With Y the luma, r = max((max - Y) / (peak - Y), (Y - min) / Y) is 1 on the faces. r up to 0.95 stays; from there to
/// the widest colour of the other cube it is compressed into 0.95..1 by the knee of the ACES reference gamut compression.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Refit {
    cube: Cube,
    knee: Knee,
}

impl Refit {
    /// `None` where every colour of `from` lies inside `to` as it is.
    pub fn between(from: &Display, to: &Display) -> Option<Self> {
        let cube = Cube::of(to);
        let m = from.primaries.to(&to.primaries, Adaptation::Bradford);
        let luma = to.primaries.luma();
        let mut widest = 0.0_f64;
        for face in 0..6 {
            for k in 0..FACE_POINTS * FACE_POINTS {
                let at = |i: usize| i as f64 / (FACE_POINTS - 1) as f64;
                let mut rgb = [at(k % FACE_POINTS); 3];
                rgb[face % 3] = (face / 3) as f64;
                rgb[(face + 1) % 3] = at(k / FACE_POINTS);
                let out = m.apply(rgb.map(|v| v * from.headroom));
                let y = out.iter().zip(luma).map(|(v, w)| v * w).sum::<f64>();
                if y > 1e-6 && y < to.headroom - 1e-6 {
                    let (high, low) = (out[0].max(out[1]).max(out[2]), out[0].min(out[1]).min(out[2]));
                    widest = widest.max((high - y) / (to.headroom - y)).max((y - low) / y);
                }
            }
        }
        Knee::new(widest).map(|knee| Self { cube, knee })
    }

    /// Brings display light of the other display, in this one's primaries, in.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let Cube { luma, peak } = self.cube;
        let [r, g, b] = planes;
        for i in 0..N {
            let luma = luma[0] * r[i] + luma[1] * g[i] + luma[2] * b[i];
            let y = luma.max(1e-6 * peak).min((1.0 - 1e-6) * peak);
            let high = r[i].max(g[i]).max(b[i]);
            let low = r[i].min(g[i]).min(b[i]);
            let reach = ((high - y) / (peak - y)).max((y - low) / y).min(1e6);
            // At black and at the peak there is no colour left to bring in.
            let k = select(luma == y, self.knee.gain(reach), 1.0);
            r[i] = select(k < 1.0, y + (r[i] - y) * k, r[i]);
            g[i] = select(k < 1.0, y + (g[i] - y) * k, g[i]);
            b[i] = select(k < 1.0, y + (b[i] - y) * k, b[i]);
        }
    }
}

/// Pulls display light toward its own luma, more the nearer it comes to the faces of the cube, so that no colour is
/// pinned at 0 or at the peak: with r1 = (max - Y)/(peak - Y) and r2 = (Y - min)/Y, chroma is multiplied by (1 + r1^8 + r2^8)^(-1/8).
/// Luma and hue in the colour-difference plane are kept; luma outside 0..peak gives black or the peak.
#[inline(always)]
pub fn pull_in(cube: Cube, planes: &mut Planes) {
    let Cube { luma, peak } = cube;
    let [r, g, b] = planes;
    for i in 0..N {
        let y = (luma[0] * r[i] + luma[1] * g[i] + luma[2] * b[i]).clamp(0.0, peak);
        let high = r[i].max(g[i]).max(b[i]);
        let low = r[i].min(g[i]).min(b[i]);
        let up = eighth(((high - y) / (peak - y).max(1e-6)).clamp(0.0, 1e4));
        let down = eighth(((y - low) / y.max(1e-6)).clamp(0.0, 1e4));
        let k = powf(1.0 + up + down, -0.125);
        r[i] = y + (r[i] - y) * k;
        g[i] = y + (g[i] - y) * k;
        b[i] = y + (b[i] - y) * k;
    }
}

/// v^8.
#[inline(always)]
fn eighth(v: f32) -> f32 {
    let squared = v * v;
    let fourth = squared * squared;
    fourth * fourth
}

/// `v` moved toward `y` by a factor below one, and `v` itself for a factor of one.
#[inline(always)]
fn toward(y: f32, v: f32, k: f32, peak: f32) -> f32 {
    select(k < 1.0, (y + (v - y) * k).clamp(0.0, peak), v.min(peak))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::numeric::lane::Channel;

    fn fit(rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(Channel::of);
        into_cube(Cube { luma: [0.2126, 0.7152, 0.0722], peak: 1.0 }, &mut p);
        [p[0][0], p[1][0], p[2][0]]
    }

    #[test]
    fn a_colour_inside_is_left_bit_for_bit() {
        for rgb in [[0.0, 0.0, 0.0], [1.0, 1.0, 1.0], [1.0, 0.0, 0.3], [0.123, 0.5, 0.9]] {
            assert_eq!(fit(rgb), rgb);
        }
    }

    #[test]
    fn a_colour_outside_comes_to_the_wall_with_its_luma() {
        let luma = |c: [f32; 3]| 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
        for rgb in [[1.4, 0.2, -0.1], [-0.2, 0.6, 0.3], [0.9, 1.1, 0.2]] {
            let out = fit(rgb);
            assert!((luma(out) - luma(rgb)).abs() < 2.0 * SPARE);
            let wall = out.iter().any(|v| *v < 1e-6 || *v > 1.0 - 1e-6);
            assert!(wall && out.iter().all(|v| (0.0..=1.0).contains(v)), "{out:?}");
        }
        assert_eq!(fit([3.0, 2.0, 1.5]), [1.0; 3]);
    }
}
