//! A stranger's own material over the API: a new production, pictures of every shape, sequences joined and taken apart, and
//! what was deleted by mistake.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use common::{picture_of, rand_key};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_core::picture::Picture;
use lantern_formats::Depth;
use lantern_formats::frame::{Beside, Frame};
use lantern_server::media::folders::Folders;
use lantern_server::preview::{Kind, Quality, Studio};
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::sync::atomic::AtomicBool;

/// A picture of a size whose left half is red and whose right half is grey.
fn halves(width: usize, height: usize) -> Picture {
    let pixel = |i: usize| if i % width < width / 2 { [0.8, 0.2, 0.2, 1.0] } else { [0.5, 0.5, 0.5, 1.0] };
    Picture::new(width, height, (0..width * height).map(pixel).collect()).unwrap()
}

fn png(picture: Picture, beside: Beside) -> Vec<u8> {
    lantern_formats::png::write_frame(&Frame { picture, beside }, Depth::Eight, None).unwrap()
}

#[actix_web::test]
async fn a_new_production_begins_with_a_look_and_no_scene() {
    service!(_data, _studio, service, _production);
    let (status, made) = ask!(service, post, "/api/productions", json!({ "name": "Own Film" }).to_string());
    assert_eq!(status, StatusCode::OK);
    let own = format!("/api/productions/{}", made["id"].as_str().unwrap());
    let (_, looks) = ask!(service, get, format!("{own}/looks"), "");
    assert_eq!((looks.as_array().unwrap().len(), &looks[0]["name"]), (1, &json!("First look")));
    let (_, all) = ask!(service, get, own, "");
    assert_eq!(all["scenes"], json!([]));
}

#[actix_web::test]
async fn pictures_of_every_shape_are_shown_and_turned_ones_stand_upright() {
    service!(_data, studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap().to_owned();
    let turned = |orientation: u8| Beside { orientation, ..Beside::default() };
    // Name, size and orientation of the file, and the size that it is seen in.
    let shapes = [
        ("one.png", [1, 1], 1, [1, 1]),
        ("line.png", [700, 1], 1, [700, 1]),
        ("square.png", [64, 64], 1, [64, 64]),
        ("upright.png", [90, 160], 1, [90, 160]),
        ("phone.png", [160, 90], 6, [90, 160]),
        ("mirror.png", [160, 90], 2, [160, 90]),
        ("down.png", [160, 90], 3, [160, 90]),
    ];
    for (name, [w, h], orientation, seen) in shapes {
        let (status, shot) = send!(service, scene, name, png(halves(w, h), turned(orientation)));
        assert_eq!(status, StatusCode::OK, "{name}: {shot}");
        assert_eq!((&shot["width"], &shot["height"]), (&json!(seen[0]), &json!(seen[1])), "{name}");
        let ask = picture_of(shot["id"].as_str().unwrap(), Quality::Rest);
        let frame = studio.picture(&ask, Kind::Picture, &AtomicBool::new(false)).unwrap().unwrap();
        let size = [u16::from_le_bytes([frame[8], frame[9]]), u16::from_le_bytes([frame[10], frame[11]])];
        assert_eq!(size.map(i32::from), seen, "{name}");
        // Where the file's left half is seen: turned by 90 degrees clockwise (6) at the top, mirrored (2) or turned by 180
        // degrees (3) on the right.
        let at = |x: usize, y: usize| frame[16 + 4 * (y * usize::from(size[0]) + x)];
        let [first, last] = [at(0, 0), at(usize::from(size[0]) - 1, usize::from(size[1]) - 1)];
        let want = match (name, orientation) {
            ("one.png", _) => [128, 128],
            (_, 2 | 3) => [128, 204],
            _ => [204, 128],
        };
        assert_eq!([first, last], want, "{name}");
    }
}

#[actix_web::test]
async fn code_values_speak_for_log_or_for_nothing() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap().to_owned();
    let ramp = |from: f32, to: f32| {
        let v = |i: usize| from + (to - from) * (i % 64) as f32 / 63.0;
        Picture::new(64, 36, (0..64 * 36).map(|i| [v(i), v(i), v(i), 1.0]).collect()).unwrap()
    };
    for (name, from, to, likely) in
        [("flat.png", 0.09, 0.7, json!("log")), ("finished.png", 0.0, 1.0, Value::Null)]
    {
        let (_, shot) = send!(service, scene, name, png(ramp(from, to), Beside::default()));
        let (status, said) =
            ask!(service, get, format!("/api/shots/{}/code-values", shot["id"].as_str().unwrap()), "");
        assert_eq!((status, &said["likely"]), (StatusCode::OK, &likely), "{name}");
        assert_eq!(said["says"].as_str().unwrap().contains("9 % to 70 %"), likely == json!("log"), "{said}");
    }
}

/// Ids, names and frames of the shots of a production's first scene.
fn shots(production: &Value) -> Vec<(String, String, i64)> {
    let text = |v: &Value| v.as_str().unwrap().to_owned();
    let of = |s: &Value| (text(&s["id"]), text(&s["name"]), s["frames"].as_i64().unwrap());
    production["scenes"][0]["shots"].as_array().unwrap().iter().map(of).collect()
}

