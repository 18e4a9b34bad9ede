//! Levels: where black, white and the middle of the signal come from and go to, together and by channel.

use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use crate::field::parameters;
use crate::numeric::lane::{self, N, Planes, select};

parameters! {
    /// Ends and middle of the signal. Values are shares of the zone's code value, and nothing is clipped.
    Levels {
        /// The code value that becomes out black.
        in_black: "In black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// The code value that becomes out white.
        in_white: "In white", Percent, number(0.1, 1.5, 1.0, 0.002);
        /// Where the middle between in black and in white lands; above a half is brighter.
        middle: "Middle", Percent, number(0.1, 0.9, 0.5, 0.002);
        /// What in black becomes.
        out_black: "Out black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// What in white becomes.
        out_white: "Out white", Percent, number(0.1, 1.5, 1.0, 0.002);
        /// The red value that becomes out black.
        red_in_black: "Red in black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// The red value that becomes out white.
        red_in_white: "Red in white", Percent, number(0.1, 1.5, 1.0, 0.002);
        /// Where the middle of red lands.
        red_middle: "Red middle", Percent, number(0.1, 0.9, 0.5, 0.002);
        /// What red's in black becomes.
        red_out_black: "Red out black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// What red's in white becomes.
        red_out_white: "Red out white", Percent, number(0.1, 1.5, 1.0, 0.002);
        /// The green value that becomes out black.
        green_in_black: "Green in black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// The green value that becomes out white.
        green_in_white: "Green in white", Percent, number(0.1, 1.5, 1.0, 0.002);
        /// Where the middle of green lands.
        green_middle: "Green middle", Percent, number(0.1, 0.9, 0.5, 0.002);
        /// What green's in black becomes.
        green_out_black: "Green out black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// What green's in white becomes.
        green_out_white: "Green out white", Percent, number(0.1, 1.5, 1.0, 0.002);
        /// The blue value that becomes out black.
        blue_in_black: "Blue in black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// The blue value that becomes out white.
        blue_in_white: "Blue in white", Percent, number(0.1, 1.5, 1.0, 0.002);
        /// Where the middle of blue lands.
        blue_middle: "Blue middle", Percent, number(0.1, 0.9, 0.5, 0.002);
        /// What blue's in black becomes.
        blue_out_black: "Blue out black", Percent, number(-0.2, 0.9, 0.0, 0.002);
        /// What blue's in white becomes.
        blue_out_white: "Blue out white", Percent, number(0.1, 1.5, 1.0, 0.002);
    }
}

/// The least distance between in black and in white: a slope of no more than 100.
const LEAST_RANGE: f64 = 0.01;

/// The steepest that a ramp goes on under black. Steeper, one channel would be so far below zero that it took the light of
/// the others away.
const STEEPEST_UNDER: f64 = 4.0;

/// One channel's way from in to out.
///
/// The middle bends by t / ((1/m - 2)(1 - t) + 1), the hyperbola through (0, 0), (1/2, m) and (1, 1). Unlike a power it
/// has a finite slope at both ends, so it goes on straight below black and above white.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ramp {
    black: f32,
    scale: f32,
    bend: f32,
    /// What is under black goes on by this share of the slope there.
    under: f32,
    out_black: f32,
    out_scale: f32,
}

impl Ramp {
    fn new([black, white, middle, out_black, out_white]: [f64; 5]) -> Option<Self> {
        if [black, white, middle, out_black, out_white] == [0.0, 1.0, 0.5, 0.0, 1.0] {
            return None;
        }
        let (scale, bend) = (1.0 / (white - black).max(LEAST_RANGE), 1.0 / middle - 2.0);
        let slope = (out_white - out_black).abs() * scale / (bend + 1.0);
        Some(Self {
            black: black as f32,
            scale: scale as f32,
            bend: bend as f32,
            under: (STEEPEST_UNDER / slope.max(STEEPEST_UNDER)) as f32,
            out_black: out_black as f32,
            out_scale: (out_white - out_black) as f32,
        })
    }

