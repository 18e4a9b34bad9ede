//! What is measured of a picture is measured of the picture that is shown: with its texture and its regions.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use common::rand_key;
use lantern_core::colour::CameraProfile;
use lantern_core::look::{Look, Path, Step};
use lantern_core::picture::Picture;
use lantern_core::step::{
    Balance, Bloom, Grain, Halation, Negative, Print, Softness, Values, Vignette, Zone,
};
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
const SIZE: [usize; 2] = [320, 180];

/// Grey and colours from dark to bright in ACEScct, with a lamp in the middle.
fn scene() -> Vec<u8> {
    let [w, h] = SIZE;
    let at = |i: usize| {
        let (x, y) = ((i % w) as f32 / w as f32, (i / w) as f32 / h as f32);
        if (x - 0.5).hypot(y - 0.5) < 0.05 {
            return [0.9, 0.88, 0.8, 1.0];
        }
        [0.15 + 0.5 * x, 0.2 + 0.4 * y, 0.5 - 0.2 * x, 1.0]
    };
    let picture = Picture::new(w, h, (0..w * h).map(at).collect()).unwrap();
    lantern_formats::png::write(&picture, Depth::Sixteen).unwrap()
}

fn film(id: &str, values: Values) -> Step {
    Step::new(id, Zone::Film, values)
}

/// A film with texture that is easily seen: corners four stops down.
fn textured(exposure: f64) -> Path {
    let balance = Values::Balance(Balance { exposure, ..Default::default() });
    Path::of(vec![
        Step::new("balance", Zone::Scene, balance),
        film("bloom", Values::Bloom(Bloom { amount: 0.3, ..Default::default() })),
        film("vignette", Values::Vignette(Vignette { stops: -4.0, size: 0.0, ..Default::default() })),
        film("halation", Values::Halation(Halation::default())),
        film("negative", Values::Negative(Negative::default())),
        film("softness", Values::Softness(Softness::default())),
        film("grain", Values::Grain(Grain { amount: 3.0, ..Default::default() })),
        film("print", Values::Print(Print::default())),
    ])
}

/// The same with the plain rendering, whose lights do clip.
fn plain(exposure: f64, vignette: f64) -> Path {
    let balance = Values::Balance(Balance { exposure, ..Default::default() });
    let falls = Vignette { stops: vignette, size: 0.0, ..Default::default() };
    let mut steps = vec![Step::new("balance", Zone::Scene, balance)];
    if vignette != 0.0 {
        steps.push(film("vignette", Values::Vignette(falls)));
    }
    Path::of(steps)
}

/// A service whose one own shot is [`scene`], and that shot's id.
macro_rules! shot {
    ($service:ident, $production:ident) => {{
        let (_, all) = ask!($service, get, $production, "");
        let scene_id = all["scenes"][0]["id"].as_str().unwrap();
        let (_, shot) = send!($service, scene_id, "chart.png", scene());
        let shot = shot["id"].as_str().unwrap().to_owned();
        ask!($service, patch, format!("/api/shots/{shot}"), json!({ "encoding": "acescct" }).to_string());
        shot
    }};
}

fn request(shot: &str, path: &Path) -> PictureRequest {
    PictureRequest { seat: common::seat(shot, path), ..common::picture_of(shot, Quality::Rest) }
}

fn picture(studio: &Studio, r: &PictureRequest) -> Vec<[u8; 4]> {
    let frame = studio.picture(r, Kind::Picture, &GO_ON).unwrap().unwrap();
    frame[HEADER..HEADER + SIZE[0] * SIZE[1] * 4].as_chunks().0.to_vec()
}

/// Shares at black, at white, out of gamut, beyond R 103.
fn limits(studio: &Studio, path: &Path, shot: &str) -> [f32; 4] {
    let counts = Counts { limits: true, ..Default::default() };
    let frame = studio
        .picture(&PictureRequest { counts, ..request(shot, path) }, Kind::Picture, &GO_ON)
        .unwrap()
        .unwrap();
    let tail: Vec<f32> = frame[frame.len() - 16..]
        .chunks_exact(4)
        .map(|b| f32::from_le_bytes(b.try_into().unwrap()))
        .collect();
    tail.try_into().unwrap()
}

