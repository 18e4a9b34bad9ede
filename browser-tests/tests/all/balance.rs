//! The Balance place as a person uses it: droppers, areas, two shots, copies, playing.

use lantern_browser_tests::{Outcome, Set};
use serde_json::Value;
use thirtyfour::prelude::*;

/// The fourth grey of the workbench's chart (19.77 % by its published colorimetry), as shares of the picture.
const GREY: [f64; 2] = [0.305, 0.765];
/// The chart's white (90.01 %).
const WHITE: [f64; 2] = [0.122, 0.785];

/// What the Balance step in hand says: exposure, temperature, tint.
const VALUES: &str = "return ['exposure', 'temperature', 'tint'].map((f) => Number(document.querySelector(`[data-field=${f}]`)?.getAttribute('aria-valuenow')))";

async fn values(set: &Set) -> Outcome<[f64; 3]> {
    let v = set.js(VALUES).await?;
    Ok([0, 1, 2].map(|i| v[i].as_f64().unwrap_or(f64::NAN)))
}

/// Begins a trim of the shot in hand with a Balance step.
async fn begin(set: &Set) -> Outcome {
    set.press("button", "Begin with Balance").await?;
    set.until("return !!document.querySelector('[data-field=temperature]') && window.lantern.settled() > 0")
        .await?;
    Ok(())
}

/// Reads a place of the picture as the pointer rests on it: R, G, B in per cent, and stops.
async fn read(set: &Set, at: [f64; 2]) -> Outcome<[f64; 4]> {
    let script = format!(
        "const b = document.querySelector('[data-touch=hand]');
         const r = b.getBoundingClientRect();
         b.parentElement.dispatchEvent(new PointerEvent('pointermove', {{ bubbles: true, clientX: r.left + r.width * {}, clientY: r.top + r.height * {} }}));
         return true",
        at[0], at[1]
    );
    // What was read of this place, in the picture that is shown now.
    set.until("return window.lantern.settled()").await?;
    set.js(&script).await?;
    let [x, y] = at;
    let words = set
        .until(&format!(
            "const r = document.querySelector('[data-readout]');
             const [x, y] = (r?.dataset.at ?? '9 9').split(' ').map(Number);
             return Number(r?.dataset.readout) >= window.lantern.settled() && Math.hypot(x - {x}, y - {y}) < 0.004
               && r.innerText.replaceAll('−', '-')"
        ))
        .await?;
    let numbers: Vec<f64> = words
        .as_str()
        .unwrap_or("")
        .split(|c: char| !(c.is_ascii_digit() || c == '.' || c == '-' || c == '+'))
        .filter_map(|w| w.parse().ok())
        .collect();
    assert!(numbers.len() >= 7, "{words}");
    Ok([numbers[0], numbers[1], numbers[2], numbers[6]])
}

