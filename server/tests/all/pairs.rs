//! Two writing calls at once, every pair of a table: what was answered with success is there afterwards, or one of the two
//! was refused because the other came first.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::Method, http::StatusCode, test, web};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_server::media::folders::Folders;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};

/// How often each pair of calls on a shot is sent, which is one row; and each other pair.
const ROUNDS: u32 = 100;
const OTHER_ROUNDS: u32 = 20;
/// The first calls of the table work on a shot.
const ON_A_SHOT: usize = 9;

/// What a call says in a round, and whether that is there in a state.
type Says = dyn Fn(u32, &Value) -> Value;
type Holds = dyn Fn(u32, &Value) -> bool;

/// A writing call: where it goes, what it says in a round, and whether that is there afterwards.
struct Call {
    name: &'static str,
    method: Method,
    uri: String,
    body: Box<Says>,
    holds: Box<Holds>,
}

fn call(
    name: &'static str,
    method: Method,
    uri: impl Into<String>,
    body: impl Fn(u32, &Value) -> Value + 'static,
    holds: impl Fn(u32, &Value) -> bool + 'static,
) -> Call {
    Call { name, method, uri: uri.into(), body: Box::new(body), holds: Box::new(holds) }
}

/// A path of one Balance step with an exposure.
fn trim(exposure: f64) -> Value {
    json!({ "steps": [{ "id": "b", "name": "Balance", "zone": "scene", "on": true, "strength": 1.0,
        "kind": "balance", "values": { "exposure": exposure } }] })
}

/// The shot with this id, and the name of its scene.
fn shot_of<'a>(state: &'a Value, id: &str) -> Option<(&'a Value, &'a str)> {
    state["production"]["scenes"].as_array()?.iter().find_map(|scene| {
        let found = scene["shots"].as_array()?.iter().find(|s| s["id"] == id)?;
        Some((found, scene["name"].as_str()?))
    })
}

/// An order with every scene and shot, the shot `id` in one scene or the other.
fn order(state: &Value, id: &str, second: bool) -> Value {
    let scenes = state["production"]["scenes"].as_array().unwrap();
    let target = usize::from(second);
    let scenes: Vec<Value> = (0..)
        .zip(scenes)
        .map(|(i, scene)| {
            let own = scene["shots"].as_array().unwrap().iter().map(|s| s["id"].clone());
            let mut shots: Vec<Value> = own.filter(|s| s != id).collect();
            if i == target {
                shots.push(json!(id));
            }
            json!({ "id": scene["id"], "shots": shots })
        })
        .collect();
    json!({ "scenes": scenes })
}

