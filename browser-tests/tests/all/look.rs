//! The Look place as a person uses it.

use lantern_browser_tests::{Outcome, Set, serve};
use serde_json::json;
use thirtyfour::prelude::*;

const HARBOUR: &str = "?look=Harbour%20Dusk&shot=workbench%20001";

/// Centre of the vectorscope's trace, weighted by its light, in cells from the middle: right and up.
const TRACE: &str = r"
const c = document.querySelector('canvas[data-scope=vector]');
const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
let [x, y, w] = [0, 0, 0];
for (let i = 0; i < d.length; i += 4) {
  const light = d[i] + d[i + 1] + d[i + 2];
  x += light * ((i / 4) % c.width - c.width / 2);
  y += light * (c.height / 2 - Math.floor(i / 4 / c.width));
  w += light;
}
return [x / w, y / w];
";

async fn trace(set: &Set) -> Outcome<[f64; 2]> {
    let v = set.js(TRACE).await?;
    Ok([v[0].as_f64().unwrap_or(0.0), v[1].as_f64().unwrap_or(0.0)])
}

#[tokio::test]
async fn dragging_a_tint_handle_moves_the_picture_and_the_scope_its_way_and_undo_brings_the_pixels_back()
-> Outcome {
    let set = Set::new().await?;
    set.open(HARBOUR).await?;
    set.click("[data-step=tone-tint] button[aria-current]").await?;
    let before = set.shown().await?;
    let (start, start_trace) = (set.picture().await?, trace(&set).await?);

    // Lights to the lower right: blue difference up, red difference down.
    set.drag("[data-handle=lights]", 56, 56).await?;
    let after = set.newer(before).await?;
    let (moved, moved_trace) = (set.picture().await?, trace(&set).await?);
    let [d0, d1] = [start.difference(), moved.difference()];
    assert!(d1[0] > d0[0] + 2.0 && d1[1] < d0[1] - 2.0, "{d0:?} {d1:?}");
    assert!(moved_trace[0] > start_trace[0] + 1.0 && moved_trace[1] < start_trace[1] - 1.0);

    // One drag is one undo, whatever it changed on its way.
    set.click("button[aria-label=Undo]").await?;
    let undone = set.newer(after).await?;
    assert_eq!(set.picture().await?, start);
    set.keys("body", Key::Control + "y").await?;
    set.newer(undone).await?;
    assert_eq!(set.picture().await?, moved);
    set.close().await
}

#[tokio::test]
async fn strength_zero_equals_the_untouched_shot_and_holding_a_key_shows_it() -> Outcome {
    let set = Set::new().await?;
    let step = json!([{ "id": "t", "name": "Tone", "zone": "scene", "on": true, "strength": 1.0, "kind": "tone",
        "values": { "contrast": 1.7 } }]);
    set.make_look("Alone", &step)?;
    set.open("?look=Alone").await?;
    let shown = set.shown().await?;
    let strong = set.picture().await?;

    // Hold A, look, let go.
    set.driver.action_chain().key_down('a').perform().await?;
    let held = set.newer(shown).await?;
    let untouched = set.picture().await?;
    set.driver.action_chain().key_up('a').perform().await?;
    let back = set.newer(held).await?;
    assert_ne!(strong, untouched);
    assert_eq!(set.picture().await?, strong);

    set.keys("[data-field=strength]", Key::Home + "").await?;
    let zero = set.newer(back).await?;
    assert_eq!(set.picture().await?, untouched);

    // Switching the step off is the same, and typing a strength brings it back.
    let value = set.find("input[aria-label='Strength, value']").await?;
    value.click().await?;
    value.send_keys("100").await?;
    value.send_keys(Key::Enter + "").await?;
    let full = set.newer(zero).await?;
    assert_eq!(set.picture().await?, strong);
    set.click("[data-step=tone] [role=switch]").await?;
    set.newer(full).await?;
    assert_eq!(set.picture().await?, untouched);
    set.close().await
}

#[tokio::test]
async fn a_saved_look_survives_the_server_being_killed_and_the_page_says_so_meanwhile() -> Outcome {
    let mut set = Set::new().await?;
    set.open(HARBOUR).await?;
    set.click("[data-step=balance] button[aria-current]").await?;
    let before = set.shown().await?;
    set.keys("[data-field=exposure]", Key::Shift + Key::Up).await?;
    set.newer(before).await?;
    set.until("return !!document.querySelector('[data-saving=saved]') && !document.querySelector('button[aria-label=Undo]').disabled").await?;
    let picture = set.picture().await?;
    let exposure = "return document.querySelector('[data-field=exposure]').ariaValueNow";
    let value = set.js(exposure).await?;

    // A power cut: nothing is told.
    if let Some(mut server) = set.server.take() {
        server.kill();
    }
    set.find("[data-away]").await?;
    let port: u16 = set.url.rsplit(':').next().unwrap_or("0").parse()?;
    let (server, _) = serve(set.data.path(), port)?;
    set.server = Some(server);
    set.until("return !document.querySelector('[data-away]')").await?;

    set.open(HARBOUR).await?;
    set.click("[data-step=balance] button[aria-current]").await?;
    set.until("return !!document.querySelector('[data-field=exposure]')").await?;
    assert_eq!(set.js(exposure).await?, value);
    assert_eq!(set.picture().await?, picture);
    set.close().await
}

