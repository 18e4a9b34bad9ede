//! Looks, versions and handoffs over the API: two people who save, what is refused and how, a table from its order to
//! its file.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, middleware, test, web};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_server::media::folders::Folders;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, guard, jobs};
use serde_json::{Value, json};

/// The first look of a production.
macro_rules! first_look {
    ($service:expr, $production:expr) => {{
        let (_, looks) = ask!($service, get, format!("{}/looks", $production), "");
        format!("/api/looks/{}", looks[0]["id"].as_str().unwrap())
    }};
}

/// A handoff once it has ended.
macro_rules! ended {
    ($service:expr, $id:expr) => {{
        let begun = std::time::Instant::now();
        loop {
            assert!(begun.elapsed().as_secs() < 600, "the handoff never ended");
            let (_, handoff) = ask!($service, get, format!("/api/handoffs/{}", $id), "");
            if handoff["state"] != "running" && handoff["state"] != "queued" {
                break handoff;
            }
            actix_web::rt::task::yield_now().await;
        }
    }};
}

/// What a problem says.
fn said(problem: &Value) -> &str {
    problem["detail"].as_str().unwrap_or_default()
}

#[actix_web::test]
async fn of_two_who_save_the_first_wins_and_the_second_is_told_the_revision() {
    service!(_data, _studio, service, production);
    let look = first_look!(service, production);
    let (_, was) = ask!(service, get, look, "");
    assert_eq!((&was["revision"], &was["document"]["name"]), (&json!(1), &json!("First")));
    let save = |name: &str, revision: i32| {
        let mut document = was["document"].clone();
        document["name"] = json!(name);
        json!({ "revision": revision, "document": document }).to_string()
    };
    let (status, saved) = ask!(service, put, look, save("Mine", 1));
    assert_eq!((status, &saved["revision"]), (StatusCode::OK, &json!(2)));
    let (status, problem) = ask!(service, put, look, save("Yours", 1));
    assert_eq!((status, &problem["revision"]), (StatusCode::CONFLICT, &json!(2)), "{problem}");
    assert!(said(&problem).contains("revision 2"), "{problem}");
    let (_, is) = ask!(service, get, look, "");
    assert_eq!((&is["revision"], &is["document"]["name"]), (&json!(2), &json!("Mine")));
    let (status, _) = ask!(service, put, look, save("Yours", 2));
    assert_eq!(status, StatusCode::OK);
}

#[actix_web::test]
async fn documents_that_are_no_looks_are_refused_by_name_and_change_nothing() {
    service!(_data, _studio, service, production);
    let look = first_look!(service, production);
    let (_, was) = ask!(service, get, look, "");
    let tone = |values: Value| {
        json!({ "version": 3, "name": "x", "notes": "", "tags": [], "path": { "steps": [
            { "id": "a", "name": "Key light", "zone": "scene", "on": true, "strength": 1, "kind": "tone", "values": values }
        ] } })
    };
    let mut twice = tone(json!({ "contrast": 1.5 }));
    let step = twice["path"]["steps"][0].clone();
    twice["path"]["steps"].as_array_mut().unwrap().push(step);
    let mut newer = tone(json!({}));
    newer["version"] = json!(99);
    for (document, words) in [
        (json!([]), "look"),
        (json!({ "version": 3, "name": "x" }), "path"),
        (newer, "99"),
        (tone(json!({ "contrast": 400.0 })), "ontrast"),
        (tone(json!({ "contrast": "bright" })), "bright"),
        (tone(json!({ "glow": 1.0 })), "glow"),
        (twice, "a"),
    ] {
        let body = json!({ "revision": 1, "document": document }).to_string();
        let (status, problem) = ask!(service, put, look, body);
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{document}");
        assert!(said(&problem).contains(words), "{problem} should say {words}");
        let import = format!("{production}/looks/import");
        let (status, _) = ask!(service, post, import, document.to_string());
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{document}");
    }
    let (status, problem) = ask!(service, post, format!("{production}/looks/import"), vec![0xff, 0xfe, 0x00]);
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said(&problem).contains("no text"), "{problem}");
    assert_eq!(ask!(service, get, look, "").1, was);
    let (_, looks) = ask!(service, get, format!("{production}/looks"), "");
    assert_eq!(looks.as_array().unwrap().len(), 1);
}