#[tokio::test]
async fn the_droppers_find_the_known_white_and_exposure_of_a_shot_that_is_off() -> Outcome {
    let set = Set::new().await?;
    // The demo's generator shot it a stop under, under light that 8200 K and a tint of -5 put right.
    set.open("?place=balance&shot=workbench%20002").await?;
    begin(&set).await?;
    let before = read(&set, GREY).await?;
    assert!(before[2] - before[0] > 3.0, "it is blue before: {before:?}");
    set.press("button", "White dropper").await?;
    let shown = set.shown().await?;
    set.touch("[data-touch=hand]", &[GREY]).await?;
    set.newer(shown).await?;
    let [_, kelvin, tint] = values(&set).await?;
    // The desk lamp on the set warms the chart a little.
    assert!((kelvin / 8200.0 - 1.0).abs() < 0.05, "{kelvin}");
    assert!((tint + 5.0).abs() < 1.5, "{tint}");

    set.press("button", "white, 90 %").await?;
    set.press("button", "Exposure dropper").await?;
    let shown = set.shown().await?;
    // Dragged over the patch this time.
    set.touch(
        "[data-touch=hand]",
        &[[WHITE[0] - 0.01, WHITE[1] - 0.02], WHITE, [WHITE[0] + 0.01, WHITE[1] + 0.02]],
    )
    .await?;
    set.newer(shown).await?;
    let [exposure, _, _] = values(&set).await?;
    assert!((0.6..1.4).contains(&exposure), "about a stop; the chart is lit more from the left: {exposure}");
    let white = read(&set, WHITE).await?;
    assert!((white[3] - 2.32).abs() < 0.06, "{white:?}");
    let spread = white[..3].iter().copied().fold(f64::MIN, f64::max)
        - white[..3].iter().copied().fold(f64::MAX, f64::min);
    assert!(spread < 1.5, "it is neutral after: {white:?}");

    // One step of undo takes one dropper back; the trim is kept with the shot, and the look lies over it.
    set.keys("body", Key::Control + "z").await?;
    set.until("return Math.abs(Number(document.querySelector('[data-field=exposure]').getAttribute('aria-valuenow'))) < 0.001")
        .await?;
    set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;
    set.open("?place=look&shot=workbench%20002&look=Brine%20Light").await?;
    let trimmed = set.picture().await?.difference();
    set.open("?place=balance&shot=workbench%20002").await?;
    set.until("return !!document.querySelector('[data-field=temperature]')").await?;
    set.click("[aria-label=\"Balance on\"]").await?;
    set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;
    set.open("?place=look&shot=workbench%20002&look=Brine%20Light").await?;
    let untrimmed = set.picture().await?.difference();
    assert!(untrimmed[0] - trimmed[0] > 2.0, "bluer without its trim: {untrimmed:?}, {trimmed:?}");
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

/// Lit pixels of a scope's canvas, and the share of its columns that have any.
fn lit(scope: &str) -> String {
    format!(
        "const c = document.querySelector('canvas[data-scope={scope}]');
         const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
         const columns = new Set(); let n = 0;
         for (let i = 3; i < d.length; i += 4) if (d[i] > 0) {{ n += 1; columns.add((i >> 2) % c.width); }}
         return [n, columns.size / c.width]"
    )
}

#[tokio::test]
async fn scopes_are_of_the_drawn_area_and_of_the_whole_frame_again() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=balance&shot=workbench%20001").await?;
    let of = async |scope: &str| -> Outcome<[f64; 2]> {
        let v = set.js(&lit(scope)).await?;
        Ok([v[0].as_f64().unwrap_or(0.0), v[1].as_f64().unwrap_or(0.0)])
    };
    let whole = of("wave").await?;
    assert!(whole[1] > 0.99);
    let chroma = of("chromaticity").await?[0];
    set.click("[aria-label=Rectangle]").await?;
    let shown = set.shown().await?;
    // A grey patch alone.
    set.touch("[data-touch=hand]", &[[0.222, 0.76], [0.23, 0.78], [0.248, 0.81]]).await?;
    set.newer(shown).await?;
    set.until("return document.querySelector('canvas[data-scope=wave]').dataset.seq === String(window.lantern.settled())")
        .await?;
    let patch = of("wave").await?;
    assert!((0.02..0.04).contains(&patch[1]), "columns of the patch alone: {patch:?}");
    assert!(of("chromaticity").await?[0] < chroma / 8.0, "one colour instead of all");
    // Neutral grey of 19.77 %: all of the vectorscope's trace lies about its centre.
    let centre = "const c = document.querySelector('canvas[data-scope=vector]');
         const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let far = 0;
         for (let i = 3; i < d.length; i += 4) if (d[i] > 0) far = Math.max(far, Math.hypot((i >> 2) % 256 - 127.5, (i >> 10) - 127.5));
         return far";
    assert!(set.js(centre).await?.as_f64().unwrap_or(99.0) < 12.0);

    set.click("[aria-label=Freehand]").await?;
    let shown = set.shown().await?;
    let face =
        [[0.62, 0.5], [0.66, 0.55], [0.66, 0.68], [0.61, 0.74], [0.57, 0.68], [0.57, 0.55], [0.61, 0.5]];
    set.touch("[data-touch=hand]", &face).await?;
    set.newer(shown).await?;
    set.until("return document.querySelector('canvas[data-scope=wave]').dataset.seq === String(window.lantern.settled())")
        .await?;
    let loop_ = of("wave").await?;
    assert!((0.07..0.12).contains(&loop_[1]), "columns of the face alone: {loop_:?}");
    let shown = set.shown().await?;
    set.click("[aria-label=\"Whole frame\"]").await?;
    set.newer(shown).await?;
    set.until(&format!("const v = (() => {{ {} }})(); return v[1] > 0.99", lit("wave"))).await?;

    // Pins stay with the picture and are read anew.
    set.touch("[data-touch=hand]", &[GREY]).await?;
    set.until("return document.querySelector('[data-pin=\"1\"]')?.innerText.includes('st')").await?;
    set.close().await
}

