//! The kinds of steps. A kind is a file and a line in [the list](list): parameters, what is known of it, what it does.

pub mod curve;
pub mod kind;
#[macro_use]
mod list;

pub use crate::colour::{Axis, Site, Zone, plane_of, saturation_reach};
pub use crate::field::{self, ValueError, check_fields};
pub use hue_curves::Bump;
pub use kind::{Domain, InFiles, Kind, KindInfo};
pub use tables::{MAX_TABLES, TableEncoding, TableUse};

use crate::film::Chain;
use crate::numeric::lane::Planes;
use crate::texture::Texture;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

// Every kind of step, in the order a path usually has them; in the Film zone, in the order that the light goes, which is
// the order that they have to stand in.
kinds! {
    balance => Balance(Balance),
    gel => Gel(Gel),
    channel_mix => ChannelMix(ChannelMix),
    colour_compress => ColourCompress(ColourCompress),
    tone => Tone(Tone),
    levels => Levels(Levels),
    slope_offset_power => SlopeOffsetPower(SlopeOffsetPower),
    tone_tint => ToneTint(ToneTint),
    curves => Curves(Curves),
    hue_curves => HueCurves(HueCurves),
    colour_families => ColourFamilies(ColourFamilies),
    saturation => Saturation(Saturation),
    tables => Table(Tables),
    bloom => Bloom(Bloom),
    vignette => Vignette(Vignette),
    halation => Halation(Halation),
    negative => Negative(Negative),
    softness => Softness(Softness),
    grain => Grain(Grain),
    print => Print(Print),
    plain => PlainRendering(PlainRendering),
    flicker => Flicker(Flicker),
    gate_weave => GateWeave(GateWeave),
}

impl Values {
    /// New values of a kind, which change nothing. `None` for a kind that does not exist.
    pub fn neutral(kind: &str) -> Option<Self> {
        // Every parameter has its neutral as the default of its type, so no values at all are the neutral ones.
        serde_json::from_value(serde_json::json!({ "kind": kind, "values": {} })).ok()
    }

    /// The domain the step runs in.
    pub fn domain(&self) -> Domain {
        self.info().domain
    }

    /// Checks every value against the ranges of its field, and what its kind asks beyond that.
    pub fn check(&self) -> Result<(), ValueError> {
        // Reading the values through their own serialisation keeps the check in one place for all kinds.
        let json = serde_json::to_value(self).unwrap_or_default();
        check_fields(self.info().fields, &json["values"])?;
        self.check_kind()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_has_a_neutral_that_passes_its_own_check_and_knows_its_name() {
        for info in KINDS {
            let values = Values::neutral(info.kind).unwrap();
            values.check().unwrap();
            assert_eq!(values.info().kind, info.kind);
            assert_eq!(serde_json::to_value(&values).unwrap()["kind"], info.kind);
        }
        assert_eq!(Values::neutral("sharpen"), None);
    }

    #[test]
    fn values_out_of_range_or_not_finite_are_named() {
        let high = Values::Balance(Balance { exposure: 40.0, ..Default::default() });
        assert_eq!(high.check().unwrap_err().to_string(), "Exposure is 40; it goes from -8 to 8");
        let nan = Values::Tone(Tone { contrast: f64::NAN, ..Default::default() });
        assert_eq!(nan.check().unwrap_err().to_string(), "Contrast is not a finite number");
        let back = Values::Curves(Curves { red: vec![[1.0, 1.0], [0.0, 0.0]], ..Default::default() });
        assert!(matches!(back.check(), Err(ValueError::Order("Red"))));
    }

    #[test]
    fn neutral_steps_change_no_code_value_by_more_than_an_ulp_or_two() {
        for info in KINDS.iter().filter(|k| !k.zones.contains(&Zone::Film)) {
            for zone in info.zones {
                // Tables work between encodings, which the graph knows: see `graph::tables`.
                let Some(kernel) = Values::neutral(info.kind).unwrap().kernel(*zone) else { continue };
                // Colour compress has the published constants as its neutral: it leaves what lies inside of them.
                let low = if info.kind == "colour-compress" { 0.3 } else { 0.02 };
                let rgb = [0.413_588_4_f32, low, 0.97];
                let mut p = rgb.map(crate::numeric::lane::Channel::of);
                kernel.run(&mut p);
                for (plane, v) in p.iter().zip(rgb) {
                    assert!((plane[0] - v).abs() < 3e-7, "{} {zone:?}: {v} became {}", info.kind, plane[0]);
                }
            }
        }
    }
}
