//! The Shelf, tables, decision lists, comparing and picking over the API.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_server::media::folders::Folders;
use lantern_server::preview::{CardsRequest, Quality, Show, Studio};
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::sync::atomic::AtomicBool;

/// A table of two points on a side that takes half of everything away (Cube LUT specification 1.0).
fn half() -> String {
    let row = |i: u32| {
        format!("{} {} {}\n", f64::from(i % 2) / 2.0, f64::from(i / 2 % 2) / 2.0, f64::from(i / 4) / 2.0)
    };
    format!("TITLE \"half\"\nLUT_3D_SIZE 2\n{}", (0..8).map(row).collect::<String>())
}

fn table_look(name: &str, hash: &str) -> Value {
    json!({ "version": 2, "name": name, "path": { "steps": [
        { "id": "t", "name": "Half", "zone": "scene", "on": true, "strength": 1.0, "kind": "table", "values": { "tables": [
            { "table": hash, "name": "half", "from": "acescct", "to": "acescct", "strength": 1.0 }] } }] } })
}

#[actix_web::test]
async fn a_table_is_kept_by_its_hash_used_by_a_look_and_leaves_inside_the_look_file() {
    service!(data, studio, service, production);
    let (status, line) = ask!(service, post, "/api/tables?name=half_acescct_to_acescct.cube", half());
    assert_eq!(status, StatusCode::OK, "{line}");
    assert_eq!(
        (line["name"].as_str(), line["from"].as_str(), line["says"].as_str()),
        (Some("half"), Some("acescct"), Some("3D, 2 points"))
    );
    let hash = line["table"].as_str().unwrap().to_owned();
    let body = json!({ "name": "Halved", "document": table_look("Halved", &hash) }).to_string();
    let (status, made) = ask!(service, post, format!("{production}/looks"), body);
    assert_eq!(status, StatusCode::OK, "{made}");
    let (_, file) = ask!(service, get, format!("/api/looks/{}/file", made["id"].as_str().unwrap()), "");
    assert_eq!(file["tables"][&hash]["cube"]["size"], 2);

    // Brought in where nothing is known of the table.
    service!(other_data, other_studio, other, other_production);
    let refused = json!({ "name": "x", "document": table_look("x", &hash) }).to_string();
    let (status, problem) = ask!(other, post, format!("{other_production}/looks"), refused);
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("is not here"), "{problem}");
    let (status, made) = ask!(other, post, format!("{other_production}/looks/import"), file.to_string());
    assert_eq!(status, StatusCode::OK, "{made}");
    assert_eq!(made["document"]["path"]["steps"][0]["values"]["tables"][0]["table"], hash.as_str());
    assert!(other_studio.media.table(&hash).is_some());
    drop((data, other_data, studio));
}

