//! A walk through all places and shots in the browser as it is today, with a console free of errors; and what is changed just
//! before the page goes.

use lantern_browser_tests::{Outcome, Set};
use serde_json::json;
use thirtyfour::Key;

const PLACES: [&str; 4] = ["Footage", "Balance", "Look", "Handoff"];

/// Errors of the page that were logged so far, and what it says where a place broke.
async fn unbroken(set: &Set, at: &str) -> Outcome {
    let broken = set.js("return [...document.querySelectorAll('[role=alert]')].map((e) => e.innerText).filter((t) => t.includes('could not be drawn')).join()").await?;
    assert_eq!(broken, "", "{at}");
    let errors = set.console_errors().await?;
    assert!(errors.is_empty(), "{at}: {errors:?}");
    Ok(())
}

async fn go(set: &Set, place: &str) -> Outcome {
    set.push("nav[aria-label=Places] button", place).await?;
    set.until(&format!("return document.querySelector('nav[aria-label=Places] [aria-current]')?.innerText === {place:?} && document.querySelectorAll('h1').length === 1 && document.querySelector('h1').innerText.startsWith({place:?})")).await?;
    Ok(())
}

#[tokio::test]
async fn all_places_and_shots_are_walked_through_without_an_error() -> Outcome {
    let set = Set::new().await?;
    set.open("?look=Harbour%20Dusk&shot=workbench%20001").await?;
    for from in PLACES {
        for to in PLACES {
            go(&set, from).await?;
            go(&set, to).await?;
            unbroken(&set, &format!("{from} to {to}")).await?;
        }
    }
    for place in ["Balance", "Look"] {
        go(&set, place).await?;
        let count = set.js("return document.querySelectorAll('[aria-label=Shots] button').length").await?;
        let count = count.as_u64().unwrap_or(0);
        assert!(count > 10, "{count}");
        for i in (0..count).rev() {
            set.js(&format!("document.querySelectorAll('[aria-label=Shots] button')[{i}].click()")).await?;
            // The one in hand is in sight.
            set.until(&format!(
                "const row = document.querySelector('[aria-label=Shots]').getBoundingClientRect();
                 const own = document.querySelectorAll('[aria-label=Shots] button')[{i}];
                 const b = own.getBoundingClientRect();
                 return own.ariaCurrent === 'true' && b.left >= row.left - 1 && b.right <= row.right + 1"
            ))
            .await?;
        }
        unbroken(&set, place).await?;
    }
    set.close().await
}

#[tokio::test]
async fn a_reload_right_after_an_edit_loses_nothing() -> Outcome {
    let set = Set::new().await?;
    for (query, field, values) in [
        ("?look=Harbour%20Dusk&shot=workbench%20001", "Contrast", ["1.31", "1.32", "1.33"]),
        ("?place=balance&shot=workbench%20001", "Exposure", ["0.41", "0.42", "0.43"]),
    ] {
        set.open(query).await?;
        if field == "Contrast" {
            set.take("Tone").await?;
        } else {
            set.push("button", "Begin with Balance").await?;
            set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;
        }
        for value in values {
            set.type_value(field, value).await?;
            // At once: within the time that saving waits for a pause.
            set.js("location.reload()").await?;
            set.until("return window.lantern && window.lantern.settled() > 0").await?;
            if field == "Contrast" {
                set.take("Tone").await?;
            }
            let id = field.to_lowercase();
            set.until(&format!("return document.querySelector('[data-field={id}]')?.getAttribute('aria-valuenow') === '{value}'")).await?;
            set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;
        }
    }
    set.close().await
}

