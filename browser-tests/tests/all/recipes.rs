//! Recipes of the trade (common practice), done by hand on the demo's shots and judged by pixels.

use lantern_browser_tests::{Outcome, Patch, Set};
use thirtyfour::prelude::*;

// Places on the workbench, as shares of the picture.
const RED: [f64; 2] = [0.245, 0.670];
const GREEN: [f64; 2] = [0.184, 0.678];
const BLUE: [f64; 2] = [0.122, 0.681];
const WHITE: [f64; 2] = [0.122, 0.785];
const CHEEK: [f64; 2] = [0.62, 0.593];
const BROWN_CHEEK: [f64; 2] = [0.78, 0.593];
const WALL: [f64; 2] = [0.78, 0.20];
const DARK_COAT: [f64; 2] = [0.585, 0.83];

/// Opens a look of the plain rendering alone on a shot.
async fn plain(shot: &str) -> Outcome<Set> {
    let set = Set::new().await?;
    set.make_look("Alone", &serde_json::json!([]))?;
    set.open(&format!("?look=Alone&shot={}", shot.replace(' ', "%20"))).await?;
    Ok(set)
}

/// How far apart two hues are, in degrees.
fn apart(a: Patch, b: Patch) -> f64 {
    ((a.hue().0 - b.hue().0 + 540.0).rem_euclid(360.0) - 180.0).abs()
}

