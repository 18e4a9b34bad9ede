//! The one list of all kinds of steps.

use super::field::Field;
use super::*;

/// What is known about a kind of step before there is one.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct KindInfo {
    /// The kind's id in documents.
    pub kind: &'static str,
    /// What people call it.
    pub title: &'static str,
    /// What it is for, in a line.
    pub purpose: &'static str,
    /// The zones it may stand in.
    pub zones: &'static [Zone],
    /// Whether it runs on linear light; on the zone's code values otherwise.
    pub linear: bool,
    /// Why it goes onto pictures only; empty where it depends on a pixel's colour alone and so goes into tables.
    pub picture_only: &'static str,
    /// Its parameters in the order they are shown.
    pub fields: &'static [Field],
}

const FILM: &[Zone] = &[Zone::Film];

/// Why steps are picture-only.
const SPREADS: &str = "light goes from each pixel to its neighbours, and a table knows one colour at a time";
const PLACE: &str = "it depends on where a pixel is, and a table knows only its colour";
const CHANGES: &str =
    "it is different from frame to frame and place to place, and a table knows only colours";

const SCENE: &[Zone] = &[Zone::Scene];
const SCENE_AND_SCREEN: &[Zone] = &[Zone::Scene, Zone::Screen];

/// A kind that goes into tables.
const fn kind(
    kind: &'static str,
    title: &'static str,
    purpose: &'static str,
    zones: &'static [Zone],
    linear: bool,
    fields: &'static [Field],
) -> KindInfo {
    KindInfo { kind, title, purpose, zones, linear, picture_only: "", fields }
}

/// Every kind of step, in the order a path usually has them; in the Film zone, in the order that the light goes, which is
/// the order that they have to stand in.
pub const KINDS: &[KindInfo] = &[
    kind(
        "balance",
        "Balance",
        "Exposure and white, as light on the set would change",
        SCENE,
        true,
        Balance::FIELDS,
    ),
    kind("gel", "Gel", "Light through a coloured filter", SCENE, true, Gel::FIELDS),
    kind(
        "channel-mix",
        "Channel mix",
        "Each channel from all three, swaps, monochrome through a filter",
        SCENE_AND_SCREEN,
        true,
        ChannelMix::FIELDS,
    ),
    kind(
        "colour-compress",
        "Colour compress",
        "Brings colours outside the gamut in smoothly and caps the peak",
        SCENE,
        true,
        ColourCompress::FIELDS,
    ),
    kind(
        "tone",
        "Tone",
        "Contrast, black and white point, toe and shoulder, faded blacks",
        SCENE_AND_SCREEN,
        false,
        Tone::FIELDS,
    ),
    kind(
        "levels",
        "Levels",
        "Black, white and middle, in and out, together and by channel",
        SCENE_AND_SCREEN,
        false,
        Levels::FIELDS,
    ),
    kind(
        "slope-offset-power",
        "Slope/offset/power",
        "ASC colour decision list with saturation",
        SCENE_AND_SCREEN,
        false,
        SlopeOffsetPower::FIELDS,
    ),
    kind(
        "tone-tint",
        "Tone tint",
        "Split toning: a colour for darks, middles and lights",
        SCENE_AND_SCREEN,
        false,
        ToneTint::FIELDS,
    ),
    kind(
        "curves",
        "Curves",
        "Brightness, red, green and blue through free points",
        SCENE_AND_SCREEN,
        false,
        Curves::FIELDS,
    ),
    kind(
        "hue-curves",
        "Hue curves",
        "Hue, saturation and brightness by hue; saturation by brightness and by saturation",
        SCENE_AND_SCREEN,
        false,
        HueCurves::FIELDS,
    ),
    kind(
        "colour-families",
        "Colour families",
        "Families of hues with movable borders, and darks, neutrals and lights",
        SCENE_AND_SCREEN,
        false,
        ColourFamilies::FIELDS,
    ),
    kind(
        "saturation",
        "Saturation",
        "Strength of colours: overall, weak ones, by brightness, with density",
        SCENE_AND_SCREEN,
        false,
        Saturation::FIELDS,
    ),
    kind(
        "table",
        "Table",
        "Imported tables, each with its encodings, mixed",
        SCENE_AND_SCREEN,
        false,
        Tables::FIELDS,
    ),
    KindInfo {
        picture_only: SPREADS,
        ..kind("bloom", "Bloom", "Glow of the lens around bright things", FILM, true, Bloom::FIELDS)
    },
    KindInfo {
        picture_only: PLACE,
        ..kind(
            "vignette",
            "Vignette",
            "Light falling off toward the edges, in stops",
            FILM,
            true,
            Vignette::FIELDS,
        )
    },
    KindInfo {
        picture_only: SPREADS,
        ..kind(
            "halation",
            "Halation",
            "Light that comes back from the film's base, around bright things",
            FILM,
            true,
            Halation::FIELDS,
        )
    },
    kind(
        "negative",
        "Negative",
        "The film in the camera: stock, exposure, push, range",
        FILM,
        false,
        Negative::FIELDS,
    ),
    KindInfo {
        picture_only: SPREADS,
        ..kind(
            "softness",
            "Softness",
            "How sharply the film draws, and its edges",
            FILM,
            true,
            Softness::FIELDS,
        )
    },
    KindInfo {
        picture_only: CHANGES,
        ..kind("grain", "Grain", "The grain of the negative, in its own density", FILM, true, Grain::FIELDS)
    },
    kind(
        "print",
        "Print",
        "The film in the projector: stock, printer points, silver",
        FILM,
        false,
        Print::FIELDS,
    ),
    kind(
        "plain-rendering",
        "Plain rendering",
        "Neutral way from scene light to the screen where no film is wanted",
        FILM,
        false,
        PlainRendering::FIELDS,
    ),
    KindInfo {
        picture_only: CHANGES,
        ..kind("flicker", "Flicker", "Density that breathes from frame to frame", FILM, true, Flicker::FIELDS)
    },
    KindInfo {
        picture_only: CHANGES,
        ..kind(
            "gate-weave",
            "Gate weave",
            "A frame that does not quite stand still",
            FILM,
            true,
            GateWeave::FIELDS,
        )
    },
];
