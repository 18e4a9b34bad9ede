//! The first half hour with somebody's own material: from an empty data folder to a proven table, with pictures that the
//! tests write themselves.

use lantern_browser_tests::{Outcome, Set};
use std::path::{Path, PathBuf};
use std::process::Command;

/// Pictures of ffmpeg's test chart: name, size, pixel format, frames.
type Own = (&'static str, &'static str, &'static str, u32);

/// Four shapes, a sequence, and a large OpenEXR; one picture of a single pixel and one of 8K among them.
const OWN: [Own; 7] = [
    ("four-three.png", "640x480", "rgb48be", 1),
    ("square.png", "500x500", "rgb24", 1),
    ("upright.png", "400x700", "rgb24", 1),
    ("wide.png", "1920x804", "rgb48be", 1),
    ("walk_%04d.png", "320x180", "rgb24", 6),
    ("harbour.exr", "4096x2304", "gbrpf32le", 1),
    ("eight.jpg", "7680x4320", "yuvj420p", 1),
];

/// Writes pictures into a folder; gives their files.
fn write(folder: &Path, own: &[Own]) -> Outcome<Vec<PathBuf>> {
    for (name, size, format, frames) in own {
        let made = Command::new("ffmpeg")
            .args([
                "-v",
                "error",
                "-f",
                "lavfi",
                "-i",
                &format!("testsrc2=s={size}"),
                "-frames:v",
                &frames.to_string(),
            ])
            .args(["-pix_fmt", format])
            .arg(folder.join(name))
            .status()?;
        assert!(made.success(), "ffmpeg makes no {name}");
    }
    let mut files: Vec<PathBuf> =
        std::fs::read_dir(folder)?.map(|f| Ok(f?.path())).collect::<Outcome<_>>()?;
    files.sort();
    Ok(files)
}

fn listed(files: &[PathBuf]) -> String {
    files.iter().map(|f| f.display().to_string()).collect::<Vec<_>>().join("\n")
}

/// Makes a production with own pictures in it, as a person does.
async fn own_production(set: &Set, own: &[Own]) -> Outcome {
    set.driver.goto(&set.url).await?;
    set.push("button", "New production…").await?;
    set.find("[role=dialog] input").await?.send_keys("Own Film").await?;
    set.push("[role=dialog] button", "Create production").await?;
    bring_in(set, own).await
}

/// Hands pictures to the chooser of an empty production, and waits until all are there and drawn.
async fn bring_in(set: &Set, own: &[Own]) -> Outcome {
    let folder = set.data.path().join("own");
    std::fs::create_dir_all(&folder)?;
    let files = write(&folder, own)?;
    set.find("input[aria-label=Files]").await?.send_keys(listed(&files)).await?;
    let count = own.len();
    set.until(&format!(
        "return document.querySelectorAll('[data-shot-id]').length === {count} && !document.querySelector('[data-incoming]')
         && document.querySelectorAll('[data-shot] canvas[data-drawn]').length === {count}"
    ))
    .await?;
    Ok(())
}

#[tokio::test]
async fn from_an_empty_folder_to_a_downloaded_proven_table_in_fewer_than_25_clicks() -> Outcome {
    let set = Set::empty().await?;
    set.resize(1024, 700).await?;
    let mut clicks = 0;
    // With the mouse: an element that lies under another one or out of reach fails.
    macro_rules! click {
        ($css:expr, $text:expr) => {{
            clicks += 1;
            set.push($css, $text).await?
        }};
        ($css:expr) => {{
            clicks += 1;
            set.click($css).await?
        }};
    }
    set.driver.goto(&set.url).await?;
    click!("button", "New production…");
    set.find("[role=dialog] input").await?.send_keys("Own Film").await?;
    click!("[role=dialog] button", "Create production");
    // The chooser is the machine's own: a click to open it, one to close it.
    clicks += 2;
    bring_in(&set, &OWN).await?;
    // What nobody knows is shown all the same, and marked; the OpenEXR says what it is.
    let unknown = "return [...document.querySelectorAll('[data-shot]')].filter((e) => e.querySelector('[data-raw]')).map((e) => e.dataset.shot).join()";
    assert_eq!(set.js(unknown).await?, "eight,four-three,square,upright,walk,wide");

    for shot in ["four-three", "wide", "upright"] {
        click!(&format!("[aria-label=\"Select {shot}\"]"));
    }
    click!("[aria-label=\"Selected shots\"] button", "Set encoding…");
    click!("[role=dialog] [role=radio][aria-label=ACEScct]");
    click!("[role=dialog] [data-apply]");
    set.until("return !document.querySelector('[role=dialog]')").await?;
    set.keys("body", thirtyfour::Key::Escape + "").await?;
    for shot in ["square", "walk", "eight"] {
        click!(&format!("[aria-label=\"Select {shot}\"]"));
    }
    click!("[aria-label=\"Selected shots\"] button", "Set encoding…");
    click!("[role=dialog] [role=radio][aria-label=sRGB]");
    click!("[role=dialog] [data-apply]");
    set.until("return !document.querySelector('[data-raw]')").await?;

    click!("nav[aria-label=Places] button", "Look");
    set.shown().await?;
    click!("[data-shelf-button]");
    click!("[data-card=\"Ember and Tide\"]");
    click!("aside[aria-label=Shelf] button", "Add as a group");
    set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;
    click!("nav[aria-label=Places] button", "Handoff");
    click!("button[type=submit]");
    set.until("return !!document.querySelector('[data-report]')").await?;
    click!("[data-download]");
    assert!(clicks < 25, "{clicks} clicks");

    // The table is the one that was proven: its checksum is BLAKE3 of what is downloaded.
    let text = set
        .until("return fetch(document.querySelector('[data-download]').href).then((r) => r.text())")
        .await?;
    let text = text.as_str().unwrap_or_default();
    let checksum = blake3::hash(text.as_bytes()).to_hex().to_string();
    let shown = set.js("return document.querySelector('[data-report] header').innerText").await?;
    assert!(shown.as_str().unwrap_or_default().contains(&checksum), "{shown}");
    let lines = text.lines().filter(|l| l.starts_with(|c: char| c.is_ascii_digit() || c == '-')).count();
    assert_eq!(lines, 33 * 33 * 33, "33 points on a side, each with a line (Cube LUT 1.0)");
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

/// Whether the last button of the open dialog lies in the window with nothing over it.
const IN_REACH: &str = "
    const b = [...document.querySelectorAll('[role=dialog] footer button')].at(-1);
    if (!b) return 'no button';
    const r = b.getBoundingClientRect();
    if (r.top < 0 || r.left < 0 || r.bottom > innerHeight || r.right > innerWidth) return `out of reach at ${r.top} ${r.left}`;
    const on = document.elementFromPoint(r.left + r.width / 2, r.top + r.height / 2);
    return b.contains(on) ? 'in reach' : `under ${on?.outerHTML.slice(0, 80)}`;";

#[tokio::test]
async fn every_dialog_fits_a_small_window_whatever_the_material_and_its_button_can_be_clicked() -> Outcome {
    let set = Set::empty().await?;
    set.resize(1024, 700).await?;
    let shapes = [OWN[0], OWN[1], OWN[2], OWN[3], OWN[4], OWN[6]];
    own_production(&set, &shapes).await?;
    let reach = async |what: &str| -> Outcome {
        set.find("[role=dialog] footer button").await?;
        assert_eq!(set.js(IN_REACH).await?, "in reach", "{what}");
        Ok(())
    };
    let close = async || -> Outcome {
        set.keys("[role=dialog] button", thirtyfour::Key::Escape + "").await?;
        set.until("return !document.querySelector('[role=dialog]')").await?;
        Ok(())
    };
    let menu = async |button: &str, item: &str| -> Outcome {
        set.click(button).await?;
        set.until("return !!document.querySelector('[role=menuitem]')").await?;
        set.js(&format!("[...document.querySelectorAll('[role=menuitem]')].find((e) => e.innerText.startsWith({item:?})).click()")).await?;
        Ok(())
    };
    // Setting the encoding of all shapes at once.
    set.command("a").await?;
    set.push("[aria-label=\"Selected shots\"] button", "Set encoding…").await?;
    reach("encoding").await?;
    set.click("[role=dialog] [role=radio][aria-label=sRGB]").await?;
    set.push("[role=dialog] footer button", "Set encoding of 6 shots").await?;
    set.until("return !document.querySelector('[data-raw]')").await?;
    for (button, what) in [("In and out…", "in and out"), ("Delete…", "delete shots")] {
        set.push("[aria-label=\"Selected shots\"] button", button).await?;
        reach(what).await?;
        close().await?;
    }
    set.keys("body", thirtyfour::Key::Escape + "").await?;
    for item in ["New production…", "Rename…", "Duplicate…", "Delete…"] {
        menu("[data-menu=production]", item).await?;
        reach(item).await?;
        close().await?;
    }
    menu("[aria-label^=\"More about scene\"]", "Delete scene…").await?;
    reach("delete scene").await?;
    close().await?;
    set.push("section[aria-label=\"Camera profiles\"] button", "+ profile").await?;
    reach("camera profile").await?;
    set.push("[role=dialog] footer button", "Save profile").await?;
    set.until("return !document.querySelector('[role=dialog]')").await?;

    set.push("nav[aria-label=Places] button", "Look").await?;
    set.shown().await?;
    for item in ["New look…", "Copy this look…", "Rename…", "Delete this look…"] {
        menu("[data-menu=look]", item).await?;
        reach(item).await?;
        close().await?;
    }
    set.push("button", "Save version…").await?;
    reach("save version").await?;
    set.push("[role=dialog] footer button", "Save version").await?;
    set.until("return !document.querySelector('[role=dialog]')").await?;

    set.push("nav[aria-label=Places] button", "Balance").await?;
    set.shown().await?;
    set.push("button", "Copy trim…").await?;
    reach("copy trim").await?;
    close().await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn numbered_stills_are_a_sequence_and_one_action_takes_them_apart_and_another_joins_them() -> Outcome {
    let set = Set::empty().await?;
    own_production(&set, &[OWN[4]]).await?;
    set.click("[aria-label=\"Select walk\"]").await?;
    set.push("[aria-label=\"Selected shots\"] button", "Take apart into stills").await?;
    set.until("return document.querySelectorAll('[data-shot^=walk_000]').length === 6").await?;
    // What was made is selected, so that it can be joined again.
    set.until("return document.querySelector('[data-selected]')?.dataset.selected === '6'").await?;
    set.push("[aria-label=\"Selected shots\"] button", "Join to a sequence").await?;
    set.until("return document.querySelector('[data-shot=walk] [data-length]')?.dataset.length === '6'")
        .await?;
    set.push("[data-notice] button", "Undo").await?;
    set.until("return document.querySelectorAll('[data-shot^=walk_000]').length === 6 && !document.querySelector('[data-shot=walk]')").await?;
    set.close().await
}

#[tokio::test]
async fn shots_are_selected_by_keys_by_rows_and_by_dragging_around_them() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let selected = |n: usize| {
        format!("return (document.querySelector('[data-selected]')?.dataset.selected ?? '0') === '{n}'")
    };
    set.command("a").await?;
    set.until(&selected(17)).await?;
    set.keys("body", thirtyfour::Key::Escape + "").await?;
    set.until(&selected(0)).await?;
    // Ctrl takes one more, Shift all up to there.
    for (key, shot) in [("ctrlKey", "lantern market 021"), ("shiftKey", "ferry deck 007")] {
        set.js(&format!(
            "document.querySelector('[data-shot=\"{shot}\"] canvas').dispatchEvent(new MouseEvent('click', {{ bubbles: true, {key}: true }}))"
        ))
        .await?;
    }
    set.until(&selected(4)).await?;
    set.push("button", "Clear selection").await?;
    // A rectangle over the first scene, drawn on the ground between the scenes.
    let corners = set.js("const a = document.querySelector('[data-shot=\"lantern market 014\"]').getBoundingClientRect(); const b = document.querySelector('[data-shot=\"lantern market 021\"]').getBoundingClientRect(); return [b.right + 20, a.top + 60, b.left + 40, a.top + 100]").await?;
    let at = |k: usize| corners[k].as_f64().unwrap_or(0.0) as i64;
    set.driver
        .action_chain()
        .move_to(at(0), at(1))
        .click_and_hold()
        .move_to(at(2), at(3))
        .release()
        .perform()
        .await?;
    set.until(&selected(1)).await?;
    set.close().await
}

#[tokio::test]
async fn a_production_without_a_look_offers_one_and_taking_from_the_shelf_makes_one() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=look").await?;
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let looks = set.get(&format!("/api/productions/{production}/looks"))?;
    let count = looks.as_array().map_or(0, Vec::len);
    for left in (0..count).rev() {
        let name = set.js("return document.querySelector('[data-menu=look]').innerText").await?;
        set.click("[data-menu=look]").await?;
        set.press("[role=menuitem]", "Delete this look…").await?;
        set.push("[role=dialog] button", "Delete look").await?;
        set.until(&format!("return document.querySelector('[data-menu=look]').innerText !== {name} && !document.querySelector('[role=dialog]')")).await?;
        set.until(&format!("return fetch('/api/productions/{production}/looks').then((r) => r.json()).then((l) => l.length === {left})")).await?;
    }
    set.find("[aria-label=\"No look yet\"]").await?;
    set.push("button", "From the Shelf").await?;
    set.click("[data-card=\"Sepia Ledger\"]").await?;
    set.push("aside[aria-label=Shelf] button", "New look of it").await?;
    set.until("return document.querySelector('[data-menu=look]').innerText.startsWith('Sepia Ledger') && document.querySelectorAll('[data-step]').length > 1").await?;
    set.close().await
}

#[tokio::test]
async fn files_dropped_anywhere_in_footage_come_in() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let folder = tempfile::tempdir()?;
    let files = write(
        folder.path(),
        &[("own wall.png", "320x180", "rgb24", 1), ("own sky.png", "180x320", "rgb24", 1)],
    )?;
    // The bytes as a page gets them from the desktop; the first on the ground, the second on a scene.
    for (file, on) in files.iter().zip(["[data-footage]", "[aria-label=\"Scene Foggy mole\"]"]) {
        let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let bytes: Vec<serde_json::Value> = std::fs::read(file)?.into_iter().map(Into::into).collect();
        let script = "const [name, bytes, on] = arguments; const data = new DataTransfer();
             data.items.add(new File([new Uint8Array(bytes)], name, { type: 'image/png' }));
             const target = document.querySelector(on);
             for (const type of ['dragover', 'drop']) target.dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer: data }))";
        set.driver.execute(script, vec![name.clone().into(), bytes.into(), on.into()]).await?;
        let shot = name.trim_end_matches(".png");
        set.until(&format!("return !!document.querySelector('[data-shot={shot:?}] canvas[data-drawn]')"))
            .await?;
    }
    // Sorted by name the sky came first: on the ground, so into the last scene of shots.
    set.find("[aria-label=\"Scene Workbench\"] [data-shot=\"own sky\"]").await?;
    set.find("[aria-label=\"Scene Foggy mole\"] [data-shot=\"own wall\"]").await?;
    set.close().await
}