#[tokio::test]
async fn warm_lights_and_cool_darks_leave_skin_on_its_line() -> Outcome {
    let set = plain("workbench 001").await?;
    let (wall, white) = (set.patch(WALL).await?, set.patch(WHITE).await?);
    let (cheek, brown) = (set.patch(CHEEK).await?, set.patch(BROWN_CHEEK).await?);
    set.add_step("scene", "Tone tint").await?;
    for (field, value) in [("hue", "315"), ("amount", "0.08")] {
        tint(&set, "darks", field, value).await?;
    }
    for (field, value) in [("hue", "142"), ("amount", "0.025")] {
        tint(&set, "lights", field, value).await?;
    }
    // Skin alone is left out of it: the range of both faces, turned outside in.
    set.press("button", "Where: everywhere").await?;
    set.press("button", "Pick").await?;
    set.touch("[data-touch=hand]", &[[0.526, 0.574], [0.625, 0.64]]).await?;
    set.until("return !!document.querySelector('[data-field=hue_reach]')").await?;
    set.press("button", "Add").await?;
    let shown = set.shown().await?;
    set.touch("[data-touch=hand]", &[[0.765, 0.56], [0.80, 0.64]]).await?;
    set.newer(shown).await?;
    let shown = set.shown().await?;
    set.press("button[role=switch]", "Invert").await?;
    set.newer(shown).await?;

    let [cb0, cr0] = wall.difference();
    let [cb1, cr1] = set.patch(WALL).await?.difference();
    assert!(cb1 > cb0 + 1.5 && cr1 < cr0 - 1.0, "the dark wall went cool: {cb0} {cr0} -> {cb1} {cr1}");
    let [cb0, cr0] = white.difference();
    let [cb1, cr1] = set.patch(WHITE).await?.difference();
    assert!(cb1 < cb0 - 2.0 && cr1 > cr0 + 0.5, "white went warm: {cb0} {cr0} -> {cb1} {cr1}");
    for (place, before) in [(CHEEK, cheek), (BROWN_CHEEK, brown)] {
        let after = set.patch(place).await?;
        assert!(apart(before, after) < 4.0, "skin keeps its hue: {:?} {:?}", before.hue(), after.hue());
    }
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

/// Types a value of a range of Tone tint.
async fn tint(set: &Set, range: &str, field: &str, value: &str) -> Outcome {
    let shown = set.shown().await?;
    let css = format!("[role=group][aria-label={range}] input[aria-label=\"{field}, value\"]");
    let element = set.find(&css).await?;
    element.click().await?;
    element.send_keys(value.to_owned() + Key::Enter).await?;
    if field == "amount" {
        set.newer(shown).await?;
    }
    Ok(())
}

#[tokio::test]
async fn one_colour_is_kept_and_everything_else_drained() -> Outcome {
    let set = plain("workbench 001").await?;
    let red = set.patch(RED).await?;
    set.add_step("scene", "Hue curves").await?;
    set.press("button", "Pick from the picture").await?;
    set.touch("[data-touch=hand]", &[[0.232, 0.645], [0.258, 0.695]]).await?;
    set.until("return !!document.querySelector('[data-bump]')").await?;
    // The ribbon stands on the hues that are in the picture.
    set.until("return Number(document.querySelector('[data-population]')?.dataset.population) > 20").await?;
    let shown = set.shown().await?;
    set.press("button", "only").await?;
    set.newer(shown).await?;
    let after = set.patch(RED).await?;
    assert!(after.hue().1 > 0.9 * red.hue().1, "{:?} {:?}", red.hue(), after.hue());
    for place in [GREEN, BLUE] {
        let drained = set.patch(place).await?;
        assert!(drained.hue().1 < 2.0, "{drained:?}");
    }
    set.close().await
}

#[tokio::test]
async fn the_darkest_shadows_are_drained_by_brightness() -> Outcome {
    let set = plain("lantern market 014").await?;
    // A dark red place between the stalls, and a lit lantern.
    let places = [[0.0646, 0.8315], [0.085, 0.21]];
    let before = [set.patch(places[0]).await?, set.patch(places[1]).await?];
    assert!(before[0].luma() < 20.0 && before[0].hue().1 > 5.0, "{before:?}");
    set.add_step("scene", "Hue curves").await?;
    set.press("[role=radio]", "sat by brightness").await?;
    // A point at two stops under grey and one at six under, which is pulled down to nothing.
    let shown = set.shown().await?;
    set.touch("[data-curve=by_brightness]", &[[5.0 / 14.0, 0.5]]).await?;
    set.touch("[data-curve=by_brightness]", &[[2.2 / 14.0, 0.5], [2.2 / 14.0, 0.75], [2.2 / 14.0, 0.98]])
        .await?;
    set.newer(shown).await?;
    let after = [set.patch(places[0]).await?, set.patch(places[1]).await?];
    assert!(after[0].hue().1 < 0.8 * before[0].hue().1, "{before:?} {after:?}");
    assert!((after[0].luma() - before[0].luma()).abs() < 12.0, "{before:?} {after:?}");
    assert!(after[1].hue().1 > 0.9 * before[1].hue().1, "{before:?} {after:?}");
    set.close().await
}

#[tokio::test]
async fn foliage_goes_from_yellow_green_to_a_deep_green_and_a_face_stays() -> Outcome {
    let set = plain("kelp greenhouse 003").await?;
    let (leaf, face) = ([0.2146, 0.2926], [0.583, 0.47]);
    let before = [set.patch(leaf).await?, set.patch(face).await?];
    set.add_step("scene", "Hue curves").await?;
    set.press("button", "Pick from the picture").await?;
    set.touch("[data-touch=hand]", &[[0.205, 0.27], [0.225, 0.31]]).await?;
    set.until("return !!document.querySelector('[data-bump]')").await?;
    let shown = set.shown().await?;
    set.type_value("Hue", "35").await?;
    set.type_value("Light", "-0.6").await?;
    set.newer(shown).await?;
    set.until("return window.lantern.settled()").await?;
    let after = [set.patch(leaf).await?, set.patch(face).await?];
    let turned = (after[0].hue().0 - before[0].hue().0 + 540.0).rem_euclid(360.0) - 180.0;
    assert!(turned > 12.0, "it turned toward green: {before:?} {after:?}");
    assert!(after[0].luma() < before[0].luma() - 2.0, "and went darker: {before:?} {after:?}");
    assert!(apart(before[1], after[1]) < 3.0, "{before:?} {after:?}");
    set.close().await
}

#[tokio::test]
async fn a_faded_black_lifts_the_darks_and_leaves_the_lights() -> Outcome {
    let set = plain("workbench 001").await?;
    let before = [set.patch(DARK_COAT).await?, set.patch(WHITE).await?];
    set.add_step("screen", "Levels").await?;
    let shown = set.shown().await?;
    set.type_value("out black", "8").await?;
    set.newer(shown).await?;
    let after = [set.patch(DARK_COAT).await?, set.patch(WHITE).await?];
    assert!(after[0].luma() > before[0].luma() + 8.0, "{before:?} {after:?}");
    assert!((after[1].luma() - before[1].luma()).abs() < 8.0, "{before:?} {after:?}");
    set.close().await
}
