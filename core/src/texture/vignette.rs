//! Vignette: light that falls off toward the edges of the frame.

use super::FrameGeometry;
use super::chain::{Point, Ready};
use super::scanline::Scanline;
use crate::colour::plane::polar;
use crate::field::parameters;
use crate::numeric::lane::{self, exp2, smoothstep};

parameters! {
    /// Fall-off in stops, with shape, softness, centre and colour.
    Vignette {
        /// Stops at the corners; above 0 they grow lighter.
        stops: "Fall-off", Stops, number(-4.0, 2.0, -0.8, 0.05);
        /// Where it begins: 0 is the centre, 1 the corners.
        size: "Begins at", Percent, number(0.0, 1.2, 0.3, 0.01);
        /// Over what distance it is complete.
        softness: "Softness", Percent, number(0.05, 2.0, 0.8, 0.01);
        /// 0 follows the frame, 1 is a circle.
        round: "Roundness", Percent, number(0.0, 1.0, 0.4, 0.01);
        /// Its centre across the frame.
        centre_x: "Centre across", Percent, number(0.0, 1.0, 0.5, 0.005);
        /// Its centre down the frame.
        centre_y: "Centre down", Percent, number(0.0, 1.0, 0.5, 0.005);
        /// Colour that the edges take on.
        hue: "Hue", Degrees, number(0.0, 360.0, 30.0, 1.0);
        /// How strong that colour is.
        tint: "Tint", Percent, number(0.0, 1.0, 0.0, 0.01);
    }
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct VignetteKernel {
    stops: [f32; 3],
    size: f32,
    softness: f32,
    round: f64,
    centre: [f64; 2],
}

impl Vignette {
    /// The step at a strength.
    pub fn kernel(&self, strength: f64) -> VignetteKernel {
        // The hue as a difference of the channels, in stops at full tint.
        let (cb, cr) = polar(self.hue, self.tint);
        let plane = crate::colour::plane::Plane::of(&crate::colour::primaries::AP1);
        let [r, g, b] = plane.join(0.0, cb as f32, cr as f32);
        let stops = [r, g, b].map(|v| (self.stops as f32 + v) * strength as f32);
        VignetteKernel {
            stops,
            size: self.size as f32,
            softness: self.softness as f32,
            round: self.round,
            centre: [self.centre_x, self.centre_y],
        }
    }
}

/// The step on a geometry.
struct Falloff {
    kernel: VignetteKernel,
    /// The first pixel's place from the centre, and what makes the corners of the frame 1.
    at: [f32; 2],
    scale: [f32; 2],
}

impl VignetteKernel {
    pub(super) fn ready<'a>(&self, geometry: &FrameGeometry) -> Ready<'a> {
        let [w, h] = geometry.whole.map(|v| v as f64);
        // Half the sides that a distance of 1 is measured in: those of the frame, toward those of a circle.
        let circle = (w * h).sqrt();
        let side = [w, h].map(|v| 0.5 * (v + self.round * (circle - v)));
        // 1 at the corners of the frame, from its middle.
        let corner = ((0.5 * w / side[0]).powi(2) + (0.5 * h / side[1]).powi(2)).sqrt();
        let scale = side.map(|v| (1.0 / (v * corner)) as f32);
        let at = [
            geometry.origin[0] as f64 + 0.5 - self.centre[0] * w,
            geometry.origin[1] as f64 + 0.5 - self.centre[1] * h,
        ];
        Ready::point(Falloff { kernel: self.clone(), at: at.map(|v| v as f32), scale })
    }
}

impl Point for Falloff {
    fn row(&self, y: usize, first: usize, line: &mut Scanline) {
        let dy = (self.at[1] + y as f32) * self.scale[1];
        lane::vectorised(Fallen { of: self, first, dy, line });
    }
}

/// One row of the frame.
struct Fallen<'a> {
    of: &'a Falloff,
    first: usize,
    dy: f32,
    line: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Fallen<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Falloff { kernel: k, at, scale } = self.of;
        let (left, scale, dy, first) = (at[0], scale[0], self.dy, self.first as i32);
        for c in 0..3 {
            let stops = k.stops[c];
            for (x, v) in (first..).zip(self.line.plane_mut(c)) {
                let dx = (left + x as f32) * scale;
                let fall = smoothstep(k.size, k.size + k.softness, (dx * dx + dy * dy).sqrt());
                *v *= exp2(stops * fall);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::texture::Texture;

    #[test]
    fn corners_lose_their_stops_and_the_middle_none_at_every_size_and_in_parts() {
        let step = Vignette { stops: -2.0, size: 0.2, softness: 0.8, ..Default::default() };
        for (w, h) in [(96, 54), (384, 216)] {
            let geometry = FrameGeometry::whole(w, h, 24.9, 0);
            let mut pixels = vec![[0.5, 0.5, 0.5, 1.0]; w * h];
            Texture::Vignette(step.kernel(1.0)).run(&mut pixels, &geometry);
            assert!((pixels[(h / 2) * w + w / 2][0] - 0.5).abs() < 1e-6);
            // The corner's own pixel lies a half inside.
            assert!((pixels[0][1] / 0.5).log2() < -1.9 && (pixels[0][1] / 0.5).log2() > -2.01);
            let mut part = vec![[0.5, 0.5, 0.5, 1.0]; 20 * 10];
            Texture::Vignette(step.kernel(1.0)).run(&mut part, &geometry.part([4, 6], [20, 10]));
            assert_eq!(part[3 * 20 + 7], pixels[9 * w + 11]);
        }
    }
}