#[actix_web::test]
async fn a_look_is_made_carried_as_a_file_and_goes_with_what_it_had() {
    service!(_data, _studio, service, production);
    let all = format!("{production}/looks");
    let (status, made) = ask!(service, post, all, json!({ "name": "Wet Slate" }).to_string());
    assert_eq!(status, StatusCode::OK, "{made}");
    let look = format!("/api/looks/{}", made["id"].as_str().unwrap());
    ask!(service, post, format!("{look}/versions"), json!({ "name": "" }).to_string());
    let request = test::TestRequest::get().uri(&format!("{look}/file")).to_request();
    let file = test::call_service(&service, request).await;
    let named = file.headers().get("content-disposition").unwrap().to_str().unwrap().to_owned();
    assert_eq!(named, "attachment; filename=\"wet-slate.look.json\"");
    let bytes = test::read_body(file).await;
    let (status, copy) = ask!(service, post, format!("{all}/import"), bytes);
    assert_eq!((status, &copy["document"]), (StatusCode::OK, &made["document"]));
    assert_ne!(copy["id"], made["id"]);
    let (status, _) = ask!(service, delete, look, "");
    assert_eq!(status, StatusCode::NO_CONTENT);
    for gone in
        [look.clone(), format!("{look}/versions"), format!("{look}/versions/1"), format!("{look}/file")]
    {
        let (status, problem) = ask!(service, get, gone, "");
        assert_eq!(status, StatusCode::NOT_FOUND, "{gone}: {problem}");
        assert_eq!(problem["type"], "/problems/not-found");
    }
    let (status, _) = ask!(service, delete, look, "");
    assert_eq!(status, StatusCode::NOT_FOUND);
    let (_, left) = ask!(service, get, all, "");
    let names: Vec<_> = left.as_array().unwrap().iter().map(|l| l["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["First", "Wet Slate"]);
}

#[actix_web::test]
async fn versions_hold_what_the_look_was_when_they_were_kept() {
    service!(_data, _studio, service, production);
    let look = first_look!(service, production);
    let versions = format!("{look}/versions");
    let keep = |name: &str| json!({ "name": name }).to_string();
    let (_, one) = ask!(service, post, versions, keep("  for the screening "));
    let number = one["number"].as_i64().unwrap();
    assert_eq!(one["name"], "for the screening");
    let (_, was) = ask!(service, get, look, "");
    let mut document = was["document"].clone();
    document["name"] = json!("Second thoughts");
    ask!(service, put, look, json!({ "revision": 1, "document": document }).to_string());
    let (_, two) = ask!(service, post, versions, keep(""));
    assert_eq!(
        (&two["number"], &two["name"]),
        (&json!(number + 1), &json!(format!("version {}", number + 1)))
    );
    let (_, list) = ask!(service, get, versions, "");
    let numbers: Vec<_> = list.as_array().unwrap().iter().map(|v| v["number"].as_i64().unwrap()).collect();
    assert_eq!(numbers[..2], [number + 1, number]);
    let (_, kept) = ask!(service, get, format!("{versions}/{number}"), "");
    assert_eq!((&kept["document"], &kept["name"]), (&was["document"], &json!("for the screening")));
    let (status, problem) = ask!(service, post, versions, keep(&"x".repeat(201)));
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said(&problem).contains("200"), "{problem}");
    for wrong in ["99", "0", "first"] {
        let (status, _) = ask!(service, get, format!("{versions}/{wrong}"), "");
        assert_eq!(status, StatusCode::NOT_FOUND, "{wrong}");
    }
}

#[actix_web::test]
async fn a_handoff_runs_to_a_file_that_is_what_its_report_says() {
    service!(_data, _studio, service, production);
    let look = first_look!(service, production);
    ask!(service, post, format!("{look}/versions"), json!({ "name": "" }).to_string());
    let handoffs = format!("{look}/handoffs");
    let wish = |size: i32, from: &str, version: i32| {
        json!({ "version": version, "from": from, "to": "rec709", "size": size }).to_string()
    };
    // What cannot be made is said at once, and nothing is begun.
    for (size, from, version, status, words) in [
        (18, "acescct", 1, StatusCode::UNPROCESSABLE_ENTITY, "18"),
        (17, "no-such-log", 1, StatusCode::UNPROCESSABLE_ENTITY, "no-such-log"),
        (17, "", 1, StatusCode::UNPROCESSABLE_ENTITY, "encoding unknown"),
        (17, "acescct", 99, StatusCode::NOT_FOUND, "version"),
    ] {
        let (got, problem) = ask!(service, post, handoffs, wish(size, from, version));
        assert_eq!(got, status, "{problem}");
        assert!(said(&problem).contains(words), "{problem} should say {words}");
    }
    assert_eq!(ask!(service, get, handoffs, "").1, json!([]));

    let (_, begun) = ask!(service, post, handoffs, wish(17, "acescct", 1));
    assert_eq!((&begun["state"], &begun["checksum"]), (&json!("queued"), &Value::Null));
    let id = begun["id"].as_str().unwrap();
    let done = ended!(service, id);
    assert_eq!(
        (&done["state"], &done["progress"], &done["failure"]),
        (&json!("done"), &json!(1.0), &json!(""))
    );
    assert_eq!(done["file_name"], "first_v1_acescct_to_rec709_17.cube");
    let request = test::TestRequest::get().uri(&format!("/api/handoffs/{id}/table")).to_request();
    let file = test::read_body(test::call_service(&service, request).await).await;
    assert_eq!(done["checksum"], blake3::hash(&file).to_hex().to_string());
    let table = lantern_formats::cube::read(&file).unwrap();
    assert_eq!(table.cube().unwrap().size(), 17);
    // Its pictures are those of the production; one of them is flat grey, which a table of the plain rendering holds.
    let report = &done["report"];
    assert!(report.to_string().contains("\"grey\""), "{report}");
    let (_, list) = ask!(service, get, handoffs, "");
    assert_eq!(list[0]["id"], id);
    // To stop one that is done changes nothing.
    let (_, still) = ask!(service, post, format!("/api/handoffs/{id}/cancel"), "");
    assert_eq!(still["state"], "done");
}

#[actix_web::test]
async fn a_handoff_that_is_stopped_leaves_no_table() {
    service!(_data, _studio, service, production);
    let look = first_look!(service, production);
    ask!(service, post, format!("{look}/versions"), json!({ "name": "" }).to_string());
    let wish = json!({ "version": 1, "from": "acescct", "to": "rec709", "size": 65 }).to_string();
    let (_, begun) = ask!(service, post, format!("{look}/handoffs"), wish);
    let id = begun["id"].as_str().unwrap();
    // Two million colours and their settling lie ahead: it is stopped long before.
    ask!(service, post, format!("/api/handoffs/{id}/cancel"), "");
    let ended = ended!(service, id);
    assert_eq!(
        (&ended["state"], &ended["checksum"], &ended["report"]),
        (&json!("cancelled"), &Value::Null, &Value::Null)
    );
    let (status, problem) = ask!(service, get, format!("/api/handoffs/{id}/table"), "");
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said(&problem).contains("not done"), "{problem}");
}