#[actix_web::test]
async fn stills_are_joined_to_a_sequence_and_taken_apart_again_and_both_can_be_undone() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let scene = all["scenes"][0]["id"].as_str().unwrap().to_owned();
    let mut stills = Vec::new();
    for name in ["deck 0012.png", "deck 0013.png", "deck 0020.png"] {
        let (_, shot) = send!(service, scene, name, png(halves(32, 18), Beside::default()));
        stills.push(shot["id"].as_str().unwrap().to_owned());
    }
    // Others stand after them, whose order has to stay.
    for name in ["wall.png", "sky.png"] {
        send!(service, scene, name, png(halves(32, 18), Beside::default()));
    }
    let before = shots(&ask!(service, get, production, "").1);
    ask!(service, patch, format!("/api/shots/{}", stills[0]), json!({ "encoding": "rec709" }).to_string());

    let wrong = [json!([stills[0]]), json!([stills[0], stills[0]]), json!([])];
    for few in wrong {
        let (status, said) =
            ask!(service, post, format!("/api/scenes/{scene}/join"), json!({ "shots": few }).to_string());
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{said}");
    }
    let (status, joined) =
        ask!(service, post, format!("/api/scenes/{scene}/join"), json!({ "shots": stills }).to_string());
    assert_eq!(status, StatusCode::OK, "{joined}");
    let whole = &joined["made"][0];
    assert_eq!(
        (&whole["name"], &whole["frames"], &whole["encoding"]),
        (&json!("deck"), &json!(3), &json!("rec709"))
    );
    assert_eq!((&whole["first_number"], &joined["gone"]), (&json!(12), &json!(stills)));
    let names: Vec<String> = shots(&ask!(service, get, production, "").1).into_iter().map(|s| s.1).collect();
    assert_eq!(names, ["grey", "deck", "wall", "sky"], "it stands where the first of them stood");
    // A sequence is no still.
    let both = json!({ "shots": [whole["id"], before[0].0] }).to_string();
    assert_eq!(
        ask!(service, post, format!("/api/scenes/{scene}/join"), both).0,
        StatusCode::UNPROCESSABLE_ENTITY
    );

    let (status, parts) =
        ask!(service, post, format!("/api/shots/{}/apart", whole["id"].as_str().unwrap()), "");
    assert_eq!(status, StatusCode::OK, "{parts}");
    let names: Vec<_> =
        parts["made"].as_array().unwrap().iter().map(|s| s["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["deck 0012", "deck 0013", "deck 0020"]);
    assert!(parts["made"].as_array().unwrap().iter().all(|s| s["encoding"] == "rec709" && s["frames"] == 1));
    assert_eq!(shots(&ask!(service, get, production, "").1).len(), 6);

    // Taken back: first the one, then the other.
    let id = |v: &Value| v.as_str().unwrap().to_owned();
    for part in parts["made"].as_array().unwrap() {
        assert_eq!(
            ask!(service, delete, format!("/api/shots/{}", id(&part["id"])), "").0,
            StatusCode::NO_CONTENT
        );
    }
    assert_eq!(
        ask!(service, post, format!("/api/shots/{}/restore", id(&whole["id"])), "").0,
        StatusCode::NO_CONTENT
    );
    assert_eq!(
        ask!(service, delete, format!("/api/shots/{}", id(&whole["id"])), "").0,
        StatusCode::NO_CONTENT
    );
    for still in &stills {
        assert_eq!(ask!(service, post, format!("/api/shots/{still}/restore"), "").0, StatusCode::NO_CONTENT);
    }
    assert_eq!(shots(&ask!(service, get, production, "").1), before, "each where it was");
    let (status, said) = ask!(service, post, format!("/api/shots/{}/apart", stills[0]), "");
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "a still has no frames to take apart: {said}");
}

#[actix_web::test]
async fn what_was_deleted_is_gone_everywhere_and_whole_again_once_it_is_put_back() {
    service!(_data, _studio, service, production);
    let (_, all) = ask!(service, get, production, "");
    let (_, looks) = ask!(service, get, format!("{production}/looks"), "");
    let id = |v: &Value| v["id"].as_str().unwrap().to_owned();
    let things = [
        format!("/api/shots/{}", id(&all["scenes"][0]["shots"][0])),
        format!("/api/looks/{}", id(&looks[0])),
        production.clone(),
    ];
    for thing in things {
        assert_eq!(
            ask!(service, post, format!("{thing}/restore"), "").0,
            StatusCode::NOT_FOUND,
            "{thing} is there"
        );
        assert_eq!(ask!(service, delete, thing.clone(), "").0, StatusCode::NO_CONTENT);
        assert_eq!(
            ask!(service, delete, thing.clone(), "").0,
            StatusCode::NOT_FOUND,
            "{thing} is gone already"
        );
        let (_, now) = ask!(service, get, production, "");
        let (_, left) = ask!(service, get, format!("{production}/looks"), "");
        assert!(now != all || left != looks, "{thing} is still seen");
        assert_eq!(ask!(service, post, format!("{thing}/restore"), "").0, StatusCode::NO_CONTENT, "{thing}");
        assert_eq!(ask!(service, get, production, "").1, all);
        assert_eq!(ask!(service, get, format!("{production}/looks"), "").1, looks);
    }
    assert_eq!(ask!(service, post, "/api/shots/nobody/restore", "").0, StatusCode::NOT_FOUND);
}
