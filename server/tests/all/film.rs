//! Film and texture over the API and in the preview: stocks, readings, textured pictures.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use lantern_core::colour::CameraProfile;
use lantern_core::look::{Look, Path, Step};
use lantern_core::step::{Bloom, GateWeave, Grain, Halation, Negative, Print, Values, Zone};
use lantern_server::media::folders::Folders;
use lantern_server::preview::reading::{ReadingRequest, read};
use lantern_server::preview::{Kind, PictureRequest, Quality, Show, Studio};
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use std::sync::atomic::AtomicBool;

fn step(id: &str, values: Values) -> Step {
    Step::new(id, Zone::Film, values)
}

fn film(texture: Vec<Step>) -> Path {
    let mut steps = vec![
        step("negative", Values::Negative(Negative::default())),
        step("print", Values::Print(Print::default())),
    ];
    steps.extend(texture);
    let kinds: Vec<&str> = lantern_core::step::KINDS.iter().map(|k| k.kind).collect();
    steps.sort_by_key(|s| kinds.iter().position(|k| *k == s.values.info().kind));
    Path::of(steps)
}

fn grain() -> Step {
    step("grain", Values::Grain(Grain::default()))
}

/// The pixels of a message, by its own size.
fn pixels(frame: &[u8]) -> &[u8] {
    let size = |at: usize| usize::from(u16::from_le_bytes([frame[at], frame[at + 1]]));
    &frame[16..16 + size(8) * size(10) * 4]
}

fn shown(studio: &Studio, r: &PictureRequest, kind: Kind) -> Vec<u8> {
    studio.picture(r, kind, &AtomicBool::new(false)).unwrap().unwrap()
}

