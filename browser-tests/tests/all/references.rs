//! Tables that are read and taken apart, and shots that are matched to references.

use lantern_browser_tests::{Outcome, Set};
use std::fmt::Write;

/// A screen table of 9 points: an S on each channel with lifted blacks and weaker blues.
fn old_print() -> String {
    let bend = |v: f64| 0.05 + 0.88 * v * v * (3.0 - 2.0 * v);
    let mut text = String::from("TITLE \"old print\"\nLUT_3D_SIZE 9\n");
    for i in 0..729 {
        let [r, g, b] = [i % 9, i / 9 % 9, i / 81].map(|v| f64::from(v) / 8.0);
        let _ = writeln!(text, "{} {} {}", bend(r), bend(g), 0.9 * bend(b) + 0.03);
    }
    text
}

#[tokio::test]
async fn a_table_is_read_taken_apart_and_is_itself_with_the_remainder_on() -> Outcome {
    let set = Set::new().await?;
    // Alone on the plain rendering, so that the new look shows the same.
    set.make_look("Bare", &serde_json::json!([]))?;
    set.open("?look=Bare&shot=workbench%20001").await?;
    let file = set.data.path().join("old-print.cube");
    std::fs::write(&file, old_print())?;
    set.add_step("screen", "Table").await?;
    set.find("[aria-label=\"Table file\"]").await?.send_keys(file.display().to_string()).await?;
    set.until("return !!document.querySelector('[role=dialog] [data-live]')").await?;
    set.choose("Input", "Rec.709 (BT.1886)").await?;
    set.choose("Output", "Rec.709 (BT.1886)").await?;
    // The picture under the choice, before it is made.
    set.until("return !!document.querySelector('[role=dialog] canvas[data-drawn]')").await?;
    let shown = set.shown().await?;
    set.press("[role=dialog] button", "Add table").await?;
    set.newer(shown).await?;
    let table = set.picture().await?;
    set.until("return document.querySelectorAll('[data-arrows=\"72\"], [data-greys=\"65\"]').length === 2")
        .await?;
    let says = set.js("return document.querySelector('[aria-label=\"What it does\"]').innerText").await?;
    assert!(says.as_str().unwrap_or("").contains("Black comes out at 6 %"), "{says}");

    set.press("button", "Take apart into steps").await?;
    let mut made = Ok(serde_json::Value::Null);
    for _ in 0..4 {
        made = set.until("return document.querySelector('[data-menu=look]').innerText.startsWith('Unpicked') && window.lantern.settled()").await;
        if made.is_ok() {
            break;
        }
    }
    made?;
    set.until(
        "return document.querySelectorAll('[data-step=table]').length === 1 && window.lantern.settled()",
    )
    .await?;
    let whole = set.picture().await?;
    for (a, b) in table.mean.iter().zip(whole.mean) {
        assert!((a - b).abs() < 0.05, "{table:?} {whole:?}");
    }
    // Without its remainder it is steps alone: near, and not the same; with it again, the same to the bit.
    set.take("Remainder").await?;
    let shown = set.shown().await?;
    set.click("[aria-label=\"Remainder on\"]").await?;
    set.newer(shown).await?;
    let steps = set.picture().await?;
    assert_ne!(steps, whole);
    assert!(steps.mean.iter().zip(whole.mean).all(|(a, b)| (a - b).abs() < 3.0), "{steps:?} {whole:?}");
    let shown = set.shown().await?;
    set.click("[aria-label=\"Remainder on\"]").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, whole);
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn three_pairs_are_drawn_matched_and_matched_again() -> Outcome {
    let set = Set::new().await?;
    set.make_look("Bare", &serde_json::json!([]))?;
    set.open("?look=Bare&shot=lantern%20market%20014").await?;
    let before = set.picture().await?;
    set.press("button", "Match to references…").await?;
    // The main button waits for a reference.
    set.until("return [...document.querySelectorAll('[role=dialog] footer button')].some((b) => b.innerText === 'Match' && b.disabled)").await?;
    set.click("[role=dialog] [aria-label=References] li:nth-child(3) button").await?;
    set.until("return !!document.querySelector('[aria-label=\"The reference\"] img')?.complete && !!document.querySelector('[role=dialog] canvas[data-drawn]')").await?;
    let areas = [
        ([[0.27, 0.4], [0.35, 0.5]], [[0.25, 0.5], [0.31, 0.58]]),
        ([[0.67, 0.6], [0.73, 0.68]], [[0.57, 0.6], [0.62, 0.66]]),
        ([[0.03, 0.06], [0.1, 0.14]], [[0.05, 0.1], [0.2, 0.2]]),
    ];
    for (i, (shot, reference)) in areas.iter().enumerate() {
        set.touch("[data-draws=\"The shot\"]", shot).await?;
        set.touch("[data-draws=\"The reference\"]", reference).await?;
        set.until(&format!("return !!document.querySelector('[data-pairs=\"{}\"]')", i + 1)).await?;
    }
    // The program proposes more: drawn on both, taken by a press, and taken away again.
    set.press("[role=dialog] button", "propose pairs").await?;
    set.until("return document.querySelectorAll('[data-proposed=darks]').length === 2").await?;
    set.press("[aria-label=\"Proposed pairs\"] button", "darks").await?;
    set.until("return !!document.querySelector('[data-pairs=\"4\"]') && document.querySelectorAll('[data-proposed=darks]').length === 0").await?;
    set.press("[role=dialog] button", "Remove last pair").await?;
    let shown = set.shown().await?;
    set.press("[role=dialog] footer button", "Match").await?;
    set.newer(shown).await?;
    let report = set.until("return document.querySelector('[aria-label=Report]')?.innerText").await?;
    let report = report.as_str().unwrap_or("").to_owned();
    assert!(report.contains("3 pairs") && report.contains("Pair 3:") && report.contains("80 %"), "{report}");
    let matched = set.picture().await?;
    assert_ne!(matched, before);
    set.press("[role=dialog] footer button", "Close").await?;
    // Ordinary steps: one is changed like any.
    set.take("Saturation").await?;
    let shown = set.shown().await?;
    set.type_value("Saturation", "0").await?;
    set.newer(shown).await?;
    assert_ne!(set.picture().await?, matched);
    // The pairs are still there, and matching again puts the group anew, in its place.
    set.press("button", "Match to references…").await?;
    set.until("return !!document.querySelector('[data-pairs=\"3\"]')").await?;
    let shown = set.shown().await?;
    set.press("[role=dialog] footer button", "Match").await?;
    set.newer(shown).await?;
    set.until("return !!document.querySelector('[aria-label=Report]')").await?;
    assert_eq!(set.picture().await?, matched);
    set.until("return document.querySelectorAll('[data-group]').length === 1").await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn a_wedge_is_dropped_on_a_stock_whose_curve_goes_through_its_points() -> Outcome {
    let set = Set::new().await?;
    set.make_look("Bare", &serde_json::json!([]))?;
    set.open("?look=Bare&shot=workbench%20001").await?;
    set.add_step("film", "Negative").await?;
    let before = set.picture().await?;
    // A logistic curve, which is of another make than the stock's.
    let mut text = String::from("log exposure,density\n");
    for i in 0..21 {
        let x = -1.8 + 0.15 * f64::from(i);
        let _ = writeln!(text, "{x:.2},{:.3}", 0.2 + 2.2 / (1.0 + (-1.45 * x).exp()));
    }
    let file = set.data.path().join("daylight.csv");
    std::fs::write(&file, text)?;
    set.press("[role=tab], [role=radio], button", "curves").await?;
    set.until("return !!document.querySelector('[aria-label=\"Wedge file\"]')").await?;
    let shown = set.shown().await?;
    set.find("[aria-label=\"Wedge file\"]").await?.send_keys(file.display().to_string()).await?;
    set.newer(shown).await?;
    set.until("return document.querySelectorAll('[data-measured]').length === 63").await?;
    assert_ne!(set.picture().await?, before);
    let off = set.js("return Number(document.querySelector('[data-off]').dataset.off)").await?;
    assert!(off.as_f64().is_some_and(|v| v > 0.0 && v < 0.02), "{off}");
    // The points lie on the curve that is drawn: the path of the green layer at each of them.
    let far = set
        .js(
            "const curves = [...document.querySelectorAll('[data-plot=film] g path[fill=none]')].slice(0, 3);
             const points = [...document.querySelectorAll('[data-measured]')].map((p) => p.getAttribute('d').match(/M(\\S+) (\\S+)h/).slice(1).map(Number));
             const line = curves[1].getAttribute('d').split(/[ML]/).filter(Boolean).map((p) => p.split(' ').map(Number));
             return Math.max(...points.filter((_, i) => i % 3 === 1).map(([x, y]) => Math.min(...line.map(([a, b]) => Math.hypot(a - x, b - y)))))",
        )
        .await?;
    assert!(far.as_f64().is_some_and(|v| v < 0.03), "{far}");
    // A wedge that falls is refused in a sentence, and nothing is lost.
    let falling = set.data.path().join("falling.csv");
    std::fs::write(&falling, "-1,2\n0,1.5\n1,1\n2,0.5\n")?;
    set.find("[aria-label=\"Wedge file\"]").await?.send_keys(falling.display().to_string()).await?;
    set.until("return document.body.innerText.includes('falls: more light makes less density')").await?;
    set.until("return document.querySelectorAll('[data-measured]').length === 63").await?;
    set.close().await
}
