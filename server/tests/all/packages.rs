//! Delivery plans and packages over the API: kept, refused, made, stopped, taken up again, carried elsewhere.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::http::StatusCode;
use actix_web::{App, test, web};
use common::rand_key;
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_handoff::verify;
use lantern_server::media::folders::Folders;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::store::packages::PackageRow;
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// A package once it has ended.
macro_rules! ended {
    ($service:expr, $id:expr) => {{
        let begun = Instant::now();
        loop {
            assert!(begun.elapsed() < Duration::from_secs(600), "the package never ended");
            let (_, package) = ask!($service, get, format!("/api/packages/{}", $id), "");
            if package["state"] != "running" && package["state"] != "queued" {
                break package;
            }
            actix_web::rt::time::sleep(Duration::from_millis(20)).await;
        }
    }};
}

/// The one look of the production, with one version.
macro_rules! look {
    ($service:expr, $production:expr) => {{
        let (_, looks) = ask!($service, get, format!("{}/looks", $production), "");
        let look = looks[0]["id"].as_str().unwrap().to_owned();
        ask!($service, post, format!("/api/looks/{look}/versions"), r#"{"name":"a"}"#);
        look
    }};
}

/// Three frames as one moving shot.
macro_rules! sequence {
    ($service:expr, $production:expr) => {{
        let (_, whole) = ask!($service, get, $production, "");
        let scene = whole["scenes"][0]["id"].as_str().unwrap().to_owned();
        let mut stills = Vec::new();
        for k in 1..=3 {
            let (status, shot) = send!($service, scene, format!("sea.{k:04}.png"), common::grey());
            assert_eq!(status, StatusCode::OK, "{shot}");
            let edit = json!({ "encoding": "acescct" }).to_string();
            ask!($service, patch, format!("/api/shots/{}", shot["id"].as_str().unwrap()), edit);
            stills.push(shot["id"].clone());
        }
        let (status, joined) =
            ask!($service, post, format!("/api/scenes/{scene}/join"), json!({ "shots": stills }).to_string());
        assert_eq!(status, StatusCode::OK, "{joined}");
        scene
    }};
}

fn table(from: &str) -> Value {
    json!({ "kind": "table", "format": "cube", "from": from, "to": "rec709", "size": 17, "range": "full" })
}

fn plan(deliveries: Value) -> Value {
    json!({ "version": 1, "name": "Everybody", "receivers": [{ "name": "On set", "deliveries": deliveries }] })
}

#[actix_web::test]
async fn plans_are_kept_as_drafts_and_the_second_of_two_who_save_is_told() {
    service!(_data, _studio, service, production);
    let plans = format!("{production}/plans");
    let draft = json!({ "version": 1, "name": "New", "receivers": [] });
    let (status, made) = ask!(service, post, plans, json!({ "plan": draft }).to_string());
    assert_eq!(status, StatusCode::OK, "{made}");
    assert!(made["problem"].as_str().unwrap().contains("nobody receives"), "{made}");
    let one = format!("/api/plans/{}", made["id"].as_str().unwrap());
    let save = |revision: i64, plan: Value| json!({ "revision": revision, "plan": plan }).to_string();
    let whole = plan(json!([table("camera"), { "kind": "look" }]));
    let (status, saved) = ask!(service, put, one, save(1, whole.clone()));
    assert_eq!((status, saved["revision"].as_i64()), (StatusCode::OK, Some(2)), "{saved}");
    assert_eq!((&saved["plan"], &saved["problem"]), (&whole, &Value::Null));
    // The second of two.
    let (status, said) = ask!(service, put, one, save(1, draft));
    assert_eq!((status, said["revision"].as_i64()), (StatusCode::CONFLICT, Some(2)), "{said}");
    // What no plan is, with the reason; and what is one, but not here.
    for (wrong, why) in [
        (plan(json!([{ "kind": "book" }])), "not a delivery plan"),
        (plan(json!([{ "kind": "stills", "format": "gif", "to": "srgb" }])), "“gif”"),
        (plan(json!([{ "kind": "movies", "format": "avi", "to": "srgb" }])), "mp4, mov and mkv"),
        (json!({ "version": 7, "name": "", "receivers": [] }), "newer"),
        (json!({ "version": 1, "name": "x".repeat(81), "receivers": [] }), "80 characters"),
        (json!([]), "not a delivery plan"),
    ] {
        let (status, said) = ask!(service, put, one, save(2, wrong));
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        assert!(said["detail"].as_str().unwrap().contains(why), "{why}: {said}");
    }
    let (_, saved) = ask!(service, put, one, save(2, plan(json!([table("profile:nobody")]))));
    assert!(saved["problem"].as_str().unwrap().contains("profile"), "{saved}");
    // Deleted and put back.
    assert_eq!(ask!(service, delete, one, "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, get, plans, "").1, json!([]));
    assert_eq!(ask!(service, put, one, save(3, whole.clone())).0, StatusCode::NOT_FOUND);
    assert_eq!(ask!(service, post, format!("{one}/restore"), "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, get, plans, "").1[0]["revision"], 3);
    // As a file, and back, also where the camera has another id.
    let (_, all) = ask!(service, get, production, "");
    let camera = all["profiles"][0]["encoding"].as_str().unwrap();
    ask!(service, put, one, save(3, plan(json!([table(camera), table("camera")]))));
    let (_, file) = ask!(service, get, format!("{one}/file"), "");
    assert_eq!(file["profiles"].as_object().unwrap().len(), 2, "{file}");
    let text = file.to_string().replace(camera, "profile:from-elsewhere");
    let file: Value = serde_json::from_str(&text).unwrap();
    let (status, again) = ask!(service, post, plans, json!({ "plan": file }).to_string());
    assert_eq!((status, &again["problem"]), (StatusCode::OK, &Value::Null), "{again}");
    assert_eq!(again["plan"]["receivers"][0]["deliveries"][0]["from"], camera);
}

#[actix_web::test]
async fn a_package_is_made_twice_alike_and_its_parts_are_served() {
    service!(data, studio, service, production);
    let look = look!(service, production);
    sequence!(service, production);
    let deliveries = json!([
        table("camera"), table("acescct"), { "kind": "look" }, { "kind": "corrections", "form": "cdl" },
        { "kind": "configuration", "displays": ["rec709"], "size": 17 },
        { "kind": "stills", "format": "png", "to": "srgb" },
        { "kind": "frames", "format": "dpx", "to": "rec709" }, { "kind": "movies", "format": "mp4", "to": "rec709" },
    ]);
    let (_, kept) =
        ask!(service, post, format!("{production}/plans"), json!({ "plan": plan(deliveries) }).to_string());
    let order = json!({ "version": 1, "plan": kept["id"] }).to_string();
    let mut made = Vec::new();
    for _ in 0..2 {
        let (status, package) = ask!(service, post, format!("/api/looks/{look}/packages"), order.clone());
        assert_eq!(status, StatusCode::OK, "{package}");
        made.push(package["id"].as_str().unwrap().to_owned());
    }
    let package = ended!(service, made[0]);
    let twin = ended!(service, made[1]);
    assert_eq!(
        (&package["state"], &package["file_name"]),
        (&json!("done"), &json!("first_v1_everybody.zip")),
        "{package}"
    );
    assert_eq!(package["checksum"], twin["checksum"], "byte for byte");
    // Lists are short.
    let (_, list) = ask!(service, get, format!("/api/looks/{look}/packages"), "");
    assert_eq!((list.as_array().unwrap().len(), &list[0]["manifest"]), (2, &Value::Null));
    let zip = studio.media.path(package["checksum"].as_str().unwrap()).unwrap();
    assert!(verify::verify(&zip).unwrap().is_sound());
    let paths: Vec<&str> = package["manifest"]["files"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| f["path"].as_str().unwrap())
        .collect();
    for want in [
        "on-set/frames-rec709/02-sea/02-sea.0003.dpx",
        "on-set/movies-rec709/02-sea.mp4",
        "on-set/stills-srgb/01-grey.png",
        "on-set/first.look.json",
        "on-set/configuration/config.ocio",
    ] {
        assert!(paths.contains(&want), "{want}: {paths:?}");
    }
    // The report is a page that can do nothing; the archive and its files are downloads.
    let get = async |uri: String| {
        let response = test::call_service(&service, test::TestRequest::get().uri(&uri).to_request()).await;
        let headers = response.headers().clone();
        let of = |name: &str| headers.get(name).map(|v| v.to_str().unwrap().to_owned()).unwrap_or_default();
        let (policy, disposition) = (of("content-security-policy"), of("content-disposition"));
        (response.status(), policy, disposition, test::read_body(response).await)
    };
    let at = format!("/api/packages/{}", made[0]);
    let (_, policy, _, body) = get(format!("{at}/report")).await;
    assert!(policy.contains("sandbox") && policy.contains("default-src 'none'"), "{policy}");
    assert!(String::from_utf8_lossy(&body).contains("Everybody"));
    let (_, _, disposition, body) = get(format!("{at}/zip")).await;
    assert!(disposition.contains("first_v1_everybody.zip") && body == std::fs::read(&zip).unwrap());
    let (_, _, disposition, body) = get(format!("{at}/file?path=on-set/first.look.json")).await;
    assert!(
        disposition.contains("first.look.json") && Look::from_json(&String::from_utf8_lossy(&body)).is_ok()
    );
    for path in ["../lantern.sqlite3", "/etc/passwd", "", "on-set/nothing.cube", "..%2F..%2Fx"] {
        assert_eq!(get(format!("{at}/file?path={path}")).await.0, StatusCode::UNPROCESSABLE_ENTITY, "{path}");
    }
    // A table of it that comes back is known.
    let table = paths.iter().find(|p| p.ends_with("acescct_to_rec709_17.cube")).unwrap();
    let back = verify::file(&zip, table).unwrap();
    let (_, told) = ask!(service, post, format!("{production}/identify?name=a.cube"), back);
    assert_eq!(told["kinship"], "same-file", "{told}");
    assert!(told["name"].as_str().unwrap().contains("first_v1_everybody.zip"), "{told}");
    // What is being made is gone, what was made stays over a restart; deleted for good its archive goes.
    assert_eq!(std::fs::read_dir(studio.media.workshop(&"x".into()).parent().unwrap()).unwrap().count(), 0);
    for id in &made {
        assert_eq!(ask!(service, delete, format!("/api/packages/{id}"), "").0, StatusCode::NO_CONTENT);
    }
    assert_eq!(ask!(service, get, at, "").0, StatusCode::NOT_FOUND);
    assert_eq!(ask!(service, post, format!("{at}/restore"), "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, get, at, "").1["state"], "done");
    drop(data);
}

#[actix_web::test]
async fn what_cannot_be_made_is_said_at_once_and_what_was_stopped_is_taken_up_again() {
    service!(data, studio, service, production);
    let look = look!(service, production);
    let plans = format!("{production}/plans");
    let packages = format!("/api/looks/{look}/packages");
    for (deliveries, why) in [
        (json!([]), "nothing is delivered"),
        (json!([{ "kind": "movies", "format": "mp4", "to": "acescg" }]), "no tags"),
        (json!([{ "kind": "configuration", "displays": ["acescct"], "size": 17 }]), "no display"),
        (json!([table("profile:nobody")]), "profile"),
        (
            json!([{ "kind": "table", "format": "spi1d", "from": "acescct", "to": "rec709", "size": 17 }]),
            "mixes channels",
        ),
    ] {
        let (_, kept) = ask!(service, post, plans, json!({ "plan": plan(deliveries) }).to_string());
        let (status, said) =
            ask!(service, post, packages, json!({ "version": 1, "plan": kept["id"] }).to_string());
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{said}");
        assert!(said["detail"].as_str().unwrap().contains(why), "{why}: {said}");
    }
    assert_eq!(ask!(service, get, packages, "").1, json!([]), "nothing of them is there");
    let (_, kept) =
        ask!(service, post, plans, json!({ "plan": plan(json!([table("acescct")])) }).to_string());
    assert_eq!(
        ask!(service, post, packages, json!({ "version": 9, "plan": kept["id"] }).to_string()).0,
        StatusCode::NOT_FOUND
    );

    // As the server left it when it was stopped in the middle.
    let row = |id: &str, state: &str| PackageRow {
        id: id.into(),
        look_id: look.as_str().into(),
        version: 1,
        plan: plan(json!([table("acescct")])).to_string(),
        state: state.into(),
        failure: String::new(),
        manifest: String::new(),
        archive_hash: None,
        file_name: "a.zip".into(),
        made_at: 5,
    };
    data.store.with(|c| row("left", "running").insert(c)).unwrap();
    data.store.with(|c| row("stopped", "cancelled").insert(c)).unwrap();
    let own = jobs::Jobs::default();
    jobs::package::resume(&studio, &own).unwrap();
    assert_eq!(ended!(service, "left")["state"], "done");
    assert_eq!(ask!(service, get, "/api/packages/stopped", "").1["state"], "cancelled");
    let (status, again) = ask!(service, post, "/api/packages/stopped/resume", "");
    assert_eq!(status, StatusCode::OK, "{again}");
    assert_eq!(ended!(service, "stopped")["state"], "done");
    assert_eq!(ask!(service, post, "/api/packages/stopped/resume", "").0, StatusCode::UNPROCESSABLE_ENTITY);

    // Stopped at once, many times, while others are asked for: all of them end, and each can be taken up.
    let mut ids = Vec::new();
    for _ in 0..6 {
        let (_, p) = ask!(service, post, packages, json!({ "version": 1, "plan": kept["id"] }).to_string());
        ids.push(p["id"].as_str().unwrap().to_owned());
        ask!(service, post, format!("/api/packages/{}/cancel", ids[ids.len() - 1]), "");
    }
    // The last one still waits: it is taken up at once, whatever goes before it.
    let last = ids[ids.len() - 1].clone();
    let (status, said) = ask!(service, post, format!("/api/packages/{last}/resume"), "");
    assert!(status == StatusCode::OK || said["detail"].as_str().unwrap().contains("stopped"), "{said}");
    if status == StatusCode::OK {
        assert_eq!(ended!(service, last)["state"], "done");
    }
    for id in ids {
        let state = ended!(service, id)["state"].clone();
        assert!(state == "cancelled" || state == "done", "{state}");
        if state == "cancelled" {
            let begun = Instant::now();
            while ask!(service, post, format!("/api/packages/{id}/resume"), "").0 != StatusCode::OK {
                assert!(begun.elapsed() < Duration::from_secs(600));
            }
            assert_eq!(ended!(service, id)["state"], "done");
        }
    }
}

#[actix_web::test]
async fn a_production_takes_its_plans_and_packages_along() {
    service!(data, studio, service, production);
    let look = look!(service, production);
    let (_, all) = ask!(service, get, production, "");
    let camera = all["profiles"][0]["encoding"].as_str().unwrap().to_owned();
    let (_, kept) = ask!(
        service,
        post,
        format!("{production}/plans"),
        json!({ "plan": plan(json!([table(&camera)])) }).to_string()
    );
    let (_, made) = ask!(
        service,
        post,
        format!("/api/looks/{look}/packages"),
        json!({ "version": 1, "plan": kept["id"] }).to_string()
    );
    let package = ended!(service, made["id"].as_str().unwrap());
    assert_eq!(package["state"], "done", "{package}");
    // Copied, and carried as a file.
    let (_, copy) = ask!(service, post, format!("{production}/duplicate"), r#"{"name":"Copy"}"#);
    let request = test::TestRequest::get().uri(&format!("{production}/export")).to_request();
    let file = test::read_body(test::call_service(&service, request).await).await.to_vec();
    let key = common::key(77);
    ask!(service, put, format!("/api/incoming/{key}?from=0&name=a.production.zip"), file);
    let (status, brought) = ask!(service, post, "/api/productions/import", json!({ "key": key }).to_string());
    assert_eq!(status, StatusCode::OK, "{brought}");
    for other in [&copy, &brought] {
        let other = format!("/api/productions/{}", other["id"].as_str().unwrap());
        let (_, whole) = ask!(service, get, other, "");
        let (_, plans) = ask!(service, get, format!("{other}/plans"), "");
        let from = &plans[0]["plan"]["receivers"][0]["deliveries"][0]["from"];
        assert_eq!(
            (from, &plans[0]["problem"]),
            (&whole["profiles"][0]["encoding"], &Value::Null),
            "{plans}"
        );
        assert_ne!(from, &json!(camera));
        let (_, looks) = ask!(service, get, format!("{other}/looks"), "");
        let (_, packages) =
            ask!(service, get, format!("/api/looks/{}/packages", looks[0]["id"].as_str().unwrap()), "");
        assert_eq!(packages[0]["checksum"], package["checksum"]);
        assert_eq!(packages[0]["state"], "done");
    }
    // Its archive is still there after a start, which takes away what nothing names.
    data.store.with(|c| lantern_server::store::productions::Media::forget_unused(c)).unwrap();
    let used = data.store.with(|c| lantern_server::store::productions::Media::known(c)).unwrap();
    assert!(used.contains(package["checksum"].as_str().unwrap()));
    assert!(studio.media.read(package["checksum"].as_str().unwrap()).is_ok());
}