#[tokio::test]
async fn what_was_deleted_is_on_a_list_is_put_back_and_deleted_for_good() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let count = "return document.querySelectorAll('[data-shot]').length";
    let before = set.js(count).await?.as_u64().unwrap_or(0);
    for name in ["ferry deck 008", "kelp greenhouse 004"] {
        set.click(&format!("[aria-label=\"More about {name}\"]")).await?;
        set.press("[role=menuitem]", "Delete…").await?;
        set.push("[role=dialog] button", "Delete shot").await?;
        set.until(&format!("return !document.querySelector('[data-shot=\"{name}\"]')")).await?;
    }
    // The notice is gone with a reload; the list is not.
    set.driver.refresh().await?;
    set.until(&format!("{count} === {}", before - 2)).await?;
    set.click("[data-menu=production]").await?;
    set.press("[role=menuitem]", "Deleted…").await?;
    set.until("return document.querySelectorAll('[data-deleted]').length === 2").await?;
    set.click("[aria-label=\"Put back ferry deck 008\"]").await?;
    set.until(&format!(
        "{count} === {} && document.querySelectorAll('[data-deleted]').length === 1",
        before - 1
    ))
    .await?;
    set.click("[aria-label=\"Delete kelp greenhouse 004 for good\"]").await?;
    set.push("[role=dialog] button", "Delete for good").await?;
    set.until("return document.querySelector('[role=dialog]')?.innerText.includes('Nothing was deleted')")
        .await?;
    set.push("[role=dialog] button", "Close").await?;
    set.until(&format!("{count} === {}", before - 1)).await?;
    unbroken(&set, "the list of what was deleted").await?;
    set.close().await
}

#[tokio::test]
async fn long_lists_stay_inside_the_window_scroll_and_are_searched_by_typing() -> Outcome {
    let set = Set::new().await?;
    // A production with as many shots as a series has: stills of one picture.
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let scene = set.post(&format!("/api/productions/{production}/scenes"), &json!({ "name": "Many" }))?;
    let scene = scene["id"].as_str().unwrap_or("").to_owned();
    let picture = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../docs/screenshots/footage.png"))?;
    for i in 0..60 {
        let key = format!("{i:064x}");
        ureq::put(format!("{}/api/incoming/{key}?from=0&name=many%20{i:03}.png", set.url))
            .send(&picture[..])?;
        set.post(
            &format!("/api/scenes/{scene}/shots"),
            &json!({ "key": key, "name": format!("many {i:03}.png") }),
        )?;
    }
    set.open("?place=balance&shot=workbench%20001").await?;
    let inside = "const b = document.querySelector('[role=listbox], [role=menu]').getBoundingClientRect();
        return b.top >= 0 && b.bottom <= innerHeight && b.left >= 0 && b.right <= innerWidth && b.height > 100";
    set.click("[role=combobox][aria-label=\"Shot beside\"]").await?;
    set.until(inside).await?;
    // By typing, and the one that is meant is in sight.
    set.driver.active_element().await?.send_keys("many 05").await?;
    let sight = "const o = document.activeElement.getBoundingClientRect(), l = document.querySelector('[role=listbox]').getBoundingClientRect();
        return document.activeElement.innerText.startsWith('many 05') && o.top >= l.top - 1 && o.bottom <= l.bottom + 1";
    set.until(sight).await?;
    set.driver.active_element().await?.send_keys(Key::Enter + "").await?;
    set.until("return document.querySelector('[role=combobox][aria-label=\"Shot beside\"]').innerText.startsWith('many 05')").await?;
    // Opened again, the chosen one is in sight, and the end can be reached by keys.
    set.click("[role=combobox][aria-label=\"Shot beside\"]").await?;
    set.until(sight).await?;
    set.driver.active_element().await?.send_keys(Key::End + "").await?;
    set.until("const o = document.activeElement.getBoundingClientRect(), l = document.querySelector('[role=listbox]').getBoundingClientRect();
        return document.activeElement.innerText === 'many 059' && o.bottom <= l.bottom + 1").await?;
    // The wheel scrolls it.
    let scrolled = "return document.querySelector('[data-radix-select-viewport]').scrollTop";
    let before = set.js(scrolled).await?.as_f64().unwrap_or(0.0);
    assert!(before > 0.0);
    set.driver.active_element().await?.send_keys(Key::Escape + "").await?;
    set.until("return !document.querySelector('[role=listbox]')").await?;
    unbroken(&set, "long lists").await?;
    set.close().await
}

#[tokio::test]
async fn frames_in_out_and_play_stand_under_the_picture_in_balance_and_in_look() -> Outcome {
    let set = Set::new().await?;
    for place in ["balance", "look"] {
        set.open(&format!("?place={place}&look=Harbour%20Dusk&shot=ferry%20deck%20007")).await?;
        set.until("return !!document.querySelector('[aria-label=Picture] [aria-label=Sequence]')").await?;
        let at = "return document.querySelector('[data-frame]').dataset.frame";
        let first = set.js(at).await?;
        set.keys("[aria-label=Sequence] [aria-label=Frame]", Key::Right + "").await?;
        set.until(&format!("{at} !== {first}")).await?;
        set.click("[aria-label=Sequence] [aria-label=Play]").await?;
        set.find("[aria-label=Sequence] [aria-label=Pause]").await?;
        set.click("[aria-label=Sequence] [aria-label=Pause]").await?;
        set.find("[aria-label=Sequence] [aria-label=Play]").await?;
        // Nothing of it leaves the room below the picture.
        set.until("const s = document.querySelector('[aria-label=Sequence]').getBoundingClientRect(), p = document.querySelector('[aria-label=Picture]').getBoundingClientRect(); return s.left >= p.left && s.right <= p.right + 1 && s.bottom <= p.bottom + 1").await?;
    }
    // A still has no frames to go through.
    set.open("?place=look&look=Harbour%20Dusk&shot=workbench%20001").await?;
    assert_eq!(set.js("return document.querySelectorAll('[aria-label=Sequence]').length").await?, 0);
    set.close().await
}

#[tokio::test]
async fn the_focus_never_falls_out_of_the_page() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let kept = "return document.activeElement !== document.body && document.activeElement.isConnected";
    set.keys("[aria-label=\"More about ferry deck 008\"]", Key::Enter + "").await?;
    set.press("[role=menuitem]", "Delete…").await?;
    set.push("[role=dialog] button", "Delete shot").await?;
    set.until("return !document.querySelector('[data-shot=\"ferry deck 008\"]') && !document.querySelector('[role=dialog]')").await?;
    set.until(kept).await?;
    // While a menu is open nothing behind it can be reached.
    set.keys("[data-menu=production]", Key::Enter + "").await?;
    set.until(
        "return document.querySelector('#root').inert && !!document.querySelector('aside [role=menu]')",
    )
    .await?;
    set.driver.active_element().await?.send_keys(Key::Escape + "").await?;
    set.until("return !document.querySelector('#root').inert && document.activeElement.dataset.menu === 'production'").await?;
    set.close().await
}