/// All writing calls on the things of a small production.
fn calls(ids: &Ids) -> Vec<Call> {
    let Ids { production, scene, shot, other, look, profile, plan } = ids.clone();
    let of_shot = move |field: &'static str, want: fn(u32) -> Value| {
        let (shot, uri) = (shot.clone(), format!("/api/shots/{shot}"));
        call(
            field,
            Method::PATCH,
            uri,
            move |round, _| json!({ field: want(round) }),
            move |round, state| shot_of(state, &shot).is_some_and(|(s, _)| s[field] == want(round)),
        )
    };
    let shot = ids.shot.clone();
    let exposure = |round: u32| f64::from(round % 50) * 0.05 - 1.0;
    let mut all = vec![
        of_shot("name", |round| json!(format!("shot {round}"))),
        of_shot("rate", |round| json!(24.0 + f64::from(round))),
        of_shot("encoding", |round| json!(["acescct", "rec709", "pq"][round as usize % 3])),
        of_shot("poster", |round| json!(round % 4)),
        of_shot("in_frame", |round| json!(round % 2)),
        of_shot("out_frame", |round| json!(2 + round % 2)),
    ];
    let trimmed =
        move |state: &Value, want: f64| state["trim"]["path"]["steps"][0]["values"]["exposure"] == want;
    all.push(call(
        "trim",
        Method::PUT,
        format!("/api/shots/{shot}/trim"),
        move |round, _| json!({ "path": trim(exposure(round)) }),
        move |round, state| trimmed(state, exposure(round)),
    ));
    let moved = shot.clone();
    let there = shot.clone();
    all.push(call(
        "order",
        Method::PUT,
        format!("{production}/order"),
        move |round, state| order(state, &moved, round % 2 == 1),
        move |round, state| {
            let name = state["production"]["scenes"][(round % 2) as usize]["name"].clone();
            shot_of(state, &there).is_some_and(|(_, scene)| name == scene)
        },
    ));
    all.push(call(
        "copy of a trim",
        Method::POST,
        format!("/api/shots/{other}/trim/copy"),
        move |_, _| json!({ "to": [shot] }),
        move |_, state| trimmed(state, 2.0),
    ));
    all.push(of_shot("note", |round| json!(format!("note {round}"))));
    all.push(call(
        "scene's name",
        Method::PUT,
        format!("/api/scenes/{scene}"),
        |round, _| json!({ "name": format!("scene {round}") }),
        |round, state| state["production"]["scenes"][0]["name"] == format!("scene {round}"),
    ));
    all.push(call(
        "finished stills",
        Method::PUT,
        format!("/api/scenes/{scene}"),
        |round, _| json!({ "finished": round % 2 == 1 }),
        |round, state| state["production"]["scenes"][0]["finished"] == (round % 2 == 1),
    ));
    all.push(call(
        "production's name",
        Method::PUT,
        production.clone(),
        |round, _| json!({ "name": format!("production {round}") }),
        |round, state| state["production"]["name"] == format!("production {round}"),
    ));
    all.push(call(
        "profile",
        Method::PUT,
        format!("/api/profiles/{profile}"),
        |round, state| {
            let mut body = state["production"]["profiles"][0]["body"].clone();
            body["name"] = json!(format!("camera {round}"));
            json!({ "body": body, "revision": state["production"]["profiles"][0]["revision"] })
        },
        |round, state| state["production"]["profiles"][0]["body"]["name"] == format!("camera {round}"),
    ));
    all.push(call(
        "look",
        Method::PUT,
        format!("/api/looks/{look}"),
        |round, state| {
            let mut document = state["look"]["document"].clone();
            document["notes"] = json!(format!("note {round}"));
            json!({ "revision": state["look"]["revision"], "document": document })
        },
        |round, state| state["look"]["document"]["notes"] == format!("note {round}"),
    ));
    all.push(call(
        "plan",
        Method::PUT,
        format!("/api/plans/{plan}"),
        |round, state| {
            let mut plan = state["plan"]["plan"].clone();
            plan["name"] = json!(format!("plan {round}"));
            json!({ "revision": state["plan"]["revision"], "plan": plan })
        },
        |round, state| state["plan"]["plan"]["name"] == format!("plan {round}"),
    ));
    all.push(call(
        "version",
        Method::POST,
        format!("/api/looks/{look}/versions"),
        |round, _| json!({ "name": format!("kept {round}") }),
        |round, state| {
            let kept = state["versions"].as_array().unwrap();
            kept.iter().any(|v| v["name"] == format!("kept {round}"))
        },
    ));
    all
}

#[derive(Clone)]
struct Ids {
    production: String,
    scene: String,
    shot: String,
    other: String,
    look: String,
    profile: String,
    plan: String,
}

