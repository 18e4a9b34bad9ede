//! Footage over the API: pictures come in, are told their encoding, move between scenes and go again.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use common::{grey, picture_of, rand_key};
use lantern_core::colour::{CameraProfile, primaries::AP1};
use lantern_core::look::Look;
use lantern_core::picture::Picture;
use lantern_server::media::folders::Folders;
use lantern_server::preview::{Kind, Quality, Studio};
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::sync::atomic::AtomicBool;

#[actix_web::test]
async fn a_picture_comes_in_unknown_is_shown_as_its_code_values_and_as_its_encoding_once_that_is_set() {
    service!(data, studio, service, production);
    let (_, scene) =
        ask!(service, post, format!("{production}/scenes"), json!({ "name": " the mole " }).to_string());
    assert_eq!(scene["name"], "the mole");
    let scene = scene["id"].as_str().unwrap().to_owned();
    let (status, shot) = send!(service, scene, "mole 014.png", grey());
    assert_eq!(status, StatusCode::OK, "{shot}");
    assert_eq!(
        (&shot["name"], &shot["encoding"], &shot["width"]),
        (&json!("mole 014"), &json!(""), &json!(64))
    );
    assert!(shot["encoding_reason"].as_str().unwrap().contains("encoding not stated"));

    let id = shot["id"].as_str().unwrap();
    let picture = picture_of(id, Quality::Rest);
    let go_on = AtomicBool::new(false);
    // Until somebody says what they mean, its code values are shown as they are, whatever the path.
    let mut graded = picture.clone();
    let exposure = json!({ "steps": [{ "id": "b", "name": "b", "zone": "scene", "on": true, "strength": 1.0, "kind": "balance",
        "values": { "exposure": 2.0 } }] });
    graded.seat.path = serde_json::from_value(exposure).unwrap();
    for asked in [&picture, &graded] {
        let frame = studio.picture(asked, Kind::Picture, &go_on).unwrap().unwrap();
        assert_eq!(frame[16..20], [105, 105, 105, 255]);
    }

    let change = |encoding: &str| json!({ "encoding": encoding }).to_string();
    let (status, problem) = ask!(service, patch, format!("/api/shots/{id}"), change("no-such-log"));
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("no-such-log"), "{problem}");
    // 18 % grey by the plain rendering is 10 % of peak light: 0.1^(1/2.4) of 255 is 97.7. As display code values
    // of the same display the picture stays as it is: 0.4136 of 255 is 105.5.
    for (encoding, want) in [("acescct", 98), ("rec709", 105)] {
        let (_, told) = ask!(service, patch, format!("/api/shots/{id}"), change(encoding));
        assert_eq!((&told["encoding"], &told["encoding_reason"]), (&json!(encoding), &json!("set by hand")));
        let frame = studio.picture(&picture, Kind::Picture, &go_on).unwrap().unwrap();
        assert_eq!(frame[16..20], [want, want, want, 255], "{encoding}: the old picture is not kept");
    }
    drop(data);
}

