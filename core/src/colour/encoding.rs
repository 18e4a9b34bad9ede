//! Encodings: what a picture's code values mean.

use super::{
    Adaptation, Display, Mat3, Primaries,
    display::SDR_PEAK,
    primaries::{AP0, AP1, BT709, BT2020, P3_D65},
    transfer::{HLG_PEAK, REFERENCE_WHITE, Transfer},
};
use crate::numeric::lane::Channel;

/// What linear values of an encoding stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reference {
    /// Light in front of the camera; 0.18 is middle grey.
    Scene,
    /// Light of a display; 1.0 is the white of an SDR display, and reference white of an HDR one.
    Display,
}

/// A transfer function, primaries and white, and what the light stands for.
#[derive(Clone, Debug, PartialEq)]
pub struct Encoding {
    /// The id used on the command line and in files.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// A line on what it is.
    pub title: String,
    /// Code values to linear values.
    pub transfer: Transfer,
    /// Primaries and white.
    pub primaries: Primaries,
    /// How its white is adapted to another.
    pub adaptation: Adaptation,
    /// Scene or display light.
    pub reference: Reference,
    /// What the brightest light of its display is, in cd/m2; [`SDR_PEAK`] for SDR displays and for scene light.
    pub peak: f64,
}

/// Other names under which an encoding is found: what has a peak of its own may be named with it.
const ALIASES: &[(&str, &str)] = &[("pq-1000", "pq"), ("hlg-1000", "hlg")];

/// Ids, names, titles and definitions of all encodings that ship.
const SHIPPED: &[(&str, &str, &str, Transfer, Primaries, Reference)] = {
    use Reference::{Display, Scene};
    &[
        ("acescct", "ACEScct", "ACEScct, log of AP1 with a toe (S-2016-001)", Transfer::AcesCct, AP1, Scene),
        ("acescc", "ACEScc", "ACEScc, log of AP1 (S-2014-003)", Transfer::AcesCc, AP1, Scene),
        ("acescg", "ACEScg (linear)", "ACEScg, linear AP1 (S-2014-004)", Transfer::Linear, AP1, Scene),
        (
            "aces2065-1",
            "ACES2065-1 (linear)",
            "ACES2065-1, linear AP0 (ST 2065-1)",
            Transfer::Linear,
            AP0,
            Scene,
        ),
        (
            "cineon",
            "Printing-density log",
            "printing-density log, BT.709 primaries",
            Transfer::Cineon,
            BT709,
            Scene,
        ),
        (
            "rec709",
            "Rec.709 (BT.1886)",
            "BT.709 on a BT.1886 display, power 2.4",
            Transfer::Power(2.4),
            BT709,
            Display,
        ),
        ("srgb", "sRGB", "sRGB (IEC 61966-2-1)", Transfer::Srgb, BT709, Display),
        ("display-p3", "Display P3", "P3 with D65 white and the sRGB curve", Transfer::Srgb, P3_D65, Display),
        (
            "p3-d65",
            "P3 D65 (gamma 2.6)",
            "P3 with D65 white, power 2.6",
            Transfer::Power(2.6),
            P3_D65,
            Display,
        ),
        (
            "rec2020",
            "Rec.2020 (BT.1886)",
            "BT.2020 on a BT.1886 display, power 2.4",
            Transfer::Power(2.4),
            BT2020,
            Display,
        ),
        ("pq-600", "Rec.2100 PQ, 600 cd/m²", "BT.2100 PQ, 600 cd/m² display", Transfer::Pq, BT2020, Display),
        ("pq", "Rec.2100 PQ, 1000 cd/m²", "BT.2100 PQ, 1000 cd/m² display", Transfer::Pq, BT2020, Display),
        (
            "pq-2000",
            "Rec.2100 PQ, 2000 cd/m²",
            "BT.2100 PQ, 2000 cd/m² display",
            Transfer::Pq,
            BT2020,
            Display,
        ),
        (
            "pq-4000",
            "Rec.2100 PQ, 4000 cd/m²",
            "BT.2100 PQ, 4000 cd/m² display",
            Transfer::Pq,
            BT2020,
            Display,
        ),
        (
            "hlg",
            "Rec.2100 HLG, 1000 cd/m²",
            "BT.2100 HLG, 1000 cd/m² display",
            Transfer::Hlg,
            BT2020,
            Display,
        ),
        (
            "linear-rec709",
            "Linear, Rec.709 primaries",
            "linear light, BT.709 primaries",
            Transfer::Linear,
            BT709,
            Scene,
        ),
        (
            "linear-p3-d65",
            "Linear, P3 D65 primaries",
            "linear light, P3 primaries, D65",
            Transfer::Linear,
            P3_D65,
            Scene,
        ),
        (
            "linear-rec2020",
            "Linear, Rec.2020 primaries",
            "linear light, BT.2020 primaries",
            Transfer::Linear,
            BT2020,
            Scene,
        ),
    ]
};