#[actix_web::test]
async fn of_two_calls_at_once_none_that_was_accepted_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    let data = Data::open(folder.path()).unwrap();
    let camera: CameraProfile =
        serde_json::from_str(include_str!("../../../demo/data/harrier.camera.json")).unwrap();
    let picture = common::grey();
    let mut sequence = common::still("sea", &picture);
    sequence.pictures = (1..=4).map(|i| (format!("sea.{i:04}.png"), picture.as_slice().into())).collect();
    let shots = vec![sequence, common::still("other", &picture)];
    let scenes = [
        SeedScene { name: "one", finished: false, shots },
        SeedScene { name: "two", finished: false, shots: Vec::new() },
    ];
    let looks = [Look::new("First")];
    seed(&data, &Seed { name: "Test", camera: &camera, scenes: &scenes, looks: &looks }).unwrap();
    let studio = web::Data::new(Studio::new(data.store.clone(), data.media.clone()));
    let service = test::init_service(
        App::new()
            .app_data(studio.clone())
            .app_data(web::Data::new(jobs::Jobs::default()))
            .app_data(web::Data::new(data.store.clone()))
            .app_data(web::Data::new(Folders::new(&[]).unwrap()))
            .configure(api::routes),
    )
    .await;
    let send = |method: Method, uri: String, body: Value| {
        let request = test::TestRequest::default().method(method).uri(&uri).set_json(body).to_request();
        let answer = test::call_service(&service, request);
        async move {
            let answer = answer.await;
            let status = answer.status();
            let body = test::read_body(answer).await;
            (status, serde_json::from_slice::<Value>(&body).unwrap_or(Value::Null))
        }
    };
    let get = |uri: String| {
        let answer = send(Method::GET, uri, json!({}));
        async move { answer.await.1 }
    };
    let all = get("/api/productions".into()).await;
    let production = format!("/api/productions/{}", all[0]["id"].as_str().unwrap());
    let state = get(production.clone()).await;
    let id = |v: &Value| v["id"].as_str().unwrap().to_owned();
    let ids = Ids {
        scene: id(&state["scenes"][0]),
        shot: id(&state["scenes"][0]["shots"][0]),
        other: id(&state["scenes"][0]["shots"][1]),
        look: id(&get(format!("{production}/looks")).await[0]),
        profile: id(&state["profiles"][0]),
        plan: {
            let plan = json!({ "plan": { "version": 1, "name": "plan", "receivers": [] } });
            id(&send(Method::POST, format!("{production}/plans"), plan).await.1)
        },
        production: production.clone(),
    };
    send(Method::PUT, format!("/api/shots/{}/trim", ids.other), json!({ "path": trim(2.0) })).await;
    // What there is now; of a part that no call of a pair writes, what there was.
    let parts = [
        ("production", production.clone()),
        ("trim", format!("/api/shots/{}/trim", ids.shot)),
        ("look", format!("/api/looks/{}", ids.look)),
        ("plan", format!("/api/plans/{}", ids.plan)),
        ("versions", format!("/api/looks/{}/versions", ids.look)),
    ];
    let now = |mut state: Value, names: Option<[&'static str; 2]>| {
        let written = |part: &str| {
            names.is_none_or(|names| {
                names.iter().any(|name| match *name {
                    "trim" | "copy of a trim" => part == "trim",
                    "look" => part == "look",
                    "plan" => part == "plan",
                    "version" => part == "versions" || part == "look",
                    _ => part == "production",
                })
            })
        };
        let asked: Vec<_> = parts.iter().filter(|(part, _)| written(part)).collect();
        async move {
            for (part, uri) in asked {
                state[*part] = get(uri.clone()).await;
            }
            state
        }
    };

    let calls = calls(&ids);
    let (mut lost, mut sent) = (Vec::new(), 0);
    for (i, a) in calls.iter().enumerate() {
        for (j, b) in calls.iter().enumerate().skip(i) {
            let mut state = now(json!({}), None).await;
            for round in 0..if j < ON_A_SHOT { ROUNDS } else { OTHER_ROUNDS } {
                // Two that write the same say different things.
                let rounds = [round, if a.name == b.name { round + 1 } else { round }];
                let asked = [(a, rounds[0]), (b, rounds[1])]
                    .map(|(c, r)| send(c.method.clone(), c.uri.clone(), (c.body)(r, &state)));
                let [first, second] = asked;
                let (first, second) = futures_util::future::join(first, second).await;
                sent += 1;
                state = now(state, Some([a.name, b.name])).await;
                let mut kept = 0;
                let answers = [(a, rounds[0], first), (b, rounds[1], second)];
                for (call, round, (status, said)) in &answers {
                    let refused = *status == StatusCode::CONFLICT;
                    assert!(status.is_success() || refused, "{} with {}: {said}", a.name, b.name);
                    kept += usize::from(refused || (call.holds)(*round, &state));
                }
                // Both write the same: one of them came last. So do both that write a whole trim.
                let same = a.name == b.name || [a, b].iter().all(|c| c.name.contains("trim"));
                if kept < if same { 1 } else { 2 } {
                    lost.push(format!("{} with {} in round {round}", a.name, b.name));
                }
            }
        }
    }
    assert!(lost.is_empty(), "{} of {sent}: {:?}", lost.len(), &lost[..lost.len().min(12)]);
    drop(folder);
}