#[tokio::test]
async fn a_shot_is_brought_to_another_one_and_its_trim_is_copied_step_by_step() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=balance&shot=workbench%20002").await?;
    set.choose("Shot beside", "workbench 001").await?;
    set.until("return !!document.querySelector('[data-beside]')?.dataset.seq").await?;
    set.click("[aria-label=\"Second shot\"] [aria-haspopup=menu]").await?;
    set.until("return !!document.querySelector('[role=menuitem]')").await?;
    let shown = set.shown().await?;
    set.js("[...document.querySelectorAll('[role=menuitem]')].find((e) => e.innerText.startsWith('Exposure and white')).click()")
        .await?;
    set.newer(shown).await?;
    set.until("return document.querySelector('[data-field=exposure]')?.getAttribute('aria-valuenow') > 0.5")
        .await?;
    let [exposure, kelvin, tint] = values(&set).await?;
    assert!(
        (exposure - 1.0).abs() < 0.05 && (kelvin / 8200.0 - 1.0).abs() < 0.02,
        "{exposure} {kelvin} {tint}"
    );
    // The two pictures are alike now, pixel by pixel.
    let apart = "const grab = (css) => { const c = document.querySelector(css); return c.getContext('2d').getImageData(0, 0, c.width, c.height).data };
         const [a, b] = [grab('[data-picture]'), grab('[data-beside]')]; let sum = 0;
         for (let i = 0; i < a.length; i++) sum += Math.abs(a[i] - b[i]); return sum / a.length";
    set.until(&format!("const v = (() => {{ {apart} }})(); return v < 1.5")).await?;

    set.press("button", "Copy trim…").await?;
    set.until("return !!document.querySelector('[role=dialog]')").await?;
    let check = |text: &str| {
        format!(
            "const l = [...document.querySelectorAll('[role=dialog] label')].find((e) => e.innerText.trim() === {text:?});
             l?.querySelector('input').click(); return !!l"
        )
    };
    set.until(&check("kelp greenhouse 003")).await?;
    set.press("[role=dialog] button", "Copy trim to 1 shot").await?;
    set.until("return document.querySelector('[data-notice]')?.innerText.includes('Copied to 1 shot')")
        .await?;
    let trims = async || -> Outcome<Vec<(String, i64)>> {
        let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
        let all = set.get(&format!("/api/productions/{production}"))?;
        let shots = all["scenes"].as_array().cloned().unwrap_or_default().into_iter();
        let shots = shots.flat_map(|s| s["shots"].as_array().cloned().unwrap_or_default());
        let line =
            |s: Value| (s["name"].as_str().unwrap_or("").to_owned(), s["trim_steps"].as_i64().unwrap_or(0));
        Ok(shots.map(line).filter(|(_, steps)| *steps > 0).collect())
    };
    let has = |list: &[(String, i64)], name: &str| list.iter().any(|(n, _)| n == name);
    assert!(has(&trims().await?, "kelp greenhouse 003"));
    set.press("[data-notice] button", "Undo").await?;
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    set.until(&format!(
        "return fetch('/api/productions/{production}').then((r) => r.json()).then((p) => p.scenes[1].shots[0].trim_steps === 0)"
    ))
    .await?;
    assert!(has(&trims().await?, "workbench 002"));
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn a_sequence_plays_at_its_rate_and_shots_flip_with_one_key() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=balance&shot=ferry%20deck%20007").await?;
    let first = set.picture().await?;
    // Each picture that is drawn while it plays, by its hash.
    set.js(
        "window.frames_ = new Set(); window.counter_ = 0;
         new MutationObserver(() => { window.counter_ += 1; window.frames_.add(document.querySelector('[data-frame]')?.dataset.frame) })
           .observe(document.querySelector('canvas[data-picture]'), { attributes: true, attributeFilter: ['data-seq'] })",
    )
    .await?;
    set.click("[aria-label=Play]").await?;
    // It goes round: on a slow day for longer.
    set.until("return window.frames_.size >= 6 && window.counter_ >= 12").await?;
    set.click("[aria-label=Pause]").await?;
    set.shown().await?;
    set.js("document.querySelector('input[aria-label=Frame]').focus()").await?;
    set.keys("input[aria-label=Frame]", Key::Home + "").await?;
    let start =
        "return document.querySelector('[data-frame]').dataset.frame === '0' && window.lantern.settled()";
    set.until(start).await?;
    let shown = set.shown().await?;
    set.keys("input[aria-label=Frame]", Key::End + "").await?;
    set.newer(shown).await?;
    let last = set.picture().await?;
    assert_ne!(last.hash, first.hash, "the lantern has swung");
    // In and out by keys, kept with the shot.
    set.js("document.activeElement.blur()").await?;
    set.keys("body", "o").await?;
    set.until("return document.querySelector('[aria-label=Sequence]').innerText.includes('out 6')").await?;

    // F goes to the shot before, and back again.
    let before = set.shown().await?;
    set.press("section[aria-label=Shots] button", "workbench 001").await?;
    set.newer(before).await?;
    let bench = set.picture().await?.hash;
    for want in [false, true, false] {
        let shown = set.shown().await?;
        set.keys("body", "f").await?;
        set.newer(shown).await?;
        assert_eq!(set.picture().await?.hash == bench, want);
    }
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn false_colour_has_a_legend_and_marks_show_what_is_clipped() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=balance&shot=workbench%20001").await?;
    let at = |[x, y]: [f64; 2]| {
        format!(
            "const c = document.querySelector('[data-picture]');
             return [...c.getContext('2d').getImageData(c.width * {x}, c.height * {y}, 1, 1).data].slice(0, 3).join()"
        )
    };
    let shown = set.shown().await?;
    set.press("[role=radio]", "false colour").await?;
    set.newer(shown).await?;
    // 19.77 % lies 0.14 stops over middle grey: in the narrow grey band.
    assert_eq!(set.js(&at(GREY)).await?, "128,128,128");
    let legend =
        set.js("return document.querySelector('[aria-label=\"Stops from middle grey\"]').innerText").await?;
    assert!(legend.as_str().unwrap_or("").contains("grey"), "{legend}");
    let shown = set.shown().await?;
    set.press("[role=radio]", "clipping").await?;
    set.newer(shown).await?;
    let marked = "const c = document.querySelector('[data-picture]');
         const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let n = 0;
         for (let i = 0; i < d.length; i += 4) if (d[i] !== d[i + 1]) n += 1; return n / (d.length / 4)";
    let share = set.js(marked).await?.as_f64().unwrap_or(0.0);
    assert!(share > 0.0005 && share < 0.5, "some is marked, most is grey: {share}");
    set.close().await
}
