//! The plain rendering undone: display light back to the scene light that it was made from.

use super::{
    POWER, PlainKernel, Squeeze, THRESHOLD,
    inverse::{Inverse, Ordered},
};
use crate::numeric::lane::{N, Planes, powf, select};

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

/// What undoes a rendering on a display, ready to run.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Unrender {
    kernel: PlainKernel,
    inverse: Inverse,
}

impl Unrender {
    /// What undoes this.
    pub fn new(kernel: PlainKernel) -> Self {
        Self { kernel, inverse: Inverse::new(kernel.hues) }
    }

    /// Display-linear light of this display back to the scene light that the rendering turns into it, both in
    /// the display's primaries. Exact to about 1e-5 for the whole cube of the display.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let k = &self.kernel;
        let order = Ordered::of(planes);
        let m = self.inverse.largest(&order.top);
        let mut light = Ordered { top: order.top, ..order };
        for i in 0..N {
            // The way to white undone.
            let colour = k.hues.whiten(m[i]);
            light.low[i] = light.top[i] - (light.top[i] - light.low[i]) / colour;
            light.middle[i] = light.top[i] - (light.top[i] - light.middle[i]) / colour;
        }
        self.inverse.others(&mut light, &m);
        order.put(planes, &light);
        for (plane, squeeze) in planes.iter_mut().zip(k.squeeze) {
            for i in 0..N {
                let back = m[i] * (1.0 - squeeze.release((m[i] - plane[i]) / m[i]));
                plane[i] = select(order.top[i] > 0.0, back, 0.0);
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