impl Encoding {
    /// The shipped encoding with this id.
    pub fn find(id: &str) -> Option<Self> {
        let id = ALIASES.iter().find(|(alias, _)| *alias == id).map_or(id, |(_, of)| of);
        SHIPPED.iter().find(|e| e.0 == id).map(Self::from_row)
    }

    /// The Screen zone's code values as an encoding: P3-D65 in a 2.4 power, on a display with this peak in cd/m2.
    pub fn screen(peak: f64) -> Self {
        Self {
            id: "screen".into(),
            name: "Screen zone".into(),
            title: "P3-D65, power 2.4".into(),
            transfer: Transfer::Power(2.4),
            primaries: P3_D65,
            adaptation: Adaptation::default(),
            reference: Reference::Display,
            peak,
        }
    }

    /// All shipped encodings.
    pub fn shipped() -> impl Iterator<Item = Self> {
        SHIPPED.iter().map(Self::from_row)
    }

    fn from_row(
        &(id, name, title, transfer, primaries, reference): &(
            &str,
            &str,
            &str,
            Transfer,
            Primaries,
            Reference,
        ),
    ) -> Self {
        Self {
            id: id.into(),
            name: name.into(),
            title: title.into(),
            transfer,
            primaries,
            adaptation: Adaptation::Bradford,
            reference,
            peak: match (transfer, id) {
                (Transfer::Pq, "pq-600") => 600.0,
                (Transfer::Pq, "pq-2000") => 2_000.0,
                (Transfer::Pq, "pq-4000") => 4_000.0,
                (Transfer::Pq, _) => 1_000.0,
                (Transfer::Hlg, _) => f64::from(HLG_PEAK),
                _ => SDR_PEAK,
            },
        }
    }

    /// Whether its display shows lights above reference white.
    pub fn is_hdr(&self) -> bool {
        matches!(self.transfer, Transfer::Pq | Transfer::Hlg)
    }

    /// The code value of a grey of this light, in cd/m2 of an HDR display.
    pub fn code_of_grey(&self, light: f64) -> f64 {
        let mut planes = [Channel::of((light / f64::from(REFERENCE_WHITE)) as f32); 3];
        self.transfer.encode(&mut planes);
        f64::from(planes[1][0])
    }

    /// Its display, whose light [`Transfer::decode`] gives. What stands for scene light is shown nowhere: its display is
    /// one of its own primaries without headroom.
    pub fn display(&self) -> Display {
        let first_code = f64::from(self.transfer.decoded([1.0 / 255.0; 3])[1]);
        Display { first_code, ..Display::new(self.primaries, self.peak) }
    }

    /// Whether code values mean the same in both, so that nothing has to be done to go from one to the other.
    pub fn same_codes(&self, other: &Self) -> bool {
        (self.transfer, self.primaries, self.reference) == (other.transfer, other.primaries, other.reference)
    }

    /// The matrix from this encoding's linear RGB to those of `other`.
    ///
    /// Primaries of an encoding are checked where it is made, so there always is one.
    pub fn matrix_to(&self, other: &Primaries) -> Mat3 {
        self.primaries.to(other, self.adaptation)
    }

    /// The matrix from linear RGB of `other` to this encoding's.
    pub fn matrix_from(&self, other: &Primaries) -> Mat3 {
        self.primaries.back_from(other, self.adaptation)
    }

