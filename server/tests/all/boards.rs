//! Boards of references: tables beside stills, kept frames, notes, contrast frames; read, compared, taken over, carried.

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

/// A finished picture with tones and colours: a ramp from `low` to `high` with a hue that leans.
fn finished(low: f32, high: f32, lean: f32) -> Vec<u8> {
    let pixels = (0..96 * 54).map(|i| {
        let (x, y) = ((i % 96) as f32 / 95.0, (i / 96) as f32 / 53.0);
        let v = low + (high - low) * x;
        [(v + lean * y).clamp(0.0, 1.0), v, (v - lean * y).clamp(0.0, 1.0), 1.0]
    });
    lantern_formats::png::write(&Picture::new(96, 54, pixels.collect()).unwrap(), Depth::Sixteen).unwrap()
}

const CUBE: &str =
    "TITLE \"Dusk\"\nLUT_3D_SIZE 2\n0.1 0.1 0.1\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n0.9 0.9 0.9\n";

#[actix_web::test]
async fn a_board_holds_stills_and_tables_which_are_noted_taken_off_put_back_and_carried() {
    service!(_data, _studio, service, production);
    let (_, state) = ask!(service, get, production, "");
    let shot = state["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
    let plain = state["scenes"][0]["id"].as_str().unwrap().to_owned();
    let wish = json!({ "name": "night", "finished": true }).to_string();
    let (_, board) = ask!(service, post, format!("{production}/scenes"), wish);
    let board = board["id"].as_str().unwrap().to_owned();

    // A table: brought in, put on the board, noted.
    let (status, line) = ask!(service, post, "/api/tables?name=dusk.cube", CUBE);
    assert_eq!(status, StatusCode::OK, "{line}");
    let put = json!({ "table": line["table"], "name": "Dusk", "from": "rec709", "to": "rec709" });
    let (status, table) = ask!(service, post, format!("/api/scenes/{board}/tables"), put.to_string());
    assert_eq!(status, StatusCode::OK, "{table}");
    let table = format!("/api/board-tables/{}", table["id"].as_str().unwrap());
    let (status, _) =
        ask!(service, put, table, json!({ "note": "for the pier", "tags": "blue" }).to_string());
    assert_eq!(status, StatusCode::NO_CONTENT);
    // What it expects and gives may be said otherwise afterwards, one of both alone too.
    let (status, _) = ask!(service, put, table, json!({ "from": "acescct" }).to_string());
    assert_eq!(status, StatusCode::NO_CONTENT);
    let (status, said) = ask!(service, put, table, json!({ "note": "lost", "to": "nothing" }).to_string());
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY, "{said}");
    let (_, state) = ask!(service, get, production, "");
    let scenes = state["scenes"].as_array().unwrap();
    let kept = &scenes.iter().find(|s| s["id"] == board).unwrap()["tables"][0];
    let now = [&kept["from"], &kept["to"], &kept["note"], &kept["tags"]].map(|v| v.as_str().unwrap());
    assert_eq!(now, ["acescct", "rec709", "for the pier", "blue"]);
    // Not on a scene of shots, not a table that is not there, not between encodings that nobody knows.
    let (status, said) = ask!(service, post, format!("/api/scenes/{plain}/tables"), put.to_string());
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY
            && said["detail"].as_str().unwrap().contains("finished stills"),
        "{said}"
    );
    for (key, value, want) in
        [("table", "00ff", StatusCode::NOT_FOUND), ("to", "nothing", StatusCode::UNPROCESSABLE_ENTITY)]
    {
        let mut other = put.clone();
        other[key] = json!(value);
        let (status, said) = ask!(service, post, format!("/api/scenes/{board}/tables"), other.to_string());
        assert_eq!(status, want, "{said}");
    }

    // A frame that is kept, and a picture that comes in.
    let (status, kept) =
        ask!(service, post, format!("/api/shots/{shot}/kept"), json!({ "board": board }).to_string());
    assert!(status == StatusCode::OK && kept["encoding"] == "acescct", "{kept}");
    let (status, _) =
        ask!(service, post, format!("/api/shots/{shot}/kept"), json!({ "board": plain }).to_string());
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    let (status, _) = ask!(
        service,
        post,
        format!("/api/shots/{shot}/kept"),
        json!({ "board": board, "frame": 9 }).to_string()
    );
    assert_eq!(status, StatusCode::NOT_FOUND);

    // The kept frame becomes the shot's contrast frame; a shot is not its own.
    let still = kept["id"].as_str().unwrap().to_owned();
    let (status, said) = ask!(
        service,
        patch,
        format!("/api/shots/{shot}"),
        json!({ "contrast": still, "note": "low sun" }).to_string()
    );
    assert!(
        status == StatusCode::OK && said["contrast"] == still.as_str() && said["note"] == "low sun",
        "{said}"
    );
    let (status, _) =
        ask!(service, patch, format!("/api/shots/{shot}"), json!({ "contrast": shot }).to_string());
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);

    // Taken off and put back.
    ask!(service, delete, table, "");
    let (_, now) = ask!(service, get, production, "");
    assert_eq!(now["scenes"][1]["tables"], json!([]));
    ask!(service, post, format!("{table}/restore"), "");

    // A copy is made from what a production file holds: everything is there.
    let (status, copy) =
        ask!(service, post, format!("{production}/duplicate"), json!({ "name": "Copy" }).to_string());
    assert_eq!(status, StatusCode::OK, "{copy}");
    let (_, copy) = ask!(service, get, format!("/api/productions/{}", copy["id"].as_str().unwrap()), "");
    let its = &copy["scenes"][1];
    assert_eq!(
        (its["tables"][0]["name"].as_str(), its["tables"][0]["note"].as_str()),
        (Some("Dusk"), Some("for the pier"))
    );
    let own = &copy["scenes"][0]["shots"][0];
    assert_eq!((own["note"].as_str(), &own["contrast"]), (Some("low sun"), &its["shots"][0]["id"]));
    assert_ne!(own["contrast"], still.as_str());

    // It is taken from the shot again.
    let (_, said) = ask!(service, patch, format!("/api/shots/{shot}"), json!({ "contrast": "" }).to_string());
    assert_eq!(said["contrast"], Value::Null);
}

