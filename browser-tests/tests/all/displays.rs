//! Pictures made for HDR displays, and steps that say when they are steep.

use lantern_browser_tests::{Outcome, Set};
use serde_json::json;
use thirtyfour::prelude::*;

const HARBOUR: &str = "?look=Harbour%20Dusk&shot=workbench%20001";
/// What the marks of the waveform say, from its top down.
const MARKS: &str = "return [...document.querySelector('canvas[data-scope=wave]').parentElement.parentElement.querySelectorAll('span')]
    .map((e) => e.innerText).sort().join(' ')";

async fn make_for(set: &Set, display: &str) -> Outcome {
    set.click("button[aria-label*='display: ']").await?;
    set.press("[role=menuitem]", display).await
}

#[tokio::test]
async fn a_picture_made_for_an_hdr_display_is_tone_mapped_says_so_and_is_measured_in_its_light() -> Outcome {
    let set = Set::new().await?;
    set.open(HARBOUR).await?;
    let shown = set.shown().await?;
    let sdr = set.picture().await?;
    assert_eq!(set.js(MARKS).await?, "0 100 25 50 75");

    make_for(&set, "Rec.2100 PQ, 1000 cd/m²").await?;
    let shown = set.newer(shown).await?;
    let hdr = set.picture().await?;
    assert_ne!(hdr, sdr);
    // The tone map keeps the picture a picture: its mean stays within a third of the SDR one.
    for (a, b) in hdr.mean.iter().zip(sdr.mean) {
        assert!((a / b - 1.0).abs() < 0.33, "{hdr:?} {sdr:?}");
    }
    set.until("return [...document.querySelectorAll('[role=note]')].some((e) => e.innerText === 'Rec.2100 PQ, 1000 cd/m², tone-mapped to this monitor')").await?;
    // The path's end names it too.
    set.until("return document.querySelector('nav[aria-label=Path]')?.parentElement.innerText.includes('Rec.2100 PQ, 1000 cd/m²')").await?;
    let marks = set.js(MARKS).await?.to_string();
    assert!(marks.contains("203") && marks.contains("1k") && !marks.contains("75"), "{marks}");

    // A step is edited and undone while it is so; the display stays.
    set.add_step("scene", "Saturation").await?;
    set.type_value("Saturation", "0").await?;
    let shown = set.newer(shown).await?;
    // What the look tints on the screen is left.
    let grey = set.picture().await?.difference();
    assert!(grey.iter().all(|v| v.abs() < 3.0), "{grey:?}");
    // The value, then the step.
    set.keys("body", Key::Control + "z").await?;
    let shown = set.newer(shown).await?;
    set.keys("body", Key::Control + "z").await?;
    let shown = set.newer(shown).await?;
    assert_eq!(set.picture().await?, hdr);

    make_for(&set, "This monitor (sRGB)").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, sdr);
    set.until("return !document.querySelector('[role=note]')").await?;
    set.close().await
}

#[tokio::test]
async fn a_step_that_bends_colours_faster_than_a_table_follows_says_so_while_it_is_made_so() -> Outcome {
    let set = Set::new().await?;
    let bump = json!({ "centre": 110.0, "down": 6.0, "up": 6.0, "softness": 4.0, "hue": 60.0 });
    let step = json!([{ "id": "h", "name": "Narrow", "zone": "scene", "on": true, "strength": 1.0,
        "kind": "hue-curves", "values": { "bumps": [bump], "others": 0.0 } }]);
    set.make_look("Narrow", &step)?;
    set.open("?look=Narrow").await?;
    set.take("Narrow").await?;
    let says = |what: &str| {
        format!(
            "return [...document.querySelectorAll('[aria-label=\"Selected step\"] [role=status]')].some((e) => e.innerText.includes({what:?}))"
        )
    };
    set.until(&says("65-point table")).await?;
    // Next to nothing of it is smooth again.
    set.keys("[data-field=strength]", Key::Home + "").await?;
    set.until(&format!("return !(() => {{ {} }})()", says("65-point table"))).await?;
    set.close().await
}