#[actix_web::test]
async fn the_readout_reads_what_is_shown_texture_and_all() {
    service!(_data, studio, service, production);
    let shot = shot!(service, production);
    for path in [textured(0.5), plain(1.0, -4.0), plain(1.0, 0.0)] {
        let shown = picture(&studio, &request(&shot, &path));
        let at: Vec<[f64; 2]> = (0..40).map(|i| [(i % 8) as f64 / 7.0, (i / 8) as f64 / 4.0]).collect();
        let r = SampleRequest {
            viewer: 0,
            seq: 1,
            seat: common::seat(&shot, &path),
            display: "rec709".into(),
            at: at.clone(),
        };
        for (at, found) in at.iter().zip(studio.samples(&r).unwrap()) {
            let place = |v: f64, n: usize| ((v * n as f64) as usize).min(n - 1);
            let (x, y) = (place(at[0], SIZE[0]), place(at[1], SIZE[1]));
            let around = |c: usize, n: usize| c.saturating_sub(1)..(c + 2).min(n);
            let patch: Vec<[u8; 4]> = around(y, SIZE[1])
                .flat_map(|y| around(x, SIZE[0]).map(move |x| y * SIZE[0] + x))
                .map(|i| shown[i])
                .collect();
            for c in 0..3 {
                let mean = patch.iter().map(|p| f64::from(p[c])).sum::<f64>() / patch.len() as f64;
                // Bytes are rounded: their mean is off by half of one at the most.
                let read = found.signal[c].clamp(0.0, 1.0) * 255.0;
                assert!((read - mean).abs() < 0.51, "at {at:?}, channel {c}: {read}, shown {mean}");
            }
        }
    }
}

#[actix_web::test]
async fn limits_count_what_is_shown_texture_and_all() {
    service!(_data, studio, service, production);
    let shot = shot!(service, production);
    let [_, bare, ..] = limits(&studio, &plain(5.0, 0.0), &shot);
    let [_, vignetted, ..] = limits(&studio, &plain(5.0, -4.0), &shot);
    assert!(bare > 0.3 && vignetted < 0.7 * bare, "{bare}, with corners four stops down {vignetted}");
    // Shares are those of the bytes that are shown: 255 is at white, but for what rounds up to it.
    for path in [plain(5.0, -4.0), plain(5.0, 0.0), textured(2.0)] {
        let shown = picture(&studio, &request(&shot, &path));
        let at = |is: &dyn Fn(u8) -> bool| {
            let rows = shown.chunks_exact(SIZE[0]).step_by(2);
            let all: Vec<&[u8; 4]> = rows.flat_map(|row| row.iter().step_by(2)).collect();
            all.iter().filter(|p| p[..3].iter().any(|v| is(*v))).count() as f32 / all.len() as f32
        };
        let [black, white, ..] = limits(&studio, &path, &shot);
        // Half a code counts as being at an end, and may be rounded either way.
        let near = |a: f32, b: f32| (a - b).abs() < 4.0 / (SIZE[0] * SIZE[1] / 4) as f32;
        assert!(
            near(white, at(&|v| v == 255)) && near(black, at(&|v| v == 0)),
            "white {white}, black {black}"
        );
    }
}

#[actix_web::test]
async fn marks_lie_where_the_shown_picture_is_clipped() {
    service!(_data, studio, service, production);
    let shot = shot!(service, production);
    let path = plain(5.0, -4.0);
    let shown = picture(&studio, &request(&shot, &path));
    let marked = picture(&studio, &PictureRequest { show: Show::Marks, ..request(&shot, &path) });
    let light = |p: &[u8; 4]| p[0] > p[1].saturating_add(60) && p[0] > p[2].saturating_add(60);
    let marks: Vec<usize> = (0..marked.len()).filter(|i| light(&marked[*i])).collect();
    assert!(marks.len() > 100, "{}", marks.len());
    for i in marks {
        assert!(shown[i][..3].iter().any(|v| *v >= 254), "marked at {i}, shown {:?}", shown[i]);
    }
}

/// What one page looks at is not made anew because another one looks at something else.
#[actix_web::test]
async fn pages_keep_their_own_stages() {
    service!(_data, studio, service, production);
    let shot = shot!(service, production);
    let pages: Vec<PictureRequest> = (1..=6)
        .map(|viewer| PictureRequest { viewer, ..request(&shot, &textured(0.1 * f64::from(viewer))) })
        .collect();
    for r in &pages {
        picture(&studio, r);
    }
    let made = studio.stages_made();
    for r in pages.iter().cycle().take(18) {
        picture(&studio, r);
    }
    assert_eq!(studio.stages_made(), made, "none was made again");
    // A page's next stage takes the place of its last one: memory does not grow with the changes.
    let bytes = studio.stage_bytes();
    for i in 0..10 {
        picture(&studio, &PictureRequest { viewer: 1, ..request(&shot, &textured(0.01 * f64::from(i))) });
    }
    assert_eq!(studio.stage_bytes(), bytes);
}
