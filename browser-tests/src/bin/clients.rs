//! Many people at once: one preview socket that drags, then eight of them, each on another shot and another look, at 960 wide
//! with waveform and vectorscope. Printed by `cargo xtask bench`.

use futures_util::{SinkExt, StreamExt};
use lantern_browser_tests::{Outcome, serve};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use tokio_tungstenite::tungstenite::Message;

/// How long pictures are counted.
const LASTS: Duration = Duration::from_secs(6);
/// What comes before counts for nothing: files are decoded for the first time.
const BEFORE: Duration = Duration::from_secs(2);
const CLIENTS: usize = 8;
/// How long after the last picture memory is looked at again.
const LATER: Duration = Duration::from_secs(60);

fn get(url: &str) -> Outcome<Value> {
    Ok(serde_json::from_str(&ureq::get(url).call()?.body_mut().read_to_string()?)?)
}

/// Memory of a process, in MB.
fn memory(pid: u32) -> Outcome<f64> {
    let status = std::fs::read_to_string(format!("/proc/{pid}/status"))?;
    let line = status.lines().find_map(|l| l.strip_prefix("VmRSS:")).ok_or("no memory")?;
    Ok(line.trim().trim_end_matches(" kB").trim().parse::<f64>()? / 1024.0)
}

/// Drags a value of a path, one picture under way at a time, and gives pictures a second. An error ends it.
async fn drags(url: String, shot: String, path: Value, lasts: Duration) -> Result<f64, String> {
    let address = url.replace("http://", "ws://") + "/api/preview";
    let (mut socket, _) = tokio_tungstenite::connect_async(address).await.map_err(|e| e.to_string())?;
    let begun = Instant::now();
    let (mut seq, mut counted) = (0_u32, 0);
    while begun.elapsed() < BEFORE + lasts {
        seq += 1;
        let mut path = path.clone();
        let exposure = f64::from(seq % 200) / 200.0 - 0.5;
        let balance = json!({ "id": "dragged", "name": "dragged", "zone": "scene", "on": true, "strength": 1.0,
            "kind": "balance", "values": { "exposure": exposure } });
        path["steps"].as_array_mut().ok_or("no steps")?.insert(0, balance);
        let ask = json!({ "ask": "picture", "seq": seq, "shot": shot, "path": path, "quality": "drag", "width": 960,
            "display": "rec709", "counts": { "wave": true, "vector": 1.0 } });
        socket.send(Message::text(ask.to_string())).await.map_err(|e| e.to_string())?;
        let said = loop {
            let next = socket.next().await.ok_or("the socket is closed")?.map_err(|e| e.to_string())?;
            // Pings are answered by the library.
            if !next.is_ping() {
                break next;
            }
        };
        if said.is_text() {
            return Err(said.to_text().unwrap_or_default().to_owned());
        }
        if begun.elapsed() > BEFORE {
            counted += 1;
        }
    }
    Ok(f64::from(counted) / lasts.as_secs_f64())
}

#[tokio::main(flavor = "multi_thread")]
async fn main() -> Outcome {
    let data = tempfile::tempdir()?;
    let (server, url) = serve(data.path(), 0)?;
    let productions = get(&format!("{url}/api/productions"))?;
    let production = productions[0]["id"].as_str().ok_or("no production")?;
    let production = get(&format!("{url}/api/productions/{production}"))?;
    let all = production["scenes"].as_array().into_iter().flatten().filter(|s| s["finished"] != true);
    let shots: Vec<String> = all
        .flat_map(|s| s["shots"].as_array().cloned().unwrap_or_default())
        .filter_map(|s| s["id"].as_str().map(String::from))
        .collect();
    let shelf = get(&format!("{url}/api/shelf"))?;
    let looks: Vec<Value> = shelf
        .as_array()
        .into_iter()
        .flatten()
        .filter(|i| i["kind"] == "starting")
        .map(|i| i["document"]["path"].clone())
        .collect();
    let job = |i: usize, lasts: Duration| {
        drags(url.clone(), shots[i % shots.len()].clone(), looks[(3 * i) % looks.len()].clone(), lasts)
    };
    // What a server holds that has shown each of them once, and not for a minute.
    let begin = memory(server.id())?;
    for i in 0..CLIENTS {
        job(i, Duration::from_millis(1)).await?;
    }
    tokio::time::sleep(LATER).await;
    let shown = memory(server.id())?;
    let row =
        |what: &str, value: f64, unit: &str, bar: &str| println!("{what:<62}{value:>9.2}  {unit:<12}{bar}");
    // Each look alone first: what one gets depends on its look.
    let mut alone = Vec::new();
    for i in 0..CLIENTS {
        alone.push(job(i, LASTS).await?);
    }
    let one = alone.iter().sum::<f64>() / CLIENTS as f64;
    row("one client drags, mean of eight looks", one, "pictures/s", "");
    for clients in [CLIENTS, 2 * CLIENTS] {
        let together = futures_util::future::join_all((0..clients).map(|i| job(i, LASTS))).await;
        let together: Vec<f64> = together.into_iter().collect::<Result<_, _>>()?;
        let (least, most) = together.iter().fold((f64::MAX, 0.0_f64), |(a, b), v| (a.min(*v), b.max(*v)));
        let total: f64 = together.iter().sum();
        row(&format!("{clients} at once, all together"), total, "pictures/s", "");
        row("the ones over the other", total / one, "", "at least 0.85");
        row("the slowest over the fastest", least / most, "", "at least 0.7");
    }
    let peak = memory(server.id())?;
    tokio::time::sleep(LATER).await;
    let after = memory(server.id())?;
    row("memory at the beginning", begin, "MB", "");
    row("memory a minute after each was shown once", shown, "MB", "");
    row("memory while sixteen drag", peak, "MB", "");
    row("memory a minute later", after, "MB", "");
    row("the one over the other", after / shown, "", "at most 1.2");
    Ok(())
}
