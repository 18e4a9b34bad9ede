//! Intake over the API: sequences, broken uploads, clips, allowed folders, whole productions.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use common::rand_key;
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_core::picture::Picture;
use lantern_formats::Depth;
use lantern_server::media::folders::Folders;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::time::Duration;

fn flat(value: f32, width: usize) -> Vec<u8> {
    let pixels = vec![[value, value, value, 1.0]; width * 9];
    lantern_formats::png::write(&Picture::new(width, 9, pixels).unwrap(), Depth::Eight).unwrap()
}

/// Sends a file's bytes and gives its key.
macro_rules! arrive {
    ($service:expr, $name:expr, $bytes:expr) => {{
        let key = common::key(rand_key());
        let (status, said) =
            ask!($service, put, format!("/api/incoming/{key}?from=0&name={}", $name), $bytes);
        assert_eq!(status, StatusCode::OK, "{said}");
        key
    }};
}

#[actix_web::test]
async fn a_sequence_comes_in_frame_by_frame_and_warns_of_what_is_wrong_with_it() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let names = ["sea.1001.png", "sea.1002.png", "sea.1004.png"];
    let (_, groups) = ask!(service, post, "/api/group", json!({ "names": names }).to_string());
    assert_eq!((&groups[0]["name"], &groups[0]["sequence"]), (&json!("sea"), &json!(true)));
    let key = arrive!(service, names[0], flat(0.2, 16));
    let first = json!({ "key": key, "name": names[0], "number": 1001, "shot": "sea", "expected": 4 });
    let (status, shot) = ask!(service, post, format!("/api/scenes/{scene}/shots"), first.to_string());
    assert_eq!(status, StatusCode::OK, "{shot}");
    let id = shot["id"].as_str().unwrap().to_owned();
    for (name, number, width) in [(names[1], 1002, 16), (names[2], 1004, 32)] {
        let key = arrive!(service, name, flat(0.4, width));
        let frame = json!({ "key": key, "name": name, "number": number }).to_string();
        assert_eq!(ask!(service, post, format!("/api/shots/{id}/frames"), frame).0, StatusCode::NO_CONTENT);
    }
    let (_, frames) = ask!(service, get, format!("/api/shots/{id}/frames"), "");
    assert_eq!(frames.as_array().unwrap().len(), 3);
    assert_eq!((&frames[2]["number"], &frames[2]["name"]), (&json!(1004), &json!("sea.1004.png")));
    // Nothing more comes.
    studio.coming.forget();
    let (_, all) = ask!(service, get, production, "");
    let shot = &all["scenes"][0]["shots"][1];
    assert_eq!(
        (&shot["frames"], &shot["first_number"], &shot["out_frame"]),
        (&json!(3), &json!(1001), &json!(2))
    );
    let warnings = shot["warnings"].to_string();
    for want in ["broke off after 3 of 4 frames", "differ in size", "Encoding unknown"] {
        assert!(warnings.contains(want), "{want}: {warnings}");
    }
    let edit = |v: Value| v.to_string();
    for (change, ok) in [
        (json!({ "in_frame": 1, "out_frame": 2, "poster": 1, "rate": 25.0 }), true),
        (json!({ "in_frame": 3 }), false),
        (json!({ "out_frame": 0 }), false),
        (json!({ "rate": 0.0 }), false),
        (json!({ "out_frame": -1 }), true),
    ] {
        let (status, said) = ask!(service, patch, format!("/api/shots/{id}"), edit(change.clone()));
        assert_eq!(status == StatusCode::OK, ok, "{change}: {said}");
    }
}

#[actix_web::test]
async fn a_broken_upload_goes_on_and_values_that_are_no_numbers_are_counted() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let pixels = vec![[f32::NAN, 0.2, f32::INFINITY, 1.0]; 4 * 4];
    let file = lantern_formats::exr::write(&Picture::new(4, 4, pixels).unwrap(), None).unwrap();
    let key = common::key(rand_key());
    let half = file.len() / 2;
    let url = |from: usize| format!("/api/incoming/{key}?from={from}&name=a.exr");
    ask!(service, put, url(0), file[..half].to_vec());
    let (_, have) = ask!(service, get, format!("/api/incoming/{key}"), "");
    assert_eq!(have["have"], half);
    let (status, problem) = ask!(service, put, url(0), file.clone());
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("go on from there"), "{problem}");
    ask!(service, put, url(half), file[half..].to_vec());
    let arrived = json!({ "key": key, "name": "a.exr" }).to_string();
    let (status, shot) = ask!(service, post, format!("/api/scenes/{scene}/shots"), arrived);
    assert_eq!(status, StatusCode::OK, "{shot}");
    assert!(shot["warnings"].to_string().contains("no numbers"), "{shot}");
}

