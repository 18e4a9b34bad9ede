//! Single change to picture in the browser's frame, and pictures while dragging as a person's hand would cause
//! them. Printed by `cargo xtask bench`.

use lantern_browser_tests::{Outcome, Set, program, serve, start_server};
use serde_json::{Value, json};
use std::path::Path;
use std::time::Instant;

/// Moves of the pointer in one drag, and drags.
const MOVES: i64 = 60;
const DRAGS: i64 = 6;
/// Single changes, each after the page has come to rest.
const SINGLES: usize = 60;

/// Changes the lights by one step of a key, over and over, and gives the milliseconds from each to its picture. A
/// change whose picture never came counts as long as was waited for it.
const SINGLE: &str = r#"
const [count, done] = arguments;
const [handle, seen] = [document.querySelector('[data-handle=lights]'), window.lantern.latencies];
const pause = (ms) => new Promise((r) => setTimeout(r, ms));
(async () => {
  const took = [];
  handle.focus();
  for (let i = 0; i < count; i++) {
    const [before, begun] = [seen.length, performance.now()];
    const key = i % 2 ? 'ArrowLeft' : 'ArrowRight';
    handle.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    while (seen.length === before && performance.now() - begun < 1000) await pause(1);
    took.push(seen.length > before ? seen[seen.length - 1] : performance.now() - begun);
    while (!window.lantern.settled()) await pause(5);
    await pause(60);
  }
  done(took);
})();
"#;

/// Notes when each picture came, so that the rate is that between the first and the last of a drag: pressing and
/// letting go through the driver takes time of its own.
const TIMES: &str = r#"
const seen = window.lantern.latencies;
seen.push = (...values) => {
  window.pictureTimes?.push(performance.now());
  return Array.prototype.push.apply(seen, values);
};
"#;

#[tokio::main(flavor = "multi_thread")]
async fn main() -> Outcome {
    // `intake` measures that alone.
    if std::env::args().nth(1).as_deref() == Some("intake") {
        return intake().await;
    }
    let set = Set::new().await?;
    started(&set).await?;
    let (long, film) = longer(&set)?;
    set.post_look("Long", &long)?;
    set.post_look("Film", &film)?;
    for (look, what) in [
        ("Harbour%20Dusk", "six steps"),
        ("Long", "20 steps, 4 groups"),
        ("Film", "12 steps, negative and print"),
    ] {
        measure(&set, look, what).await?;
    }
    grained(&set).await?;
    set.close().await?;
    intake().await
}

/// From the start of the program to the first exact picture of the demo production in a browser that stands ready: with an
/// empty data folder, and again with the production in it.
async fn started(set: &Set) -> Outcome {
    let folder = tempfile::tempdir()?;
    for what in ["with an empty folder", "again"] {
        let begun = Instant::now();
        let (server, url) = serve(folder.path(), 0)?;
        let served = begun.elapsed();
        set.driver.goto(format!("{url}/?look=Harbour%20Dusk&shot=workbench%20001")).await?;
        set.until("return window.lantern && window.lantern.settled() > 0").await?;
        let (served, all) = (served.as_secs_f64(), begun.elapsed().as_secs_f64());
        println!(
            "start to first picture, {what}: {all:.2} s, of which {served:.2} until it is served (bar 2)"
        );
        drop(server);
    }
    Ok(())
}

/// A long path with film and grain, while something else takes half of the machine.
async fn grained(set: &Set) -> Outcome {
    let (_, film) = longer(set)?;
    let mut film = film;
    let grain = json!({ "id": "grain", "name": "Grain", "zone": "film", "on": true, "strength": 1.0, "kind": "grain", "values": {} });
    let steps = film["steps"].as_array_mut().ok_or("no steps")?;
    let print = steps.iter().position(|s| s["kind"] == "print").ok_or("no print")?;
    steps.insert(print, grain);
    set.post_look("Grained", &film)?;
    let stop = std::sync::atomic::AtomicBool::new(false);
    let half = std::thread::available_parallelism().map_or(1, |n| n.get() / 2).max(1);
    std::thread::scope(|s| {
        for _ in 0..half {
            s.spawn(|| {
                while !stop.load(std::sync::atomic::Ordering::Relaxed) {
                    std::hint::spin_loop()
                }
            });
        }
        let done = tokio::task::block_in_place(|| {
            tokio::runtime::Handle::current().block_on(measure(
                set,
                "Grained",
                "13 steps, film, grain, half the machine taken",
            ))
        });
        stop.store(true, std::sync::atomic::Ordering::Relaxed);
        done
    })
}

/// Pictures that come in.
const PICTURES: usize = 40;

