//! Trims over the API: kept with the shot, beneath every look, copied, conflicting; counts of areas; matches.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use common::{picture_of, rand_key};
use lantern_core::colour::CameraProfile;
use lantern_core::look::{Look, Path};
use lantern_core::picture::Picture;
use lantern_core::scope::Area;
use lantern_formats::Depth;
use lantern_server::media::folders::Folders;
use lantern_server::preview::layout::HEADER;
use lantern_server::preview::request::SampleRequest;
use lantern_server::preview::{Counts, Kind, PictureRequest, Quality, Show, Studio};
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::sync::atomic::AtomicBool;

static GO_ON: AtomicBool = AtomicBool::new(false);

fn balance(exposure: f64) -> Value {
    json!({ "steps": [{ "id": "b", "name": "Balance", "zone": "scene", "on": true, "strength": 1.0,
        "kind": "balance", "values": { "exposure": exposure, "temperature": 6000.0, "tint": 0.0 } }] })
}

/// The first pixel of a shot's picture.
fn pixel(studio: &Studio, request: &PictureRequest) -> u8 {
    studio.picture(request, Kind::Picture, &GO_ON).unwrap().unwrap()[HEADER]
}

#[actix_web::test]
async fn a_trim_lies_beneath_every_look_and_an_older_save_is_refused() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let shot = all["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    let ask_for = picture_of(&shot, Quality::Rest);
    // 18 % grey is 10 % of peak light by the plain rendering: 97.7 in BT.1886's 2.4 power.
    assert_eq!(pixel(&studio, &ask_for), 98);
    let save = |revision: i32, path: Value| json!({ "revision": revision, "path": path }).to_string();
    let url = format!("/api/shots/{shot}/trim");
    let (status, saved) = ask!(service, put, url, save(1, balance(1.0)));
    assert_eq!((status, &saved["revision"]), (StatusCode::OK, &json!(2)));
    let up = pixel(&studio, &ask_for);
    assert!(up > 120, "a stop up is seen under any path: {up}");
    let mut untrimmed = ask_for.clone();
    untrimmed.seat.trim = Some(Path::default());
    assert_eq!(pixel(&studio, &untrimmed), 98, "a trim that is given stands in for the kept one");
    let (status, problem) = ask!(service, put, url, save(1, balance(2.0)));
    assert_eq!((status, &problem["revision"]), (StatusCode::CONFLICT, &json!(2)));
    let mut screen = balance(0.0);
    screen["steps"][0]["zone"] = json!("screen");
    screen["steps"][0]["kind"] = json!("tone");
    screen["steps"][0]["values"] = json!({});
    let (status, problem) = ask!(service, put, url, save(2, screen));
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("Scene steps only"), "{problem}");
    let (_, all) = ask!(service, get, production, "");
    assert_eq!(all["scenes"][0]["shots"][0]["trim_steps"], 1);
}

#[actix_web::test]
async fn chosen_steps_of_a_trim_are_copied_and_what_was_there_comes_back() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let from = all["scenes"][0]["shots"][0]["id"].as_str().unwrap();
    let (_, other) = send!(service, scene, "other.png", common::grey());
    let other = other["id"].as_str().unwrap();
    let mut trim = balance(1.5);
    let tone = json!({ "id": "t", "name": "Softer", "zone": "scene", "on": true, "strength": 1.0,
        "kind": "tone", "values": { "contrast": 0.9 } });
    trim["steps"].as_array_mut().unwrap().push(tone);
    let put = |path: &Value| json!({ "path": path }).to_string();
    ask!(service, put, format!("/api/shots/{from}/trim"), put(&trim));
    ask!(service, put, format!("/api/shots/{other}/trim"), put(&balance(-1.0)));
    let copy = json!({ "steps": ["b", "t"], "to": [other] }).to_string();
    let (status, before) = ask!(service, post, format!("/api/shots/{from}/trim/copy"), copy);
    assert_eq!(status, StatusCode::OK, "{before}");
    assert_eq!(before[0]["path"]["steps"][0]["values"]["exposure"], -1.0);
    let (_, now) = ask!(service, get, format!("/api/shots/{other}/trim"), "");
    let steps = now["path"]["steps"].as_array().unwrap();
    assert_eq!(
        (steps.len(), &steps[0]["values"]["exposure"], &steps[1]["name"]),
        (2, &json!(1.5), &json!("Softer"))
    );
}