/// Sends a picture as a whole; gives the status and what was answered.
macro_rules! whole {
    ($service:expr, $to:expr, $key:expr, $name:expr, $more:expr, $bytes:expr) => {{
        let bytes: Vec<u8> = $bytes;
        let uri = format!("/api/{}/pictures?key={}&name={}{}", $to, $key, $name, $more);
        let request = test::TestRequest::put().uri(&uri).insert_header(("content-length", bytes.len()));
        let response = test::call_service(&$service, request.set_payload(bytes).to_request()).await;
        let (status, body) = (response.status(), test::read_body(response).await);
        (status, serde_json::from_slice::<Value>(&body).unwrap_or(Value::Null))
    }};
}

#[actix_web::test]
async fn a_picture_that_comes_as_a_whole_is_the_one_that_comes_in_pieces() {
    service!(data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let large = |value: f32, depth| {
        let pixels = (0..2000 * 9).map(|i| [value, i as f32 / 18_000.0, 0.5, 1.0]).collect();
        lantern_formats::png::write(&Picture::new(2000, 9, pixels).unwrap(), depth).unwrap()
    };
    let nan = vec![[f32::NAN, 0.2, f32::INFINITY, 1.0]; 4 * 4];
    let exr = lantern_formats::exr::write(&Picture::new(4, 4, nan).unwrap(), None).unwrap();
    for (name, bytes) in [
        ("a.png", flat(0.3, 16)),
        ("b.png", large(0.2, Depth::Eight)),
        ("c.png", large(0.7, Depth::Sixteen)),
        ("d.exr", exr),
    ] {
        let (status, shot) =
            whole!(service, format!("scenes/{scene}"), common::key(rand_key()), name, "", bytes.clone());
        assert_eq!(status, StatusCode::OK, "{shot}");
        let (status, other) = send!(service, scene, name, bytes.clone());
        assert_eq!(status, StatusCode::OK, "{other}");
        for what in ["encoding", "encoding_reason", "frames", "width", "height", "warnings", "first_number"] {
            assert_eq!(shot[what], other[what], "{name}: {what}");
        }
        let [one, two] = [&shot, &other].map(|s| format!("/api/shots/{}/frames", s["id"].as_str().unwrap()));
        let (frames, others) = (ask!(service, get, one, "").1, ask!(service, get, two, "").1);
        assert_eq!(frames, others);
        assert_eq!(frames[0]["bytes"], bytes.len());
        let kept = data.media.read(blake3::hash(&bytes).to_hex().as_str()).unwrap();
        assert!(kept == bytes, "{name}");
    }
}

#[actix_web::test]
async fn frames_that_come_as_a_whole_are_a_sequence() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = format!("scenes/{}", all["scenes"][0]["id"].as_str().unwrap());
    let key = || common::key(rand_key());
    let more = "&number=7&shot=sea%20%26%20sky&expected=3";
    let (status, shot) = whole!(service, scene, key(), "sea.7.png", more, flat(0.2, 16));
    assert_eq!((status, &shot["name"]), (StatusCode::OK, &json!("sea & sky")), "{shot}");
    let id = format!("shots/{}", shot["id"].as_str().unwrap());
    // The last one replaces what was there.
    for (number, value) in [(9, 0.4), (8, 0.6), (8, 0.7)] {
        let name = format!("sea.{number}.png");
        let (status, said) = whole!(service, id, key(), name, format!("&number={number}"), flat(value, 16));
        assert_eq!(status, StatusCode::NO_CONTENT, "{said}");
    }
    let (_, frames) = ask!(service, get, format!("/api/{id}/frames"), "");
    let numbers: Vec<i64> =
        frames.as_array().unwrap().iter().map(|f| f["number"].as_i64().unwrap()).collect();
    assert_eq!(numbers, [7, 8, 9]);
}

