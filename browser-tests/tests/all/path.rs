//! The path as a working tool: groups, ranges, copies, tables, the Shelf, comparing, seeing.

use lantern_browser_tests::{Outcome, Set};
use thirtyfour::prelude::*;

const OPEN: &str = "?look=Harbour%20Dusk&shot=workbench%20001";

#[tokio::test]
async fn a_range_is_picked_on_a_face_seen_as_a_matte_and_holds_the_step_to_it() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.add_step("scene", "Saturation").await?;
    set.press("button", "Where: everywhere").await?;
    set.press("button", "Pick").await?;
    set.touch("[data-touch=hand]", &[[0.526, 0.574], [0.625, 0.64]]).await?;
    set.until("return !!document.querySelector('[data-field=hue_reach]')").await?;
    let shown = set.shown().await?;
    set.press("[role=radio]", "matte").await?;
    set.newer(shown).await?;
    let (face, wall) = (set.patch([0.62, 0.593]).await?, set.patch([0.68, 0.26]).await?);
    assert!(face.luma() > 200.0 && wall.luma() < 30.0, "{face:?} {wall:?}");
    let shown = set.shown().await?;
    set.press("[role=radio]", "picture").await?;
    set.newer(shown).await?;
    let before = [set.patch([0.62, 0.593]).await?, set.patch([0.184, 0.678]).await?];
    set.press("button", "Where: colour range").await?;
    let shown = set.shown().await?;
    set.type_value("Saturation", "0").await?;
    set.newer(shown).await?;
    let after = [set.patch([0.62, 0.593]).await?, set.patch([0.184, 0.678]).await?];
    assert!(after[0].hue().1 < 0.35 * before[0].hue().1, "{before:?} {after:?}");
    assert!(after[1].hue().1 > 0.97 * before[1].hue().1, "{before:?} {after:?}");
    set.close().await
}

#[tokio::test]
async fn steps_are_grouped_switched_together_copied_to_another_look_and_undone_by_name() -> Outcome {
    let set = Set::new().await?;
    set.make_look("Empty", &serde_json::json!([]))?;
    set.open(OPEN).await?;
    let whole = set.picture().await?;
    set.take("Tone").await?;
    set.js(
        "[...document.querySelectorAll('nav[aria-label=Path] button[aria-current]')].find((e) => e.title === 'Amber over slate')
           .dispatchEvent(new MouseEvent('click', { bubbles: true, ctrlKey: true }))",
    )
    .await?;
    set.until("return document.querySelectorAll('[data-picked]').length === 2").await?;
    set.command("g").await?;
    set.until("return !!document.querySelector('[data-group=Group]')").await?;
    set.shown().await?;
    assert_eq!(set.picture().await?, whole, "a group at full strength changes nothing");
    let shown = set.shown().await?;
    set.click("[aria-label=\"Group on\"]").await?;
    set.newer(shown).await?;
    let off = set.picture().await?;
    assert_ne!(off, whole);

    // The group goes into another look, its switch too.
    set.command("c").await?;
    set.open("?look=Empty&shot=workbench%20001").await?;
    set.command("v").await?;
    set.until("return document.querySelectorAll('[data-group=Group]').length === 1 && document.querySelectorAll('[data-step]').length === 2")
        .await?;
    let shown = set.shown().await?;
    set.click("[aria-label=\"Group on\"]").await?;
    set.newer(shown).await?;
    set.command("z").await?;
    set.until("return document.querySelector('[data-notice]')?.innerText.startsWith('Undone: Switch Group')")
        .await?;
    set.command("z").await?;
    set.until("return document.querySelectorAll('[data-step]').length === 0").await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn a_table_is_brought_in_with_its_encodings_and_travels_inside_the_look_file() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    let before = set.picture().await?;
    // Half of red: a table of two points on a side (Cube LUT specification 1.0, red fastest).
    let mut text = String::from("TITLE \"half red\"\nLUT_3D_SIZE 2\n");
    for i in 0..8 {
        text += &format!("{} {} {}\n", f64::from(i % 2) * 0.9, i / 2 % 2, i / 4);
    }
    let file = set.data.path().join("half-red_acescct.cube");
    std::fs::write(&file, text)?;
    set.add_step("scene", "Table").await?;
    set.find("[aria-label=\"Table file\"]").await?.send_keys(file.display().to_string()).await?;
    // Its name speaks of what it expects; what it gives has to be said.
    set.until("return document.querySelector('[role=dialog]')?.innerText.includes('ACEScct by its name')")
        .await?;
    let shown = set.shown().await?;
    set.choose("Output", "ACEScct").await?;
    set.press("[role=dialog] button", "Add table").await?;
    set.newer(shown).await?;
    let with = set.picture().await?;
    assert!(with.mean[0] < before.mean[0] - 10.0, "{before:?} {with:?}");
    set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;

    // The file holds the numbers; brought in where there are none it makes the same picture.
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let looks = set.get(&format!("/api/productions/{production}/looks"))?;
    let own =
        looks.as_array().and_then(|l| l.iter().find(|l| l["name"] == "Harbour Dusk")).ok_or("no look")?;
    let document = set.get(&format!("/api/looks/{}/file", own["id"].as_str().unwrap_or("")))?;
    assert_eq!(document["tables"].as_object().map(serde_json::Map::len), Some(1));
    let elsewhere = Set::new().await?;
    let mut renamed = document;
    renamed["name"] = "From afar".into();
    let path = elsewhere.data.path().join("from-afar.look.json");
    std::fs::write(&path, renamed.to_string())?;
    elsewhere.open("?shot=workbench%20001").await?;
    elsewhere.find("[aria-label=\"Look file\"]").await?.send_keys(path.display().to_string()).await?;
    elsewhere.until("return document.querySelector('[data-menu=look]').innerText.startsWith('From afar') && window.lantern.settled()").await?;
    elsewhere
        .until(
            "return document.querySelectorAll('[data-step=table]').length === 1 && window.lantern.settled()",
        )
        .await?;
    assert_eq!(elsewhere.picture().await?, with);
    elsewhere.close().await?;
    set.close().await
}

