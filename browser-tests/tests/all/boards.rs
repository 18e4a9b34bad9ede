//! Boards of references on the Shelf: brought in, read, compared, taken over; and a film fitted to patches.

use lantern_browser_tests::{Outcome, Set};
use std::fmt::Write;

const CUBE: &str = "TITLE \"dusk acescct to rec709\"\nLUT_3D_SIZE 2\n0.1 0.1 0.1\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n0.9 0.9 0.9\n";

#[tokio::test]
async fn references_come_in_are_read_compared_and_taken_over_in_parts() -> Outcome {
    let set = Set::new().await?;
    set.make_look("Bare", &serde_json::json!([]))?;
    set.open("?look=Bare&shot=workbench%20001").await?;
    set.press("button", "Shelf ▸").await?;
    set.until("return document.querySelectorAll('[data-board] button').length === 5").await?;

    // A table from a file, a frame of the shot, a picture from the clipboard.
    let file = set.data.path().join("dusk.cube");
    std::fs::write(&file, CUBE)?;
    set.find("[aria-label=\"Reference files\"]").await?.send_keys(file.display().to_string()).await?;
    set.until("return document.querySelectorAll('[data-board] button').length === 6").await?;
    set.click("[aria-label=\"Bring in references\"]").await?;
    set.press("[role=menuitem]", "This frame").await?;
    set.until("return document.querySelectorAll('[data-board] button').length === 7").await?;
    set.js(
        "const canvas = document.createElement('canvas');
         [canvas.width, canvas.height] = [90, 200];
         const c = canvas.getContext('2d');
         for (let y = 0; y < 200; y++) { c.fillStyle = `rgb(${40 + y / 2} ${y / 2} ${130 - y / 2})`; c.fillRect(0, y, 90, 1); }
         canvas.toBlob((blob) => {
           const data = new DataTransfer();
           data.items.add(new File([blob], 'image.png', { type: 'image/png' }));
           window.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data }));
         });",
    )
    .await?;
    set.until("return document.querySelectorAll('[data-board] button').length === 8 && document.querySelector('[data-board]').innerText.includes('pasted')").await?;

    // The table's reading, beside the look's.
    set.press("[data-board] button", "dusk acescct to rec709").await?;
    set.until("return !!document.querySelector('[data-table-panel] [data-greys=\"65\"]')").await?;
    set.choose("Beside", "the open look").await?;
    set.until("return document.querySelector('[aria-label=\"How far they lie apart\"]')?.innerText.includes('% of the signal apart')").await?;

    // What it expects and gives was guessed by its name; it is said otherwise, and back.
    let own = "return document.querySelector('[data-table-panel] [data-greys]').innerHTML";
    let guessed = set.js(own).await?;
    set.choose("What it expects", "Rec.709 (BT.1886)").await?;
    let other = format!("const drawn = (() => {{ {own} }})(); return drawn !== {guessed}");
    set.until(&other).await?;
    set.press("[data-notice] button", "Undo").await?;
    set.until(&other.replace("!==", "===")).await?;

    // A still's reading, and its tints as a step at half strength.
    let plain = set.picture().await?;
    set.press("[data-board] button", "mole at evening").await?;
    set.until("return document.querySelectorAll('[data-reading] svg').length === 4 && document.querySelector('[aria-label=\"What it is\"]').innerText.includes('deepest tones')").await?;
    let shown = set.shown().await?;
    set.press("[aria-label=\"Take over\"] button", "tints").await?;
    set.newer(shown).await?;
    set.until("return document.querySelectorAll('[data-step=tone-tint]').length === 1").await?;
    let tinted = set.picture().await?;
    // An evening's tints: red gains on blue.
    assert!(tinted.mean[0] - tinted.mean[2] > plain.mean[0] - plain.mean[2] + 2.0, "{plain:?} {tinted:?}");
    set.command("z").await?;
    set.until("return document.querySelectorAll('[data-step=tone-tint]').length === 0").await?;

    // Noted, and found by its note.
    set.find("[aria-label=Note]").await?.send_keys("warm as the last day\n").await?;
    set.find("[aria-label=\"Search the Shelf\"]").await?.send_keys("last day").await?;
    set.until("return document.querySelectorAll('[data-board] button').length === 1").await?;

    // Its contrast frame, which is first among what the shot can be compared with.
    set.click("[aria-label=\"Contrast frame of the shot\"]").await?;
    set.until(
        "return !!document.querySelector('[aria-label=\"Contrast frame of the shot\"][aria-pressed=true]')",
    )
    .await?;
    set.click("[aria-label=\"Close the Shelf\"]").await?;
    set.click("[aria-label=View] button[aria-haspopup=menu]").await?;
    set.press("[role=menuitem]", "Contrast frame mole at evening").await?;
    // Its trace lies in the scopes beside the picture's own.
    set.until("return ['wave', 'vector'].every((s) => Number(document.querySelector(`[data-scope=${s}-beside]`)?.dataset.seq) > 0)").await?;
    set.click("[aria-label=\"Side by side or wipe\"]").await?;
    set.until("return !!document.querySelector('[data-beside][data-seq]')").await?;
    set.touch("[data-touch=hand]", &[[0.2, 0.2], [0.4, 0.4]]).await?;
    set.touch("[data-touch=beside]", &[[0.6, 0.1], [0.9, 0.3]]).await?;
    set.until("return Number(document.querySelector('[aria-label=Patches]')?.dataset.difference) > 1")
        .await?;
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn a_film_is_fitted_to_a_chart_and_undone() -> Outcome {
    let set = Set::new().await?;
    set.make_look("Bare", &serde_json::json!([]))?;
    set.open("?look=Bare&shot=workbench%20001").await?;
    set.add_step("film", "Print").await?;
    set.add_step("film", "Negative").await?;
    let before = set.picture().await?;
    // A film that is not ours: lightness by a power of light, with a cast toward yellow.
    let mut text = String::from("name,stops,R,G,B,L,a,b\n");
    let lights = [
        [0.02; 3],
        [0.06; 3],
        [0.18; 3],
        [0.4; 3],
        [0.8; 3],
        [0.3, 0.05, 0.05],
        [0.05, 0.2, 0.06],
        [0.04, 0.06, 0.3],
    ];
    for (i, [r, g, b]) in lights.into_iter().enumerate() {
        let y: f64 = 0.27 * r + 0.67 * g + 0.06 * b;
        let (l, x, z) =
            (100.0 * (y / 1.6).powf(0.45), 60.0 * (r - g) / (y + 0.1), 40.0 * (y - b) / (y + 0.1) + 8.0);
        let _ = writeln!(text, "p{i},0,{r},{g},{b},{l:.2},{x:.2},{z:.2}");
    }
    let file = set.data.path().join("chart.csv");
    std::fs::write(&file, text)?;
    set.press("[role=tab], [role=radio], button", "data").await?;
    set.until("return !!document.querySelector('[aria-label=\"Patches file\"]')").await?;
    let shown = set.shown().await?;
    set.find("[aria-label=\"Patches file\"]").await?.send_keys(file.display().to_string()).await?;
    set.newer(shown).await?;
    set.until(
        "return document.querySelector('[data-film-fit=\"8\"]')?.innerText.includes('Valid as a pair')",
    )
    .await?;
    assert_ne!(set.picture().await?, before);
    // One step of undo takes both stocks back.
    let shown = set.shown().await?;
    set.command("z").await?;
    set.newer(shown).await?;
    assert_eq!(set.picture().await?, before);
    // A file that is none says where.
    let wrong = set.data.path().join("wrong.csv");
    std::fs::write(&wrong, "R,G,B,L,a,b\n1,x,1,1,1,1\n")?;
    set.find("[aria-label=\"Patches file\"]").await?.send_keys(wrong.display().to_string()).await?;
    set.until("return document.body.innerText.includes('line 2: “x” is no number')").await?;
    set.close().await
}
