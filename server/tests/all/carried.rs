//! Productions that come in as files: whole, or refused with what is wrong; and files that nothing refers to.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_server::media::folders::Folders;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::io::{Cursor, Read, Write};
use zip::{ZipArchive, ZipWriter, write::SimpleFileOptions};

/// The same archive with another document.
fn altered(file: &[u8], change: &dyn Fn(&mut Value)) -> Vec<u8> {
    let mut from = ZipArchive::new(Cursor::new(file)).unwrap();
    let mut to = ZipWriter::new(Cursor::new(Vec::new()));
    for i in 0..from.len() {
        let mut entry = from.by_index(i).unwrap();
        let name = entry.name().unwrap().into_owned();
        let mut bytes = Vec::new();
        entry.read_to_end(&mut bytes).unwrap();
        if name == "production.json" {
            let mut document: Value = serde_json::from_slice(&bytes).unwrap();
            change(&mut document);
            bytes = serde_json::to_vec(&document).unwrap();
        }
        to.start_file(name, SimpleFileOptions::default()).unwrap();
        to.write_all(&bytes).unwrap();
    }
    to.finish().unwrap().into_inner()
}

#[actix_web::test]
async fn every_row_of_a_production_file_is_checked_before_any_is_saved() {
    service!(_data, _studio, service, production);
    let request = test::TestRequest::get().uri(&format!("{production}/export")).to_request();
    let file = test::read_body(test::call_service(&service, request).await).await.to_vec();
    let import = async |bytes: Vec<u8>, n: u64| {
        let key = common::key(n);
        let (status, said) =
            ask!(service, put, format!("/api/incoming/{key}?from=0&name=a.production.zip"), bytes);
        assert_eq!(status, StatusCode::OK, "{said}");
        ask!(service, post, "/api/productions/import", json!({ "key": key }).to_string())
    };
    // The demo's document as it is comes in, and so does one that says nothing of lengths that is true.
    let (status, _) =
        import(altered(&file, &|d| d["scenes"][0]["shots"][0]["frames"][0]["bytes"] = json!(1)), 1).await;
    assert_eq!(status, StatusCode::OK);
    let (_, before) = ask!(service, get, "/api/productions", "");
    let shot = |d: &mut Value, key: &str, value: Value| d["scenes"][0]["shots"][0][key] = value;
    let frame = |d: &mut Value, key: &str, value: Value| d["scenes"][0]["shots"][0]["frames"][0][key] = value;
    let version = |d: &mut Value| {
        let document = d["looks"][0]["document"].clone();
        d["looks"][0]["versions"] = json!([{ "number": 1, "name": "", "document": document, "saved_at": 0 }]);
    };
    let handoff = move |d: &mut Value, key: &str, value: Value| {
        version(d);
        let table = d["scenes"][0]["shots"][0]["frames"][0]["media"].clone();
        let mut h = json!({ "version": 1, "from": "acescct", "to": "rec709", "size": 33, "report": {},
            "table": table, "file_name": "a.cube", "made_at": 0 });
        h[key] = value;
        d["looks"][0]["handoffs"] = json!([h]);
    };
    type Change = Box<dyn Fn(&mut Value)>;
    let wrong: Vec<(&str, Change)> = vec![
        ("poster", Box::new(move |d| shot(d, "poster", json!(-5)))),
        ("poster", Box::new(move |d| shot(d, "poster", json!(1)))),
        ("frames a second", Box::new(move |d| shot(d, "rate", json!(1e308)))),
        ("frames a second", Box::new(move |d| shot(d, "rate", json!(0.0)))),
        ("no-such-log", Box::new(move |d| shot(d, "encoding", json!("no-such-log")))),
        ("profile", Box::new(move |d| shot(d, "encoding", json!("profile:x")))),
        ("out at", Box::new(move |d| shot(d, "out_frame", json!(7)))),
        ("in at", Box::new(move |d| shot(d, "in_frame", json!(-1)))),
        ("announced", Box::new(move |d| shot(d, "expected", json!(0)))),
        ("announced", Box::new(move |d| shot(d, "expected", json!(i32::MAX)))),
        ("a shot has no name", Box::new(move |d| shot(d, "name", json!("\u{7}")))),
        ("a note that is none", Box::new(move |d| shot(d, "note", json!("\u{7}")))),
        ("contrast frame that is not there", Box::new(move |d| shot(d, "contrast", json!([0, 9])))),
        (
            "encodings that are not known",
            Box::new(|d| {
                let media = d["scenes"][0]["shots"][0]["frames"][0]["media"].clone();
                d["scenes"][0]["tables"] = json!([{ "name": "t", "note": "", "tags": "", "table": media,
                    "from": "nowhere", "to": "rec709" }]);
            }),
        ),
        ("a scene has no name", Box::new(|d| d["scenes"][0]["name"] = json!(""))),
        ("number", Box::new(move |d| frame(d, "number", json!(-1)))),
        ("frame's file", Box::new(move |d| frame(d, "bytes", json!(-1)))),
        ("numbers", Box::new(move |d| frame(d, "healed", json!(-2)))),
        ("0 x 36", Box::new(move |d| frame(d, "width", json!(0)))),
        ("name that is none", Box::new(move |d| frame(d, "name", json!("a\nb")))),
        ("usual camera", Box::new(|d| d["camera"] = json!("nobody"))),
        ("no name of a file", Box::new(move |d| handoff(d, "file_name", json!("a\"; x=\"b.cube")))),
        ("no name of a file", Box::new(move |d| handoff(d, "file_name", json!("../a.cube")))),
        ("no name of a file", Box::new(move |d| handoff(d, "file_name", json!("a\r\nX: y")))),
        ("points on a side", Box::new(move |d| handoff(d, "size", json!(1_000_000)))),
        ("version 4", Box::new(move |d| handoff(d, "version", json!(4)))),
        ("goes from", Box::new(move |d| handoff(d, "to", json!("nowhere")))),
        ("report", Box::new(move |d| handoff(d, "report", json!(3)))),
        (
            "there twice",
            Box::new(|d| {
                let again = d["scenes"][0]["shots"][0]["frames"][0].clone();
                d["scenes"][0]["shots"][0]["frames"].as_array_mut().unwrap().push(again);
            }),
        ),
    ];
    for (n, (why, change)) in (10_u64..).zip(wrong) {
        let (status, said) = import(altered(&file, &change), n).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{why}: {said}");
        let detail = said["detail"].as_str().unwrap();
        assert!(detail.contains(why) || why == "0 x 36", "{why}: {detail}");
    }
    let (_, after) = ask!(service, get, "/api/productions", "");
    assert_eq!(after, before, "nothing of them is there");
}