/// A picture of two halves: 18 % grey at the left, a stop more at the right, in ACEScct.
fn halves() -> Vec<u8> {
    // ACEScct (S-2016-001): (log2(v) + 9.72) / 17.52.
    let code = |v: f32| (v.log2() + 9.72) / 17.52;
    let (left, right) = (code(0.18), code(0.36));
    let pixels =
        (0..64 * 36).map(|i| if i % 64 < 32 { [left, left, left, 1.0] } else { [right, right, right, 1.0] });
    lantern_formats::png::write(&Picture::new(64, 36, pixels.collect()).unwrap(), Depth::Sixteen).unwrap()
}

fn area(x0: f64, x1: f64) -> Area {
    Area { corners: vec![[x0, 0.0], [x1, 0.0], [x1, 1.0], [x0, 1.0]] }
}

#[actix_web::test]
async fn counts_samples_and_matches_are_held_to_the_drawn_area() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap();
    let (_, shot) = send!(service, scene, "halves.png", halves());
    let shot = shot["id"].as_str().unwrap().to_owned();
    ask!(service, patch, format!("/api/shots/{shot}"), json!({ "encoding": "acescct" }).to_string());
    let counts = Counts { histogram: true, limits: true, area: Some(area(0.0, 0.5)), ..Default::default() };
    let request = PictureRequest { counts, ..picture_of(&shot, Quality::Rest) };
    let frame = studio.picture(&request, Kind::Picture, &GO_ON).unwrap().unwrap();
    let at = HEADER + 64 * 36 * 4;
    let luma = |level: usize| {
        let k = at + (3 * 256 + level) * 4;
        u32::from_le_bytes(frame[k..k + 4].try_into().unwrap())
    };
    assert_eq!(luma(98), 32 * 36, "the left half, all at one level");
    assert_eq!((0..256).map(luma).sum::<u32>(), 32 * 36);
    let tiny = Counts { area: Some(area(2.0, 3.0)), ..Default::default() };
    let none = PictureRequest { counts: tiny, ..picture_of(&shot, Quality::Rest) };
    assert!(studio.picture(&none, Kind::Picture, &GO_ON).unwrap_err().to_string().contains("too small"));

    let at = SampleRequest {
        viewer: 0,
        seq: 1,
        seat: common::seat(&shot, &Path::default()),
        display: "rec709".into(),
        at: vec![[0.25, 0.5], [0.75, 0.5]],
    };
    let found = studio.samples(&at).unwrap();
    assert!(found[0].stops.abs() < 1e-3 && (found[1].stops - 1.0).abs() < 1e-3, "{found:?}");

    let side = |x: [f64; 2]| json!({ "shot": shot, "area": area(x[0], x[1]), "trim": balance(0.0) });
    let ask_for = json!({ "shot": side([0.0, 0.5]), "step": "b", "to": side([0.5, 1.0]) }).to_string();
    let (status, brought) = ask!(service, post, "/api/match", ask_for);
    assert_eq!(status, StatusCode::OK, "{brought}");
    assert!((brought["exposure"].as_f64().unwrap() - 1.0).abs() < 0.005, "{brought}");
    assert!((brought["temperature"].as_f64().unwrap() / 6000.0 - 1.0).abs() < 0.005, "{brought}");

    let patch = json!({ "shot": shot, "path": balance(0.0), "trim": { "steps": [] }, "step": "b",
        "area": area(0.5, 1.0), "stops": 2.32 });
    let (_, dropped) = ask!(service, post, "/api/dropper", patch.to_string());
    assert!((dropped["exposure"].as_f64().unwrap() - 1.32).abs() < 0.005, "{dropped}");
}

