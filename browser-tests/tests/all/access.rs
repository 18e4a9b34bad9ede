//! Everybody can use it: axe-core finds nothing on any place or dialog, and the keyboard alone is enough.

use lantern_browser_tests::{Outcome, Set};
use thirtyfour::Key;

/// Violations of WCAG 2.2 A and AA, one in a line.
const AXE: &str = r"
const done = arguments[arguments.length - 1];
axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'], resultTypes: ['violations'] }).then((found) =>
  done(found.violations.map((v) => `${v.id}: ${v.nodes.slice(0, 4).map((n) => `${n.html.slice(0, 110)} (${n.any[0]?.message ?? n.all[0]?.message ?? ''})`).join(' | ')} (${v.nodes.length})`)));
";

/// Adds what axe finds on the page as it is now.
async fn check(set: &Set, what: &str, all: &mut Vec<String>) -> Outcome {
    let axe = std::fs::read_to_string(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../web/node_modules/axe-core/axe.min.js"
    ))?;
    set.driver.execute(format!("if (!window.axe) {{ {axe} }}"), vec![]).await?;
    let found = set.driver.execute_async(AXE, vec![]).await?.json().clone();
    all.extend(found.as_array().into_iter().flatten().map(|v| format!("{what}: {v}")));
    Ok(())
}

#[tokio::test]
async fn axe_finds_nothing_on_any_place() -> Outcome {
    let mut all = Vec::new();
    let set = Set::new().await?;
    for query in ["?place=look&look=Harbour%20Dusk", "?place=balance&shot=workbench%20001"] {
        set.open(query).await?;
        check(&set, query, &mut all).await?;
    }
    set.push("button", "Begin with Balance").await?;
    set.shown().await?;
    check(&set, "balance with a step", &mut all).await?;
    for place in ["Footage", "Handoff"] {
        set.push("nav[aria-label=Places] button", place).await?;
        check(&set, place, &mut all).await?;
    }
    set.click("button[type=submit]:not([disabled])").await?;
    set.until("return !!document.querySelector('[data-report]')").await?;
    check(&set, "report", &mut all).await?;
    set.press("[role=radio]", "A package").await?;
    set.until("return !!document.querySelector('section[aria-label=Report] button')").await?;
    check(&set, "no plan yet", &mut all).await?;
    set.press("button", "Begin with four receivers").await?;
    set.until("return document.querySelectorAll('[data-receiver]').length === 4").await?;
    check(&set, "plan", &mut all).await?;
    assert!(all.is_empty(), "{all:#?}");
    set.close().await
}

#[tokio::test]
async fn axe_finds_nothing_on_any_step_and_on_the_shelf() -> Outcome {
    let mut all = Vec::new();
    let set = Set::new().await?;
    set.open("?look=Harbour%20Dusk&shot=workbench%20001").await?;
    for (zone, title) in [
        ("scene", "Gel"),
        ("scene", "Channel mix"),
        ("scene", "Levels"),
        ("scene", "Slope/offset/power"),
        ("scene", "Tone tint"),
        ("scene", "Curves"),
        ("scene", "Hue curves"),
        ("scene", "Colour families"),
        ("scene", "Saturation"),
        ("scene", "Table"),
        ("film", "Negative"),
        ("film", "Print"),
        ("film", "Grain"),
    ] {
        set.add_step(zone, title).await?;
        check(&set, title, &mut all).await?;
    }
    set.press("button", "Shelf ▸").await?;
    set.until("return document.querySelectorAll('[data-card]').length > 20").await?;
    set.click("[data-card]").await?;
    check(&set, "the Shelf", &mut all).await?;
    assert!(all.is_empty(), "{all:#?}");
    set.close().await
}

#[tokio::test]
async fn axe_finds_nothing_on_first_pages_and_dialogs() -> Outcome {
    let mut all = Vec::new();
    let set = Set::empty().await?;
    set.driver.goto(&set.url).await?;
    set.push("button", "New production…").await?;
    check(&set, "new production", &mut all).await?;
    set.find("[role=dialog] input").await?.send_keys("Own Film".to_owned() + Key::Enter).await?;
    set.find("[aria-label=\"Bring footage in\"]").await?;
    check(&set, "empty footage", &mut all).await?;
    set.push("button", "+ profile").await?;
    check(&set, "camera profile", &mut all).await?;
    set.close().await?;

    let set = Set::new().await?;
    set.open("?place=footage").await?;
    set.command("a").await?;
    set.find("[data-selected]").await?;
    check(&set, "a selection", &mut all).await?;
    set.push("[aria-label=\"Selected shots\"] button", "Set encoding…").await?;
    set.find("[role=dialog] [role=radio]").await?;
    check(&set, "encoding", &mut all).await?;
    assert!(all.is_empty(), "{all:#?}");
    set.close().await
}