#[tokio::test]
async fn notes_of_a_first_visit_lie_on_no_card_and_go_when_their_subject_is_used() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    set.js("localStorage.clear()").await?;
    set.driver.refresh().await?;
    set.until("return document.querySelectorAll('article').length > 10 && document.querySelector('[data-notes]')?.innerText.includes('A camera')").await?;
    let over = "const cards = [...document.querySelectorAll('article')].map((c) => c.getBoundingClientRect());
        const ground = document.querySelector('main').getBoundingClientRect();
        return [...document.querySelectorAll('[data-notes], [data-notes] > div')].map((n) => n.getBoundingClientRect())
            .filter((n) => cards.some((c) => n.left < c.right && c.left < n.right && n.top < Math.min(c.bottom, ground.bottom) && c.top < n.bottom)).length";
    assert_eq!(set.js(over).await?, 0);
    set.click("[data-encoding-button]").await?;
    set.find("[role=dialog]").await?;
    set.driver.active_element().await?.send_keys(Key::Escape + "").await?;
    set.until("return !document.querySelector('[role=dialog]') && !document.querySelector('[data-notes]').innerText.includes('how it is encoded')").await?;
    set.push("[data-notes] button", "Got it").await?;
    set.until("return !document.querySelector('[data-notes]')").await?;
    set.close().await
}

#[tokio::test]
async fn look_works_at_200_per_cent_zoom() -> Outcome {
    let set = Set::new().await?;
    // What a page sees of 1280 x 800 at 200 %.
    set.resize(640, 400).await?;
    set.open("?look=Harbour%20Dusk&shot=ferry%20deck%20007").await?;
    assert_eq!(set.js("return document.documentElement.scrollWidth").await?, 640);
    let seen = "const p = document.querySelector('canvas[data-picture]').getBoundingClientRect(); return p.width > 300 && p.height > 150 && p.bottom <= innerHeight";
    set.until(seen).await?;
    set.take("Tone").await?;
    let shown = set.shown().await?;
    set.type_value("Contrast", "1.4").await?;
    set.newer(shown).await?;
    // Everything can be scrolled to, side by side with nothing else.
    for part in [
        "nav[aria-label=Path]",
        "[aria-label=\"Selected step\"]",
        "aside[aria-label=Scopes]",
        "[aria-label=Shots]",
    ] {
        set.until(&format!("const e = document.querySelector({part:?}); e.scrollIntoView({{ block: 'nearest' }}); const b = e.getBoundingClientRect(); return b.width > 500 && b.left >= 0 && b.right <= 641")).await?;
    }
    set.close().await
}