#[tokio::test]
async fn a_look_is_tried_from_the_shelf_without_losing_ones_own_and_added_at_a_strength() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    let own = set.picture().await?;
    set.press("button", "Shelf ▸").await?;
    set.until("return document.querySelectorAll('[data-card] canvas[data-drawn]').length >= 24").await?;
    set.find("[aria-label=\"Search the Shelf\"]").await?.send_keys("sepia").await?;
    set.until("return document.querySelectorAll('[data-card]').length === 1").await?;
    let shown = set.shown().await?;
    set.js("document.querySelector('[data-card=\"Sepia Ledger\"]').focus()").await?;
    set.newer(shown).await?;
    let tried = set.picture().await?;
    assert_ne!(tried, own);
    let shown = set.shown().await?;
    set.js("document.activeElement.blur()").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, own, "one's own work is back");

    set.click("[data-card=\"Sepia Ledger\"]").await?;
    let strength = set.find("aside[aria-label=Shelf] input[aria-label=\"Strength, value\"]").await?;
    strength.click().await?;
    strength.send_keys("40".to_owned() + Key::Enter).await?;
    set.until("return document.querySelector('[data-trying]') && window.lantern.settled()").await?;
    let previewed = set.picture().await?;
    let shown = set.shown().await?;
    set.press("button", "Add as a group").await?;
    set.newer(shown).await?;
    set.until("return document.querySelectorAll('[data-group^=\"Sepia Ledger\"]').length === 2").await?;
    let added = set.picture().await?;
    assert!(added != own && added != tried);
    assert_eq!(added, previewed, "what is previewed is what taking it gives, at the strength shown");
    set.command("z").await?;
    set.until("return document.querySelectorAll('[data-group]').length === 0 && window.lantern.settled()")
        .await?;
    assert_eq!(set.picture().await?, own);
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn a_look_is_compared_with_another_by_wipe_and_by_a_list() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.click("[aria-label=View] button[aria-haspopup=menu]").await?;
    set.press("[role=menuitem]", "Look Brine Light").await?;
    set.until("return !!document.querySelector('canvas[data-beside]')?.dataset.seq").await?;
    // Turned by the keys, the line is no longer upright.
    set.keys("[data-wipe]", Key::Down + "").await?;
    set.until("return document.querySelector('[data-wipe]').style.transform.includes('rotate(5deg)')")
        .await?;
    set.press("[aria-label=View] button", "Differences").await?;
    set.until("return document.querySelectorAll('[aria-label=Differences] > li').length > 3").await?;
    let words = set.js("return document.querySelector('[data-differs=Saturation], [data-differs=Tone], [data-differs]').innerText").await?;
    assert!(words.as_str().unwrap_or("").len() > 5, "{words}");
    set.keys("body", Key::Escape + "").await?;
    set.press("[aria-label=View] button", "Wipe").await?;
    set.until("return !document.querySelector('[data-wipe]') && document.querySelectorAll('canvas[data-beside]').length === 1").await?;
    set.close().await
}