#[actix_web::test]
async fn what_is_handed_off_is_called_by_a_name_that_a_header_can_hold() {
    service!(data, _studio, service, production);
    let (_, looks) = ask!(service, get, format!("{production}/looks"), "");
    let look = looks[0]["id"].as_str().unwrap();
    // As an older program may have taken it in.
    {
        use lantern_server::store::handoffs::Handoff;
        let hash = data.media.keep(b"LUT").unwrap();
        let row = Handoff {
            id: "h".into(),
            look_id: look.into(),
            version: 1,
            from_encoding: "acescct".into(),
            to_encoding: "rec709".into(),
            size: 33,
            state: "done".into(),
            failure: String::new(),
            report: "{}".into(),
            table_hash: Some(hash.clone()),
            file_name: "a\"; filename=\"b\r\nX-Bad: 1".into(),
            made_at: 0,
            format: "cube".into(),
            code_range: "full".into(),
            says: String::new(),
        };
        let media = lantern_server::store::productions::Media { hash, kind: "table".into(), bytes: 3 };
        let c = &mut *data.store.connect().unwrap();
        ask!(service, post, format!("/api/looks/{look}/versions"), json!({ "name": "" }).to_string());
        media.insert(c).unwrap();
        row.insert(c).unwrap();
    }
    let request = test::TestRequest::get().uri("/api/handoffs/h/table").to_request();
    let response = test::call_service(&service, request).await;
    assert_eq!(response.status(), StatusCode::OK);
    let said = response.headers().get("content-disposition").unwrap().to_str().unwrap().to_owned();
    assert_eq!(said.matches('"').count(), 2, "{said}");
    assert!(response.headers().get("x-bad").is_none());
}

