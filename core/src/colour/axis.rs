//! The zones of a path, and the tonal axis of each: where a code value lies between black and white, in units a person thinks in.

use super::Reference;
use crate::colour::plane::Plane;
use crate::colour::primaries::{AP1, P3_D65};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The three parts of a path, in the order of the light.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Zone {
    /// Scene-referred, before any rendering; steps work in ACEScct or linear AP1.
    Scene,
    /// Negative, printer and print, or the plain rendering.
    Film,
    /// Display light, P3-D65, in a pure 2.4 power.
    Screen,
}

/// Where a step's arithmetic works: the zone, and what it needs to know of the light there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Site {
    /// The zone.
    pub zone: Zone,
    /// What the path's source stands for, which says how scene and display light are made of each other.
    pub source: Reference,
    /// The brightest display light, where white is 1; above 1 in the Screen zone of HDR displays alone.
    pub headroom: f64,
}

impl From<Zone> for Site {
    /// A zone of a path from scene light to an SDR display.
    fn from(zone: Zone) -> Self {
        Self { zone, source: Reference::Scene, headroom: 1.0 }
    }
}

impl Site {
    /// The brightest code value of the Screen zone: a 2.4 power of light.
    pub fn signal_peak(&self) -> f32 {
        self.headroom.powf(1.0 / 2.4) as f32
    }
}

/// log2(0.18), middle grey.
const LOG2_GREY: f32 = -2.473_931_2;

/// Code value of middle grey (10 % of peak) in the Screen zone: 0.1^(1/2.4).
pub const SCREEN_GREY: f32 = 0.383_118_7;

/// A straight relation between a zone's code values and its tonal axis.
///
/// Scene: stops from middle grey, read off ACEScct's logarithmic part and continued straight through its toe,
/// so that black lies at about -5.97. Screen: tenths of the signal range from middle grey at 38.3 %.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Axis {
    /// Axis units a code value.
    pub scale: f32,
    /// Axis place of code value zero.
    pub offset: f32,
}

impl Axis {
    /// The axis of a zone; Film has none of its own and uses the Scene's.
    pub fn of(zone: Zone) -> Self {
        match zone {
            Zone::Scene | Zone::Film => Self { scale: 17.52, offset: -9.72 - LOG2_GREY },
            Zone::Screen => Self { scale: 10.0, offset: -SCREEN_GREY * 10.0 },
        }
    }

    /// Code value to axis.
    #[inline(always)]
    pub fn place(&self, code: f32) -> f32 {
        code * self.scale + self.offset
    }

    /// Axis to code value.
    #[inline(always)]
    pub fn code(&self, place: f32) -> f32 {
        (place - self.offset) / self.scale
    }
}

/// The colour-difference plane of a zone's code values.
pub fn plane_of(zone: Zone) -> Plane {
    match zone {
        Zone::Scene | Zone::Film => Plane::of(&AP1),
        Zone::Screen => Plane::of(&P3_D65),
    }
}

/// The radius in a zone's plane that counts as full saturation: where a display's primaries lie in the Screen zone
/// (0.5, BT.709-6, 3.3); a log encoding holds the same colours at about a third of that (determined empirically).
pub fn saturation_reach(zone: Zone) -> f32 {
    if zone == Zone::Screen { 0.5 } else { 0.17 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::transfer::linear_to_acescct;

    #[test]
    fn middle_grey_is_zero_and_a_stop_is_one() {
        let axis = Axis::of(Zone::Scene);
        for stops in [-4.0_f32, -1.0, 0.0, 3.0, 6.5] {
            let place = axis.place(linear_to_acescct(0.18 * stops.exp2()));
            assert!((place - stops).abs() < 1e-4, "{stops}: {place}");
        }
        assert!(Axis::of(Zone::Screen).place(0.1_f32.powf(1.0 / 2.4)).abs() < 1e-5);
    }
}
