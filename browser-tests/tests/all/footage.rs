//! The Footage place as a person uses it: a picture comes in, is told its encoding, is looked at, and goes again.

use lantern_browser_tests::{Outcome, Set};
use std::path::Path;

/// The mean brightness, 0..255, of the middle of a shot's small picture; 0 where there is none yet.
fn middle(shot: &str) -> String {
    format!(
        "const c = document.querySelector('[data-shot=\"{shot}\"] canvas[data-drawn]'); if (!c) return 0;
         const d = c.getContext('2d').getImageData(c.width / 2 - 4, c.height / 2 - 4, 8, 8).data;
         let sum = 0; for (let i = 0; i < d.length; i += 4) sum += d[i] + d[i + 1] + d[i + 2];
         return sum / (d.length / 4) / 3;"
    )
}

/// A grey picture of one code value, as ffmpeg writes a PNG without any tag.
fn grey(path: &Path, code: u32) -> Outcome {
    let source = format!("color=c=0x{code:02x}{code:02x}{code:02x}:s=96x54,format=rgb24");
    let done = std::process::Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", &source, "-frames:v", "1"])
        .arg(path)
        .status()?;
    assert!(done.success());
    Ok(())
}

/// The input behind the first scene's button; a driver hands files to it as the chooser would.
const FILES: &str = "input[aria-label=\"Files for Lantern market\"]";

/// Says in the dialog how a shot is encoded, after its picture before and after was there to be compared.
async fn encode(set: &Set, shot: &str, encoding: &str) -> Outcome {
    set.click(&format!("[aria-label^=\"Encoding of {shot}:\"]")).await?;
    set.press("[role=dialog] [role=radio]", encoding).await?;
    let seen = "const i = document.querySelector('[role=radio][aria-checked=true] [data-seen]'); return !!i && i.complete && i.naturalWidth > 0";
    set.until(seen).await?;
    set.click("[role=dialog] [data-apply]").await?;
    set.until("return !document.querySelector('[role=dialog]')").await?;
    Ok(())
}

#[tokio::test]
async fn a_picture_brought_in_waits_for_its_encoding_and_is_then_shown_as_that_encoding() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("fog 001.png");
    grey(&file, 105)?;
    set.find(FILES).await?.send_keys(file.display().to_string()).await?;
    set.until("return !!document.querySelector('[data-shot=\"fog 001\"]')").await?;
    let said = set.js("return document.querySelector('[data-shot=\"fog 001\"]').innerText").await?;
    assert!(said.as_str().unwrap_or("").contains("encoding not stated"), "{said}");
    // Its code values are shown as they are, and marked.
    let raw = middle("fog 001");
    set.until(&format!("const v = (() => {{ {raw} }})(); return Math.abs(v - 105) < 0.5")).await?;
    set.find("[data-shot=\"fog 001\"] [data-raw]").await?;

    // ACEScct 105/255 is 0.177 in light (S-2016-001), just under middle grey: about 10 % of peak by the plain
    // rendering, which is 0.1 in sRGB's curve: code 89.
    for (encoding, low, high) in [("ACEScct", 85.0, 92.0), ("sRGB", 104.0, 106.0)] {
        encode(&set, "fog 001", encoding).await?;
        let reads = middle("fog 001");
        set.until(&format!("const v = (() => {{ {reads} }})(); return v > {low} && v < {high}")).await?;
    }

    // It is in the row of every look now, and it can be deleted again.
    set.click("[aria-label=\"More about fog 001\"]").await?;
    set.until("return !!document.querySelector('[role=menuitem]')").await?;
    set.js("[...document.querySelectorAll('[role=menuitem]')].find((e) => e.innerText.startsWith('Delete')).click()")
        .await?;
    set.until("return !!document.querySelector('[role=dialog]')").await?;
    set.press("[role=dialog] button", "Delete shot").await?;
    set.until("return !document.querySelector('[data-shot=\"fog 001\"]')").await?;
    // Deleted by mistake it comes back.
    set.press("[data-notice] button", "Undo").await?;
    set.find("[data-shot=\"fog 001\"]").await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn what_is_no_picture_is_refused_in_words_and_nothing_is_added() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("notes.png");
    std::fs::write(&file, "no picture at all")?;
    let count = "return document.querySelectorAll('[data-shot]').length";
    let before = set.js(count).await?;
    set.find(FILES).await?.send_keys(file.display().to_string()).await?;
    let said = set.until("return document.querySelector('[data-incoming=refused]')?.innerText").await?;
    let said = said.as_str().unwrap_or("");
    assert!(said.contains("notes.png") && said.contains("no picture"), "{said}");
    assert_eq!(set.js(count).await?, before);
    set.close().await
}

