//! Makes the pictures in `docs/screenshots` from the demo production.

use lantern_browser_tests::{Outcome, Set};
use std::path::Path;
use thirtyfour::Key;

/// File name, query, the step to take in hand.
const VIEWS: [(&str, &str, &str); 19] = [
    ("footage", "?place=footage", ""),
    ("camera-profile", "?place=footage", ""),
    ("balance", "?place=balance&shot=kelp%20greenhouse%20004", ""),
    ("balance-two", "?place=balance&shot=workbench%20002", ""),
    ("look-tone-tint", "?look=Harbour%20Dusk&shot=lantern%20market%20014", "tone-tint"),
    ("look-curves", "?look=Harbour%20Dusk&shot=workbench%20001", "curves"),
    ("look-families", "?look=Brine%20Light&shot=kelp%20greenhouse%20003", "balance"),
    ("look-hdr", "?look=Harbour%20Dusk&shot=ferry%20deck%20008", "tone"),
    ("look-hue-curves", "?look=Brine%20Light&shot=kelp%20greenhouse%20003", "balance"),
    ("look-range", "?look=Brine%20Light&shot=workbench%20001", "tone"),
    ("look-against", "?look=Harbour%20Dusk&shot=kelp%20greenhouse%20004", "tone-tint"),
    ("look-negative", "?look=Harbour%20Dusk&shot=lantern%20market%20014", "tone"),
    ("look-print", "?look=Salt%20and%20Ember&shot=kelp%20greenhouse%20004", "tone"),
    ("look-grain", "?look=Brine%20Light&shot=workbench%20001", "tone"),
    ("shelf", "?look=Brine%20Light&shot=kelp%20greenhouse%20004", "balance"),
    ("match", "?look=Low%20Tide&shot=lantern%20market%20014", "balance"),
    ("look-table", "?look=High%20Tide&shot=kelp%20greenhouse%20003", "balance"),
    ("handoff", "?look=Harbour%20Dusk&place=handoff", ""),
    ("handoff-plan", "?look=Harbour%20Dusk&place=handoff", ""),
];

#[tokio::main]
async fn main() -> Outcome {
    let folder = std::env::args().nth(1).unwrap_or_else(|| "docs/screenshots".into());
    std::fs::create_dir_all(&folder)?;
    let set = Set::new().await?;
    let balance = serde_json::json!([{ "id": "b", "name": "Balance", "zone": "scene", "on": true, "strength": 1.0,
        "kind": "balance", "values": {} }]);
    set.make_look("Low Tide", &balance)?;
    set.make_look("High Tide", &balance)?;
    for (name, query, step) in VIEWS {
        if query.contains("place=footage") {
            set.open(query).await?;
            set.until("return document.querySelectorAll('canvas[data-drawn]').length >= 13").await?;
            if name == "camera-profile" {
                set.click("section[aria-label=\"Camera profiles\"] button").await?;
                set.until("return !!document.querySelector('[data-plot=profile]')").await?;
            }
        } else if query.contains("place=balance") {
            set.open(query).await?;
            set.press("button", "Begin with Balance").await?;
            if name == "balance-two" {
                set.choose("Shot beside", "workbench 001").await?;
                set.until("return !!document.querySelector('[data-beside]')?.dataset.seq").await?;
                set.click("[aria-label=\"Second shot\"] [aria-haspopup=menu]").await?;
                set.press("[role=menuitem]", "Exposure and white\nBalance").await?;
                set.until("return document.querySelector('[data-field=exposure]')?.getAttribute('aria-valuenow') > 0.5")
                    .await?;
            } else {
                // A face alone in the scopes, and two places pinned.
                set.touch("[data-touch=hand]", &[[0.27, 0.86]]).await?;
                set.touch("[data-touch=hand]", &[[0.72, 0.12]]).await?;
            }
            set.until("return window.lantern.settled() > 0").await?;
            set.until(ROW).await?;
        } else if step.is_empty() {
            set.driver.goto(format!("{}/{query}", set.url)).await?;
            if name == "handoff-plan" {
                set.press("[role=radio]", "A package").await?;
                set.press("button", "Begin with four receivers").await?;
                set.until("return document.querySelectorAll('[data-receiver]').length === 4").await?;
            } else {
                set.click("button[type=submit]:not([disabled])").await?;
                set.until("return !!document.querySelector('[data-report]')").await?;
            }
        } else {
            set.open(query).await?;
            set.click(&format!("[data-step={step}] button[aria-current]")).await?;
            set.until("return window.lantern.settled() > 0").await?;
            set.until("return document.querySelectorAll('canvas[data-drawn]').length >= 9").await?;
            prepare(&set, name).await?;
            set.until(ROW).await?;
        }
        set.shoot(&Path::new(&folder).join(format!("{name}.png"))).await?;
    }
    set.close().await
}

/// Whether all of the row shows what the exact picture shows.
const ROW: &str = "const settled = window.lantern.settled();
    const row = [...document.querySelectorAll('canvas[data-request]')];
    return settled > 0 && row.length >= 9 && row.every((c) => Number(c.dataset.request) >= settled)";