#[actix_web::test]
async fn a_whole_picture_that_cannot_be_taken_in_says_why_and_leaves_nothing() {
    service!(data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = format!("scenes/{}", all["scenes"][0]["id"].as_str().unwrap());
    let files = || walkdir(data.media.path(&"0".repeat(64)).unwrap().ancestors().nth(2).unwrap());
    let before = files();
    let mut cut = flat(0.5, 64);
    cut.truncate(cut.len() - 30);
    let good = common::key(rand_key());
    let new = || common::key(rand_key());
    let (no_scene, no_shot) = ("scenes/none".to_owned(), "shots/none".to_owned());
    for (to, key, name, more, bytes, want, why) in [
        (&scene, new(), "a.png", "", b"all work and no play makes".to_vec(), 422, "no picture"),
        (&scene, new(), "a.png", "", cut, 422, "a.png"),
        (&scene, new(), "a.png", "", Vec::new(), 422, "a.png"),
        (&scene, new(), "a.png", "", b"\x89P".to_vec(), 422, "a.png"),
        (&scene, "../up".into(), "a.png", "", flat(0.5, 16), 422, "64 hexadecimal"),
        (&scene, new(), "%20", "", flat(0.5, 16), 422, ""),
        (&scene, new(), "a.png", "&expected=0", flat(0.5, 16), 422, "frames"),
        (&scene, new(), "a.mov", "", flat(0.5, 16), 422, "clip"),
        (&scene, new(), "a.png", "", vec![0x89; (32 << 20) + 1], 422, "send it in pieces"),
        (&no_scene, new(), "a.png", "", flat(0.5, 16), 404, "scene"),
        (&no_shot, good, "a.png", "", flat(0.5, 16), 404, "shot"),
    ] {
        let (status, said) = whole!(service, to, key, name, more, bytes);
        assert_eq!(status.as_u16(), want, "{why}: {said}");
        assert!(said["detail"].as_str().unwrap().contains(why), "{why}: {said}");
        assert_eq!(files(), before, "{why}");
    }
}

#[actix_web::test]
async fn a_whole_picture_comes_with_its_length_and_with_leave() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let uri = format!("/api/scenes/{scene}/pictures?key={}&name=a.png", common::key(rand_key()));
    let unsaid = test::TestRequest::put().uri(&uri).set_payload(flat(0.5, 16));
    let unsaid = unsaid.insert_header(("content-length", "some")).to_request();
    let response = test::call_service(&service, unsaid).await;
    assert_eq!(response.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let said: Value = test::read_body_json(response).await;
    assert!(said["detail"].as_str().unwrap().contains("how long"), "{said}");
    // A page elsewhere may send bytes by POST without being asked for leave (Fetch, CORS-safelisted methods), but not by PUT.
    let (status, _) = ask!(service, post, uri, flat(0.5, 16));
    assert!(status == StatusCode::NOT_FOUND || status == StatusCode::METHOD_NOT_ALLOWED, "{status}");
}

#[actix_web::test]
async fn a_picture_that_is_here_in_part_is_not_taken_as_a_whole() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let (key, file) = (common::key(rand_key()), flat(0.5, 64));
    ask!(service, put, format!("/api/incoming/{key}?from=0&name=a.png"), file[..40].to_vec());
    let (status, said) = whole!(service, format!("scenes/{scene}"), key, "a.png", "", file.clone());
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said["detail"].as_str().unwrap().contains("40 bytes of “a.png” are here"), "{said}");
    ask!(service, put, format!("/api/incoming/{key}?from=40&name=a.png"), file[40..].to_vec());
    let arrived = json!({ "key": key, "name": "a.png" }).to_string();
    assert_eq!(ask!(service, post, format!("/api/scenes/{scene}/shots"), arrived).0, StatusCode::OK);
}

#[actix_web::test]
async fn more_pictures_at_once_than_there_is_room_for_all_come_in() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    // Noise does not become smaller: each is some 12 MB, and twelve of them are more than all room.
    let noise = |k: u32| {
        let mut at = k + 1;
        let mut next = move || {
            at = at.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (at >> 8) as f32 / 16_777_216.0
        };
        let pixels = (0..1400 * 1400).map(|_| [next(), next(), next(), 1.0]).collect();
        lantern_formats::png::write(&Picture::new(1400, 1400, pixels).unwrap(), Depth::Sixteen).unwrap()
    };
    let one = noise(1);
    assert!(12 * one.len() > 96 << 20, "{}", one.len());
    let sent = (0..12).map(|k| {
        let (service, file, scene) = (&service, one.clone(), scene.to_owned());
        async move {
            whole!(service, format!("scenes/{scene}"), common::key(rand_key()), format!("n{k}.png"), "", file)
        }
    });
    for (status, said) in futures_util::future::join_all(sent).await {
        assert_eq!(status, StatusCode::OK, "{said}");
    }
}

/// All files below a folder.
fn walkdir(folder: &std::path::Path) -> Vec<std::path::PathBuf> {
    let mut all = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { all.extend(walkdir(&path)) } else { all.push(path) }
    }
    all.sort();
    all
}

/// Waits until a shot has this many frames and nothing comes in for it any more.
macro_rules! settled {
    ($service:expr, $production:expr, $name:expr, $frames:expr) => {{
        let mut left = 500;
        loop {
            let (_, all) = ask!($service, get, $production, "");
            let shots =
                all["scenes"].as_array().unwrap().iter().flat_map(|s| s["shots"].as_array().unwrap().clone());
            let shot = shots.into_iter().find(|s| s["name"] == $name).unwrap();
            if shot["arriving"].is_null() && shot["frames"] == $frames {
                break shot;
            }
            left -= 1;
            assert!(left > 0, "never came: {shot}");
            actix_web::rt::time::sleep(Duration::from_millis(20)).await;
        }
    }};
}