#[tokio::test]
async fn the_keyboard_alone_brings_in_encodes_balances_looks_saves_and_hands_off() -> Outcome {
    let set = Set::empty().await?;
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("fog.png");
    let made = std::process::Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", "testsrc2=s=320x180", "-frames:v", "1"])
        .arg(&file)
        .status()?;
    assert!(made.success());
    set.driver.goto(&set.url).await?;
    /// The longest way by Tab to anything on a place.
    const FAR: usize = 150;
    // Goes on by Tab until what has the focus is named so, and presses Enter there.
    let go = async |css: &str, name: &str, key: &str| -> Outcome {
        set.until(&format!("return [...document.querySelectorAll({css:?})].some((e) => (e.getAttribute('aria-label') ?? e.innerText).trim().startsWith({name:?}))")).await?;
        for _ in 0..FAR {
            let here = set.js(&format!("const e = document.activeElement; return e.matches({css:?}) && (e.getAttribute('aria-label') ?? e.innerText).trim().startsWith({name:?})")).await?;
            if here == true {
                set.driver.active_element().await?.send_keys(key.to_owned()).await?;
                return Ok(());
            }
            set.driver.action_chain().send_keys(Key::Tab).perform().await?;
        }
        Err(format!("the keyboard does not reach {name}").into())
    };
    let enter = Key::Enter.value().to_string();
    go("button", "New production…", &enter).await?;
    set.find("[role=dialog] input").await?;
    set.driver.active_element().await?.send_keys("By keys".to_owned() + Key::Enter).await?;
    set.find("[data-bring]").await?;
    // The chooser itself is the machine's; a driver hands it the file.
    set.find("input[aria-label=Files]").await?.send_keys(file.display().to_string()).await?;
    set.until("return !!document.querySelector('[data-shot=fog] canvas[data-drawn]')").await?;
    go("button", "Encoding of fog", &enter).await?;
    set.find("[role=dialog] [role=radio]").await?;
    go("[role=radio]", "ACEScct", " ").await?;
    go("[role=dialog] button", "Set encoding", &enter).await?;
    set.until("return !document.querySelector('[data-raw]') && !document.querySelector('[role=dialog]')")
        .await?;
    go("nav button", "Balance", &enter).await?;
    go("button", "Begin with Balance", &enter).await?;
    let shown = set.shown().await?;
    go("[role=slider]", "Exposure", &Key::Right.value().to_string()).await?;
    set.newer(shown).await?;
    set.until("return document.querySelector('[data-saving]').dataset.saving === 'saved'").await?;
    go("nav button", "Look", &enter).await?;
    set.shown().await?;
    go("button", "Add a step to the scene zone", &enter).await?;
    set.until("return document.activeElement.getAttribute('role') === 'menuitem'").await?;
    set.driver.active_element().await?.send_keys("Tone").await?;
    set.until("return document.activeElement.innerText.startsWith('Tone')").await?;
    set.driver.active_element().await?.send_keys(Key::Enter + "").await?;
    set.until("return !!document.querySelector('[data-step=tone]')").await?;
    let shown = set.shown().await?;
    go("[role=slider]", "Contrast", &format!("{}{}", Key::Shift.value(), Key::Right.value())).await?;
    set.newer(shown).await?;
    go("button", "Save version…", &enter).await?;
    set.find("[role=dialog] input").await?;
    set.driver.active_element().await?.send_keys("by keys".to_owned() + Key::Enter).await?;
    set.until("return document.querySelector('[data-notice]')?.innerText.includes('Saved as version 1')")
        .await?;
    go("nav button", "Handoff", &enter).await?;
    go("button[type=submit]", "Make table", &enter).await?;
    set.until("return !!document.querySelector('[data-report]')").await?;
    go("a", "Download", "").await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}