/// A table of 17 points: a soft curve on each channel, warm lights over cool darks.
fn dusk() -> String {
    let bend = |v: f64, low: f64, high: f64| low + (high - low) * v * v * (3.0 - 2.0 * v);
    let mut text = String::from("TITLE \"dusk rec709 to rec709\"\nLUT_3D_SIZE 17\n");
    for i in 0..17_i32.pow(3) {
        let [r, g, b] = [i % 17, i / 17 % 17, i / 289].map(|v| f64::from(v) / 16.0);
        text += &format!("{} {} {}\n", bend(r, 0.02, 1.0), bend(g, 0.03, 0.95), bend(b, 0.08, 0.82));
    }
    text
}

/// What a person would do before the picture is taken.
async fn prepare(set: &Set, name: &str) -> Outcome {
    match name {
        "look-hue-curves" => {
            set.add_step("scene", "Hue curves").await?;
            set.press("button", "Pick from the picture").await?;
            set.touch("[data-touch=hand]", &[[0.205, 0.27], [0.225, 0.31]]).await?;
            set.until("return !!document.querySelector('[data-bump]')").await?;
            set.type_value("Hue", "12").await?;
        }
        "look-families" => {
            set.add_step("scene", "Colour families").await?;
            set.until("return document.querySelectorAll('[data-ring] line').length > 30").await?;
            let shown = set.shown().await?;
            set.keys("[data-family=Greens]", Key::Left + "").await?;
            set.type_value("Hue", "24").await?;
            set.type_value("Saturation", "70").await?;
            set.newer(shown).await?;
        }
        "look-range" => {
            set.press("button", "Where: everywhere").await?;
            set.press("button", "Pick").await?;
            set.touch("[data-touch=hand]", &[[0.525, 0.575], [0.545, 0.605]]).await?;
            set.until("return !!document.querySelector('[data-field=hue_reach]')").await?;
            let shown = set.shown().await?;
            set.press("[role=radio]", "matte").await?;
            set.newer(shown).await?;
        }
        "look-against" => {
            set.click("[aria-label=View] button[aria-haspopup=menu]").await?;
            set.press("[role=menuitem]", "Look Brine Light").await?;
            set.until("return !!document.querySelector('canvas[data-beside]')?.dataset.seq").await?;
            for _ in 0..3 {
                set.js("document.querySelector('[data-wipe]').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }))")
                    .await?;
            }
        }
        "look-negative" | "look-print" | "look-grain" => {
            set.add_step("film", "Negative").await?;
            set.add_step("film", "Print").await?;
            if name == "look-grain" {
                set.add_step("film", "Grain").await?;
                set.press("button", "loupe, 1:1").await?;
                set.until("return !!document.querySelector('canvas[data-loupe]')?.dataset.seq").await?;
            } else {
                if name == "look-negative" {
                    set.take("Negative").await?;
                }
                let cards = if name == "look-negative" { 7 } else { 4 };
                set.until(&format!(
                    "return document.querySelectorAll('[data-stock] canvas[data-drawn]').length >= {cards}"
                ))
                .await?;
            }
        }
        "match" => {
            set.press("button", "Match to references…").await?;
            set.click("[role=dialog] [aria-label=References] li:nth-child(3) button").await?;
            set.until("return !!document.querySelector('[aria-label=\"The reference\"] img')?.complete && !!document.querySelector('[role=dialog] canvas[data-drawn]')").await?;
            for (shot, reference) in [
                ([[0.27, 0.4], [0.35, 0.5]], [[0.25, 0.5], [0.31, 0.58]]),
                ([[0.67, 0.6], [0.73, 0.68]], [[0.57, 0.6], [0.62, 0.66]]),
            ] {
                set.touch("[data-draws=\"The shot\"]", &shot).await?;
                set.touch("[data-draws=\"The reference\"]", &reference).await?;
            }
            set.press("[role=dialog] button", "propose pairs").await?;
            set.press("[aria-label=\"Proposed pairs\"] button", "darks").await?;
            set.press("[role=dialog] footer button", "Match").await?;
            set.until("return !!document.querySelector('[aria-label=Report]')").await?;
        }
        "look-table" => {
            set.add_step("screen", "Table").await?;
            let file = set.data.path().join("dusk.cube");
            std::fs::write(&file, dusk())?;
            set.find("[aria-label=\"Table file\"]").await?.send_keys(file.display().to_string()).await?;
            set.until("return !!document.querySelector('[role=dialog] [data-live]')").await?;
            set.choose("Output", "Rec.709 (BT.1886)").await?;
            set.until("return !!document.querySelector('[role=dialog] canvas[data-drawn]')").await?;
            let shown = set.shown().await?;
            set.press("[role=dialog] button", "Add table").await?;
            set.newer(shown).await?;
            set.until("return document.querySelectorAll('[data-arrows], [data-greys]').length === 2").await?;
        }
        "look-hdr" => {
            let shown = set.shown().await?;
            set.click("button[aria-label*='display: ']").await?;
            set.press("[role=menuitem]", "Rec.2100 PQ, 1000 cd/m²").await?;
            set.newer(shown).await?;
        }
        "shelf" => {
            set.press("button", "Shelf ▸").await?;
            set.until("return document.querySelectorAll('[data-card] canvas[data-drawn]').length >= 24")
                .await?;
            set.press("[data-board] button", "mole at evening").await?;
            set.until("return document.querySelectorAll('[data-reading] svg').length === 4").await?;
        }
        _ => return Ok(()),
    }
    set.until("return window.lantern.settled() > 0 && !document.querySelector('[data-notice]')").await?;
    Ok(())
}
