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

#[tokio::test]
async fn a_picture_brought_in_waits_for_its_encoding_and_is_then_shown_as_that_encoding() -> Outcome {
    let set = Set::new().await?;
    set.open("?place=footage").await?;
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("fog 001.png");
    grey(&file, 105)?;
    // The input is hidden behind its button; a driver hands files to it as the chooser would.
    set.find("input[type=file]").await?.send_keys(file.display().to_string()).await?;
    set.until("return !!document.querySelector('[data-shot=\"fog 001\"]')").await?;
    let said = set.js("return document.querySelector('[data-shot=\"fog 001\"]').innerText").await?;
    assert!(said.as_str().unwrap_or("").contains("does not say"), "{said}");
    assert_eq!(set.js(&middle("fog 001")).await?, 0, "nothing is shown before the encoding is said");

    // ACEScct 105/255 is 0.177 in light (S-2016-001), just under middle grey: about 10 % of peak by the plain
    // rendering, which is 0.1 in sRGB's curve: code 89.
    for (encoding, low, high) in [("acescct", 85.0, 92.0), ("srgb", 104.0, 106.0)] {
        set.click("[data-shot=\"fog 001\"] [role=combobox]").await?;
        set.until("return !!document.querySelector('[role=option]')").await?;
        let pick = format!(
            "const o = [...document.querySelectorAll('[role=option]')].find((e) => e.innerText === '{encoding}');
             o.focus(); return !!o"
        );
        assert_eq!(set.js(&pick).await?, true);
        set.driver.active_element().await?.send_keys(thirtyfour::Key::Enter + "").await?;
        let reads = middle("fog 001");
        set.until(&format!("const v = (() => {{ {reads} }})(); return v > {low} && v < {high}")).await?;
    }

    // It is in the row of every look now, and it can be deleted again.
    set.click("[aria-label=\"More about fog 001\"]").await?;
    set.until("return !!document.querySelector('[role=menuitem]')").await?;
    set.js("[...document.querySelectorAll('[role=menuitem]')].find((e) => e.innerText.startsWith('Delete')).click()")
        .await?;
    set.until("return !!document.querySelector('[role=dialog]')").await?;
    set.click("[role=dialog] button").await?;
    set.until("return !document.querySelector('[data-shot=\"fog 001\"]')").await?;
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
    set.find("input[type=file]").await?.send_keys(file.display().to_string()).await?;
    let said = set.until("return document.querySelector('[data-incoming=refused]')?.innerText").await?;
    let said = said.as_str().unwrap_or("");
    assert!(said.contains("notes.png") && said.contains("no picture"), "{said}");
    assert_eq!(set.js(count).await?, before);
    set.close().await
}
