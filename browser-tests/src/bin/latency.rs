//! Single change to picture in the browser's frame, and pictures a second while dragging, as a person's hand
//! would cause them. Printed by `cargo xtask bench`.

use lantern_browser_tests::{Outcome, Set};

/// Moves of the pointer in one drag, and drags.
const MOVES: i64 = 60;
const DRAGS: i64 = 8;

#[tokio::main]
async fn main() -> Outcome {
    let set = Set::new().await?;
    set.open("?look=Harbour%20Dusk&shot=lantern%20market%20014").await?;
    set.click("[data-step=tone-tint] button[aria-current]").await?;
    set.shown().await?;
    for warm in [true, false] {
        set.js("window.lantern.latencies.length = 0").await?;
        for k in 0..if warm { 2 } else { DRAGS } {
            let handle = set.find("[data-handle=lights]").await?;
            let mut chain = set
                .driver
                .action_chain_with_delay(None, Some(std::time::Duration::from_millis(8)))
                .move_to_element_center(&handle)
                .click_and_hold();
            for i in 0..MOVES {
                let way = if (i / 15 + k) % 2 == 0 { 1 } else { -1 };
                chain = chain.move_by_offset(way, -way);
            }
            chain.release().perform().await?;
            set.shown().await?;
        }
    }
    let values = set.js("return window.lantern.latencies").await?;
    let mut ms: Vec<f64> =
        values.as_array().map(|v| v.iter().filter_map(|x| x.as_f64()).collect()).unwrap_or_default();
    ms.sort_by(f64::total_cmp);
    let at =
        |share: f64| ms.get(((ms.len().max(1) - 1) as f64 * share) as usize).copied().unwrap_or(f64::NAN);
    println!(
        "{:<58} {:>10.2}  {:<10} under 30",
        "change to picture in the browser, 960 x 540, median",
        at(0.5),
        "ms"
    );
    println!(
        "{:<58} {:>10.2}  {:<10} under 60",
        "change to picture in the browser, 95th percentile",
        at(0.95),
        "ms"
    );
    println!("{:<58} {:>10}  {:<10}", "pictures that this is taken over", ms.len(), "");
    set.close().await
}