    /// Whether code values are linear light with no upper end, so that a table needs a shaper.
    pub fn is_linear(&self) -> bool {
        self.transfer == Transfer::Linear
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::numeric::lane::Planes;

    fn encode(id: &str, v: f32) -> f32 {
        let mut p: Planes = [Channel::of(v); 3];
        Encoding::find(id).unwrap().transfer.encode(&mut p);
        p[1][7]
    }

    fn decode(id: &str, v: f32) -> f32 {
        let mut p: Planes = [Channel::of(v); 3];
        Encoding::find(id).unwrap().transfer.decode(&mut p);
        p[1][7]
    }

    #[test]
    fn middle_grey_and_ends_stand_where_the_documents_put_them() {
        // (id, linear, code value, source of the pair)
        let anchors = [
            ("acescct", 0.18, 0.413_588_4, "S-2016-001, table of key values"),
            ("acescct", 0.0, 0.072_905_53, "S-2016-001, 4.4"),
            ("acescct", 65_504.0, 1.467_996_3, "S-2016-001, 4.4"),
            ("acescc", 0.18, 0.413_588_4, "S-2014-003, table of key values"),
            ("acescc", 0.0, -0.358_447_5, "S-2014-003, 4.4.1"),
            ("acescc", 65_504.0, 1.467_996_3, "S-2014-003, 4.4.1"),
            ("cineon", 1.0, 685.0 / 1023.0, "reference white 685"),
            ("cineon", 0.0, 95.0 / 1023.0, "reference black 95"),
            ("rec709", 0.5_f32.powf(2.4), 0.5, "BT.1886 annex 1 with zero black: L = V^2.4"),
            ("rec709", 1.0, 1.0, "BT.1886 annex 1"),
            ("srgb", 0.214_041_14, 0.5, "IEC 61966-2-1, 5.2"),
            ("srgb", 0.003_130_8, 0.040_449_94, "IEC 61966-2-1, 5.3, at the knee"),
            ("p3-d65", 0.5_f32.powf(2.6), 0.5, "RP 431-2, 7.1: power 2.6"),
            ("pq", 10_000.0 / 203.0, 1.0, "ST 2084, 5.2: 10 000 cd/m2 is code 1"),
            ("pq", 100.0 / 203.0, 0.508_078_4, "BT.2408-7, table 1: 100 cd/m2 is 51 % PQ; ST 2084, 5.2"),
            ("pq-4000", 1.0, 0.580_688_8, "BT.2408-7, table 1: 203 cd/m2 is 58 % PQ; ST 2084, 5.2"),
            ("hlg", 1000.0 / 203.0, 1.0, "BT.2100-2, table 5: peak is code 1"),
            ("hlg", 1.0, 0.749_877_5, "BT.2408-7, table 1: 203 cd/m2 is 75 % HLG at 1000 cd/m2"),
            // Scene light 1/12 is code 0.5; through the OOTF it is (1/12)^1.2 of 1000 cd/m2.
            (
                "hlg",
                1000.0 / 203.0 * (1.0_f32 / 12.0).powf(1.2),
                0.5,
                "BT.2100-2, table 5: OETF at E = 1/12, OOTF gamma 1.2",
            ),
        ];
        for (id, linear, code, source) in anchors {
            let got = encode(id, linear);
            assert!((got - code).abs() < 5e-6, "{id} encodes {linear} to {got}, not {code} ({source})");
            let got = decode(id, code);
            assert!(
                (got - linear).abs() < 3e-5 * linear.max(0.05),
                "{id} decodes {code} to {got} ({source})"
            );
        }
    }

    #[test]
    fn every_encoding_comes_back_on_an_ugly_grid() {
        let grid = [0.0_f32, 1e-6, -1e-6, 1e-3, 0.007_812_5, 0.18, 0.9, 1.0, 12.0, -0.05, 1_234.0];
        for e in Encoding::shipped() {
            for v in grid {
                // These documents leave values outside their range undefined; ours clip there.
                let clips = match e.id.as_str() {
                    "acescc" => v < 0.0,
                    "cineon" => !(-0.01..=50.0).contains(&v),
                    _ if e.is_hdr() => !(0.0..=49.0).contains(&v),
                    _ => false,
                };
                let tolerance = match e.id.as_str() {
                    _ if e.is_hdr() => 5e-5,
                    _ => 4e-6,
                };
                let back = decode(&e.id, encode(&e.id, v));
                assert!(clips || (back - v).abs() <= tolerance * v.abs().max(0.1), "{}: {v} -> {back}", e.id);
            }
        }
    }

    #[test]
    fn an_unknown_id_is_none() {
        assert_eq!(Encoding::find("rec1886"), None);
    }
}
