//! Handoff: formats and ranges, and files that come back.

use lantern_browser_tests::{Outcome, Set, program};
use serde_json::json;
use std::path::Path;
use std::process::Command;
use std::time::Duration;

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
    let mut look = set.look_file("Harbour Dusk")?;
    std::fs::write(path("look.json"), look.to_string())?;
    bake(&path("look.json"), &path("t.clf"), &["--size", "17", "--format", "clf", "--range", "legal"])?;
    assert_eq!(text.as_str().unwrap_or(""), std::fs::read_to_string(path("t.clf"))?);

    // What comes back is told, and the report of the handoff is there again afterwards.
    assert!(told(&set, &path("t.clf"), "same-file").await?.contains("Bit for bit “Harbour Dusk"));
    bake(&path("look.json"), &path("full.cube"), &["--size", "33"])?;
    let swapped = told(&set, &path("full.cube"), "range").await?;
    assert!(swapped.contains("full range, where legal range was handed off"), "{swapped}");
    set.until("return document.querySelectorAll('[data-identified] polyline').length === 6").await?;
    bake(&path("look.json"), &path("more.clf"), &["--size", "33", "--format", "clf", "--range", "legal"])?;
    let resampled = told(&set, &path("more.clf"), "resampled").await?;
    assert!(resampled.contains("33 points in place of 17"), "{resampled}");
    look["path"]["steps"][0]["values"]["exposure"] = json!(0.5);
    std::fs::write(path("next.json"), look.to_string())?;
    bake(&path("next.json"), &path("next.clf"), &["--size", "17", "--format", "clf", "--range", "legal"])?;
    let next = told(&set, &path("next.clf"), "near").await?;
    assert!(next.contains("of another version") && next.contains("Harbour Dusk"), "{next}");

    // The command line says the same of the data folder, while the server works with it.
    let among = |file: &str, more: &[&str]| -> Outcome<String> {
        let mut command = Command::new(program()?);
        command.arg("identify").arg(path(file)).arg("--data").arg(set.data.path()).args(more);
        let done = command.output()?;
        Ok([done.stdout, done.stderr].map(|said| String::from_utf8_lossy(&said).into_owned()).concat())
    };
    assert!(
        among("t.clf", &[])?.starts_with("bit for bit “Harbour Dusk, version 1"),
        "{}",
        among("t.clf", &[])?
    );
    assert!(among("more.clf", &[])?.contains("resampled: 33 points in place of 17"));
    let none = among("t.clf", &["--production", "Nowhere"])?;
    assert!(none.contains("there is no production “Nowhere”"), "{none}");

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

/// The text of everything a package's page says.
async fn package(set: &Set) -> Outcome<String> {
    let text = set.js("return document.querySelector('[data-package]')?.innerText").await?;
    Ok(text.as_str().unwrap_or_default().to_owned())
}

