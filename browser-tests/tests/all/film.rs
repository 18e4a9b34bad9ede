//! Film and its texture, worked with as a designer does, on the demo's shots; proven by pixels.

use lantern_browser_tests::{Outcome, Set};
use serde_json::json;
use thirtyfour::prelude::*;

// Places on the workbench, as shares of the picture.
const WHITE: [f64; 2] = [0.122, 0.785];
const WALL: [f64; 2] = [0.78, 0.20];
const GREEN: [f64; 2] = [0.184, 0.678];

/// A look with a negative on a print, on the workbench, with the print in hand.
async fn film() -> Outcome<Set> {
    let set = Set::new().await?;
    set.make_look("Reel", &json!([]))?;
    set.open("?look=Reel&shot=workbench%20001").await?;
    set.add_step("film", "Negative").await?;
    set.add_step("film", "Print").await?;
    Ok(set)
}

/// Presses a key as on no field in particular, and waits for the picture that follows.
async fn key(set: &Set, key: &str, shift: bool) -> Outcome {
    let shown = set.shown().await?;
    set.js(&format!(
        "document.activeElement?.blur?.();
         window.dispatchEvent(new KeyboardEvent('keydown', {{ key: '{key}', shiftKey: {shift}, bubbles: true }}))"
    ))
    .await?;
    set.newer(shown).await?;
    Ok(())
}

#[tokio::test]
async fn printer_points_step_by_keys_the_way_that_their_hints_say_and_come_back() -> Outcome {
    let set = film().await?;
    let kinds = "return [...document.querySelectorAll('[data-step]')].map((e) => e.dataset.step)";
    assert_eq!(
        set.js(kinds).await?,
        json!(["negative", "print"]),
        "the plain rendering gave way to the film"
    );
    set.until("return !!document.querySelector('[data-light=red]')").await?;
    let before = set.picture().await?;
    let wall = set.patch(WALL).await?;
    for (k, id, hint) in [("r", "red", "cyan"), ("g", "green", "magenta"), ("b", "blue", "yellow")] {
        let said = set.js(&format!("return document.querySelector('[data-light={id}]').innerText")).await?;
        assert!(said.as_str().unwrap_or_default().contains(hint), "{id}: {said}");
        for _ in 0..4 {
            key(&set, k, false).await?;
        }
        let after = set.patch(WALL).await?;
        let [cb, cr] =
            [after.difference()[0] - wall.difference()[0], after.difference()[1] - wall.difference()[1]];
        let right = match id {
            "red" => cr < -1.0,
            "green" => cb > 0.5 && cr > 0.5,
            _ => cb < -1.0,
        };
        assert!(right, "{id} goes to its complement: {cb} {cr}");
        for _ in 0..4 {
            key(&set, k, true).await?;
        }
        assert_eq!(set.picture().await?, before, "as many points less of {id} are where it began");
    }
    key(&set, "l", false).await?;
    let darker = set.patch(WALL).await?;
    assert!(darker.luma() < wall.luma() - 0.5, "{darker:?} {wall:?}");
    // Undone by its name.
    set.command("z").await?;
    set.until("return document.querySelector('[data-notice]')?.innerText.includes('Undone: Printer all up')")
        .await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn the_shots_range_is_dragged_along_the_curve_and_the_printer_makes_up_for_it() -> Outcome {
    let set = film().await?;
    set.take("Negative").await?;
    set.until("return !!document.querySelector('[data-shot-range]')").await?;
    let (wall, white) = (set.patch(WALL).await?, set.patch(WHITE).await?);
    let shown = set.shown().await?;
    set.drag("[data-film-range]", 30, 0).await?;
    set.newer(shown).await?;
    let exposure = set
        .js("return Number(document.querySelector('[data-field=exposure]').getAttribute('aria-valuenow'))")
        .await?;
    assert!(exposure.as_f64().unwrap_or(0.0) > 1.0, "dragging to the right is more light: {exposure}");
    set.until("return /[+][1-9]/.test(document.querySelector('[data-made-up]')?.innerText ?? '')").await?;
    let made_up = set.patch(WALL).await?;
    assert!(
        (made_up.luma() - wall.luma()).abs() < 12.0,
        "the printer keeps the middle: {made_up:?} {wall:?}"
    );
    // Without its help the picture gets lighter by far.
    let shown = set.shown().await?;
    set.press("button[role=switch]", "Printer makes up for it").await?;
    set.newer(shown).await?;
    let light = set.patch(WALL).await?;
    assert!(light.luma() > made_up.luma() + 25.0, "{light:?} {made_up:?}");
    assert!(set.patch(WHITE).await?.luma() >= white.luma());
    set.close().await
}

#[tokio::test]
async fn stocks_are_tried_by_resting_on_their_cards_taken_and_made_ones_own() -> Outcome {
    let set = film().await?;
    set.take("Negative").await?;
    set.until("return document.querySelectorAll('[data-stock] canvas[data-drawn]').length >= 7").await?;
    let meadow = set.picture().await?;
    let shown = set.shown().await?;
    set.js("document.querySelector('[data-stock=\"Iron Moth\"]').focus()").await?;
    set.newer(shown).await?;
    assert!(set.patch(GREEN).await?.hue().1 < 1.5, "black and white while it is tried");
    let shown = set.shown().await?;
    set.js("document.activeElement.blur()").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, meadow, "one's own film is untouched");
    let shown = set.shown().await?;
    set.click("[data-stock=\"Lamplighter\"]").await?;
    set.newer(shown).await?;
    let lamplighter = set.picture().await?;
    assert_ne!(lamplighter, meadow);
    // A change of its curves makes a copy with a name of its own; the stock that ships stays.
    set.press("[role=tab]", "curves").await?;
    let shown = set.shown().await?;
    set.type_value("Gamma", "0.8").await?;
    set.newer(shown).await?;
    assert_ne!(set.picture().await?, lamplighter);
    set.until(
        "return document.querySelector('[aria-label=\"Name of the stock\"]').value === 'Lamplighter, own'",
    )
    .await?;
    set.until("return document.querySelector('[data-stock=\"Lamplighter, own\"]')?.getAttribute('aria-checked') === 'true'")
        .await?;
    let shown = set.shown().await?;
    set.click("[data-stock=\"Lamplighter\"]").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, lamplighter);
    set.close().await
}

