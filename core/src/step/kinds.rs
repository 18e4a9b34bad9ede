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

/// Every kind of step, in the order a path usually has them.
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
        "Six families of hues, and darks, neutrals and lights",
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
    kind(
        "plain-rendering",
        "Plain rendering",
        "Neutral way from scene light to the screen where no film is wanted",
        &[Zone::Film],
        false,
        PlainRendering::FIELDS,
    ),
];