#[actix_web::test]
async fn false_colour_and_marks_stand_in_for_the_picture_but_not_for_its_counts() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let shot = all["scenes"][0]["shots"][0]["id"].as_str().unwrap();
    let counts = Counts { histogram: true, ..Default::default() };
    let plain = PictureRequest { counts, ..picture_of(shot, Quality::Rest) };
    let stops = PictureRequest { show: Show::Stops, ..plain.clone() };
    let bytes = |r: &PictureRequest| studio.picture(r, Kind::Picture, &GO_ON).unwrap().unwrap();
    let (a, b) = (bytes(&plain), bytes(&stops));
    assert_eq!((&a[HEADER..HEADER + 3], &b[HEADER..HEADER + 3]), (&[98; 3][..], &[128; 3][..]));
    let end = HEADER + 64 * 36 * 4;
    assert_eq!(a[end..], b[end..]);
    let over: Path = serde_json::from_value(balance(8.0)).unwrap();
    let marks = PictureRequest { show: Show::Marks, seat: common::seat(shot, &over), ..plain };
    let frame = bytes(&marks);
    let striped = frame[HEADER..end].chunks(4).filter(|p| p[..3] == [214, 92, 40]).count();
    assert!((striped as f64 / (64.0 * 36.0) - 0.5).abs() < 0.1, "every other stripe: {striped}");
}

#[actix_web::test]
async fn a_profile_is_read_kept_worn_and_goes_only_when_no_shot_has_it() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let shot = all["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    // ACEScct by its constants (S-2016-001): 18 % grey lands at 0.4136.
    let body = json!({ "name": "Tern log", "log": { "base": 2.0, "logSideSlope": 0.057_077_6,
        "logSideOffset": 0.554_794_5, "linSideSlope": 1.0, "linSideOffset": 0.0, "linSideBreak": 0.007_812_5,
        "linearSlope": 10.540_237_7 }, "primaries": { "red": [0.713, 0.293], "green": [0.165, 0.830],
        "blue": [0.128, 0.044], "white": [0.32168, 0.33767] } });
    let (_, reading) = ask!(service, post, "/api/profile-reading", body.to_string());
    assert!((reading["grey"].as_f64().unwrap() - 0.4136).abs() < 1e-4, "{reading}");
    // The highest code value, 1.0, is 2^(17.52 - 9.72): log2(222.86 / 0.18) = 10.27 stops over grey.
    assert!((reading["stops_over"].as_f64().unwrap() - 10.27).abs() < 0.01, "{reading}");
    let save = json!({ "body": body }).to_string();
    let (status, made) = ask!(service, post, format!("{production}/profiles"), save);
    assert_eq!(status, StatusCode::OK, "{made}");
    let worn = json!({ "encoding": made["encoding"] }).to_string();
    ask!(service, patch, format!("/api/shots/{shot}"), worn);
    assert_eq!(pixel(&studio, &picture_of(&shot, Quality::Rest)), 98);
    let id = made["id"].as_str().unwrap();
    let (status, problem) = ask!(service, delete, format!("/api/profiles/{id}"), "");
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("1 shots"), "{problem}");

    let mut wrong = body.clone();
    wrong["log"]["base"] = json!(0.5);
    let (status, problem) = ask!(service, post, "/api/profile-reading", wrong.to_string());
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("base has to be over 1"), "{problem}");
}

#[actix_web::test]
async fn a_technical_table_stands_for_constants() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let shot = all["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    // A 1D table that gives twice its input, so that 0.2068 of the file becomes ACEScct 0.4136.
    let cube = "LUT_1D_SIZE 2\n0 0 0\n2 2 2\n";
    let body = json!({ "name": "Twice", "gives": "acescct" });
    let (status, problem) =
        ask!(service, post, format!("{production}/profiles"), json!({ "body": body }).to_string());
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "without its table: {problem}");
    let save = json!({ "body": body, "table": cube }).to_string();
    let (status, made) = ask!(service, post, format!("{production}/profiles"), save);
    assert_eq!(status, StatusCode::OK, "{made}");
    ask!(service, patch, format!("/api/shots/{shot}"), json!({ "encoding": made["encoding"] }).to_string());
    // 0.4136 of the file is ACEScct 0.8272: 4.77 (S-2016-001: 2^(0.8272 * 17.52 - 9.72)), all but white.
    assert!(pixel(&studio, &picture_of(&shot, Quality::Rest)) > 240);
    let broken = json!({ "body": body, "table": "no table" }).to_string();
    let (_, problem) = ask!(service, post, format!("{production}/profiles"), broken);
    assert!(problem["detail"].as_str().unwrap().contains("the profile’s table"), "{problem}");
}