#[tokio::test]
async fn a_plan_of_four_receivers_becomes_a_package_in_one_press() -> Outcome {
    let set = Set::new().await?;
    set.driver.goto(format!("{}/?look=Harbour%20Dusk&place=handoff", set.url)).await?;
    set.press("[role=radio]", "A package").await?;
    set.press("button", "Begin with four receivers").await?;
    set.until("return document.querySelectorAll('[data-receiver]').length === 4").await?;

    // The last receiver gets review movies too; another one is named anew, taken away, and brought back by undo.
    set.click("[aria-label='Add to Dailies']").await?;
    set.press("[role=menuitem]", "Review movies").await?;
    set.until("return !!document.querySelector('[data-receiver=\"3\"] [data-delivery=movies]')").await?;
    let name = set.find("[aria-label='Name of receiver 2']").await?;
    name.clear().await?;
    name.send_keys("Effects house").await?;
    set.until("return document.querySelector('[data-receiver=\"1\"]').ariaLabel === 'Effects house'").await?;
    set.click("[aria-label='Remove Finishing']").await?;
    set.until("return document.querySelectorAll('[data-receiver]').length === 3").await?;
    set.click("[data-plan] [aria-label=Undo]").await?;
    set.until("return document.querySelectorAll('[data-receiver]').length === 4").await?;
    // A plan that cannot be made says why, and the press that asks for it all the same.
    set.click("[aria-label='Remove Review movies of Dailies']").await?;
    set.click("[aria-label='Remove Stills of Dailies']").await?;
    set.click("[aria-label='Remove Table of Dailies']").await?;
    set.until("return document.querySelector('form [role=note]')?.innerText.includes('Dailies: nothing is delivered')").await?;
    set.press("button", "Make package").await?;
    set.until(
        "return document.querySelector('form [role=alert]')?.innerText.includes('nothing is delivered')",
    )
    .await?;
    set.console_errors().await?;
    for _ in 0..3 {
        set.driver.action_chain().click_element(&set.find("[data-plan]").await?).perform().await?;
        set.command("z").await?;
    }
    set.until("return document.querySelectorAll('[data-receiver=\"3\"] [data-delivery]').length === 3")
        .await?;

    // One press; it is watched to its end, and everything of it is there.
    set.press("button", "Make package").await?;
    set.until("return !!document.querySelector('[data-package] [role=progressbar], [data-package=done]')")
        .await?;
    // Stills of seventeen shots, and two movies.
    let done = "return document.querySelector('[data-package=done]')?.innerText.includes('report.html')";
    set.until_within(Duration::from_secs(240), done).await?;
    let text = package(&set).await?;
    for want in [
        "harbour-dusk_v1_everybody.zip",
        "Effects house",
        "configuration/config.ocio",
        "_65_legal.cube",
        ".ccc",
    ] {
        assert!(text.contains(want), "{want}: {text}");
    }
    // The demo has two moving shots.
    assert_eq!(text.matches("review movie of").count(), 2, "{text}");

    // The zip as it is downloaded, held against its manifest by the command line.
    let folder = tempfile::tempdir()?;
    let zip = folder.path().join("package.zip");
    let take = |href: String, to: std::path::PathBuf| -> Outcome {
        let mut body = ureq::get(&href).call()?.into_body();
        std::io::copy(&mut body.as_reader(), &mut std::fs::File::create(to)?)?;
        Ok(())
    };
    let href = set.js("return document.querySelector('[data-package-zip]').href").await?;
    take(href.as_str().unwrap_or("").into(), zip.clone())?;
    let run = |arguments: &[&str]| -> Outcome<String> {
        let done = Command::new(program()?).args(arguments).output()?;
        if done.status.success() {
            Ok(String::from_utf8(done.stdout)?)
        } else {
            Err(String::from_utf8_lossy(&done.stderr).into())
        }
    };
    let at = zip.display().to_string();
    assert!(run(&["verify", &at])?.contains("are as the manifest says"));

    // The same plan, taken away as a file, makes the same tables on the command line.
    let plan = set.js("return document.querySelector('[data-package=done]') && fetch('/api/productions').then((r) => r.json())").await?;
    let production = plan[0]["id"].as_str().unwrap_or("").to_owned();
    let plans = set.get(&format!("/api/productions/{production}/plans"))?;
    let file = folder.path().join("everybody.plan.json");
    take(format!("{}/api/plans/{}/file", set.url, plans[0]["id"].as_str().unwrap_or("")), file.clone())?;
    let opened = zip::ZipArchive::new(std::fs::File::open(&zip)?);
    let mut opened = opened?;
    let mut read = |path: &str| -> Outcome<Vec<u8>> {
        let mut bytes = Vec::new();
        std::io::Read::read_to_end(&mut opened.by_name(path)?, &mut bytes)?;
        Ok(bytes)
    };
    let look = folder.path().join("look.json");
    std::fs::write(&look, read("finishing/harbour-dusk.look.json")?)?;
    let out = folder.path().join("out");
    let (file, look, to) =
        (file.display().to_string(), look.display().to_string(), out.display().to_string());
    run(&["deliver", "--plan", &file, "--look", &look, "-o", &to])?;
    assert_eq!(
        read("finishing/harbour-dusk_v1_camera_to_rec709_33.clf")?,
        std::fs::read(out.join("finishing/harbour-dusk_camera_to_rec709_33.clf"))?
    );

    // The report opens as a page of its own.
    set.click("[data-package-report]").await?;
    let begun = std::time::Instant::now();
    let windows = loop {
        let windows = set.driver.windows().await?;
        if windows.len() == 2 {
            break windows;
        }
        assert!(begun.elapsed().as_secs() < 240, "the report does not open");
        tokio::time::sleep(Duration::from_millis(20)).await;
    };
    set.driver.switch_to_window(windows[1].clone()).await?;
    set.until("return document.body?.innerText.includes('Effects house')").await?;
    set.driver.close_window().await?;
    set.driver.switch_to_window(windows[0].clone()).await?;

    // It is there after a reload; deleted, and brought back.
    set.driver.refresh().await?;
    set.press("[role=radio]", "A package").await?;
    set.until("return document.querySelector('[data-plan] input')?.value === 'Everybody'").await?;
    set.click("aside [aria-current=false]").await?;
    set.until("return !!document.querySelector('[data-package=done]')").await?;
    set.press("[data-package] button", "Delete").await?;
    set.until("return !document.querySelector('aside [aria-current]')").await?;
    set.press("button", "Undo").await?;
    set.until("return !!document.querySelector('aside [aria-current]')").await?;
    set.close().await
}