#[tokio::test]
async fn texture_stands_beside_the_line_is_seen_alone_and_in_the_loupe_and_stays_out_of_the_table() -> Outcome
{
    let set = film().await?;
    let clean = set.picture().await?;
    set.add_step("film", "Grain").await?;
    set.until("return !!document.querySelector('[data-step=grain] [data-picture-only]')").await?;
    let grained = set.picture().await?;
    assert_ne!(grained, clean, "grain is on the picture");
    assert_eq!(
        set.js("return [...document.querySelectorAll('[data-step]')].map((e) => e.dataset.step)").await?,
        json!(["negative", "grain", "print"])
    );
    // Alone on grey: an even field with noise, not the workbench.
    let shown = set.shown().await?;
    set.press("button", "grain on grey").await?;
    set.newer(shown).await?;
    let (wall, white) = (set.patch(WALL).await?, set.patch(WHITE).await?);
    assert!(
        (wall.luma() - white.luma()).abs() < 6.0 && wall.luma() > 60.0 && wall.luma() < 150.0,
        "{wall:?} {white:?}"
    );
    let shown = set.shown().await?;
    set.press("button", "grain on grey").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, grained, "the same frame has the same grain");
    // Halation alone on the workbench's lamp-less wall is black.
    set.add_step("film", "Halation").await?;
    let shown = set.shown().await?;
    set.press("button", "halation alone").await?;
    set.newer(shown).await?;
    assert!(set.patch(WALL).await?.luma() < 12.0);
    set.press("button", "loupe, 1:1").await?;
    set.until("return !!document.querySelector('canvas[data-loupe]')?.dataset.seq && !!document.querySelector('[data-loupe-frame]')").await?;
    // The table's report says what it leaves out.
    set.until("return !!document.querySelector('[data-saving=saved]')").await?;
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or_default().to_owned();
    let looks = set.get(&format!("/api/productions/{production}/looks"))?;
    let id = looks.as_array().into_iter().flatten().find(|l| l["name"] == "Reel").map(|l| l["id"].clone());
    let id = id.as_ref().and_then(|v| v.as_str()).unwrap_or_default();
    set.post(&format!("/api/looks/{id}/versions"), &json!({ "name": "" }))?;
    set.driver.goto(format!("{}/?look=Reel&place=handoff", set.url)).await?;
    set.click("button[type=submit]:not([disabled])").await?;
    set.until("return /Grain/.test(document.querySelector('[data-report]')?.innerText ?? '') && /picture only/.test(document.querySelector('[data-report]').innerText)").await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn a_still_plays_from_rendered_frames_with_new_grain_in_each() -> Outcome {
    let set = film().await?;
    set.add_step("film", "Grain").await?;
    set.js("document.activeElement?.blur?.(); window.dispatchEvent(new KeyboardEvent('keydown', { key: 'p', bubbles: true }))").await?;
    set.until("return !!document.querySelector('[data-reel=rendering] progress')").await?;
    set.until("return !!document.querySelector('[data-reel=playing]')").await?;
    // Two frames of the reel, as pixels.
    let pixels = "const c = document.querySelector('[data-reel] canvas');
        const p = c.getContext('2d').getImageData(400, 100, 40, 40).data;
        return [c.dataset.tick, [...p].join(',')]";
    let first = set.js(pixels).await?;
    let tick = first[0].as_str().unwrap_or_default().to_owned();
    set.until(&format!("return document.querySelector('[data-reel] canvas').dataset.tick !== '{tick}'"))
        .await?;
    let second = set.js(pixels).await?;
    assert_ne!(first[1], second[1], "grain is new in each frame");
    set.js("window.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }))").await?;
    set.until("return !document.querySelector('[data-reel]')").await?;
    set.close().await
}