#[actix_web::test]
async fn productions_are_made_named_copied_and_deleted() {
    service!(_data, _studio, service, production);
    let name = |name: &str| json!({ "name": name }).to_string();
    let (_, made) = ask!(service, post, "/api/productions", name("  The Salt\u{7} Clock \n"));
    assert_eq!(made["name"], "The Salt Clock");
    for empty in ["", "   ", "\u{7}\n"] {
        let (status, problem) = ask!(service, post, "/api/productions", name(empty));
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        assert!(said(&problem).contains("name"), "{problem}");
    }
    let own = format!("/api/productions/{}", made["id"].as_str().unwrap());
    let (status, _) = ask!(service, put, own, name(&"x".repeat(400)));
    assert_eq!(status, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, get, own, "").1["name"].as_str().unwrap().len(), 200);

    let (_, copy) = ask!(service, post, format!("{production}/duplicate"), name("Copy"));
    let copied = format!("/api/productions/{}", copy["id"].as_str().unwrap());
    let (_, from) = ask!(service, get, production, "");
    let (_, to) = ask!(service, get, copied, "");
    assert_eq!(to["name"], "Copy");
    let names = |p: &Value| p["scenes"][0]["shots"][0]["name"].clone();
    assert_eq!(names(&to), names(&from));
    assert_ne!(to["scenes"][0]["id"], from["scenes"][0]["id"]);
    assert_eq!(to["profiles"][0]["body"], from["profiles"][0]["body"]);
    assert_ne!(to["profiles"][0]["id"], from["profiles"][0]["id"]);
    // What happens to the one does not happen to the other.
    assert_eq!(ask!(service, delete, production, "").0, StatusCode::NO_CONTENT);
    assert_eq!(ask!(service, get, production, "").0, StatusCode::NOT_FOUND);
    assert_eq!(ask!(service, get, copied, "").1["scenes"][0]["shots"].as_array().unwrap().len(), 1);
}

