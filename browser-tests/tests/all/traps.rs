//! What a hand does by mistake, and what must not come of it.

use lantern_browser_tests::{Outcome, Set};
use thirtyfour::Key;

const OPEN: &str = "?look=Harbour%20Dusk&shot=workbench%20001";

#[tokio::test]
async fn an_area_drawn_in_balance_is_let_go_in_look_by_a_button_and_by_escape() -> Outcome {
    let set = Set::new().await?;
    for by_key in [true, false] {
        set.open("?place=balance&shot=workbench%20001").await?;
        set.click("[aria-label=Rectangle]").await?;
        set.touch("[data-touch=hand]", &[[0.2, 0.7], [0.23, 0.78], [0.25, 0.81]]).await?;
        set.find("[data-whole-frame]").await?;
        set.push("nav[aria-label=Places] button", "Look").await?;
        set.find("[data-whole-frame]").await?;
        if by_key {
            set.keys("body", Key::Escape + "").await?;
        } else {
            set.click("[data-whole-frame]").await?;
        }
        set.until("return !document.querySelector('[data-whole-frame]') && !document.querySelector('[data-area]') && window.lantern.settled() > 0").await?;
    }
    set.close().await
}

#[tokio::test]
async fn the_readout_lets_go_of_the_last_shots_numbers() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.driver.action_chain().move_to_element_center(&set.find("[data-touch=hand]").await?).perform().await?;
    set.until("return !!document.querySelector('[data-readout]')").await?;
    set.keys("body", Key::PageUp + "").await?;
    set.until("return !document.querySelector('[data-readout]')").await?;
    set.close().await
}

#[tokio::test]
async fn letters_step_printer_points_only_while_print_is_selected() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.add_step("film", "Print").await?;
    set.find("[data-light=red]").await?;
    let red = "return document.querySelector('[data-light=red]')?.innerText ?? ''";
    let before = set.js(red).await?;
    set.take("Tone").await?;
    let undoes = set.js("return document.querySelector('button[aria-label=Undo]').title").await?;
    set.keys("body", "r").await?;
    set.keys("body", "l").await?;
    assert_eq!(set.js("return document.querySelector('button[aria-label=Undo]').title").await?, undoes);
    set.take("Print").await?;
    set.find("[data-light=red]").await?;
    assert_eq!(set.js(red).await?, before);
    set.keys("body", "r").await?;
    set.until(&format!("return document.querySelector('[data-light=red]').innerText !== {before}")).await?;
    set.close().await
}

#[tokio::test]
async fn fade_works_from_one_per_cent_on_and_says_the_black_it_gives() -> Outcome {
    let set = Set::new().await?;
    // A trim and a look that do nothing else to black.
    let plain = serde_json::json!({ "steps": [
        { "id": "t", "name": "Tone", "zone": "scene", "on": true, "strength": 1.0, "kind": "tone", "values": {} } ] });
    set.post_look("Fade alone", &plain)?;
    set.open("?look=Fade%20alone&shot=workbench%20001").await?;
    set.take("Tone").await?;
    // Evenly up to 18 % of the signal at 100 %.
    for (per_cent, black) in [("1", 0.0018), ("10", 0.018), ("50", 0.09), ("100", 0.18)] {
        set.type_value("Fade", per_cent).await?;
        set.until(&format!(
            "return Math.abs(Number(document.querySelector('[data-black]')?.dataset.black) - {black}) < 0.0015"
        ))
        .await?;
    }
    set.close().await
}

#[tokio::test]
async fn what_is_no_value_is_refused_with_the_range_and_the_value_stays() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.take("Tone").await?;
    let value = "return document.querySelector('[data-field=shoulder]').getAttribute('aria-valuenow')";
    let before = set.js(value).await?;
    for wrong in ["1e99", "0x10", "soft", "250", "--5", "1 2 x"] {
        set.type_value("Shoulder", wrong).await?;
        set.until(&format!(
            "return document.querySelector('[data-notice]')?.innerText.includes('“{wrong}” was not taken: Shoulder goes from -100 % to 100 %')"
        ))
        .await?;
        assert_eq!(set.js(value).await?, before, "{wrong}");
    }
    set.type_value("Shoulder", "1.5e1 %").await?;
    set.until(&format!("{value} === '0.15'")).await?;
    set.close().await
}

#[tokio::test]
async fn a_name_that_is_refused_says_why() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.take("Tone").await?;
    set.keys("[data-step=tone] button[aria-current=true]", Key::F2 + "").await?;
    let field = set.find("input[aria-label=\"Name of the step\"]").await?;
    field.send_keys(Key::Control + "a").await?;
    field.send_keys("   ".to_owned() + Key::Enter).await?;
    set.until("return document.querySelector('[data-notice]')?.innerText.includes('A name needs at least one letter')").await?;
    set.until("return document.querySelector('[data-step=tone]').innerText.includes('Tone')").await?;
    set.click("[data-menu=look]").await?;
    set.press("[role=menuitem]", "Rename…").await?;
    set.find("[role=dialog] input").await?.send_keys(Key::Control + "a" + Key::Backspace).await?;
    set.push("[role=dialog] button", "Rename look").await?;
    set.until("return document.querySelector('[role=dialog] [role=alert]')?.innerText.includes('at least one letter')").await?;
    set.close().await
}

