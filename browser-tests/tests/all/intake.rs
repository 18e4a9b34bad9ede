//! Thousands of frames against the real program: what was taken in survives a kill -9, and no half file is left.

use lantern_browser_tests::{Outcome, serve};
use serde_json::{Value, json};
use std::path::Path;

/// A small picture that differs from every other one by its number.
fn frame(number: u32) -> Vec<u8> {
    let code = |i: u32| ((number.wrapping_mul(2_654_435_761).wrapping_add(i * 40_503)) >> 8) as u8;
    // A DPX of 8 bit RGB (ST 268): a header of 2048 bytes, then the samples.
    let mut bytes = vec![0; 2048];
    bytes[0..4].copy_from_slice(b"SDPX");
    bytes[4..8].copy_from_slice(&2048_u32.to_be_bytes());
    bytes[8..12].copy_from_slice(b"V1.0");
    let (width, height) = (32_u32, 18_u32);
    bytes[16..20].copy_from_slice(&(2048 + width * height * 3).to_be_bytes());
    bytes[770..772].copy_from_slice(&1_u16.to_be_bytes());
    bytes[772..776].copy_from_slice(&width.to_be_bytes());
    bytes[776..780].copy_from_slice(&height.to_be_bytes());
    bytes[800] = 50;
    bytes[801] = 2;
    bytes[802] = 2;
    bytes[803] = 8;
    bytes[808..812].copy_from_slice(&2048_u32.to_be_bytes());
    bytes.extend((0..width * height * 3).map(code));
    bytes
}

fn key(n: u32) -> String {
    format!("{n:064x}")
}

struct Api {
    agent: ureq::Agent,
    url: String,
}

impl Api {
    fn new(url: &str) -> Self {
        let config = ureq::Agent::config_builder().http_status_as_error(true).build();
        Self { agent: config.into(), url: url.into() }
    }

    fn get(&self, path: &str) -> Outcome<Value> {
        Ok(self.agent.get(format!("{}{path}", self.url)).call()?.body_mut().read_json()?)
    }

    fn post(&self, path: &str, body: &Value) -> Outcome<Value> {
        let mut answer = self.agent.post(format!("{}{path}", self.url)).send_json(body)?;
        Ok(answer.body_mut().read_json().unwrap_or(Value::Null))
    }

    fn send(&self, number: u32) -> Outcome {
        let url = format!("{}/api/incoming/{}?from=0&name=f.{number:04}.dpx", self.url, key(number));
        self.agent.put(url).send(&frame(number)[..])?;
        Ok(())
    }
}

/// Names of all files in a folder and the folders in it.
fn files(folder: &Path) -> Outcome<Vec<std::path::PathBuf>> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() {
            found.extend(files(&path)?);
        } else {
            found.push(path);
        }
    }
    Ok(found)
}

#[test]
fn a_kill_in_the_middle_of_a_sequence_loses_no_finished_frame_and_leaves_no_half_one() -> Outcome {
    let data = tempfile::tempdir()?;
    let (mut server, url) = serve(data.path(), 0)?;
    let api = Api::new(&url);
    let production = api.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
    let all = api.get(&format!("/api/productions/{production}"))?;
    let scene = all["scenes"][0]["id"].as_str().unwrap_or("").to_owned();
    api.send(1)?;
    let first = json!({ "key": key(1), "name": "f.0001.dpx", "number": 1, "shot": "f", "expected": 120 });
    let shot =
        api.post(&format!("/api/scenes/{scene}/shots"), &first)?["id"].as_str().unwrap_or("").to_owned();
    let frames = format!("/api/shots/{shot}/frames");
    // Another thread kills the server while frames come in; what it had answered for is finished.
    let (told, heard) = std::sync::mpsc::channel::<u32>();
    let killer = std::thread::spawn(move || {
        while heard.recv().is_ok_and(|n| n < 60) {}
        server.kill();
    });
    let mut finished = vec![1];
    for number in 2..=120 {
        let add = json!({ "key": key(number), "name": format!("f.{number:04}.dpx"), "number": number });
        let done = api.send(number).and_then(|()| api.post(&frames, &add));
        if done.is_err() {
            break;
        }
        finished.push(number);
        let _ = told.send(number);
    }
    drop(told);
    killer.join().map_err(|_| "the killer panicked")?;
    assert!((60..120).contains(&finished.len()), "it was killed in the middle: {}", finished.len());

    let (_server, url) = serve(data.path(), 0)?;
    let api = Api::new(&url);
    let kept = api.get(&frames)?;
    let numbers: Vec<u64> =
        kept.as_array().into_iter().flatten().filter_map(|f| f["number"].as_u64()).collect();
    for number in &finished {
        assert!(numbers.contains(&u64::from(*number)), "frame {number} was finished and is lost");
    }
    let media = data.path().join("media");
    for path in files(&media)? {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if path.starts_with(media.join("incoming")) {
            assert!(name.ends_with(".part"), "a half file was left: {name}");
        } else {
            assert_eq!(blake3_hex(&std::fs::read(&path)?), name, "a file is not what its name says");
        }
    }
    let all = api.get(&format!("/api/productions/{production}"))?;
    let line = all["scenes"][0]["shots"].as_array().into_iter().flatten().find(|s| s["name"] == "f").cloned();
    let warnings = line.map(|s| s["warnings"].to_string()).unwrap_or_default();
    assert!(warnings.contains("It broke off after") && warnings.contains("of 120 frames"), "{warnings}");
    Ok(())
}

fn blake3_hex(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}
