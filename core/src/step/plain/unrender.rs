//! The plain rendering undone: display light back to the scene light that it was made from.

use super::{Kernel, POWER, Squeeze, THRESHOLD};
use crate::lane::{N, Plane, Planes, powf, select};

/// Halvings of the bracket about a channel's scene light. The bracket comes from both closed inverses and is
/// mostly narrow already; after these it is as narrow as f32 holds.
const HALVINGS: usize = 22;

impl Squeeze {
    /// The inverse of `squeeze`: y = x (1 + x^p)^(-1/p) has the inverse x = (y^-p - 1)^(-1/p).
    #[inline(always)]
    fn release(&self, d: f32) -> f32 {
        const T: f32 = THRESHOLD as f32;
        const P: f32 = POWER as f32;
        let y = ((d - T) / self.scale).max(1e-6);
        let curve = T + self.scale * powf((powf(y, -P) - 1.0).max(1e-9), -1.0 / P);
        let beyond = self.limit + (d - 1.0) / self.end_slope;
        select(d <= T, d, select(d < 1.0, curve, beyond))
    }
}

/// What the solver needs of each pixel: its largest channel in scene light, and display over scene light there.
struct Pixels {
    m: Plane,
    ratio: Plane,
}

impl Kernel {
    /// Display-linear light of this display back to the scene light that the rendering turns into it, both in
    /// the display's primaries. Exact to about 1e-5 for the whole cube of the display.
    #[inline(always)]
    pub fn unrender(&self, planes: &mut Planes) {
        let k = *self;
        let mut p = Pixels { m: [0.0; N], ratio: [0.0; N] };
        let (mut top, mut lowest) = ([0.0; N], [0.0; N]);
        {
            let [r, g, b] = &mut *planes;
            for i in 0..N {
                top[i] = r[i].max(g[i]).max(b[i]);
                let light = top[i].max(1e-9);
                p.m[i] = k.untone(light).max(1e-9);
                p.ratio[i] = light / p.m[i];
                // The way to white undone.
                let colour = k.whiten(p.m[i]);
                r[i] = top[i] - (top[i] - r[i]) / colour;
                g[i] = top[i] - (top[i] - g[i]) / colour;
                b[i] = top[i] - (top[i] - b[i]) / colour;
                lowest[i] = r[i].min(g[i]).min(b[i]);
            }
        }
        // The lowest channel says how colourful the pixel is, and with that how the others were mixed.
        let mut kept = [0.0; N];
        k.unmix(&mut lowest, &p, &mut kept, true);
        for (plane, squeeze) in planes.iter_mut().zip(k.squeeze) {
            let display = *plane;
            k.unmix(plane, &p, &mut kept, false);
            for i in 0..N {
                let x = select(display[i] < top[i], plane[i], p.m[i]);
                let back = p.m[i] * (1.0 - squeeze.release((p.m[i] - x) / p.m[i]));
                plane[i] = select(top[i] > 0.0, back, 0.0);
            }
        }
        // Calming kept luma, so it is undone with the luma that is there now.
        let [r, g, b] = planes;
        for i in 0..N {
            let y = k.luma[0] * r[i] + k.luma[1] * g[i] + k.luma[2] * b[i];
            r[i] = (r[i] - k.calm * y) / (1.0 - k.calm);
            g[i] = (g[i] - k.calm * y) / (1.0 - k.calm);
            b[i] = (b[i] - k.calm * y) / (1.0 - k.calm);
        }
    }

    /// The inverse of [`Kernel::tone`] for display light from 0 up to just below its ceiling.
    #[inline(always)]
    fn untone(&self, y: f32) -> f32 {
        let (t, y) = (self.toe, y.max(0.0));
        let s = (y + (y * y + 4.0 * (1.0 + t) * y * t).sqrt()) / (2.0 * (1.0 + t));
        let s = s.min(self.ceiling * (1.0 - 1e-6));
        0.18 * powf(s / ((self.ceiling - s) * self.gain), 1.0 / self.power)
    }

    /// Display light of a channel that has scene light `x`, of the mixture of both curves.
    #[inline(always)]
    fn mix(&self, x: f32, ratio: f32, keep: f32) -> f32 {
        let apart = self.tone(x);
        apart + keep * (x * ratio - apart)
    }

    /// Puts in place of a channel's display light the scene light whose mixture it is: halving of a bracket on a
    /// rising function. Light below zero had its ratio kept. How far hue was kept is given in `kept`, or follows
    /// from the light itself where this is the pixel's lowest channel, and is then left in `kept`.
    #[inline(always)]
    fn unmix(&self, plane: &mut Plane, p: &Pixels, kept: &mut Plane, lowest: bool) {
        let k = *self;
        let (mut low, mut high) = ([0.0; N], [0.0; N]);
        for i in 0..N {
            // Where hue is not kept and where it is kept in full: the light lies between.
            let (apart, together) = (k.untone(plane[i]), plane[i] / p.ratio[i]);
            low[i] = apart.min(together) * (1.0 - 1e-5);
            high[i] = apart.max(together) * (1.0 + 1e-5);
        }
        for _ in 0..HALVINGS {
            let mut x = [0.0; N];
            for i in 0..N {
                x[i] = (low[i] + high[i]) * 0.5;
            }
            if lowest {
                for i in 0..N {
                    kept[i] = k.keep(x[i], p.m[i]);
                }
            }
            for i in 0..N {
                let below = k.mix(x[i], p.ratio[i], kept[i]) < plane[i];
                low[i] = select(below, x[i], low[i]);
                high[i] = select(below, high[i], x[i]);
            }
        }
        for i in 0..N {
            plane[i] = select(plane[i] < 0.0, plane[i] / p.ratio[i], (low[i] + high[i]) * 0.5);
        }
    }
}