#[actix_web::test]
async fn colours_are_those_of_the_profile_as_it_is_now_also_while_pictures_are_made() {
    service!(data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let shot = all["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    let profile = all["profiles"][0].clone();
    let place = format!("/api/profiles/{}", profile["id"].as_str().unwrap());
    let worn = json!({ "encoding": "camera" }).to_string();
    assert_eq!(ask!(service, patch, format!("/api/shots/{shot}"), worn).0, StatusCode::OK);
    let request = picture_of(&shot, Quality::Rest);
    let seen = |studio: &Studio| {
        studio.picture(&request, Kind::Picture, &AtomicBool::new(false)).unwrap().unwrap()[16]
    };
    let before = seen(&studio);

    // Two pages look on while the profile is edited to and fro.
    let stop = AtomicBool::new(false);
    let edits = async {
        let mut last = before;
        for round in 0..20 {
            let mut body = profile["body"].clone();
            let offset = body["log"]["logSideOffset"].as_f64().unwrap_or(0.0);
            body["log"]["logSideOffset"] = json!(offset + if round % 2 == 0 { 0.02 } else { 0.0 });
            let (status, said) = ask!(service, put, place, json!({ "body": body }).to_string());
            assert_eq!(status, StatusCode::OK, "{said}");
            // What was accepted is what is seen from then on: as a server that was just started shows it.
            let now = seen(&studio);
            assert_eq!(now, seen(&Studio::new(data.store.clone(), data.media.clone())), "round {round}");
            assert_ne!(now, last, "round {round}");
            last = now;
        }
        stop.store(true, std::sync::atomic::Ordering::Relaxed);
        last
    };
    let watched = (studio.clone(), request.clone());
    let onlookers = (0..2).map(|_| {
        let (studio, request) = watched.clone();
        let stop = &stop;
        async move {
            while !stop.load(std::sync::atomic::Ordering::Relaxed) {
                let (studio, request) = (studio.clone(), request.clone());
                let made = web::block(move || {
                    studio.picture(&request, Kind::Picture, &AtomicBool::new(false)).map(drop)
                });
                made.await.unwrap().unwrap();
            }
        }
    });
    let (last, _) = futures_util::future::join(edits, futures_util::future::join_all(onlookers)).await;
    assert_eq!(last, before, "the last edit took the first back");
    // A profile that somebody else saved meanwhile is not written over by who names an older one.
    let stale = json!({ "body": profile["body"], "revision": profile["revision"] }).to_string();
    let (status, problem) = ask!(service, put, place, stale);
    assert_eq!((status, problem["revision"].as_i64()), (StatusCode::CONFLICT, Some(21)), "{problem}");
}

#[actix_web::test]
async fn an_openexr_brings_its_encoding_and_the_same_file_is_kept_once() {
    service!(data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let pixels = vec![[0.18, 0.18, 0.18, 1.0]; 16 * 9];
    let file = lantern_formats::exr::write(&Picture::new(16, 9, pixels).unwrap(), Some(&AP1)).unwrap();
    for _ in 0..2 {
        let (_, shot) = send!(service, scene, "a.exr", file.clone());
        assert_eq!(shot["encoding"], "acescg");
        assert!(shot["encoding_reason"].as_str().unwrap().contains("AP1"));
    }
    let (_, all) = ask!(service, get, production, "");
    assert_eq!(all["scenes"][0]["shots"].as_array().unwrap().len(), 3);
    assert_eq!(data.media.keep(&file).unwrap(), blake3::hash(&file).to_hex().to_string());
}

#[actix_web::test]
async fn what_is_no_picture_or_breaks_off_is_refused_by_name_and_nothing_is_added() {
    service!(_data, _studio, service, production);
    let (_, before) = ask!(service, get, production, "");
    let scene = before["scenes"][0]["id"].as_str().unwrap().to_owned();
    let whole = grey();
    for (name, bytes, want) in [
        ("notes.txt", b"not a picture, only text".to_vec(), "no picture"),
        ("short.png", b"short".to_vec(), "no picture"),
        ("cut.png", whole[..whole.len() / 2].to_vec(), "PNG"),
        ("empty.dpx", Vec::new(), "no picture"),
    ] {
        let (status, problem) = send!(service, scene, name, bytes);
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{name}");
        let said = problem["detail"].as_str().unwrap();
        assert!(said.contains(name) && said.contains(want), "{said}");
    }
    let (status, _) = send!(service, "nowhere", "a.png", whole);
    assert_eq!(status, StatusCode::NOT_FOUND);
    let (_, after) = ask!(service, get, production, "");
    assert_eq!(before, after);
}

#[actix_web::test]
async fn shots_move_between_scenes_and_a_scene_goes_with_its_shots_and_comes_back_with_them() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let first = all["scenes"][0]["id"].as_str().unwrap().to_owned();
    let shot = all["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    let (_, second) =
        ask!(service, post, format!("{production}/scenes"), json!({ "name": "two" }).to_string());
    let second = second["id"].as_str().unwrap().to_owned();
    assert_eq!(ask!(service, delete, format!("/api/scenes/{first}"), "").0, StatusCode::NO_CONTENT);
    let (_, without) = ask!(service, get, production, "");
    assert_eq!(without["scenes"].as_array().unwrap().len(), 1);
    let (status, _) = ask!(service, get, format!("/api/shots/{shot}/trim"), "");
    assert_eq!(status, StatusCode::NOT_FOUND, "its shots are gone with it");
    let restore = format!("/api/scenes/{first}/restore");
    assert_eq!(ask!(service, post, restore.clone(), "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, post, restore, "").0, StatusCode::NOT_FOUND, "it is there already");
    let (_, with) = ask!(service, get, production, "");
    assert_eq!(with["scenes"].as_array().unwrap()[0]["shots"][0]["id"], json!(shot));

    let order = |scenes: Value| json!({ "scenes": scenes }).to_string();
    let moved = order(json!([{ "id": second, "shots": [shot] }, { "id": first, "shots": [] }]));
    assert_eq!(ask!(service, put, format!("{production}/order"), moved).0, StatusCode::NO_CONTENT);
    let short = order(json!([{ "id": second, "shots": [shot] }]));
    let (status, problem) = ask!(service, put, format!("{production}/order"), short);
    assert_eq!(status, StatusCode::CONFLICT, "an order that leaves a scene out: {problem}");
    let (status, named) =
        ask!(service, patch, format!("/api/shots/{shot}"), json!({ "name": "grey card" }).to_string());
    assert_eq!((status, &named["name"]), (StatusCode::OK, &json!("grey card")));
    // What was not named stays.
    assert_eq!(named["encoding"], "acescct");
    assert_eq!(ask!(service, delete, format!("/api/scenes/{first}"), "").0, StatusCode::NO_CONTENT);
    let (status, _) =
        ask!(service, put, format!("/api/scenes/{second}"), json!({ "name": "  " }).to_string());
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "a name of spaces");
    assert_eq!(ask!(service, delete, format!("/api/shots/{shot}"), "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, delete, format!("/api/shots/{shot}"), "").0, StatusCode::NOT_FOUND);
    let (_, left) = ask!(service, get, production, "");
    let empty = json!([{ "id": second, "name": "two", "finished": false, "shots": [], "tables": [] }]);
    assert_eq!(left["scenes"], empty);
}

#[actix_web::test]
async fn a_shot_of_unknown_encoding_is_left_out_of_a_handoffs_proof_and_does_not_stop_it() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let (_, unknown) = send!(service, scene, ".png", grey());
    assert_eq!((&unknown["name"], &unknown["encoding"]), (&json!(".png"), &json!("")));
    let (_, looks) = ask!(service, get, format!("{production}/looks"), "");
    let look = looks[0]["id"].as_str().unwrap();
    let order = json!({ "version": 1, "from": "acescct", "to": "rec709", "size": 17 }).to_string();
    let (_, mut handoff) = ask!(service, post, format!("/api/looks/{look}/handoffs"), order);
    let id = handoff["id"].as_str().unwrap().to_owned();
    while handoff["state"] == "running" || handoff["state"] == "queued" {
        actix_web::rt::time::sleep(std::time::Duration::from_millis(20)).await;
        (_, handoff) = ask!(service, get, format!("/api/handoffs/{id}"), "");
    }
    assert_eq!(handoff["state"], "done", "{handoff}");
    let names: Vec<&str> = handoff["report"]["comparisons"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|c| c["picture"] == true)
        .filter_map(|c| c["name"].as_str())
        .collect();
    assert_eq!(names, ["grey"]);
}