#[actix_web::test]
async fn an_order_names_every_scene_and_shot_once_or_is_refused() {
    service!(_data, _studio, service, production);
    let (_, second) =
        ask!(service, post, format!("{production}/scenes"), json!({ "name": "two" }).to_string());
    let (_, all) = ask!(service, get, production, "");
    let [one, two] = [&all["scenes"][0]["id"], &second["id"]];
    let shot = &all["scenes"][0]["shots"][0]["id"];
    let order = |scenes: Value| json!({ "scenes": scenes }).to_string();
    let place = format!("{production}/order");
    for wrong in [
        json!([]),
        json!([{ "id": one, "shots": [shot] }]),
        json!([{ "id": one, "shots": [] }, { "id": two, "shots": [] }]),
        json!([{ "id": one, "shots": [shot] }, { "id": two, "shots": [shot] }]),
        json!([{ "id": one, "shots": [shot] }, { "id": one, "shots": [] }]),
        json!([{ "id": one, "shots": [shot] }, { "id": "nowhere", "shots": [] }]),
    ] {
        let (status, problem) = ask!(service, put, place, order(wrong.clone()));
        // What is named twice is wrong whatever others do; what is left out may be somebody else's new one.
        let twice =
            [json!(one), json!(shot)].iter().any(|id| wrong.to_string().matches(&id.to_string()).count() > 1);
        let want = if twice { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::CONFLICT };
        assert_eq!(status, want, "{wrong}");
        assert!(said(&problem).contains("every scene and shot once"), "{problem}");
    }
    assert_eq!(ask!(service, get, production, "").1["scenes"], all["scenes"]);
    let right = json!([{ "id": two, "shots": [shot] }, { "id": one, "shots": [] }]);
    assert_eq!(ask!(service, put, place, order(right)).0, StatusCode::NO_CONTENT);
    let (_, now) = ask!(service, get, production, "");
    assert_eq!((&now["scenes"][0]["id"], &now["scenes"][0]["shots"][0]["id"]), (two, shot));
}

#[actix_web::test]
async fn what_does_not_exist_or_cannot_be_read_is_a_problem_in_words() {
    service!(_data, _studio, service, _production);
    for nowhere in [
        "/api/productions/none",
        "/api/productions/none/looks/file",
        "/api/looks/none",
        "/api/looks/none/versions",
        "/api/handoffs/none",
        "/api/shots/none/trim",
        "/api/no-such-call",
    ] {
        let request = test::TestRequest::get().uri(nowhere).to_request();
        let response = test::call_service(&service, request).await;
        assert_eq!(response.status(), StatusCode::NOT_FOUND, "{nowhere}");
        assert_eq!(response.headers().get("content-type").unwrap(), "application/problem+json", "{nowhere}");
        let problem: Value = test::read_body_json(response).await;
        // What is no call at all is told from what is not there.
        let title = if nowhere.ends_with("call") || nowhere.ends_with("looks/file") {
            "no-such-call"
        } else {
            "not-found"
        };
        assert_eq!((&problem["status"], &problem["title"]), (&json!(404), &json!(title)), "{nowhere}");
        assert!(said(&problem).starts_with("there is no "), "{problem}");
    }
    for body in ["", "{", "[]", r#"{"name": 7}"#, r#"{"title": "x"}"#] {
        let (status, problem) = ask!(service, post, "/api/productions", body);
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{body}");
        assert!(said(&problem).contains("body cannot be read"), "{problem}");
    }
    // Longer than any look: refused without being kept.
    let long = format!(r#"{{"name": "{}"}}"#, "x".repeat(5 << 20));
    let (status, problem) = ask!(service, post, "/api/productions", long);
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said(&problem).contains("limit"), "{problem}");
}