#[tokio::test]
async fn a_numbered_sequence_comes_in_as_one_shot_and_goes_on_where_it_broke_off() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let folder = tempfile::tempdir()?;
    let mut files = Vec::new();
    for number in 1..=6 {
        let file = folder.path().join(format!("tide.{number:04}.png"));
        grey(&file, 40 * number)?;
        files.push(file.display().to_string());
    }
    // Four of six at first, as if the rest had not been chosen.
    let input = set.find(FILES).await?;
    input.send_keys(files[..4].join("\n")).await?;
    set.until("return document.querySelector('[data-shot=tide] [data-length]')?.dataset.length === '4'")
        .await?;
    set.until("return !document.querySelector('[data-incoming]')").await?;
    encode(&set, "tide", "sRGB").await?;
    // Frame by frame in Balance: the codes are those of the files.
    set.click("[aria-label=\"Balance tide\"]").await?;
    set.until("return document.querySelector('[data-frame]')?.dataset.frame === '0' && window.lantern.settled() > 0")
        .await?;
    let first = set.picture().await?;
    assert!((first.mean[0] - 40.0).abs() < 1.0, "{first:?}");
    let shown = set.shown().await?;
    set.keys("body", thirtyfour::Key::Right + "").await?;
    set.newer(shown).await?;
    let second = set.picture().await?;
    assert!((second.mean[0] - 80.0).abs() < 1.0, "{second:?}");
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn several_shots_are_told_their_encoding_at_once_and_shots_are_put_in_order_by_keys() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    for shot in ["ferry deck 008", "foggy mole 002"] {
        set.click(&format!("[aria-label=\"Select {shot}\"]")).await?;
    }
    encode(&set, "foggy mole 002", "Display P3").await?;
    for shot in ["ferry deck 008", "foggy mole 002"] {
        let css = format!("[data-shot=\"{shot}\"] [data-encoding]");
        set.until(&format!("return document.querySelector('{css}').dataset.encoding === 'display-p3'"))
            .await?;
    }

    let order =
        "return [...document.querySelectorAll('[data-shot]')].map((e) => e.dataset.shot).slice(0, 3).join()";
    assert_eq!(set.js(order).await?, "lantern market 014,lantern market 021,kelp greenhouse 003");
    let right = thirtyfour::Key::Alt + thirtyfour::Key::Right;
    set.keys("[aria-label=\"Order of lantern market 014\"]", right).await?;
    set.until(&format!("{} === 'lantern market 021,lantern market 014,kelp greenhouse 003'", order)).await?;
    let down = thirtyfour::Key::Alt + thirtyfour::Key::Down;
    set.keys("[aria-label=\"Order of lantern market 021\"]", down).await?;
    // It is kept: a page that is opened anew has the same order.
    set.until("return document.querySelector('[aria-label=\"Scene Kelp greenhouse\"]').innerText.includes('3 shots')")
        .await?;
    set.until("return fetch('/api/productions').then((r) => r.json()).then((p) => fetch('/api/productions/' + p[0].id)).then((r) => r.json()).then((p) => p.scenes[1].shots.length === 3)")
        .await?;
    set.close().await
}

#[tokio::test]
async fn a_camera_profile_is_made_from_constants_with_its_curve_drawn_as_they_are_typed() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    set.press("section[aria-label=\"Camera profiles\"] button", "+ profile").await?;
    // ACEScct by its constants (S-2016-001): 18 % grey at 0.4136.
    let constants = [
        ("log side slope", "0.0570776"),
        ("log side offset", "0.5547945"),
        ("lin side offset", "0"),
        ("lin side break", "0.0078125"),
        ("linear slope", "10.5402377"),
    ];
    for (label, value) in constants {
        let field = set.find(&format!("[role=dialog] input[aria-label=\"{label}\"]")).await?;
        field.clear().await?;
        field.send_keys(value).await?;
    }
    set.click("[role=dialog] input[aria-label=\"Name of the profile\"]").await?;
    let grey = "return Math.abs(Number(document.querySelector('[data-grey]')?.dataset.grey) - 0.4136) < 1e-4";
    set.until(grey).await?;
    set.press("[role=dialog] button", "Save profile").await?;
    set.until("return document.querySelector('section[aria-label=\"Camera profiles\"]').innerText.includes('New camera')")
        .await?;
    set.close().await
}

#[tokio::test]
async fn many_shots_are_chosen_and_the_one_in_hand_is_in_sight_in_the_row() -> Outcome {
    const SHOTS: usize = 40;
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let folder = tempfile::tempdir()?;
    let mut files = Vec::new();
    for number in 1..=SHOTS {
        let file = folder.path().join(format!("wall {number:03}.png"));
        grey(&file, 4 * number as u32)?;
        files.push(file.display().to_string());
    }
    let before =
        set.js("return document.querySelectorAll('[data-shot-id]').length").await?.as_u64().unwrap_or(0);
    set.find(FILES).await?.send_keys(files.join("\n")).await?;
    let all = before as usize + SHOTS;
    set.until(&format!(
        "return document.querySelectorAll('[data-shot-id]').length === {all} && !document.querySelector('[data-incoming]')"
    ))
    .await?;
    set.command("a").await?;
    set.until(&format!("return document.querySelector('[data-selected]')?.dataset.selected === '{all}'"))
        .await?;
    set.until(&format!("return document.querySelectorAll('[data-shot-id] input:checked').length === {all}"))
        .await?;
    // The last of them by its menu: it is in hand, in sight, and its picture is drawn.
    set.click("[aria-label=\"More about wall 040\"]").await?;
    set.press("[role=menuitem]", "Open in Look").await?;
    let seen = "const row = document.querySelector('[aria-label=Shots]');
         const own = row?.querySelector('[aria-current=true]');
         if (!own?.querySelector('canvas[data-drawn]')) return null;
         const [a, b] = [row, own].map((e) => e.getBoundingClientRect());
         return b.left >= a.left - 1 && b.right <= a.right + 1 ? own.innerText : null";
    let last = set.until(seen).await?;
    assert!(last.as_str().unwrap_or("").contains("wall 040"), "{last}");
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}
