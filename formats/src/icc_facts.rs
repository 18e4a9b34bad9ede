//! What an ICC profile (ISO 15076-1) says of a picture's encoding.

use crate::facts::{Guess, code_points};
use crate::icc::D50;
use lantern_core::colour::chromaticity::xyz_to_xy;
use lantern_core::colour::{Adaptation, Encoding, Reference};
use moxcms::{ColorProfile, DataColorSpace, ParsingOptions, ProfileText, ToneReprCurve, Xyzd};

/// The longest profile that is read, in bytes: those of displays have some kilobytes.
const MOST_BYTES: usize = 4 << 20;
/// The most entries of a curve.
const MOST_ENTRIES: usize = 65_536;
/// How far a primary's XYZ may lie from an encoding's: profiles round, and differ in how they adapt white to D50.
const PRIMARY: f64 = 0.003;
/// How far the light of a code value may lie from an encoding's, of white.
const LIGHT: f32 = 0.004;

/// The encoding that a profile describes: by its code points where it has some, else by its primaries and curve, else by its
/// name.
pub(crate) fn guess(profile: &[u8]) -> Guess {
    let options = ParsingOptions {
        max_profile_size: MOST_BYTES,
        max_allowed_clut_size: MOST_BYTES,
        max_allowed_trc_size: MOST_ENTRIES,
    };
    let Ok(profile) = ColorProfile::new_from_slice_with_options(profile, options) else {
        return Guess::new(None, "an ICC profile that cannot be read");
    };
    if let Some(said) = profile.cicp {
        let [primaries, transfer] = [said.color_primaries as u8, said.transfer_characteristics as u8];
        return Guess::new(
            code_points(primaries, transfer),
            format!("ICC profile with code points {primaries} and {transfer}"),
        );
    }
    let name = profile.description.as_ref().and_then(text);
    let found = measured(&profile).or_else(|| name.as_deref().and_then(named));
    let reason = name.map_or("an ICC profile without a name".into(), |name| format!("ICC profile “{name}”"));
    Guess::new(found, reason)
}

/// The display encoding that has its primaries and curves.
fn measured(profile: &ColorProfile) -> Option<&'static str> {
    if profile.color_space != DataColorSpace::Rgb {
        return None;
    }
    let curves: Vec<&ToneReprCurve> =
        [&profile.red_trc, &profile.green_trc, &profile.blue_trc].into_iter().flatten().collect();
    let [red, green, blue] = curves[..] else { return None };
    let lights: Vec<_> =
        [red, green, blue].into_iter().filter_map(|c| c.make_linear_evaluator().ok()).collect();
    if lights.len() < 3 {
        return None;
    }
    let has = |e: &Encoding| {
        let adapt = Adaptation::Bradford.between(e.primaries.white, xyz_to_xy(D50));
        let own = adapt.after(&e.primaries.to_xyz()).0;
        let colorants = [profile.red_colorant, profile.green_colorant, profile.blue_colorant];
        let primaries = colorants.iter().enumerate().all(|(c, Xyzd { x, y, z })| {
            [x, y, z].into_iter().enumerate().all(|(row, v)| (v - own[row][c]).abs() < PRIMARY)
        });
        primaries
            && (0..=16).map(|i| i as f32 / 16.0).all(|code| {
                let light = e.transfer.decoded([code; 3]);
                lights.iter().zip(light).all(|(of, light)| (of.evaluate_value(code) - light).abs() < LIGHT)
            })
    };
    ["srgb", "display-p3", "rec709", "rec2020", "p3-d65"]
        .into_iter()
        .find(|id| Encoding::find(id).is_some_and(|e| e.reference == Reference::Display && has(&e)))
}

/// The encoding that a name speaks of.
fn named(name: &str) -> Option<&'static str> {
    let name = name.to_ascii_lowercase();
    let known = [("srgb", "srgb"), ("display p3", "display-p3"), ("709", "rec709"), ("2020", "rec2020")];
    known.into_iter().find_map(|(part, id)| name.contains(part).then_some(id))
}

/// A text on one line, where it has one.
fn text(of: &ProfileText) -> Option<String> {
    let said = match of {
        ProfileText::PlainString(said) => said,
        ProfileText::Localizable(all) => &all.first()?.value,
        ProfileText::Description(d) if d.ascii_string.trim().is_empty() => &d.unicode_string,
        ProfileText::Description(d) => &d.ascii_string,
    };
    let clean: String = said.chars().filter(|c| !c.is_control()).take(80).collect();
    (!clean.trim().is_empty()).then(|| clean.trim().to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn renamed(mut profile: ColorProfile, name: &str) -> Vec<u8> {
        profile.description = Some(ProfileText::PlainString(name.into()));
        profile.cicp = None;
        profile.encode().unwrap()
    }

    #[test]
    fn our_own_profiles_are_known_again() {
        for e in Encoding::shipped().filter(|e| e.reference == Reference::Display) {
            let bytes = crate::icc::profile(&e).unwrap();
            let said = guess(&bytes);
            // Code points do not say how bright a PQ display is.
            let want = if e.is_hdr() && e.id.starts_with("pq") { "pq" } else { e.id.as_str() };
            assert_eq!(said.encoding, Some(want), "{said:?}");
        }
    }

    #[test]
    fn a_profile_without_code_points_is_known_by_its_colours_whatever_it_is_called() {
        // Profiles as another library makes them.
        let srgb = guess(&renamed(ColorProfile::new_srgb(), "a monitor"));
        assert_eq!((srgb.encoding, srgb.reason.as_str()), (Some("srgb"), "ICC profile “a monitor”"));
        assert_eq!(guess(&renamed(ColorProfile::new_display_p3(), "another")).encoding, Some("display-p3"));
        assert_eq!(guess(&renamed(ColorProfile::new_pro_photo_rgb(), "a wide one")).encoding, None);
        assert_eq!(guess(&renamed(ColorProfile::new_adobe_rgb(), "a photographer's")).encoding, None);
    }

    #[test]
    fn a_name_counts_where_colours_say_nothing() {
        let mut rough = ColorProfile::new_srgb();
        rough.red_trc = None;
        assert_eq!(guess(&renamed(rough, "sRGB with a scanner's tables")).encoding, Some("srgb"));
        assert_eq!(guess(&[]).reason, "an ICC profile that cannot be read");
    }

    proptest! {
        #[test]
        fn no_profile_makes_it_panic(at in 0..600_usize, byte: u8, cut in 0..600_usize) {
            let mut bytes = crate::icc::profile(&Encoding::find("rec709").unwrap()).unwrap();
            if let Some(b) = bytes.get_mut(at) {
                *b = byte;
            }
            let _ = guess(&bytes);
            bytes.truncate(cut);
            let _ = guess(&bytes);
        }
    }
}
