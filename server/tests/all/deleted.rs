//! What was deleted: listed with what comes back with it, put back, and taken away for good with its files.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use common::rand_key;
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_server::media::folders::Folders;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};

#[actix_web::test]
async fn what_is_deleted_is_listed_comes_back_and_goes_for_good() {
    service!(data, studio, service, production);
    let deleted = format!("{production}/deleted");
    assert_eq!(ask!(service, get, deleted, "").1, json!([]));
    let (_, all) = ask!(service, get, production, "");
    let (scene, shot) = (all["scenes"][0]["id"].clone(), all["scenes"][0]["shots"][0]["id"].clone());
    let (_, looks) = ask!(service, get, format!("{production}/looks"), "");
    let look = looks[0]["id"].clone();
    let of = |sort: &str, id: &Value| format!("/api/{sort}/{}", id.as_str().unwrap());
    // A shot and a look of a production that is there.
    for (sort, id) in [("shots", &shot), ("looks", &look)] {
        assert_eq!(ask!(service, delete, of(sort, id), "").0, StatusCode::NO_CONTENT);
    }
    let (_, list) = ask!(service, get, deleted, "");
    let lines: Vec<_> =
        list.as_array().unwrap().iter().map(|l| (l["sort"].clone(), l["id"].clone())).collect();
    assert_eq!(lines.len(), 2, "{list}");
    assert!(
        lines.contains(&(json!("shots"), shot.clone())) && lines.contains(&(json!("looks"), look.clone()))
    );
    let line = list.as_array().unwrap().iter().find(|l| l["sort"] == "shots").unwrap();
    assert_eq!((&line["name"], &line["within"]), (&json!("grey"), &json!("one")));
    assert_eq!(line["until"].as_i64().unwrap() - line["deleted_at"].as_i64().unwrap(), 30 * 24 * 3600);
    // What lies in something that is deleted itself comes back with that, and is not listed beside it.
    assert_eq!(ask!(service, delete, of("scenes", &scene), "").0, StatusCode::NO_CONTENT);
    let (_, list) = ask!(service, get, deleted, "");
    let sorts: Vec<&str> = list.as_array().unwrap().iter().map(|l| l["sort"].as_str().unwrap()).collect();
    assert_eq!(sorts.len(), 2, "{list}");
    assert!(sorts.contains(&"scenes") && !sorts.contains(&"shots"));
    assert_eq!(
        ask!(service, post, format!("{}/restore", of("scenes", &scene)), "").0,
        StatusCode::NO_CONTENT
    );
    assert_eq!(ask!(service, post, format!("{}/restore", of("looks", &look)), "").0, StatusCode::NO_CONTENT);
    // For good: not what is there, and not twice; then its file goes with it.
    let good = |sort: &str, id: &Value| format!("/api/deleted/{sort}/{}", id.as_str().unwrap());
    assert_eq!(ask!(service, delete, good("looks", &look), "").0, StatusCode::NOT_FOUND);
    let hash = data.store.with(|c| lantern_server::store::productions::Media::known(c)).unwrap();
    let file = studio.media.path(hash.iter().next().unwrap()).unwrap();
    let old = std::time::SystemTime::now() - std::time::Duration::from_secs(3600);
    std::fs::File::open(&file).unwrap().set_modified(old).unwrap();
    assert_eq!(ask!(service, delete, good("shots", &shot), "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, delete, good("shots", &shot), "").0, StatusCode::NOT_FOUND);
    assert!(!file.exists(), "nothing else names it");
    assert_eq!(ask!(service, post, format!("{}/restore", of("shots", &shot)), "").0, StatusCode::NOT_FOUND);
    assert_eq!(ask!(service, get, deleted, "").1, json!([]));
    // A production, with a board of tables in it, which its scenes do not take along by themselves.
    assert_eq!(ask!(service, delete, production, "").0, StatusCode::NO_CONTENT);
    let (_, list) = ask!(service, get, "/api/deleted", "");
    assert_eq!(
        (&list[0]["sort"], &list[0]["name"], &list[0]["holds"]),
        (&json!("productions"), &json!("Test"), &json!(0))
    );
    assert_eq!(ask!(service, delete, good("productions", &list[0]["id"]), "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, get, "/api/deleted", "").1, json!([]));
    assert_eq!(ask!(service, get, "/api/productions", "").1, json!([]));
}

#[actix_web::test]
async fn a_board_of_tables_is_forgotten_with_its_scene_a_month_later() {
    service!(data, _studio, service, production);
    let made = json!({ "name": "Board", "finished": true }).to_string();
    let (_, board) = ask!(service, post, format!("{production}/scenes"), made);
    let cube = "LUT_3D_SIZE 2\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 1\n";
    let (_, table) = ask!(service, post, "/api/tables?name=a.cube", cube);
    let put = json!({ "table": table["table"], "name": "a", "from": "rec709", "to": "rec709" }).to_string();
    let tables = format!("/api/scenes/{}/tables", board["id"].as_str().unwrap());
    let (status, on) = ask!(service, post, tables, put);
    assert_eq!(status, StatusCode::OK, "{on}");
    // Without it a folder that had one would not open again.
    let scene = format!("/api/scenes/{}", board["id"].as_str().unwrap());
    assert_eq!(ask!(service, delete, scene, "").0, StatusCode::NO_CONTENT);
    let c = &mut *data.store.connect().unwrap();
    let aged = "UPDATE scenes SET deleted_at = deleted_at - 2592001 WHERE deleted_at IS NOT NULL";
    diesel::RunQueryDsl::execute(diesel::sql_query(aged), c).unwrap();
    lantern_server::store::deleted::forget_old(c).unwrap();
    assert_eq!(ask!(service, get, format!("{production}/deleted"), "").1, json!([]));
}

#[actix_web::test]
async fn many_shots_are_set_at_once_and_only_those_that_nobody_set() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap().to_owned();
    let mut names = Vec::new();
    // An 8-bit PNG that says nothing is proposed as what nearly all of them are; two never have one name.
    let eight = |v: f32| {
        let ramp =
            (0..64 * 36).map(|i| [v * (i % 64) as f32 / 63.0, (i / 64) as f32 / 35.0, 0.0, 1.0]).collect();
        let picture = lantern_core::picture::Picture::new(64, 36, ramp).unwrap();
        bare(&lantern_formats::png::write(&picture, lantern_formats::Depth::Eight).unwrap())
    };
    for v in [0.9, 1.0] {
        let (status, shot) = send!(service, scene, "ramp.png", eight(v));
        assert_eq!(status, StatusCode::OK, "{shot}");
        assert_eq!((&shot["encoding"], &shot["proposed"]), (&json!(""), &json!("srgb")), "{shot}");
        assert!(shot["encoding_reason"].as_str().unwrap().contains("common practice"), "{shot}");
        names.push(shot["name"].as_str().unwrap().to_owned());
    }
    assert_eq!(names, ["ramp", "ramp (2)"]);
    // One whose code values look like a camera's log is not.
    let (_, grey) = send!(service, scene, "flat.png", flat());
    assert_eq!(grey["proposed"], "", "{grey}");
    let (_, all) = ask!(service, get, production, "");
    let shots = all["scenes"][0]["shots"].as_array().unwrap();
    let set: Vec<Value> = shots.iter().map(|s| json!({ "shot": s["id"], "encoding": "srgb" })).collect();
    let at = format!("{production}/encodings");
    let body = |only: bool, set: &[Value]| json!({ "set": set, "only_unset": only }).to_string();
    let (status, before) = ask!(service, put, at, body(true, &set));
    assert_eq!((status, before.as_array().unwrap().len()), (StatusCode::OK, 3), "{before}");
    let encodings = |all: &Value| -> Vec<String> {
        let shots = all["scenes"][0]["shots"].as_array().unwrap();
        shots.iter().map(|s| s["encoding"].as_str().unwrap().to_owned()).collect()
    };
    let (_, all) = ask!(service, get, production, "");
    assert_eq!(encodings(&all), ["acescct", "srgb", "srgb", "srgb"]);
    // What it gives takes it back.
    ask!(service, put, at, body(false, before.as_array().unwrap()));
    let (_, all) = ask!(service, get, production, "");
    assert_eq!(encodings(&all), ["acescct", "", "", ""]);
    // All of it or nothing.
    let mut wrong = set.clone();
    wrong.push(json!({ "shot": shots[1]["id"], "encoding": "nobody-s" }));
    assert_eq!(ask!(service, put, at, body(false, &wrong)).0, StatusCode::UNPROCESSABLE_ENTITY);
    let (_, all) = ask!(service, get, production, "");
    assert_eq!(encodings(&all), ["acescct", "", "", ""]);
}

/// A PNG without the chunks that say how it is encoded.
fn bare(file: &[u8]) -> Vec<u8> {
    let mut out = file[..8].to_vec();
    let mut at = 8;
    while at < file.len() {
        let length = u32::from_be_bytes(file[at..at + 4].try_into().unwrap()) as usize + 12;
        if [b"IHDR", b"IDAT", b"IEND"].iter().any(|kind| &file[at + 4..at + 8] == *kind) {
            out.extend_from_slice(&file[at..at + length]);
        }
        at += length;
    }
    out
}

/// A picture of little colour between a tenth and seven tenths, as cameras' logs are.
fn flat() -> Vec<u8> {
    let pixels = (0..64 * 36).map(|i| {
        let v = 0.12 + 0.6 * (i % 64) as f32 / 63.0;
        [v, v * 0.98, v * 0.96, 1.0]
    });
    let picture = lantern_core::picture::Picture::new(64, 36, pixels.collect()).unwrap();
    bare(&lantern_formats::png::write(&picture, lantern_formats::Depth::Sixteen).unwrap())
}

#[actix_web::test]
async fn a_sequence_that_is_still_coming_and_one_that_broke_off_are_told_apart() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap().to_owned();
    let key = common::key(rand_key());
    ask!(service, put, format!("/api/incoming/{key}?from=0&name=sea.0001.png"), common::grey());
    let arrived = json!({ "key": key, "name": "sea.0001.png", "number": 1, "shot": "sea", "expected": 4 });
    let (status, shot) = ask!(service, post, format!("/api/scenes/{scene}/shots"), arrived.to_string());
    assert_eq!(status, StatusCode::OK, "{shot}");
    let found = |all: &Value| {
        let shots = all["scenes"][0]["shots"].as_array().unwrap().clone();
        shots.into_iter().find(|s| s["name"] == "sea").unwrap()
    };
    let (_, all) = ask!(service, get, production, "");
    let coming = found(&all);
    assert_eq!(
        (&coming["arriving"], &coming["frames"], &coming["expected"]),
        (&json!(0.25), &json!(1), &json!(4))
    );
    assert!(!coming["warnings"].to_string().contains("broke off"), "{coming}");
    // Nothing more came.
    studio.coming.forget();
    let (_, all) = ask!(service, get, production, "");
    let broke = found(&all);
    assert_eq!(broke["arriving"], Value::Null);
    assert!(broke["warnings"].to_string().contains("It broke off after 1 of 4 frames"), "{broke}");
}

#[actix_web::test]
async fn calls_that_are_none_and_methods_that_a_call_has_not_say_so() {
    service!(_data, _studio, service, production);
    for (method, path, status, says) in [
        ("GET", "/api/nothing", 404, "there is no call “/api/nothing”"),
        ("PATCH", production.as_str(), 405, "this call takes GET, PUT, DELETE, not PATCH"),
        ("DELETE", "/api/productions", 405, "this call takes GET, POST, not DELETE"),
        ("GET", "/api/productions/demo/", 404, "no call"),
        ("GET", "/api/looks/none", 404, "there is no look with this id"),
    ] {
        let request = test::TestRequest::default().method(method.parse().unwrap()).uri(path).to_request();
        let response = test::call_service(&service, request).await;
        assert_eq!(response.status().as_u16(), status, "{method} {path}");
        assert_eq!(response.headers().contains_key("allow"), status == 405);
        let body = test::read_body(response).await;
        assert!(String::from_utf8_lossy(&body).contains(says), "{method} {path}: {body:?}");
    }
}

#[actix_web::test]
async fn names_hold_nothing_that_is_not_seen() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let shot = format!("/api/shots/{}", all["scenes"][0]["shots"][0]["id"].as_str().unwrap());
    let named = |name: &str| json!({ "name": name }).to_string();
    let (status, said) = ask!(service, patch, shot, named("fer\u{202e}ry\u{200b} \u{7}deck"));
    assert_eq!((status, &said["name"]), (StatusCode::OK, &json!("ferry deck")), "{said}");
    let (status, _) = ask!(service, patch, shot, named("\u{200b}\u{2066}"));
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    let mut look = Look::new("x");
    look.name = "Du\u{200d}sk\u{202e}".into();
    let body = json!({ "name": look.name, "document": look }).to_string();
    let (_, made) = ask!(service, post, format!("{production}/looks"), body);
    assert_eq!(made["document"]["name"], "Dusk", "{made}");
}
