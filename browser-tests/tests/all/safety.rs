//! Nothing is lost by a click, a reload or a link.

use lantern_browser_tests::{Outcome, Set};
use thirtyfour::Key;

const OPEN: &str = "?look=Harbour%20Dusk&shot=kelp%20greenhouse%20004";

#[tokio::test]
async fn a_reload_and_a_sent_link_come_back_to_place_look_shot_and_step_and_undo_goes_on() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.take("Tone").await?;
    let before = set.picture().await?;
    let shown = set.shown().await?;
    set.type_value("Contrast", "1.6").await?;
    set.newer(shown).await?;
    let after = set.picture().await?;
    assert_ne!(before, after);
    set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;
    let here = "return [document.querySelector('[data-menu=look]').innerText, document.querySelector('[aria-label=Shots] [aria-current=true]')?.innerText, document.querySelector('[aria-label=\"Selected step\"] h2')?.innerText].join('|')";
    let was = set.js(here).await?;
    let link = set.driver.current_url().await?;
    for name in ["production=", "place=look", "look=", "shot=", "step="] {
        assert!(link.as_str().contains(name), "{link} names no {name}");
    }
    set.driver.refresh().await?;
    set.until("return window.lantern && window.lantern.settled() > 0").await?;
    assert_eq!(set.js(here).await?, was);
    assert_eq!(set.picture().await?, after);
    // Undo survives the reload.
    set.until("return !document.querySelector('button[aria-label=Undo]').disabled").await?;
    let shown = set.shown().await?;
    set.command("z").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, before);
    // The browser's own way back goes to the place before.
    set.push("nav[aria-label=Places] button", "Balance").await?;
    set.until("return location.search.includes('place=balance')").await?;
    set.driver.back().await?;
    set.until("return document.querySelector('nav[aria-label=Places] [aria-current]').innerText === 'Look'")
        .await?;
    set.driver.goto(link.as_str()).await?;
    set.until("return window.lantern && window.lantern.settled() > 0").await?;
    assert_eq!(set.js(here).await?, was);
    set.close().await
}

#[tokio::test]
async fn versions_are_in_a_menu_and_going_back_to_one_can_be_undone() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.take("Tone").await?;
    let first = set.picture().await?;
    let shown = set.shown().await?;
    set.type_value("Contrast", "1.7").await?;
    set.newer(shown).await?;
    let changed = set.picture().await?;
    set.push("button", "Save version…").await?;
    set.find("[role=dialog] input").await?.send_keys("harder".to_owned() + Key::Enter).await?;
    set.until("return document.querySelector('[data-notice]')?.innerText.includes('Saved as version 2')")
        .await?;
    let shown = set.shown().await?;
    set.click("[data-menu=versions]").await?;
    set.until("return document.querySelectorAll('[role=menuitem]').length === 2").await?;
    set.js("[...document.querySelectorAll('[role=menuitem]')].find((e) => e.innerText.startsWith('Go back to 1')).click()").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, first);
    let shown = set.shown().await?;
    set.push("[data-notice] button", "Undo").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, changed);
    set.close().await
}

#[tokio::test]
async fn a_handoff_saves_a_version_where_the_look_has_changed_and_none_where_it_has_not() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.take("Tone").await?;
    set.type_value("Contrast", "1.3").await?;
    set.push("nav[aria-label=Places] button", "Handoff").await?;
    let made = async |count: usize| -> Outcome {
        set.click("button[type=submit]:not([disabled])").await?;
        set.until(&format!("return document.querySelectorAll('aside[aria-label=\"New table\"] [aria-current]').length === {count} && !!document.querySelector('[data-report]')")).await?;
        Ok(())
    };
    made(1).await?;
    let lines = "return [...document.querySelectorAll('aside[aria-label=\"New table\"] [aria-current]')].map((e) => e.innerText.slice(0, 2)).join()";
    assert_eq!(set.js(lines).await?, "v2");
    made(2).await?;
    assert_eq!(set.js(lines).await?, "v2,v2", "the same version again");
    let said = set.js("return document.querySelector('aside[aria-label=\"New table\"]').innerText").await?;
    let said = said.as_str().unwrap_or_default();
    assert!(said.contains("Rec.709 (BT.1886)") && !said.contains("rec709"), "names, no ids: {said}");
    set.close().await
}

#[tokio::test]
async fn what_is_deleted_is_asked_for_says_what_goes_with_it_and_comes_back() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let shots = "return document.querySelectorAll('[data-shot]').length";
    let before = set.js(shots).await?;
    set.click("[aria-label=\"More about scene Ferry deck\"]").await?;
    set.press("[role=menuitem]", "Delete scene…").await?;
    set.until(
        "return document.querySelector('[role=dialog]')?.innerText.includes('2 shots with their trims')",
    )
    .await?;
    set.push("[role=dialog] button", "Delete scene").await?;
    set.until(&format!("return document.querySelectorAll('[data-shot]').length === {} - 2", before)).await?;
    set.push("[data-notice] button", "Undo").await?;
    set.until(&format!("return document.querySelectorAll('[data-shot]').length === {before}")).await?;

    set.click("[data-menu=production]").await?;
    set.press("[role=menuitem]", "Delete…").await?;
    set.until("return document.querySelector('[role=dialog]')?.innerText.includes('9 scenes with 17 shots')")
        .await?;
    set.push("[role=dialog] button", "Delete production").await?;
    set.until("return document.body.innerText.includes('There is no production here yet')").await?;
    set.push("[data-notice] button", "Undo").await?;
    set.until(&format!("return document.querySelectorAll('[data-shot]').length === {before}")).await?;
    set.close().await
}

#[tokio::test]
async fn the_focus_is_back_where_it_was_after_a_dialog() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    for (opener, item) in [("[data-menu=look]", Some("New look…")), ("[aria-label=\"All keys\"]", None)] {
        set.keys(opener, Key::Enter + "").await?;
        if let Some(item) = item {
            set.press("[role=menuitem]", item).await?;
        }
        set.find("[role=dialog]").await?;
        set.until("return document.querySelector('[role=dialog]').contains(document.activeElement)").await?;
        set.driver.active_element().await?.send_keys(Key::Escape + "").await?;
        set.until(&format!("return !document.querySelector('[role=dialog]') && document.activeElement === document.querySelector({opener:?})")).await?;
    }
    set.close().await
}
