//! A server that is killed in the middle of its work: after the restart all of it comes to its end, or says honestly that it did
//! not.

use lantern_browser_tests::{Outcome, Running, serve};
use serde_json::{Value, json};
use std::path::Path;
use std::time::{Duration, Instant};

/// A server of the demo production that is killed and started again.
struct Server {
    data: tempfile::TempDir,
    running: Running,
    url: String,
}

impl Server {
    fn new() -> Outcome<Self> {
        let data = tempfile::tempdir()?;
        let (running, url) = serve(data.path(), 0)?;
        Ok(Self { data, running, url })
    }

    fn again(&mut self) -> Outcome {
        self.running.kill();
        (self.running, self.url) = serve(self.data.path(), 0)?;
        Ok(())
    }

    fn get(&self, path: &str) -> Outcome<Value> {
        Ok(ureq::get(format!("{}/api/{path}", self.url)).call()?.body_mut().read_json()?)
    }

    fn post(&self, path: &str, body: &Value) -> Outcome<Value> {
        Ok(ureq::post(format!("{}/api/{path}", self.url)).send_json(body)?.body_mut().read_json()?)
    }

    fn production(&self) -> Outcome<String> {
        Ok(text(&self.get("productions")?[0]["id"]))
    }

    /// A look that has a version.
    fn look(&self) -> Outcome<String> {
        Ok(text(&self.get(&format!("productions/{}/looks", self.production()?))?[0]["id"]))
    }

    /// Waits until something is so.
    fn until(&self, path: &str, so: impl Fn(&Value) -> bool) -> Outcome<Value> {
        let begun = Instant::now();
        loop {
            let found = self.get(path)?;
            if so(&found) {
                return Ok(found);
            }
            if begun.elapsed() > Duration::from_secs(600) {
                return Err(format!("{path} never came to be: {found}").into());
            }
            std::thread::sleep(Duration::from_millis(30));
        }
    }

    fn ended(&self, path: &str) -> Outcome<Value> {
        self.until(path, |v| matches!(v["state"].as_str(), Some("done" | "failed" | "cancelled")))
    }
}

fn text(v: &Value) -> String {
    v.as_str().unwrap_or_default().to_owned()
}

/// Sends a file under a key, as pages do.
fn send(server: &Server, name: &str, bytes: &[u8], key: &str) -> Outcome {
    let url = format!("{}/api/incoming/{key}?from=0&name={name}", server.url);
    ureq::put(url).header("content-type", "application/octet-stream").send(bytes)?;
    Ok(())
}

#[test]
fn a_table_and_a_package_that_were_being_made_are_made_after_the_restart() -> Outcome {
    let mut server = Server::new()?;
    let look = server.look()?;
    let ask = json!({ "version": 1, "from": "acescct", "to": "rec709", "size": 33 });
    let handoff = server.post(&format!("looks/{look}/handoffs"), &ask)?;
    let at = format!("handoffs/{}", text(&handoff["id"]));
    server.until(&at, |h| h["state"] == "running" && h["progress"].as_f64() > Some(0.2))?;
    server.again()?;
    let done = server.ended(&at)?;
    assert_eq!((&done["state"], &done["failure"]), (&json!("done"), &json!("")), "{done}");
    assert!(done["report"].is_object() && done["checksum"].is_string(), "{done}");

    let delivery = |kind: Value| json!({ "name": "Everybody", "deliveries": [kind] });
    let stills = delivery(json!({ "kind": "stills", "format": "png", "to": "srgb" }));
    let plan = json!({ "version": 1, "name": "Killed", "receivers": [stills] });
    let plans = format!("productions/{}/plans", server.production()?);
    let plan = server.post(&plans, &json!({ "plan": plan }))?;
    let ask = json!({ "version": 1, "plan": plan["id"] });
    let package = server.post(&format!("looks/{look}/packages"), &ask)?;
    let at = format!("packages/{}", text(&package["id"]));
    server.until(&at, |p| p["state"] == "running" && p["progress"].as_f64() > Some(0.1))?;
    server.again()?;
    let done = server.ended(&at)?;
    assert_eq!((&done["state"], &done["failure"]), (&json!("done"), &json!("")), "{done}");
    Ok(())
}

