//! Curves: brightness, red, green and blue on the zone's tonal axis.

use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use super::{Axis, Zone, curve::Curve};
use crate::colour::plane::Plane;
use crate::field::{CurveRest, parameters};
use crate::numeric::lane::{N, Planes};

/// Ends of the curves across and up, on the tonal axis.
const SPAN: [f64; 2] = [-8.0, 8.0];

parameters! {
    /// Free curves through points.
    Curves {
        /// Moves luma; colour differences stay.
        brightness: "Brightness", Tones, curve(SPAN, SPAN, CurveRest::Same);
        /// Moves red.
        red: "Red", Tones, curve(SPAN, SPAN, CurveRest::Same);
        /// Moves green.
        green: "Green", Tones, curve(SPAN, SPAN, CurveRest::Same);
        /// Moves blue.
        blue: "Blue", Tones, curve(SPAN, SPAN, CurveRest::Same);
    }
}

/// The curves ready to run; those without points are left out.
#[derive(Clone, Debug, PartialEq)]
pub struct CurvesKernel {
    axis: Axis,
    plane: Plane,
    brightness: Option<Curve>,
    channels: [Option<Curve>; 3],
}

impl Curves {
    /// The curves for a zone.
    pub fn kernel(&self, zone: Zone) -> CurvesKernel {
        let curve = |points: &[[f64; 2]]| Curve::new(points, CurveRest::Same);
        CurvesKernel {
            axis: Axis::of(zone),
            plane: super::plane_of(zone),
            brightness: curve(&self.brightness),
            channels: [curve(&self.red), curve(&self.green), curve(&self.blue)],
        }
    }
}

impl CurvesKernel {
    /// The curves on a block of code values: brightness first, then the channels.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        if let Some(curve) = &self.brightness {
            let luma = self.plane.luma_plane(planes);
            let mut moved = luma;
            curve.run(&mut moved, self.axis);
            for plane in planes.iter_mut() {
                for i in 0..N {
                    plane[i] += moved[i] - luma[i];
                }
            }
        }
        for (plane, curve) in planes.iter_mut().zip(&self.channels) {
            if let Some(curve) = curve {
                curve.run(plane, self.axis);
            }
        }
    }
}

impl Kind for Curves {
    const INFO: KindInfo = KindInfo {
        kind: "curves",
        title: "Curves",
        purpose: "Brightness, red, green and blue through free points",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = CurvesKernel;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel(site.zone))
    }

    fn in_files(kernel: &Self::Kernel) -> Option<InFiles> {
        kernel.brightness.is_none().then_some(InFiles::ByChannel)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::numeric::lane::Channel;

    #[test]
    fn no_points_change_no_bit() {
        let mut p: Planes = [Channel::of(0.413_588_4), Channel::of(0.1), Channel::of(-0.2)];
        let before = p;
        Curves::default().kernel(Zone::Scene).run(&mut p);
        assert_eq!(p, before);
    }

    #[test]
    fn a_red_curve_moves_red_alone_and_brightness_keeps_colour_differences() {
        let axis = Axis::of(Zone::Scene);
        let lifted = vec![[-4.0, -3.0], [4.0, 4.0]];
        let start = [0.3_f32, 0.35, 0.4];
        let mut p = start.map(Channel::of);
        Curves { red: lifted.clone(), ..Default::default() }.kernel(Zone::Scene).run(&mut p);
        let want = axis.code(-3.0 + (axis.place(0.3) + 4.0) * 7.0 / 8.0);
        assert!((p[0][3] - want).abs() < 1e-6 && p[1][3] == 0.35 && p[2][3] == 0.4);

        let mut p = start.map(Channel::of);
        Curves { brightness: lifted, ..Default::default() }.kernel(Zone::Scene).run(&mut p);
        assert!(p[0][0] > start[0]);
        assert!((p[2][0] - p[0][0] - 0.1).abs() < 1e-6);
    }
}
