//! The plain rendering undone: display light back to the scene light that it was made from.

use super::{Kernel, POWER, Squeeze, THRESHOLD, hue::Largest};
use crate::lane::{N, Planes, powf, select};

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

impl Kernel {
    /// Display-linear light of this display back to the scene light that the rendering turns into it, both in
    /// the display's primaries. Exact to about 1e-5 for the whole cube of the display.
    #[inline(always)]
    pub fn unrender(&self, planes: &mut Planes) {
        let k = *self;
        let mut p = Largest { m: [0.0; N], ratio: [0.0; N] };
        let (mut top, mut lowest) = ([0.0; N], [0.0; N]);
        {
            let [r, g, b] = &mut *planes;
            for i in 0..N {
                top[i] = r[i].max(g[i]).max(b[i]);
                let light = top[i].max(1e-9);
                p.m[i] = k.hues.tone.inverse(light).max(1e-9);
                p.ratio[i] = light / p.m[i];
                // The way to white undone.
                let colour = k.hues.whiten(p.m[i]);
                r[i] = top[i] - (top[i] - r[i]) / colour;
                g[i] = top[i] - (top[i] - g[i]) / colour;
                b[i] = top[i] - (top[i] - b[i]) / colour;
                lowest[i] = r[i].min(g[i]).min(b[i]);
            }
        }
        // The lowest channel says how colourful the pixel is, and with that how the others were mixed.
        let mut kept = [0.0; N];
        k.hues.unmix(&mut lowest, &p, &mut kept, true);
        for (plane, squeeze) in planes.iter_mut().zip(k.squeeze) {
            let display = *plane;
            k.hues.unmix(plane, &p, &mut kept, false);
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
}