#[actix_web::test]
async fn a_reference_is_read_over_the_shot_compared_and_taken_over_in_parts() {
    service!(_data, _studio, service, production);
    let wish = json!({ "name": "night", "finished": true }).to_string();
    let (_, board) = ask!(service, post, format!("{production}/scenes"), wish);
    let board = board["id"].as_str().unwrap();
    let mut ids = Vec::new();
    for (name, bytes) in [("own.png", finished(0.0, 0.9, 0.0)), ("its.png", finished(0.2, 0.7, 0.1))] {
        let (status, shot) = send!(service, board, name, bytes);
        assert_eq!(status, StatusCode::OK, "{shot}");
        let id = shot["id"].as_str().unwrap().to_owned();
        ask!(service, patch, format!("/api/shots/{id}"), json!({ "encoding": "srgb" }).to_string());
        ids.push(id);
    }
    let (own, its) = (&ids[0], &ids[1]);
    let (status, reading) = ask!(service, get, format!("/api/shots/{its}/reading"), "");
    assert_eq!(status, StatusCode::OK, "{reading}");
    let (_, seen) = ask!(service, post, "/api/references/reading", json!({ "shot": own }).to_string());
    assert!(seen["tones"][0].as_f64().unwrap() < reading["tones"][0].as_f64().unwrap());

    // What is taken over brings the shot's reading to the reference's.
    let wish =
        json!({ "shot": own, "reference": its, "part": "tones", "name": "its", "id": "t" }).to_string();
    let (status, taken) = ask!(service, post, "/api/references/taken", wish);
    assert_eq!(status, StatusCode::OK, "{taken}");
    let mut step = taken["step"].clone();
    assert_eq!((step["strength"].as_f64(), step["name"].as_str()), (Some(0.5), Some("Tones of its")));
    step["strength"] = json!(1.0);
    let seen = json!({ "shot": own, "path": { "steps": [step] } }).to_string();
    let (_, after) = ask!(service, post, "/api/references/reading", seen);
    for i in 0..7 {
        let [a, b] = [&after, &reading].map(|r| r["tones"][i].as_f64().unwrap());
        assert!((a - b).abs() < 0.03, "{i}: {a} {b}");
    }
    // Of itself there is nothing to take.
    let wish =
        json!({ "shot": its, "reference": its, "part": "tints", "name": "its", "id": "t" }).to_string();
    assert_eq!(ask!(service, post, "/api/references/taken", wish).1["step"], Value::Null);

    // The same area of the same picture is no difference; another is, in stops that the ramp has.
    let corners = |x: f64| json!({ "corners": [[x, 0.4], [x + 0.05, 0.4], [x + 0.05, 0.5], [x, 0.5]] });
    let pair = |a: f64, b: f64, of: &str| {
        json!({ "shot": own, "area": corners(a), "reference": of, "reference_area": corners(b) }).to_string()
    };
    let (_, same) = ask!(service, post, "/api/references/patches", pair(0.5, 0.5, own));
    assert!(
        same["difference"].as_f64().unwrap() < 1e-6 && same["stops"].as_f64().unwrap().abs() < 1e-6,
        "{same}"
    );
    let (_, other) = ask!(service, post, "/api/references/patches", pair(0.3, 0.8, own));
    assert!(
        other["stops"].as_f64().unwrap() > 1.5 && other["difference"].as_f64().unwrap() > 15.0,
        "{other}"
    );
    let wish = json!({ "shot": own, "area": { "corners": [[0, 0], [0, 0], [0, 0]] }, "reference": its, "reference_area": corners(0.1) }).to_string();
    let (status, said) = ask!(service, post, "/api/references/patches", wish);
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY && said["detail"].as_str().unwrap().contains("no pixel"),
        "{said}"
    );

    // A look reads as a table does: an empty one does nothing.
    let wish = json!({ "path": { "steps": [] }, "from": "rec709", "to": "rec709" }).to_string();
    let (status, read) = ask!(service, post, "/api/paths/reading", wish);
    assert_eq!(status, StatusCode::OK, "{read}");
    assert!(read["says"].as_array().unwrap().iter().any(|s| s == "Greys stay neutral."), "{read}");
}