#[tokio::test]
async fn a_conflict_is_announced_and_both_ways_out_of_it_stand_under_the_head() -> Outcome {
    let set = Set::new().await?;
    set.open("?look=Harbour%20Dusk&shot=workbench%20001").await?;
    set.take("Tone").await?;
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let looks = set.get(&format!("/api/productions/{production}/looks"))?;
    let look =
        looks.as_array().and_then(|l| l.iter().find(|l| l["name"] == "Harbour Dusk")).ok_or("no look")?;
    // Another window saves first.
    let url = format!("/api/looks/{}", look["id"].as_str().unwrap_or(""));
    let mut theirs = set.get(&url)?;
    theirs["document"]["notes"] = json!("theirs");
    let body = json!({ "revision": theirs["revision"], "document": theirs["document"] });
    ureq::put(format!("{}{url}", set.url)).send_json(&body)?;
    set.type_value("Contrast", "1.7").await?;
    set.until("return !!document.querySelector('[role=alert] [data-conflict]')").await?;
    // What is kept here is there after a reload too.
    set.driver.refresh().await?;
    set.until("return !!document.querySelector('[role=alert] [data-conflict]')").await?;
    set.push("[data-conflict] button", "Keep mine as a new look").await?;
    set.until("return !document.querySelector('[data-conflict]') && document.querySelector('[data-menu=look]').innerText.includes('(mine)')").await?;
    set.close().await
}

#[tokio::test]
async fn files_that_say_nothing_are_confirmed_at_once_for_all_of_a_kind() -> Outcome {
    let set = Set::new().await?;
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let scene = set.post(&format!("/api/productions/{production}/scenes"), &json!({ "name": "Own" }))?;
    let scene = scene["id"].as_str().unwrap_or("").to_owned();
    // A JPEG of this program's own demo, without a profile.
    let folder = tempfile::tempdir()?;
    let jpeg = folder.path().join("a.jpg");
    let from = concat!(env!("CARGO_MANIFEST_DIR"), "/../docs/screenshots/look-curves.png");
    let made = std::process::Command::new("ffmpeg").args(["-v", "error", "-i", from]).arg(&jpeg).status()?;
    assert!(made.success());
    let bytes = std::fs::read(&jpeg)?;
    for i in 0..3 {
        let key = format!("{i:064x}");
        ureq::put(format!("{}/api/incoming/{key}?from=0&name=day.jpg", set.url)).send(&bytes[..])?;
        set.post(&format!("/api/scenes/{scene}/shots"), &json!({ "key": key, "name": "day.jpg" }))?;
    }
    set.driver.goto(format!("{}/?place=footage", set.url)).await?;
    set.until("return ['day', 'day (2)', 'day (3)'].every((n) => document.querySelector(`[data-shot=\"${n}\"] [data-raw]`))").await?;
    set.until("return document.querySelector('[data-proposal=srgb]')?.innerText.includes('3 shots do not say how they are encoded. Nearly all such files are sRGB (common practice).')").await?;
    set.push("[data-proposal] button", "Set sRGB for 3 shots").await?;
    set.until("return !document.querySelector('[data-proposal]') && [...document.querySelectorAll('[data-shot^=day] [data-encoding]')].every((e) => e.dataset.encoding === 'srgb')").await?;
    set.push("[data-notice] button", "Undo").await?;
    set.until("return !!document.querySelector('[data-proposal=srgb]') && document.querySelectorAll('[data-shot^=day] [data-raw]').length === 3").await?;
    // "Encoding unknown" stands under no kind of encoding.
    set.push("[data-proposal] button", "Choose another…").await?;
    set.until("return document.querySelector('[data-encoding-choice=\"\"]')?.closest('section').ariaLabel === 'Not known'").await?;
    unbroken(&set, "encodings that are proposed").await?;
    set.close().await
}