#[tokio::test]
async fn close_up_the_frame_is_shown_pixel_for_pixel_and_moves_under_the_hand() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    let fitted = set.shown().await?;
    set.keys("body", "z").await?;
    set.newer(fitted).await?;
    set.until("const c = document.querySelector('canvas[data-picture]'); return c.width < 960 && Math.abs(c.width - c.clientWidth) <= 1").await?;
    let shown = set.shown().await?;
    let before = set.picture().await?;
    set.touch("[data-touch=hand]", &[[0.5, 0.5], [0.4, 0.45], [0.3, 0.4]]).await?;
    set.newer(shown).await?;
    assert_ne!(set.picture().await?, before);
    set.keys("body", "u").await?;
    set.until("return document.querySelector('[data-surround=grey]') && getComputedStyle(document.querySelector('[data-surround]')).backgroundColor === 'rgb(119, 119, 119)'").await?;
    // Without the step in hand, for as long as the key is held.
    set.keys("body", "z").await?;
    set.take("Tone").await?;
    let with = set.picture().await?;
    let shown = set.shown().await?;
    set.js("window.dispatchEvent(new KeyboardEvent('keydown', { key: 's' }))").await?;
    set.newer(shown).await?;
    assert_ne!(set.picture().await?, with);
    let shown = set.shown().await?;
    set.js("window.dispatchEvent(new KeyboardEvent('keyup', { key: 's' }))").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, with);
    set.close().await
}

#[tokio::test]
async fn a_decision_list_is_imported_into_the_step() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.add_step("scene", "Slope/offset/power").await?;
    // ASC CDL 1.2, section "ColorCorrection".
    let text = r#"<?xml version="1.0"?><ColorCorrection xmlns="urn:ASC:CDL:v1.2" id="ferry"><SOPNode><Slope>1.1 1 0.9</Slope>
        <Offset>0.01 0 -0.02</Offset><Power>1 1.05 1</Power></SOPNode><SatNode><Saturation>0.8</Saturation></SatNode></ColorCorrection>"#;
    let file = set.data.path().join("ferry.cc");
    std::fs::write(&file, text)?;
    let shown = set.shown().await?;
    set.find("[aria-label=\"Colour decision list\"]").await?.send_keys(file.display().to_string()).await?;
    set.newer(shown).await?;
    let values = set
        .js("return ['red_slope', 'blue_offset', 'green_power', 'saturation'].map((f) => Number(document.querySelector(`[data-field=${f}]`).getAttribute('aria-valuenow')))")
        .await?;
    assert_eq!(values, serde_json::json!([1.1, -0.02, 1.05, 0.8]));
    let file = set.data.path().join("broken.cc");
    std::fs::write(&file, "<ColorCorrection><SOPNode><Slope>1 2</Slope></SOPNode></ColorCorrection>")?;
    set.find("[aria-label=\"Colour decision list\"]").await?.send_keys(file.display().to_string()).await?;
    set.until("return document.querySelector('[data-notice]')?.innerText.includes('Slope wants 3 numbers')")
        .await?;
    set.close().await
}