#[tokio::test]
async fn steps_are_added_renamed_moved_duplicated_and_deleted_by_keyboard() -> Outcome {
    let set = Set::new().await?;
    set.make_look("Bare", &json!([]))?;
    set.open("?look=Bare").await?;
    let names = "return [...document.querySelectorAll('[data-step] button[aria-current]')].map((b) => b.innerText.trim()).join('|')";
    let add = |kind: &'static str| {
        let set = &set;
        async move {
            set.keys("button[aria-label='Add a step to the scene zone']", Key::Enter + "").await?;
            let item =
                set.driver.query(By::XPath(format!("//*[@role='menuitem'][.='{kind}']"))).first().await?;
            item.click().await?;
            Outcome::Ok(())
        }
    };
    add("Tone").await?;
    set.until("return document.querySelectorAll('[data-step]').length === 1").await?;
    add("Saturation").await?;
    set.until(&format!("return (() => {{ {names} }})() === 'Tone|Saturation'")).await?;

    set.keys("[data-step=saturation] button[aria-current]", Key::Alt + Key::Up).await?;
    set.until(&format!("return (() => {{ {names} }})() === 'Saturation|Tone'")).await?;
    set.keys("[data-step=tone] button[aria-current]", Key::F2 + "").await?;
    let field = set.find("input[aria-label='Name of the step']").await?;
    field.send_keys(Key::Control + "a").await?;
    field.send_keys("Harbour mist").await?;
    field.send_keys(Key::Enter + "").await?;
    set.until(&format!("return (() => {{ {names} }})() === 'Saturation|Harbour mist'")).await?;
    set.keys("[data-step=tone] button[aria-current]", Key::Control + "d").await?;
    set.until(&format!("return (() => {{ {names} }})() === 'Saturation|Harbour mist|Harbour mist copy'"))
        .await?;
    set.keys("[data-step=saturation] button[aria-current]", Key::Delete + "").await?;
    set.until(&format!("return (() => {{ {names} }})() === 'Harbour mist|Harbour mist copy'")).await?;
    set.keys("body", Key::Control + "z").await?;
    set.until(&format!("return (() => {{ {names} }})() === 'Saturation|Harbour mist|Harbour mist copy'"))
        .await?;
    set.close().await
}

#[tokio::test]
async fn a_point_on_the_blue_curve_moves_blue_and_double_click_takes_it_away() -> Outcome {
    let set = Set::new().await?;
    let step = json!([{ "id": "c", "name": "Curves", "zone": "scene", "on": true, "strength": 1.0, "kind": "curves", "values": {} }]);
    set.make_look("Bent", &step)?;
    set.open("?look=Bent&shot=workbench%20001").await?;
    let before = set.shown().await?;
    let start = set.picture().await?;
    let blue = set.driver.query(By::XPath("//*[@role='radio'][.='Blue']")).first().await?;
    blue.click().await?;
    // In the middle of the plot, a little above its diagonal.
    let plot = set.find("[data-curve=blue]").await?;
    set.driver
        .action_chain()
        .move_to_element_center(&plot)
        .click_and_hold()
        .move_by_offset(0, -12)
        .release()
        .perform()
        .await?;
    let bent = set.newer(before).await?;
    let [a, b] = [start.mean, set.picture().await?.mean];
    assert!(b[2] > a[2] + 4.0 && (b[1] - a[1]).abs() < 4.0, "{a:?} {b:?}");
    set.until("return document.querySelectorAll('[data-point]').length === 3").await?;
    let point = set.find("[data-point='1']").await?;
    set.driver.action_chain().double_click_element(&point).perform().await?;
    set.newer(bent).await?;
    set.until("return document.querySelectorAll('[data-point]').length === 2").await?;
    let ends = set.picture().await?;
    assert!((ends.mean[2] - a[2]).abs() < 0.5, "{a:?} {ends:?}");
    set.close().await
}

#[tokio::test]
async fn the_dropper_neutralises_a_grey_patch() -> Outcome {
    let set = Set::new().await?;
    let step = json!([{ "id": "b", "name": "Balance", "zone": "scene", "on": true, "strength": 1.0, "kind": "balance",
        "values": { "temperature": 3200.0, "tint": 12.0 } }]);
    set.make_look("Cold", &step)?;
    set.open("?look=Cold&shot=workbench%20001").await?;
    // The light panel's middle step: 18 % grey of the working white, whatever lights the set.
    let at = r"
const c = document.querySelector('canvas[data-picture]');
const [x, y] = [Math.round(c.width * 0.5), Math.round(c.height * 0.908)];
const p = c.getContext('2d').getImageData(x - 3, y - 3, 7, 7).data;
const mean = [0, 1, 2].map((k) => { let s = 0; for (let i = k; i < p.length; i += 4) s += p[i]; return s / 49; });
const box = c.getBoundingClientRect();
return [mean, Math.round(box.left + box.width * 0.5), Math.round(box.top + box.height * 0.908)];
";
    let before = set.shown().await?;
    let seen = set.js(at).await?;
    let spread = |v: &serde_json::Value| {
        let m: Vec<f64> = (0..3).map(|k| v[0][k].as_f64().unwrap_or(0.0)).collect();
        m.iter().copied().fold(0.0, f64::max) - m.iter().copied().fold(255.0, f64::min)
    };
    assert!(spread(&seen) > 20.0, "{seen}");
    set.press("button", "White dropper").await?;
    let (x, y) = (seen[1].as_i64().unwrap_or(0), seen[2].as_i64().unwrap_or(0));
    set.driver.action_chain().move_to(x, y).click().perform().await?;
    set.newer(before).await?;
    let now = set.js(at).await?;
    assert!(spread(&now) < 2.0, "{now}");
    // The panel's own white is the working white, so the neutral temperature comes back.
    let kelvin =
        set.js("return Number(document.querySelector('[data-field=temperature]').ariaValueNow)").await?;
    assert!((kelvin.as_f64().unwrap_or(0.0) / 6000.0 - 1.0).abs() < 0.01, "{kelvin}");
    set.close().await
}