#[test]
fn a_match_that_was_asked_for_can_be_asked_for_again() -> Outcome {
    let mut server = Server::new()?;
    let production = server.get(&format!("productions/{}", server.production()?))?;
    let scenes = production["scenes"].as_array().cloned().unwrap_or_default();
    let first = |finished: bool| {
        let scene = scenes.iter().find(|s| s["finished"] == finished && s["shots"][0].is_object());
        scene.map(|s| text(&s["shots"][0]["id"])).ok_or("no shot")
    };
    let ask = json!({ "shot": first(false)?, "references": [first(true)?], "common": "nothing", "pairs": [],
        "strength": 1.0, "name": "Match", "path": { "steps": [] } });
    let (url, body) = (format!("{}/api/references/match", server.url), ask.clone());
    let asked = std::thread::spawn(move || ureq::post(url).send_json(&body).is_ok());
    server.until("health", |_| true)?;
    server.again()?;
    // Whoever waited for it knows: it came before the server went, or the connection broke.
    let _ = asked.join();
    let found = server.post("references/match", &ask)?;
    assert!(found["steps"].as_array().is_some_and(|s| !s.is_empty()), "{found}");
    let after = server.get(&format!("productions/{}", text(&production["id"])))?;
    assert_eq!(after, production, "nothing of it was left behind");
    Ok(())
}

#[test]
fn a_production_that_was_coming_in_is_there_as_a_whole_or_not_at_all_and_comes_in_again() -> Outcome {
    let mut server = Server::new()?;
    let production = server.production()?;
    let file = ureq::get(format!("{}/api/productions/{production}/export", server.url))
        .call()?
        .body_mut()
        .with_config()
        .limit(1 << 30)
        .read_to_vec()?;
    for (round, wait) in [0_u64, 30, 150, 400].into_iter().enumerate() {
        let key = format!("{:064x}", round + 1);
        send(&server, "salt-clock.zip", &file, &key)?;
        let (url, body) = (format!("{}/api/productions/import", server.url), json!({ "key": key }));
        let asked = std::thread::spawn(move || ureq::post(url).send_json(&body).is_ok());
        // The kill comes at another moment of it each time: that is what is tried, and none of them may matter.
        std::thread::sleep(Duration::from_millis(wait));
        server.again()?;
        let _ = asked.join();
        for line in server.get("productions")?.as_array().into_iter().flatten() {
            let whole = server.get(&format!("productions/{}", text(&line["id"])))?;
            let scenes = whole["scenes"].as_array().map_or(0, Vec::len);
            assert_eq!(scenes, 9, "{} is whole", line["name"]);
        }
    }
    let key = "f".repeat(64);
    send(&server, "salt-clock.zip", &file, &key)?;
    let made = server.post("productions/import", &json!({ "key": key }))?;
    assert!(server.get(&format!("productions/{}", text(&made["id"])))?["scenes"].is_array());
    Ok(())
}

#[test]
fn a_sequence_that_was_coming_in_from_a_folder_says_that_it_broke_off() -> Outcome {
    let data = tempfile::tempdir()?;
    let footage = tempfile::tempdir()?;
    let demo =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data/ferry-deck-007/ferry-deck-007.0001.png");
    for frame in 1..=60 {
        std::fs::copy(&demo, footage.path().join(format!("sea.{frame:04}.png")))?;
    }
    let start = || {
        let mut command = std::process::Command::new(lantern_browser_tests::program()?);
        command.args(["serve", "--listen", "127.0.0.1:0", "--data"]).arg(data.path());
        command.arg("--footage").arg(footage.path());
        lantern_browser_tests::start_server(&mut command)
    };
    let (running, url) = start()?;
    let mut server = Server { data: tempfile::tempdir()?, running, url };
    let production = text(&server.post("productions", &json!({ "name": "Own" }))?["id"]);
    let scene = server.post(&format!("productions/{production}/scenes"), &json!({ "name": "Sea" }))?;
    let names: Vec<String> = (1..=60).map(|frame| format!("sea.{frame:04}.png")).collect();
    let ask = json!({ "place": { "root": 0, "parts": [] }, "names": names });
    server.post(&format!("scenes/{}/bring", text(&scene["id"])), &ask)?;
    let at = format!("productions/{production}");
    let frames = |v: &Value| v["scenes"][0]["shots"][0]["frames"].as_i64().unwrap_or(0);
    server.until(&at, |v| frames(v) > 2)?;
    server.running.kill();
    (server.running, server.url) = start()?;
    let after = server.get(&at)?;
    let shot = &after["scenes"][0]["shots"][0];
    assert!(frames(&after) > 2, "{shot}");
    if frames(&after) < 60 {
        assert_eq!(shot["arriving"], Value::Null, "{shot}");
        assert!(shot["warnings"].to_string().contains("broke off"), "{shot}");
    }
    Ok(())
}