/// The id of the production's one shot.
macro_rules! shot_of {
    ($service:expr, $production:expr) => {{
        let (_, detail) = ask!($service, get, $production, "");
        detail["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned()
    }};
}

#[actix_web::test]
async fn stocks_that_ship_are_listed_with_those_of_the_productions_own_looks() {
    service!(_data, _studio, service, production);
    let (status, first) = ask!(service, get, format!("{production}/stocks"), "");
    assert_eq!(status, StatusCode::OK);
    assert_eq!(first["negatives"].as_array().unwrap().len(), first["shipped_negatives"]);
    let mut own = film(Vec::new());
    if let Values::Negative(v) = &mut own.steps[0].values {
        v.stock.name = "Meadowlight, own".into();
        v.stock.layers[1].gamma = 0.7;
    }
    let look = Look { path: own, ..Look::new("Mine") };
    let document: Value = serde_json::from_str(&look.to_json()).unwrap();
    let body = json!({ "name": "Mine", "document": document }).to_string();
    let (status, made) = ask!(service, post, format!("{production}/looks"), body);
    assert_eq!(status, StatusCode::OK, "{made}");
    let (_, all) = ask!(service, get, format!("{production}/stocks"), "");
    let negatives = all["negatives"].as_array().unwrap();
    assert_eq!(negatives.last().unwrap()["name"], "Meadowlight, own");
    assert_eq!(negatives.last().unwrap()["layers"][1]["gamma"], 0.7);
    assert_eq!(all["prints"].as_array().unwrap().len(), all["shipped_prints"], "the print in it ships");
    let (_, fields) = ask!(service, get, "/api/stock-fields", "");
    for part in ["layer", "band", "grain", "neighbour", "taking"] {
        assert!(!fields[part].as_array().unwrap().is_empty(), "{part}");
    }
}

#[actix_web::test]
async fn stocks_that_make_no_film_are_refused_in_words_and_nothing_is_saved() {
    service!(_data, _studio, service, production);
    let look = Look { path: film(Vec::new()), ..Look::new("Odd") };
    let document: Value = serde_json::from_str(&look.to_json()).unwrap();
    let of = |at: &str, value: Value| {
        let mut odd = document.clone();
        *odd.pointer_mut(at).unwrap() = value;
        json!({ "name": "Odd", "document": odd }).to_string()
    };
    let stock = "/path/steps/0/values/stock";
    for (body, why) in [
        (of(&format!("{stock}/layers/0/gamma"), json!(900)), "Gamma is 900"),
        (of(&format!("{stock}/capture/0"), json!([2.0, 0.0, 0.0])), "sum to 1"),
        (of(&format!("{stock}/restraint/1/0"), json!(7.0)), "Inter-layer is 7"),
        (of(&format!("{stock}/kind"), json!("reversal")), "projected"),
        (of("/path/steps/1/values/stock/dyes/cyan", json!([])), "cyan has 1 to 6 bands"),
        (of("/path/steps/1/values/red", json!(-1)), "Red light is -1"),
    ] {
        let (status, problem) = ask!(service, post, format!("{production}/looks"), body);
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{why}: {problem}");
        assert!(problem["detail"].as_str().unwrap().contains(why), "{why}: {problem}");
    }
    let (_, looks) = ask!(service, get, format!("{production}/looks"), "");
    assert_eq!(looks.as_array().unwrap().len(), 1);
}

#[actix_web::test]
async fn the_film_in_hand_is_read_with_its_points_and_the_way_that_they_go() {
    service!(data, _studio, _service, _production);
    let ask = |path: Path, step: &str| {
        read(&ReadingRequest { seq: 1, path, step: Some(step.into()) }, &data.media).unwrap()
    };
    let reading = ask(film(Vec::new()), "print").film.unwrap();
    assert!(reading.printed && reading.moves[3][0] < 0.0, "a point of all three is darker");
    let mut over = film(Vec::new());
    if let Values::Negative(v) = &mut over.steps[0].values {
        v.exposure = 1.0;
        v.push = 1.0;
    }
    let pushed = ask(over, "negative").film.unwrap();
    assert!(pushed.made_up.iter().any(|p| p.abs() > 1.0) && pushed.slope > reading.slope);
    // Fog lies under all of a pushed negative: base and fog are in the curves.
    assert!(
        pushed.layers[2][0] > reading.layers[2][0] + 0.005,
        "{} {}",
        pushed.layers[2][0],
        reading.layers[2][0]
    );
    assert!(ask(film(vec![grain()]), "grain").film.is_none(), "only the film's own steps are read");
}

#[actix_web::test]
async fn a_textured_picture_is_the_same_for_the_same_tick_and_new_for_the_next() {
    service!(_data, studio, service, production);
    let shot = shot_of!(service, production);
    let mut r = common::picture_of(&shot, Quality::Rest);
    r.seat.path = film(Vec::new());
    let clean = shown(&studio, &r, Kind::Picture);
    r.seat.path = film(vec![grain(), step("bloom", Values::Bloom(Bloom::default()))]);
    let [first, again] = [0, 1].map(|_| shown(&studio, &r, Kind::Picture));
    assert_eq!(pixels(&first), pixels(&again));
    assert_ne!(pixels(&first), pixels(&clean));
    r.tick = Some(1);
    let next = shown(&studio, &r, Kind::Reel);
    assert_eq!(next[0], 6, "a message of a reel says so");
    assert_ne!(pixels(&first), pixels(&next));
    // While dragging it is nearly the same picture, and at rest the exact one again.
    r.tick = None;
    r.quality = Quality::Drag;
    let quick = shown(&studio, &r, Kind::Picture);
    let off = pixels(&quick).iter().zip(pixels(&first)).map(|(a, b)| a.abs_diff(*b)).max().unwrap();
    assert!(off <= 4, "{off}");
    if let Values::Print(v) = &mut r.seat.path.steps.last_mut().unwrap().values {
        v.green = 30.0;
    }
    assert_ne!(pixels(&shown(&studio, &r, Kind::Picture)), pixels(&quick), "a printer point is seen");
    r.quality = Quality::Rest;
    if let Values::Print(v) = &mut r.seat.path.steps.last_mut().unwrap().values {
        v.green = 25.0;
    }
    assert_eq!(pixels(&shown(&studio, &r, Kind::Picture)), pixels(&first));
}

#[actix_web::test]
async fn a_part_of_a_textured_picture_is_cut_out_of_the_whole() {
    service!(_data, studio, service, production);
    let shot = shot_of!(service, production);
    let mut r = common::picture_of(&shot, Quality::Rest);
    let halation = Halation { threshold: -4.0, amount: 3.0, ..Default::default() };
    r.seat.path = film(vec![grain(), step("halation", Values::Halation(halation))]);
    let whole = shown(&studio, &r, Kind::Picture);
    // The still is 64 by 36: a quarter of each side from a quarter on.
    r.view = Some([0.25, 0.25, 0.25, 0.25]);
    let part = shown(&studio, &r, Kind::Loupe);
    assert_eq!((part[0], &part[8..12]), (5, &[16, 0, 9, 0][..]));
    let row = |y: usize| &pixels(&whole)[((y + 9) * 64 + 16) * 4..((y + 9) * 64 + 32) * 4];
    for y in 0..9 {
        let own = &pixels(&part)[y * 64..(y + 1) * 64];
        let off = own.iter().zip(row(y)).map(|(a, b)| a.abs_diff(*b)).max().unwrap();
        assert!(off <= 1, "row {y}: {off}");
    }
}

#[actix_web::test]
async fn halation_and_grain_are_seen_alone() {
    service!(_data, studio, service, production);
    let shot = shot_of!(service, production);
    let mut r = common::picture_of(&shot, Quality::Rest);
    r.show = Show::Halation;
    r.seat.path = film(Vec::new());
    let none = shown(&studio, &r, Kind::Picture);
    assert!(pixels(&none).chunks_exact(4).all(|p| p[..3] == [0, 0, 0]), "where there is none it is black");
    let halation = Halation { threshold: -4.0, amount: 6.0, ..Default::default() };
    r.seat.path = film(vec![step("halation", Values::Halation(halation))]);
    let alone = shown(&studio, &r, Kind::Picture);
    let middle = &pixels(&alone)[(18 * 64 + 32) * 4..][..3];
    assert!(middle[0] > middle[1] && middle[1] > middle[2], "red before green before blue: {middle:?}");
    // Grain alone lies on grey, whatever the scene does.
    r.show = Show::Grain;
    let tilted = GateWeave { across: 200.0, ..Default::default() };
    // A still of 64 pixels averages its grain away but for this much.
    let strong = Grain { amount: 5.0, ..Default::default() };
    r.seat.path = film(vec![step("grain", Values::Grain(strong)), step("weave", Values::GateWeave(tilted))]);
    let balance =
        serde_json::from_value(json!({ "kind": "balance", "values": { "exposure": -5.0 } })).unwrap();
    r.seat.path.steps.insert(0, Step::new("balance", Zone::Scene, balance));
    let grey = shown(&studio, &r, Kind::Picture);
    let greens: Vec<f64> = pixels(&grey).chunks_exact(4).map(|p| f64::from(p[1])).collect();
    let mean = greens.iter().sum::<f64>() / greens.len() as f64;
    // Grey prints to a light of 0.1, 0.38 of the signal in a 2.4 power.
    assert!((mean - 98.0).abs() < 4.0, "{mean}");
    assert!(greens.iter().any(|g| (g - mean).abs() > 1.0), "and there is grain on it");
}