/// Forty 1920x1080 16-bit PNG in a folder: noise like that of a sensor on a moving chart makes files of a real picture's length.
fn own_pictures(folder: &Path) -> Outcome<Vec<String>> {
    let made = std::process::Command::new("ffmpeg")
        .args([
            "-v",
            "error",
            "-f",
            "lavfi",
            "-i",
            "testsrc2=s=1920x1080:r=1,noise=alls=6:allf=t",
            "-frames:v",
        ])
        .args([&PICTURES.to_string(), "-pix_fmt", "rgb48be"])
        .arg(folder.join("own %02d.png"))
        .status()?;
    assert!(made.success());
    let listed = std::fs::read_dir(folder)?.map(|f| Ok(f?.path().display().to_string()));
    let mut files = listed.collect::<Outcome<Vec<String>>>()?;
    files.sort();
    Ok(files)
}

/// How long they take to come in through the page and from an allowed folder, beside decoding them alone on two cores: by
/// OpenImageIO, which is nobody's own, and by what the server itself decodes with.
async fn intake() -> Outcome {
    let [Some(decode), Some(python)] = ["LANTERN_DECODE", "LANTERN_PYTHON"].map(std::env::var_os) else {
        return Ok(());
    };
    let folder = tempfile::tempdir()?;
    let files = own_pictures(folder.path())?;
    let said = |command: &mut std::process::Command| -> Outcome<f64> {
        let said = command.args(&files).output()?.stdout;
        Ok(String::from_utf8_lossy(&said).split(' ').next().unwrap_or("").parse()?)
    };
    let alone = || -> Outcome<[f64; 2]> {
        let mut outside = std::process::Command::new(&python);
        Ok([
            said(outside.args(["xtask/pictures.py", "time"]))?,
            said(&mut std::process::Command::new(&decode))?,
        ])
    };
    // The machine's speed changes: the yardsticks are taken before and after each.
    let mut before = alone()?;
    let mut rows = |what: &str, took: f64| -> Outcome {
        let after = alone()?;
        let [outside, own] = std::array::from_fn(|i| 0.5 * (before[i] + after[i]));
        before = after;
        row(what, took / 1e3, "s", "");
        row("  OpenImageIO decodes them on two cores in", outside / 1e3, "s", "");
        row("  the one over the other", took / outside, "", "at most 1.20");
        row("  the program decodes them on two cores in", own / 1e3, "s", "");
        row("  the one over the other", took / own, "", "");
        Ok(())
    };
    rows("forty 1080p 16-bit PNG come in from a folder", from_folder(folder.path())?)?;
    let set = Set::empty().await?;
    set.driver.goto(&set.url).await?;
    set.push("button", "New production…").await?;
    set.find("[role=dialog] input").await?.send_keys("Intake").await?;
    set.push("[role=dialog] button", "Create production").await?;
    let chooser = set.find("input[aria-label=Files]").await?;
    let begun = Instant::now();
    chooser.send_keys(files.join("\n")).await?;
    set.until(&format!(
        "return !document.querySelector('[data-incoming]') && document.querySelectorAll('[data-shot-id]').length === {PICTURES}"
    ))
    .await?;
    let took = begun.elapsed().as_millis() as f64;
    set.close().await?;
    rows("the same through the page", took)
}

/// Milliseconds until a folder's pictures are all there.
fn from_folder(folder: &Path) -> Outcome<f64> {
    let data = tempfile::tempdir()?;
    let mut command = std::process::Command::new(program()?);
    command.args(["serve", "--listen", "127.0.0.1:0", "--data"]).arg(data.path());
    let (_running, url) = start_server(command.arg("--footage").arg(folder))?;
    let get = |path: &str| -> Outcome<Value> {
        Ok(ureq::get(format!("{url}/api/{path}")).call()?.body_mut().read_json()?)
    };
    let post = |path: &str, body: &Value| -> Outcome<Value> {
        Ok(ureq::post(format!("{url}/api/{path}")).send_json(body)?.body_mut().read_json()?)
    };
    let production =
        post("productions", &json!({ "name": "Intake" }))?["id"].as_str().unwrap_or("").to_owned();
    let scene = post(&format!("productions/{production}/scenes"), &json!({ "name": "Own" }))?;
    let mut names = std::fs::read_dir(folder)?
        .map(|f| Ok(f?.file_name().to_string_lossy().into_owned()))
        .collect::<Outcome<Vec<String>>>()?;
    names.sort();
    let begun = Instant::now();
    let bring = json!({ "place": { "root": 0 }, "names": names });
    post(&format!("scenes/{}/bring", scene["id"].as_str().unwrap_or("")), &bring)?;
    loop {
        let now = get(&format!("productions/{production}"))?;
        let scenes = now["scenes"].as_array().into_iter().flatten();
        let here = |s: &&Value| s["frames"] == 1 && s["arriving"].is_null();
        if scenes.flat_map(|s| s["shots"].as_array().into_iter().flatten()).filter(here).count() == PICTURES {
            return Ok(begun.elapsed().as_millis() as f64);
        }
        // Often enough for the figure, seldom enough to take no time from it.
        std::thread::sleep(std::time::Duration::from_millis(10));
    }
}