#[actix_web::test]
async fn a_film_is_fitted_to_patches_and_what_cannot_be_is_said() {
    service!(_data, _studio, service, production);
    let (_, stocks) = ask!(service, get, format!("{production}/stocks"), "");
    // Greys and three colours through a film that is not ours: a power with a cast.
    let mut text = String::from("name,stops,R,G,B,L,a,b\n");
    for (i, light) in [
        [0.02; 3],
        [0.06; 3],
        [0.18; 3],
        [0.4; 3],
        [0.8; 3],
        [0.3, 0.05, 0.05],
        [0.05, 0.2, 0.06],
        [0.04, 0.06, 0.3],
    ]
    .iter()
    .enumerate()
    {
        let y: f64 = 0.27 * light[0] + 0.67 * light[1] + 0.06 * light[2];
        let l = 100.0 * (y / 1.6).powf(0.45);
        let (a, b) =
            (60.0 * (light[0] - light[1]) / (y + 0.1) + 1.0, 40.0 * (y - light[2]) / (y + 0.1) + 2.0);
        text += &format!("p{i},0,{},{},{},{l},{a},{b}\n", light[0], light[1], light[2]);
    }
    let mut ask = json!({ "negative": stocks["negatives"][0], "print": stocks["prints"][0], "patches": { "name": "chart.csv", "text": text } });
    let (status, made) = ask!(service, post, "/api/stocks/film", ask.to_string());
    assert_eq!(status, StatusCode::OK, "{made}");
    assert_eq!(made["negative"]["measured"]["film"]["tied"], true);
    assert_eq!(made["print"]["measured"]["film"]["patches"].as_array().unwrap().len(), 8);
    // With a known print, that stays.
    ask["print_known"] = json!(true);
    let (_, made) = ask!(service, post, "/api/stocks/film", ask.to_string());
    assert_eq!(
        (&made["print"], made["negative"]["measured"]["film"]["tied"].as_bool()),
        (&stocks["prints"][0], Some(false))
    );
    ask["negative_known"] = json!(true);
    let (status, said) = ask!(service, post, "/api/stocks/film", ask.to_string());
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY
            && said["detail"].as_str().unwrap().contains("nothing left"),
        "{said}"
    );
    let wish = json!({ "negative": stocks["negatives"][0], "patches": { "name": "chart.csv", "text": "R,G,B,L,a,b\n1,x,1,1,1,1\n" } });
    let (_, said) = ask!(service, post, "/api/stocks/film", wish.to_string());
    assert!(
        said["detail"].as_str().unwrap().contains("chart.csv: ")
            && said["detail"].as_str().unwrap().contains("line 2"),
        "{said}"
    );
}