#[actix_web::test]
async fn files_that_nothing_refers_to_go_when_the_folder_is_opened_again() {
    let folder = tempfile::tempdir().unwrap();
    let data = Data::open(folder.path()).unwrap();
    let camera: CameraProfile =
        serde_json::from_str(include_str!("../../../demo/data/harrier.camera.json")).unwrap();
    let picture = common::grey();
    let scenes = [SeedScene { name: "one", finished: false, shots: vec![common::still("grey", &picture)] }];
    seed(&data, &Seed { name: "Test", camera: &camera, scenes: &scenes, looks: &[Look::new("First")] })
        .unwrap();
    let own = blake3::hash(&picture).to_hex().to_string();
    let orphan = data.media.keep(b"nobody's").unwrap();
    // Also one that has a row, which nothing refers to; and what is not ours stays.
    let forgotten = data.media.keep(b"forgotten").unwrap();
    let row = lantern_server::store::productions::Media {
        hash: forgotten.clone(),
        kind: "picture".into(),
        bytes: 9,
    };
    data.store.with(|c| row.insert(c)).unwrap();
    let foreign = data.media.path(&own).unwrap().with_file_name("notes.txt");
    std::fs::write(&foreign, "mine").unwrap();
    drop(data);
    let again = Data::open(folder.path()).unwrap();
    assert!(again.media.read(&own).is_ok() && foreign.exists());
    assert!(again.media.read(&orphan).is_err() && again.media.read(&forgotten).is_err());
}

#[actix_web::test]
async fn a_table_that_a_step_uses_stays_though_nothing_but_a_document_names_it() {
    let folder = tempfile::tempdir().unwrap();
    let used;
    {
        let data = Data::open(folder.path()).unwrap();
        let table = lantern_core::table::Table::new(
            "t".into(),
            None,
            Some(
                lantern_core::table::Table3::new(
                    2,
                    lantern_core::table::Domain::UNIT,
                    &(0..8).map(|i| [i & 1, i >> 1 & 1, i >> 2].map(|v| v as f32)).collect::<Vec<_>>(),
                )
                .unwrap(),
            ),
        )
        .unwrap();
        let (hash, bytes) = data.media.keep_table(&table).unwrap();
        let row = lantern_server::store::productions::Media {
            hash: hash.clone(),
            kind: "table".into(),
            bytes: bytes as i64,
        };
        data.store.with(|c| row.insert(c)).unwrap();
        let mut look = Look::new("With a table");
        look.path.steps.insert(
            0,
            serde_json::from_value(
                json!({ "id": "t", "name": "t", "zone": "scene", "on": true, "strength": 1.0,
                "kind": "table", "values": { "tables": [{ "table": hash, "name": "t", "from": "acescct",
                "to": "acescct", "strength": 1.0 }] } }),
            )
            .unwrap(),
        );
        data.store.with(|c| lantern_server::store::shelf::ShelfRow::create(c, "look", &look)).unwrap();
        used = hash;
    }
    let again = Data::open(folder.path()).unwrap();
    assert!(again.media.table(&used).is_some());
}

/// A scene that is put back does not share its place with one that was made meanwhile.
#[actix_web::test]
async fn scenes_never_share_a_place() {
    service!(data, _studio, service, production);
    let make = async |name: &str| {
        let (_, made) =
            ask!(service, post, format!("{production}/scenes"), json!({ "name": name }).to_string());
        made["id"].as_str().unwrap().to_owned()
    };
    let two = make("two").await;
    ask!(service, delete, format!("/api/scenes/{two}"), "");
    make("three").await;
    ask!(service, post, format!("/api/scenes/{two}/restore"), "");
    make("four").await;
    let c = &mut *data.store.connect().unwrap();
    let all = lantern_server::store::productions::Production::all(c).unwrap();
    let places: Vec<i32> = all[0].scenes(c).unwrap().iter().map(|(s, _)| s.position).collect();
    let mut sorted = places.clone();
    sorted.dedup();
    assert_eq!((places.len(), sorted.len()), (4, 4), "{places:?}");
}
