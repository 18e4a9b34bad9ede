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
    service!(_data, _studio, service, production);
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
    let (_, all) = ask!(service, get, production, "");
    let shot = &all["scenes"][0]["shots"][1];
    assert_eq!(
        (&shot["frames"], &shot["first_number"], &shot["out_frame"]),
        (&json!(3), &json!(1001), &json!(2))
    );
    let warnings = shot["warnings"].to_string();
    for want in ["3 of 4 frames", "differ in size", "Encoding unknown"] {
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
