//! Makes the pictures in `docs/screenshots` from the demo production.

use lantern_browser_tests::{Outcome, Set};
use std::path::Path;

/// File name, query, the step to take in hand.
const VIEWS: [(&str, &str, &str); 8] = [
    ("footage", "?place=footage", ""),
    ("look-balance", "?look=Harbour%20Dusk&shot=kelp%20greenhouse%20003", "balance"),
    ("look-tone-tint", "?look=Harbour%20Dusk&shot=lantern%20market%20014", "tone-tint"),
    ("look-tone", "?look=Harbour%20Dusk&shot=kelp%20greenhouse%20003", "tone"),
    ("look-curves", "?look=Harbour%20Dusk&shot=workbench%20001", "curves"),
    ("look-saturation", "?look=Brine%20Light&shot=kelp%20greenhouse%20003", "saturation"),
    ("look-plain-rendering", "?look=Salt%20and%20Ember&shot=workbench%20001", "plain-rendering"),
    ("handoff", "?look=Harbour%20Dusk&place=handoff", ""),
];

#[tokio::main]
async fn main() -> Outcome {
    let folder = std::env::args().nth(1).unwrap_or_else(|| "docs/screenshots".into());
    std::fs::create_dir_all(&folder)?;
    let set = Set::new().await?;
    for (name, query, step) in VIEWS {
        if name == "footage" {
            set.open(query).await?;
            set.until("return document.querySelectorAll('canvas[data-drawn]').length === 3").await?;
        } else if step.is_empty() {
            set.driver.goto(format!("{}/{query}", set.url)).await?;
            set.click("button[type=submit]:not([disabled])").await?;
            set.until("return !!document.querySelector('[data-report]')").await?;
        } else {
            set.open(query).await?;
            set.click(&format!("[data-step={step}] button[aria-current]")).await?;
            set.until("return window.lantern.settled() > 0").await?;
            set.until("return document.querySelectorAll('canvas[data-drawn]').length === 3").await?;
        }
        set.shoot(&Path::new(&folder).join(format!("{name}.png"))).await?;
    }
    set.close().await
}