/// A path of 20 Scene steps in four groups, and one of ten with a negative and a print, from the starting looks.
fn longer(set: &Set) -> Outcome<(Value, Value)> {
    let shelf = set.get("/api/shelf")?;
    let mut steps: Vec<Value> = Vec::new();
    let mut groups: Vec<Value> = Vec::new();
    for (i, name) in ["Ember and Tide", "Drained Winter", "Painted Pastel", "Deep Kelp"].iter().enumerate() {
        let all = shelf.as_array().into_iter().flatten();
        let Some(item) = all.into_iter().find(|s| s["document"]["name"] == *name) else { continue };
        let group = format!("g{i}");
        let own = item["document"]["path"]["steps"].as_array().cloned().unwrap_or_default();
        for (k, mut step) in own.into_iter().filter(|s| s["zone"] == "scene").enumerate() {
            step["id"] = json!(format!("{group} {k}"));
            step["group"] = json!(group);
            steps.push(step);
        }
        groups.push(json!({ "id": group, "name": name, "on": true, "strength": 0.6 }));
    }
    let again: Vec<Value> = steps.iter().take(20_usize.saturating_sub(steps.len())).cloned().collect();
    for (k, mut step) in again.into_iter().enumerate() {
        step["id"] = json!(format!("more {k}"));
        step["group"] = Value::Null;
        steps.push(step);
    }
    let mut ten: Vec<Value> = steps.iter().take(10).cloned().collect();
    ten.iter_mut().for_each(|s| s["group"] = Value::Null);
    for kind in ["negative", "print"] {
        ten.push(json!({ "id": kind, "name": kind, "zone": "film", "on": true, "strength": 1.0, "kind": kind, "values": {} }));
    }
    Ok((json!({ "steps": steps, "groups": groups }), json!({ "steps": ten })))
}

async fn measure(set: &Set, look: &str, path: &str) -> Outcome {
    set.open(&format!("?look={look}&shot=lantern%20market%20014")).await?;
    set.click("[data-step=tone-tint] button[aria-current]").await?;
    set.shown().await?;
    // Once to warm the page up, once to measure.
    let mut singles = Vec::new();
    for count in [SINGLES / 3, SINGLES] {
        singles = numbers(&set.driver.execute_async(SINGLE, vec![count.into()]).await?.json().clone());
    }
    report(&format!("single change, {path}"), &mut singles, [30.0, 60.0]);

    let mut rates = Vec::new();
    set.js(TIMES).await?;
    for warm in [true, false] {
        set.js("window.lantern.latencies.length = 0").await?;
        for k in 0..if warm { 2 } else { DRAGS } {
            let handle = set.find("[data-handle=lights]").await?;
            let mut chain = set
                .driver
                .action_chain_with_delay(None, Some(std::time::Duration::from_millis(8)))
                .move_to_element_center(&handle)
                .click_and_hold();
            for i in 0..MOVES {
                let way = if (i / 15 + k) % 2 == 0 { 1 } else { -1 };
                chain = chain.move_by_offset(way, -way);
            }
            set.js("window.pictureTimes = []").await?;
            chain.release().perform().await?;
            let times = numbers(&set.js("return window.pictureTimes").await?);
            if let (false, [first, .., last]) = (warm, times.as_slice()) {
                rates.push((times.len() - 1) as f64 * 1e3 / (last - first));
            }
            set.shown().await?;
        }
    }
    let mut drags = numbers(&set.js("return window.lantern.latencies").await?);
    report(&format!("dragging, {path}"), &mut drags, [35.0, 50.0]);
    rates.sort_by(f64::total_cmp);
    let rate = rates.get(rates.len() / 2).copied().unwrap_or(f64::NAN);
    row(&format!("pictures a second, {path}, median of {} drags", rates.len()), rate, "", "at least 30");
    Ok(())
}

fn numbers(values: &Value) -> Vec<f64> {
    values.as_array().map(|v| v.iter().filter_map(Value::as_f64).collect()).unwrap_or_default()
}

fn report(what: &str, ms: &mut [f64], [median, high]: [f64; 2]) {
    ms.sort_by(f64::total_cmp);
    let at =
        |share: f64| ms.get(((ms.len().max(1) - 1) as f64 * share) as usize).copied().unwrap_or(f64::NAN);
    row(&format!("{what}, median of {}", ms.len()), at(0.5), "ms", &format!("under {median}"));
    row(&format!("{what}, 95th percentile"), at(0.95), "ms", &format!("under {high}"));
}

fn row(what: &str, value: f64, unit: &str, bar: &str) {
    println!("{what:<58} {value:>10.2}  {unit:<10} {bar}");
}