#[actix_web::test]
async fn only_this_machines_own_pages_are_answered() {
    let app =
        App::new().wrap(middleware::from_fn(guard::local_only)).wrap(guard::headers()).configure(api::routes);
    let service = test::init_service(app).await;
    let host = "127.0.0.1:7171";
    for (host, origin, fine) in [
        (host, None, true),
        (host, Some("http://127.0.0.1:7171"), true),
        ("localhost:7171", Some("http://localhost:7171"), true),
        // A page elsewhere, one on another port here, and one that has its own name lead here.
        (host, Some("http://elsewhere.test"), false),
        (host, Some("http://127.0.0.1:8080"), false),
        (host, Some("https://127.0.0.1:7171"), false),
        (host, Some("null"), false),
        ("elsewhere.test:7171", None, false),
        ("elsewhere.test", Some("http://elsewhere.test"), false),
        ("", None, false),
    ] {
        let mut request = test::TestRequest::get().uri("/api/health").insert_header(("host", host));
        if let Some(origin) = origin {
            request = request.insert_header(("origin", origin));
        }
        let (status, headers) = match test::try_call_service(&service, request.to_request()).await {
            Ok(response) => (response.status(), response.headers().clone()),
            Err(e) => (e.as_response_error().status_code(), Default::default()),
        };
        assert_eq!(status, if fine { StatusCode::OK } else { StatusCode::FORBIDDEN }, "{host} {origin:?}");
        // Refusals say it too.
        {
            let policy = headers.get("content-security-policy").unwrap().to_str().unwrap();
            assert!(policy.contains("default-src 'self'") && policy.contains("frame-ancestors 'none'"));
            assert_eq!(headers.get("x-content-type-options").unwrap(), "nosniff");
        }
    }
}

#[actix_web::test]
async fn a_handoff_asked_for_at_once_with_any_other_writing_call_is_there_and_so_is_the_other() {
    service!(data, _studio, service, production);
    let look = first_look!(service, production);
    let handoffs = format!("{look}/handoffs");
    let wish = || json!({ "version": 1, "from": "acescct", "to": "rec709", "size": 17 }).to_string();
    let (_, first) = ask!(service, post, handoffs, wish());
    let cancel = format!("/api/handoffs/{}/cancel", first["id"].as_str().unwrap());
    for round in 0..20 {
        let name = format!("round {round}");
        let (_, now) = ask!(service, get, look, "");
        let mut document = now["document"].clone();
        document["notes"] = json!(name);
        let save = json!({ "revision": now["revision"], "document": document }).to_string();
        let called = json!({ "name": name }).to_string();
        let other = async {
            match round % 5 {
                0 => ask!(service, put, look, save),
                1 => ask!(service, post, format!("{look}/versions"), called),
                2 => ask!(service, put, production, called),
                3 => ask!(service, post, cancel, ""),
                _ => ask!(service, post, handoffs, wish()),
            }
        };
        let one = async { ask!(service, post, handoffs, wish()) };
        let ((status, made), (other_status, said)) = futures_util::future::join(one, other).await;
        assert!(status.is_success() && other_status.is_success(), "{made} {said}");
        let (_, list) = ask!(service, get, handoffs, "");
        let there = |id: &Value| list.as_array().unwrap().iter().any(|h| h["id"] == *id);
        assert!(there(&made["id"]), "round {round}");
        let kept = match round % 5 {
            0 => ask!(service, get, look, "").1["document"]["notes"] == name,
            1 => ask!(service, get, format!("{look}/versions"), "").1[0]["name"] == name,
            2 => ask!(service, get, production, "").1["name"] == name,
            3 => {
                ["cancelled", "done"].contains(&said["state"].as_str().unwrap_or(""))
                    || said["state"] == "running"
            }
            _ => there(&said["id"]),
        };
        assert!(kept, "round {round}: {said}");
        // What is not needed any more does not wait its turn.
        ask!(service, post, format!("/api/handoffs/{}/cancel", made["id"].as_str().unwrap()), "");
    }
    drop(data);
}