fn clip(path: &std::path::Path) {
    let done = std::process::Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", "color=c=gray:s=32x18:r=25:d=0.2", "-c:v", "ffv1"])
        .args(["-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709"])
        .arg(path)
        .status()
        .unwrap();
    assert!(done.success());
}

#[actix_web::test]
async fn a_clip_becomes_frames_and_what_only_ends_like_one_is_refused() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("wave.mkv");
    clip(&path);
    let key = arrive!(service, "wave.mkv", std::fs::read(&path).unwrap());
    let arrived = json!({ "key": key, "name": "wave.mkv" }).to_string();
    let (status, shot) = ask!(service, post, format!("/api/scenes/{scene}/shots"), arrived);
    assert_eq!((status, &shot["encoding"]), (StatusCode::OK, &json!("rec709")), "{shot}");
    let shot = settled!(service, production, "wave", 5);
    assert_eq!(
        (&shot["rate"], &shot["width"], shot["warnings"].to_string()),
        (&json!(25.0), &json!(32), "[]".into())
    );

    let key = arrive!(service, "fake.mov", vec![7_u8; 5000]);
    let arrived = json!({ "key": key, "name": "fake.mov" }).to_string();
    let (status, problem) = ask!(service, post, format!("/api/scenes/{scene}/shots"), arrived);
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("fake.mov"), "{problem}");
}

#[actix_web::test]
async fn an_allowed_folder_is_listed_and_brought_in_as_shots() {
    // The service allows its own media folder; files are put there for it to find.
    service!(data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let root = data.media.path(&"0".repeat(64)).unwrap().parent().unwrap().parent().unwrap().to_owned();
    let day = root.join("day one");
    std::fs::create_dir_all(&day).unwrap();
    for number in 1..=4 {
        std::fs::write(day.join(format!("fog_{number:03}.png")), flat(number as f32 / 5.0, 16)).unwrap();
    }
    std::fs::write(day.join("still.png"), flat(0.5, 16)).unwrap();
    let place = json!({ "root": 0, "parts": ["day one"] });
    let (_, listing) = ask!(service, post, "/api/folders/list", place.to_string());
    assert_eq!(listing["files"].as_array().unwrap().len(), 5, "{listing}");
    let bring = json!({ "place": place, "names": listing["files"] }).to_string();
    let (status, shots) = ask!(service, post, format!("/api/scenes/{scene}/bring"), bring);
    assert_eq!((status, shots.as_array().unwrap().len()), (StatusCode::OK, 2), "{shots}");
    settled!(service, production, "fog", 4);
    settled!(service, production, "still", 1);
    let out = json!({ "place": { "root": 0, "parts": [".."] }, "names": ["a.png"] }).to_string();
    assert_eq!(ask!(service, post, format!("/api/scenes/{scene}/bring"), out).0, StatusCode::NOT_FOUND);
}

#[actix_web::test]
async fn a_production_is_copied_and_carried_as_one_file() {
    service!(_data, _studio, service, production);
    let copy = json!({ "name": "Second unit" }).to_string();
    let (status, copied) = ask!(service, post, format!("{production}/duplicate"), copy);
    assert_eq!((status, &copied["name"]), (StatusCode::OK, &json!("Second unit")));
    let request = test::TestRequest::get().uri(&format!("{production}/export")).to_request();
    let response = test::call_service(&service, request).await;
    assert_eq!(response.status(), StatusCode::OK);
    let file = test::read_body(response).await;
    let key = arrive!(service, "Test.production.zip", file.to_vec());
    let (status, brought) = ask!(service, post, "/api/productions/import", json!({ "key": key }).to_string());
    assert_eq!((status, &brought["name"]), (StatusCode::OK, &json!("Test (brought in)")), "{brought}");
    let (_, old) = ask!(service, get, production, "");
    for id in [&copied["id"], &brought["id"]] {
        let id = id.as_str().unwrap();
        let (_, new) = ask!(service, get, format!("/api/productions/{id}"), "");
        let (a, b) = (&old["scenes"][0]["shots"][0], &new["scenes"][0]["shots"][0]);
        assert_eq!((&a["name"], &a["encoding"], &a["frames"]), (&b["name"], &b["encoding"], &b["frames"]));
        assert_ne!(a["id"], b["id"]);
        assert_eq!(new["profiles"][0]["body"], old["profiles"][0]["body"]);
        let (_, looks) = ask!(service, get, format!("/api/productions/{id}/looks"), "");
        assert_eq!(looks[0]["name"], "First");
        assert_eq!(ask!(service, delete, format!("/api/productions/{id}"), "").0, StatusCode::NO_CONTENT);
    }
}