    /// The ramp at a code value.
    #[inline(always)]
    pub fn at(&self, v: f32) -> f32 {
        let t = (v - self.black) * self.scale;
        let inside = t / (self.bend * (1.0 - t.clamp(0.0, 1.0)) + 1.0);
        let below = t * self.under / (self.bend + 1.0);
        let above = 1.0 + (t - 1.0) * (self.bend + 1.0);
        let y = select(t < 0.0, below, select(t > 1.0, above, inside));
        self.out_black + self.out_scale * y
    }

    #[inline(always)]
    fn run(&self, plane: &mut lane::Channel) {
        for i in 0..N {
            plane[i] = self.at(plane[i]);
        }
    }
}

/// The levels ready to run; ramps that change nothing are left out.
#[derive(Clone, Debug, PartialEq)]
pub struct LevelsKernel {
    /// For all channels, before their own.
    pub master: Option<Ramp>,
    /// Red, green, blue.
    pub channels: [Option<Ramp>; 3],
}

impl Levels {
    /// The levels, alike in every zone.
    pub fn kernel(&self) -> LevelsKernel {
        let v = self;
        LevelsKernel {
            master: Ramp::new([v.in_black, v.in_white, v.middle, v.out_black, v.out_white]),
            channels: [
                Ramp::new([v.red_in_black, v.red_in_white, v.red_middle, v.red_out_black, v.red_out_white]),
                Ramp::new([
                    v.green_in_black,
                    v.green_in_white,
                    v.green_middle,
                    v.green_out_black,
                    v.green_out_white,
                ]),
                Ramp::new([
                    v.blue_in_black,
                    v.blue_in_white,
                    v.blue_middle,
                    v.blue_out_black,
                    v.blue_out_white,
                ]),
            ],
        }
    }
}

impl LevelsKernel {
    /// The ramps on a block of code values.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        if let Some(master) = &self.master {
            for plane in planes.iter_mut() {
                master.run(plane);
            }
        }
        for (plane, ramp) in planes.iter_mut().zip(&self.channels) {
            if let Some(ramp) = ramp {
                ramp.run(plane);
            }
        }
    }
}

impl Kind for Levels {
    const INFO: KindInfo = KindInfo {
        kind: "levels",
        title: "Levels",
        purpose: "Black, white and middle, in and out, together and by channel",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = LevelsKernel;

    fn work(&self, _: &Site) -> Option<Self::Kernel> {
        Some(self.kernel())
    }

    fn in_files(_: &Self::Kernel) -> Option<InFiles> {
        Some(InFiles::ByChannel)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::numeric::lane::Channel;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_ramp_rises_everywhere_and_has_no_step_at_its_ends(
            black in -0.2..0.4_f64, white in 0.5..1.5_f64, middle in 0.1..0.9_f64,
        ) {
            let ramp = Levels { in_black: black, in_white: white, middle, ..Default::default() }.kernel().master.unwrap();
            let mut last = ramp.at(-0.6);
            for i in -599..2000 {
                let y = ramp.at(i as f32 * 0.001);
                prop_assert!(y >= last && y - last < 0.1, "{last} then {y}");
                last = y;
            }
        }
    }

    #[test]
    fn black_middle_and_white_go_where_they_are_sent() {
        let v = Levels {
            in_black: 0.1,
            in_white: 0.9,
            middle: 0.7,
            out_black: 0.2,
            out_white: 0.8,
            ..Default::default()
        };
        let ramp = v.kernel().master.unwrap();
        for (from, to) in [(0.1, 0.2), (0.9, 0.8), (0.5, 0.2 + 0.7 * 0.6)] {
            assert!((ramp.at(from) - to).abs() < 1e-6, "{from}: {}", ramp.at(from));
        }
    }

    #[test]
    fn a_channel_moves_alone() {
        let kernel = Levels { green_out_white: 0.5, ..Default::default() }.kernel();
        let mut p: Planes = [Channel::of(0.6); 3];
        kernel.run(&mut p);
        assert_eq!((p[0][0], p[2][0]), (0.6, 0.6));
        assert!((p[1][0] - 0.3).abs() < 1e-6);
    }
}