#[tokio::test]
async fn escape_closes_what_was_opened_last_halation_and_the_shelf_too() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.add_step("film", "Halation").await?;
    let shown = set.shown().await?;
    set.press("button", "halation alone").await?;
    set.newer(shown).await?;
    let alone = set.picture().await?;
    set.push("button", "Shelf ▸").await?;
    set.find("aside[aria-label=Shelf]").await?;
    let shown = set.shown().await?;
    set.keys("body", Key::Escape + "").await?;
    set.newer(shown).await?;
    assert_ne!(set.picture().await?, alone, "the picture is the picture again");
    set.find("aside[aria-label=Shelf]").await?;
    set.keys("body", Key::Escape + "").await?;
    set.until("return !document.querySelector('aside[aria-label=Shelf]')").await?;
    set.close().await
}

#[tokio::test]
async fn nothing_overlaps_in_a_small_window_and_all_keys_are_on_a_sheet() -> Outcome {
    let set = Set::new().await?;
    set.resize(1024, 700).await?;
    // Neighbours that share an edge at most.
    let apart = "
        const boxes = [...document.querySelectorAll('nav[aria-label=Path], [aria-label=Picture], [aria-label=\"Selected step\"], aside[aria-label=Scopes], [aria-label=Shots], [aria-label=Status], aside[aria-label=Shelf], canvas[data-scope]')]
            .map((e) => [e.getAttribute('aria-label') ?? e.dataset.scope, e.getBoundingClientRect(), e]).filter(([, r]) => r.width > 0);
        const over = [];
        for (const [a, r, e] of boxes) for (const [b, s, f] of boxes)
            if (a < b && !e.contains(f) && !f.contains(e) && r.left < s.right - 1 && s.left < r.right - 1 && r.top < s.bottom - 1 && s.top < r.bottom - 1) over.push(`${a} and ${b}`);
        for (const [a, r] of boxes) if (r.right > innerWidth + 1 || r.bottom > innerHeight + 1) over.push(`${a} leaves the window`);
        return over";
    for query in
        [OPEN, "?place=balance&shot=workbench%20001", "?look=Harbour%20Dusk&place=handoff", "?place=footage"]
    {
        set.open(query).await.or_else(|e| {
            if query.contains("footage") || query.contains("handoff") { Ok(()) } else { Err(e) }
        })?;
        assert_eq!(set.js(apart).await?, serde_json::json!([]), "{query}");
    }
    set.open(OPEN).await?;
    set.push("button", "Shelf ▸").await?;
    set.find("aside[aria-label=Shelf]").await?;
    assert_eq!(set.js(apart).await?, serde_json::json!([]), "with the Shelf");
    set.take("Tone").await?;
    let plot =
        set.js("return document.querySelector('[data-plot=response]').getBoundingClientRect().width").await?;
    assert!(plot.as_f64().unwrap_or(0.0) > 200.0, "the tone plot is {plot} wide");
    set.keys("body", "?").await?;
    set.until("return document.querySelectorAll('[role=dialog] dt').length > 25").await?;
    set.close().await
}

#[tokio::test]
async fn a_picture_that_is_older_than_the_values_says_so() -> Outcome {
    let mut set = Set::new().await?;
    set.open(OPEN).await?;
    set.take("Tone").await?;
    set.until("return !document.querySelector('[data-behind]')").await?;
    // The server goes while a value is changed: the picture stays, and is marked.
    if let Some(server) = &mut set.server {
        server.kill();
    }
    set.keys("[data-field=contrast]", Key::Right + "").await?;
    set.until("return !!document.querySelector('[data-behind]') && !!document.querySelector('[data-away]')")
        .await?;
    set.close().await
}

#[tokio::test]
async fn notes_of_a_first_visit_are_dismissed_for_good_and_keep_no_click_from_anything() -> Outcome {
    let set = Set::new().await?;
    set.open(OPEN).await?;
    set.js("localStorage.removeItem('dusky-lantern seen look')").await?;
    set.open(OPEN).await?;
    set.until("return document.querySelectorAll('[data-notes=look] > div').length === 3").await?;
    set.click("[data-step=tone] button[aria-current]").await?;
    set.push("[data-notes] button", "Got it").await?;
    set.until("return !document.querySelector('[data-notes]')").await?;
    set.open(OPEN).await?;
    assert_eq!(set.js("return document.querySelectorAll('[data-notes]').length").await?, 0);
    set.close().await
}
