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
    ("look-balance", "?look=Harbour%20Dusk&shot=kelp%20greenhouse%20003", "balance"),
    ("look-tone-tint", "?look=Harbour%20Dusk&shot=lantern%20market%20014", "tone-tint"),
    ("look-tone", "?look=Harbour%20Dusk&shot=kelp%20greenhouse%20003", "tone"),
    ("look-curves", "?look=Harbour%20Dusk&shot=workbench%20001", "curves"),
    ("look-families", "?look=Brine%20Light&shot=kelp%20greenhouse%20003", "balance"),
    ("look-hdr", "?look=Harbour%20Dusk&shot=ferry%20deck%20008", "tone"),
    ("encoding", "?place=footage", ""),
    ("look-hue-curves", "?look=Brine%20Light&shot=kelp%20greenhouse%20003", "balance"),
    ("look-range", "?look=Brine%20Light&shot=workbench%20001", "tone"),
    ("look-against", "?look=Harbour%20Dusk&shot=kelp%20greenhouse%20004", "tone-tint"),
    ("look-negative", "?look=Harbour%20Dusk&shot=lantern%20market%20014", "tone"),
    ("look-print", "?look=Salt%20and%20Ember&shot=kelp%20greenhouse%20004", "tone"),
    ("look-grain", "?look=Brine%20Light&shot=workbench%20001", "tone"),
    ("shelf", "?look=Brine%20Light&shot=kelp%20greenhouse%20004", "balance"),
    ("handoff", "?look=Harbour%20Dusk&place=handoff", ""),
];

#[tokio::main]
async fn main() -> Outcome {
    let folder = std::env::args().nth(1).unwrap_or_else(|| "docs/screenshots".into());
    std::fs::create_dir_all(&folder)?;
    let set = Set::new().await?;
    for (name, query, step) in VIEWS {
        if query.contains("place=footage") {
            set.open(query).await?;
            set.until("return document.querySelectorAll('canvas[data-drawn]').length >= 13").await?;
            if name == "encoding" {
                set.click("[aria-label^=\"Encoding of kelp greenhouse 003:\"]").await?;
                set.until("const all = [...document.querySelectorAll('[data-seen]')]; return all.length > 10 && all.slice(0, 9).every((i) => i.complete && i.naturalWidth > 0)").await?;
            }
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
            set.click("button[type=submit]:not([disabled])").await?;
            set.until("return !!document.querySelector('[data-report]')").await?;
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

/// What a person would do before the picture is taken.
async fn prepare(set: &Set, name: &str) -> Outcome {
    match name {
        "look-hue-curves" => {
            set.add_step("scene", "Hue curves").await?;
            set.press("button", "Pick from the picture").await?;
            set.touch("[data-touch=hand]", &[[0.205, 0.27], [0.225, 0.31]]).await?;
            set.until("return !!document.querySelector('[data-bump]')").await?;
            set.type_value("Hue", "28").await?;
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
            set.press("button", "Everywhere").await?;
            set.press("button", "Pick").await?;
            set.touch("[data-touch=hand]", &[[0.526, 0.574], [0.625, 0.64]]).await?;
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
            set.click("[data-card=\"Cold Harbour Print\"]").await?;
        }
        _ => return Ok(()),
    }
    set.until("return window.lantern.settled() > 0 && !document.querySelector('[data-notice]')").await?;
    Ok(())
}
