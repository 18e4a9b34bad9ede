//! The page as a whole: handoff, network, console, names of controls.

use lantern_browser_tests::{Outcome, Set, program};
use serde_json::json;
use std::process::Command;

#[tokio::test]
async fn the_downloaded_table_is_byte_for_byte_what_bake_writes() -> Outcome {
    let set = Set::new().await?;
    set.driver.goto(format!("{}/?look=Harbour%20Dusk&place=handoff", set.url)).await?;
    set.click("button[type=submit]:not([disabled])").await?;
    set.until("return !!document.querySelector('[data-report]')").await?;
    let text = set
        .until("return fetch(document.querySelector('[data-download]').href).then((r) => r.text())")
        .await?;

    let folder = tempfile::tempdir()?;
    let path = |name: &str| folder.path().join(name);
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let detail = set.get(&format!("/api/productions/{production}"))?;
    let usual = detail["profiles"].as_array().and_then(|all| all.iter().find(|p| p["usual"] == true));
    let camera = usual.ok_or("no camera")?["body"].clone();
    std::fs::write(path("look.json"), set.look_file("Harbour Dusk")?.to_string())?;
    std::fs::write(path("camera.json"), camera.to_string())?;
    let done = Command::new(program()?)
        .args(["bake", "--to", "rec709", "--look"])
        .arg(path("look.json"))
        .arg("--from")
        .arg(path("camera.json"))
        .arg("-o")
        .arg(path("t.cube"))
        .status()?;
    assert!(done.success());
    assert_eq!(text.as_str().unwrap_or(""), std::fs::read_to_string(path("t.cube"))?);

    // The report says where the worst is, and draws it.
    let rings =
        set.js("return document.querySelectorAll('[data-report] figure span.rounded-full').length").await?;
    let worn = detail["scenes"].as_array().into_iter().flatten().filter(|s| s["finished"] == false);
    let shots: usize = worn.map(|s| s["shots"].as_array().map_or(0, Vec::len)).sum();
    assert_eq!(rings, json!(shots));
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

/// Everything that can be pressed, turned or typed into: has it a name, and can the keyboard reach it? Choosers of files
/// are opened by buttons, which are in the order.
const NAMELESS: &str = r"
return [...document.querySelectorAll('button, a[href], input:not([type=file]), [role=slider], [role=switch], [role=radio]')]
  .filter((e) => e.tabIndex < 0 || !(e.getAttribute('aria-label') || e.innerText || e.title || '').trim())
  .map((e) => e.outerHTML.slice(0, 120));
";

#[tokio::test]
async fn every_control_has_a_name_and_a_place_in_the_keyboards_order_and_nothing_leaves_the_machine()
-> Outcome {
    let set = Set::new().await?;
    set.open("?look=Harbour%20Dusk").await?;
    for kind in ["balance", "tone", "tone-tint", "curves", "plain-rendering", "saturation"] {
        set.click(&format!("[data-step={kind}] button[aria-current]")).await?;
        set.until("return window.lantern.settled()").await?;
        assert_eq!(set.js(NAMELESS).await?, json!([]), "{kind}");
    }
    set.driver.goto(format!("{}/?place=handoff", set.url)).await?;
    set.find("button[type=submit]").await?;
    assert_eq!(set.js(NAMELESS).await?, json!([]), "handoff");
    let strangers = set
        .js("return performance.getEntriesByType('resource').map((e) => e.name).filter((n) => !n.startsWith(location.origin) && !n.startsWith('data:'))")
        .await?;
    assert_eq!(strangers, json!([]));
    assert_eq!(set.console_errors().await?, Vec::<String>::new());
    set.close().await
}

#[tokio::test]
async fn wrong_requests_get_a_problem_in_words_and_nothing_is_lost() -> Outcome {
    let set = Set::new().await?;
    let production = set.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let agent = ureq::Agent::config_builder().http_status_as_error(false).build().new_agent();
    let url = format!("{}/api/productions/{production}/looks", set.url);
    let before = set.get(&format!("/api/productions/{production}/looks"))?;
    let step = |exposure: &str| {
        format!(
            r#"{{"name":"x","document":{{"version":1,"name":"x","path":{{"steps":[{{"id":"a","name":"Balance","zone":"scene","on":true,"strength":1,"kind":"balance","values":{{"exposure":{exposure}}}}}]}}}}}}"#
        )
    };
    for (body, want) in [
        (step("null"), "expected f64"),
        (step("99"), "Exposure is 99"),
        (step("NaN"), "cannot be read"),
        (step("0").replace("\"version\":1", "\"version\":12"), "version 12"),
        (step("0").replace("balance", "sharpen"), "sharpen"),
    ] {
        let mut answer = agent.post(&url).header("content-type", "application/json").send(body.as_str())?;
        let kind = answer.headers()["content-type"].to_str()?.to_owned();
        let problem: serde_json::Value = answer.body_mut().read_json()?;
        assert_eq!((answer.status().as_u16(), kind.as_str()), (422, "application/problem+json"), "{body}");
        assert!(problem["detail"].as_str().unwrap_or("").contains(want), "{body}: {problem}");
    }
    assert_eq!(set.get(&format!("/api/productions/{production}/looks"))?, before);

    let refused = |header: &str, value: &str| -> Outcome<u16> {
        Ok(agent.get(format!("{}/api/catalogue", set.url)).header(header, value).call()?.status().as_u16())
    };
    assert_eq!(refused("host", "example.test")?, 403);
    assert_eq!(refused("origin", "http://example.test")?, 403);
    assert_eq!(agent.get(format!("{}/api/looks/none", set.url)).call()?.status().as_u16(), 404);
    set.close().await
}