#[actix_web::test]
async fn a_picture_goes_through_the_table_that_its_path_names() {
    service!(data, studio, service, production);
    let (_, line) = ask!(service, post, "/api/tables?name=half.cube", half());
    let look = Look::from_json(&table_look("x", line["table"].as_str().unwrap()).to_string()).unwrap();
    let (_, detail) = ask!(service, get, production, "");
    let shot = detail["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    let stop = AtomicBool::new(false);
    let mut request = common::picture_of(&shot, Quality::Rest);
    let plain = studio.picture(&request, lantern_server::preview::Kind::Picture, &stop).unwrap().unwrap();
    request.seat.path = look.path.clone();
    let halved = studio.picture(&request, lantern_server::preview::Kind::Picture, &stop).unwrap().unwrap();
    // Half of ACEScct 0.4136 is 0.2068, 3.6 stops lower (S-2016-001: 17.52 stops a unit).
    assert!(halved[16] < plain[16] / 2, "{} {}", plain[16], halved[16]);
    request.seat.path.steps[0].on = false;
    request.view = Some([0.25, 0.25, 0.5, 0.5]);
    request.show = Show::Picture;
    let part = studio.picture(&request, lantern_server::preview::Kind::Picture, &stop).unwrap().unwrap();
    assert_eq!(u16::from_le_bytes([part[8], part[9]]), 32, "half of 64 pixels");
    let cards = CardsRequest {
        seq: 1,
        shot: shot.as_str().into(),
        frame: None,
        paths: vec![Default::default(), look.path],
        width: 32,
        display: "srgb".into(),
    };
    let [a, b] = [0, 1].map(|i| studio.card(&cards, i, &stop).unwrap().unwrap());
    assert!(a[0] == 4 && b[16] < a[16]);
    assert_eq!(studio.card(&cards, 1, &stop).unwrap().unwrap(), b, "a kept card is the same");
    drop(data);
}

#[actix_web::test]
async fn a_look_with_a_table_in_it_is_handed_off_and_a_picture_through_its_file_is_the_looks_own() {
    service!(data, studio, service, production);
    let (_, line) = ask!(service, post, "/api/tables?name=half.cube", half());
    let document = table_look("Halved", line["table"].as_str().unwrap());
    let body = json!({ "name": "Halved", "document": document }).to_string();
    let (_, made) = ask!(service, post, format!("{production}/looks"), body);
    let look = format!("/api/looks/{}", made["id"].as_str().unwrap());
    ask!(service, post, format!("{look}/versions"), "{}");
    let wish = json!({ "version": 1, "from": "acescct", "to": "rec709", "size": 17 }).to_string();
    let (status, begun) = ask!(service, post, format!("{look}/handoffs"), wish);
    assert_eq!(status, StatusCode::OK, "{begun}");
    let place = format!("/api/handoffs/{}", begun["id"].as_str().unwrap());
    let done = loop {
        let (_, handoff) = ask!(service, get, place, "");
        if handoff["state"] != "running" && handoff["state"] != "queued" {
            break handoff;
        }
        actix_web::rt::task::yield_now().await;
    };
    assert_eq!(done["state"], "done", "{done}");
    let table = studio.media.read(done["checksum"].as_str().unwrap()).unwrap();
    let table = lantern_formats::cube::read(&table).unwrap();
    // 18 % grey by ACEScct (S-2016-001) through the file, and through the look on the page.
    let mut grey = [[0.413_588_4, 0.413_588_4, 0.413_588_4, 1.0]];
    table.apply(&mut grey);
    let (_, detail) = ask!(service, get, production, "");
    let shot = detail["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    let mut request = common::picture_of(&shot, Quality::Rest);
    request.seat.path = Look::from_json(&document.to_string()).unwrap().path;
    let seen = studio.picture(&request, lantern_server::preview::Kind::Picture, &AtomicBool::new(false));
    let seen = seen.unwrap().unwrap();
    assert!((grey[0][0] * 255.0 - f32::from(seen[16])).abs() < 1.0, "{grey:?} {}", seen[16]);
    drop(data);
}

#[actix_web::test]
async fn broken_tables_and_decision_lists_are_refused_in_words() {
    service!(_data, _studio, service, _production);
    for (bytes, why) in [
        (&b"LUT_3D_SIZE 2\n0 0 0\n"[..], "8"),
        (b"LUT_3D_SIZE 4000\n", "goes from 2 to 129"),
        (b"\x89PNG\r\n\x1a\nnot a picture", "PNG"),
        (b"", ""),
    ] {
        let (status, problem) = ask!(service, post, "/api/tables?name=x.cube", bytes.to_vec());
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{problem}");
        assert!(problem["detail"].as_str().unwrap().contains(why), "{problem}");
    }
    let (status, _) = ask!(service, post, "/api/corrections/read", "<ColorCorrection>");
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    let values = json!({ "red_slope": 1.25, "saturation": 0.5 });
    let body = json!({ "form": "ccc", "corrections": [{ "id": "a", "values": values }] }).to_string();
    let request = test::TestRequest::post().uri("/api/corrections/write").set_payload(body);
    let request = request.insert_header(("content-type", "application/json")).to_request();
    let text = test::call_and_read_body(&service, request).await;
    let (_, back) = ask!(service, post, "/api/corrections/read", text);
    assert_eq!((back[0]["id"].as_str(), back[0]["values"]["red_slope"].as_f64()), (Some("a"), Some(1.25)));
}

#[actix_web::test]
async fn own_looks_and_favourites_stand_on_the_shelf_before_the_starting_looks() {
    service!(_data, _studio, service, _production);
    let (_, before) = ask!(service, get, "/api/shelf", "");
    let count = before.as_array().unwrap().len();
    assert!(count >= 24 && before.as_array().unwrap().iter().all(|i| i["kind"] == "starting"));
    let document = json!({ "version": 2, "name": "Mine", "path": { "steps": [] } });
    for kind in ["look", "steps"] {
        let body = json!({ "kind": kind, "document": document }).to_string();
        assert_eq!(ask!(service, post, "/api/shelf", body).0, StatusCode::OK);
    }
    let body = json!({ "kind": "shelf", "document": document }).to_string();
    assert_eq!(ask!(service, post, "/api/shelf", body).0, StatusCode::UNPROCESSABLE_ENTITY);
    let (_, after) = ask!(service, get, "/api/shelf", "");
    assert_eq!(after.as_array().unwrap().len(), count + 2);
    let id = after[0]["id"].as_str().unwrap();
    assert_eq!(ask!(service, delete, format!("/api/shelf/{id}"), "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, delete, format!("/api/shelf/{id}"), "").0, StatusCode::NOT_FOUND);
}

#[actix_web::test]
async fn differences_and_picked_colours_come_over_the_api() {
    service!(_data, _studio, service, production);
    let step = |contrast: f64| json!({ "id": "a", "name": "Tone", "zone": "scene", "on": true, "strength": 1.0, "kind": "tone", "values": { "contrast": contrast } });
    let body = json!({ "before": { "steps": [step(1.0)] }, "after": { "steps": [step(1.5)] } }).to_string();
    let (status, found) = ask!(service, post, "/api/compare", body);
    assert_eq!(status, StatusCode::OK, "{found}");
    assert_eq!((found.as_array().unwrap().len(), found[0]["field"].as_str()), (1, Some("contrast")));

    let (_, detail) = ask!(service, get, production, "");
    let shot = detail["scenes"][0]["shots"][0]["id"].as_str().unwrap();
    let ask_for = |want: &str| {
        json!({ "shot": shot, "path": { "steps": [step(1.0)] }, "target": "a", "want": want, "at": [0.5, 0.5] }).to_string()
    };
    // The shot is a grey card: it has a brightness, and no hue.
    let (status, picked) = ask!(service, post, "/api/pick", ask_for("range"));
    assert_eq!(status, StatusCode::OK, "{picked}");
    let range = &picked["range"];
    assert_eq!(range["hue_reach"], 180.0);
    assert!(
        range["brightness_low"].as_f64().unwrap() < 0.0 && range["brightness_high"].as_f64().unwrap() > 0.0
    );
    let (status, problem) = ask!(service, post, "/api/pick", ask_for("bump"));
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("no colour"), "{problem}");
}
