//! Handoff: formats and ranges, and files that come back.

use lantern_browser_tests::{Outcome, Set, program};
use serde_json::json;
use std::path::Path;
use std::process::Command;

fn bake(look: &Path, out: &Path, more: &[&str]) -> Outcome {
    let mut command = Command::new(program()?);
    command.args(["bake", "--from", "acescct", "--to", "rec709"]).arg("--look").arg(look).arg("-o").arg(out);
    let done = command.args(more).output()?;
    if done.status.success() { Ok(()) } else { Err(String::from_utf8_lossy(&done.stderr).into()) }
}

const CHOSEN: &str = "input[aria-label='Table that came back']";

/// What the page says of a file that came back.
async fn told(set: &Set, file: &Path, kinship: &str) -> Outcome<String> {
    set.find(CHOSEN).await?.send_keys(file.display().to_string()).await?;
    set.until(&format!("return !!document.querySelector('[data-identified={kinship}]')")).await?;
    let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    set.until(&format!(
        "return document.querySelector('[data-identified] h2').innerText === {}",
        json!(name)
    ))
    .await?;
    let text = set.js("return document.querySelector('[data-identified]').innerText").await?;
    Ok(text.as_str().unwrap_or_default().to_owned())
}

#[tokio::test]
async fn a_table_is_made_in_another_format_and_range_and_what_comes_back_is_told() -> Outcome {
    let set = Set::new().await?;
    set.driver.goto(format!("{}/?look=Harbour%20Dusk&place=handoff", set.url)).await?;
    set.choose("Input", "ACEScct").await?;
    set.choose("Format", ".clf: Common LUT Format").await?;
    set.press("[role=radio]", "Legal, 64–940").await?;
    set.press("[role=radio]", "17").await?;
    set.click("button[type=submit]:not([disabled])").await?;
    set.until("return !!document.querySelector('[data-report]')").await?;
    let report = set.js("return document.querySelector('[data-report]').innerText").await?;
    let report = report.as_str().unwrap_or_default();
    assert!(
        report.contains("_17_legal.clf")
            && report.contains("legal range")
            && report.contains("it is made of"),
        "{report}"
    );
    let text = set
        .until("return fetch(document.querySelector('[data-download]').href).then((r) => r.text())")
        .await?;

    // The same on the command line.
    let folder = tempfile::tempdir()?;
    let path = |name: &str| folder.path().join(name);
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let looks = set.get(&format!("/api/productions/{production}/looks"))?;
    let look =
        looks.as_array().and_then(|l| l.iter().find(|l| l["name"] == "Harbour Dusk")).ok_or("no look")?;
    let version = set.get(&format!("/api/looks/{}/versions/1", look["id"].as_str().unwrap_or("")))?;
    std::fs::write(path("look.json"), version["document"].to_string())?;
    bake(&path("look.json"), &path("t.clf"), &["--size", "17", "--format", "clf", "--range", "legal"])?;
    assert_eq!(text.as_str().unwrap_or(""), std::fs::read_to_string(path("t.clf"))?);

    // What comes back is told, and the report of the handoff is there again afterwards.
    assert!(told(&set, &path("t.clf"), "same-file").await?.contains("Bit for bit “Harbour Dusk"));
    bake(&path("look.json"), &path("full.cube"), &["--size", "33"])?;
    let swapped = told(&set, &path("full.cube"), "range").await?;
    assert!(swapped.contains("full range, where legal range was handed off"), "{swapped}");
    set.until("return document.querySelectorAll('[data-identified] polyline').length === 6").await?;
    std::fs::write(path("upside.cube"), "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n")?;
    assert!(told(&set, &path("upside.cube"), "foreign").await?.contains("None of the 1"));
    std::fs::write(path("cut.cube"), "LUT_3D_SIZE 33\n0 0 0\n")?;
    set.find(CHOSEN).await?.send_keys(path("cut.cube").display().to_string()).await?;
    let why = set.until("return document.querySelector('[data-identified] [role=alert]')?.innerText").await?;
    assert!(why.as_str().unwrap_or_default().contains("cut short"), "{why}");
    set.press("[data-identified] button", "Close").await?;
    set.until("return !!document.querySelector('[data-report]')").await?;
    // The browser itself says that the file was refused.
    set.console_errors().await?;

    // What a format does not hold is said at once, with what does.
    set.choose("Format", ".spi1d: one curve a channel").await?;
    set.click("button[type=submit]:not([disabled])").await?;
    let why = set.until("return document.querySelector('form [role=alert]')?.innerText").await?;
    assert!(why.as_str().unwrap_or_default().contains("mixes channels"), "{why}");
    set.close().await
}