#[tokio::test]
async fn dyes_of_a_print_are_edited_live_and_a_reversal_has_no_printer() -> Outcome {
    let set = film().await?;
    set.press("[role=tab]", "dyes").await?;
    set.until("return document.querySelectorAll('[data-plot=dyes] path').length === 3").await?;
    let line = "return document.querySelector('[data-plot=dyes] path').getAttribute('d')";
    let (before, drawn) = (set.patch(GREEN).await?, set.js(line).await?);
    // The cyan dye takes blue away too: everything with cyan in it gets less blue.
    let shown = set.shown().await?;
    set.press("button", "+ band").await?;
    set.newer(shown).await?;
    let shown = set.shown().await?;
    let bands = set.driver.query(By::Css("input[aria-label=\"Height, value\"]")).all_from_selector().await?;
    let added = bands.last().ok_or("no band")?;
    added.click().await?;
    added.send_keys("0.8".to_owned() + Key::Enter).await?;
    set.newer(shown).await?;
    let after = set.patch(GREEN).await?;
    assert!(
        (after.hue().0 - before.hue().0).abs() > 1.0 || (after.luma() - before.luma()).abs() > 2.0,
        "{before:?} {after:?}"
    );
    assert_ne!(set.js(line).await?, drawn, "its spectrum is drawn anew");
    set.until(
        "return document.querySelector('[aria-label=\"Name of the stock\"]').value === 'Plainsong, own'",
    )
    .await?;
    // A reversal is projected as it is.
    set.take("Negative").await?;
    let shown = set.shown().await?;
    set.click("[data-stock=\"Saltglass\"]").await?;
    set.newer(shown).await?;
    set.press("[role=tab]", "dyes").await?;
    set.until("return document.querySelectorAll('[data-plot=dyes] path').length === 3").await?;
    set.take("Print").await?;
    set.press("[role=tab]", "printed").await?;
    set.until("return /there is no printer/.test(document.querySelector('[aria-label=\"Selected step\"]').innerText)").await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn a_film_is_put_on_from_the_shelf_and_a_steep_look_is_offered_more_points() -> Outcome {
    let set = Set::new().await?;
    let steep = json!([
        { "id": "t", "name": "Tone", "zone": "scene", "on": true, "strength": 1.0, "kind": "tone", "values": { "contrast": 3.0 } },
        { "id": "s", "name": "Saturation", "zone": "scene", "on": true, "strength": 1.0, "kind": "saturation", "values": { "amount": 2.0 } }
    ]);
    let id = set.make_look("Steep", &steep)?;
    set.open("?look=Steep&shot=lantern%20market%20014").await?;
    set.press("button", "Shelf ▸").await?;
    set.until("return document.querySelectorAll('[data-card^=\"stock \"] canvas[data-drawn]').length >= 11")
        .await?;
    let shown = set.shown().await?;
    set.click("[data-card=\"stock Ember Vault\"]").await?;
    set.newer(shown).await?;
    let shown = set.shown().await?;
    set.press("button", "Put into the film").await?;
    set.newer(shown).await?;
    set.until("return document.querySelector('[data-stock=\"Ember Vault\"]')?.getAttribute('aria-checked') === 'true'").await?;
    set.until("return !!document.querySelector('[data-saving=saved]')").await?;
    set.post(&format!("/api/looks/{id}/versions"), &json!({ "name": "" }))?;
    set.driver.goto(format!("{}/?look=Steep&place=handoff", set.url)).await?;
    set.click("button[type=submit]:not([disabled])").await?;
    set.until("return /steep for 33 points, most of all in /.test(document.querySelector('[data-steep]')?.innerText ?? '')").await?;
    set.press("[data-steep] button", "Make it with 65 points").await?;
    set.until("return /, 65 points/.test(document.querySelector('[data-report]')?.innerText ?? '')").await?;
    set.close().await
}
