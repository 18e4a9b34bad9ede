//! A data folder with one small production, and the API over it.

#![allow(clippy::unwrap_used, dead_code)]

use lantern_core::look::Path;
use lantern_core::picture::Picture;
use lantern_formats::Depth;
use lantern_server::preview::{Counts, PictureRequest, Quality, Seat, Show};
use lantern_server::seed::SeedShot;

/// A still of a picture's bytes, in ACEScct.
pub fn still<'a>(name: &'a str, picture: &'a [u8]) -> SeedShot<'a> {
    let pictures = vec![(format!("{name}.png"), picture.into())];
    SeedShot { name, encoding: "acescct", reason: "made so", pictures, rate: 24.0, contrast: None }
}

/// A shot's poster under a path, over the shot's own trim.
pub fn seat(shot: &str, path: &Path) -> Seat {
    Seat { shot: shot.into(), frame: None, path: path.clone(), trim: None }
}

/// A picture request that asks for nothing more.
pub fn picture_of(shot: &str, quality: Quality) -> PictureRequest {
    PictureRequest {
        viewer: 0,
        seq: 7,
        seat: seat(shot, &Path::default()),
        quality,
        width: 960,
        display: "rec709".into(),
        show: Show::Picture,
        counts: Counts::default(),
        tones_of: None,
        hues_of: None,
        tick: None,
        matte_of: None,
        view: None,
    }
}

/// The key of a file that is sent, made from a number.
pub fn key(n: u64) -> String {
    format!("{n:064x}")
}

/// 18 % grey as a PNG that says nothing of its encoding, in ACEScct (S-2016-001).
pub fn grey() -> Vec<u8> {
    let pixels = vec![[0.413_588_4, 0.413_588_4, 0.413_588_4, 1.0]; 64 * 36];
    lantern_formats::png::write(&Picture::new(64, 36, pixels).unwrap(), Depth::Sixteen).unwrap()
}

/// A data folder with one production of one scene and one shot, and a service over it.
#[macro_export]
macro_rules! service {
    ($data:ident, $studio:ident, $service:ident, $production:ident) => {
        let folder = tempfile::tempdir().unwrap();
        let $data = Data::open(folder.path()).unwrap();
        let camera: CameraProfile = serde_json::from_str(include_str!(concat!(
            env!("CARGO_MANIFEST_DIR"),
            "/../demo/data/harrier.camera.json"
        )))
        .unwrap();
        let picture = common::grey();
        let shots = vec![common::still("grey", &picture)];
        let scenes = [SeedScene { name: "one", finished: false, shots }];
        let looks = [Look::new("First")];
        seed(&$data, &Seed { name: "Test", camera: &camera, scenes: &scenes, looks: &looks }).unwrap();
        let $studio = web::Data::new(Studio::new($data.store.clone(), $data.media.clone()));
        let $service = test::init_service(
            App::new()
                .app_data($studio.clone())
                .app_data(web::Data::new(jobs::Jobs::default()))
                .app_data(web::Data::new($data.store.clone()))
                .app_data(web::Data::new(Folders::new(&[folder.path().join("media")]).unwrap()))
                .configure(api::routes),
        )
        .await;
        let all: Value = test::call_and_read_body_json(
            &$service,
            test::TestRequest::get().uri("/api/productions").to_request(),
        )
        .await;
        let $production = format!("/api/productions/{}", all[0]["id"].as_str().unwrap());
    };
}

/// A service over a data folder that is open, with these jobs.
#[macro_export]
macro_rules! service_over {
    ($data:ident, $jobs:ident, $studio:ident, $service:ident) => {
        let $studio = web::Data::new(Studio::new($data.store.clone(), $data.media.clone()));
        let $service = test::init_service(
            App::new()
                .app_data($studio.clone())
                .app_data($jobs.clone())
                .app_data(web::Data::new($data.store.clone()))
                .app_data(web::Data::new(Folders::new(&[]).unwrap()))
                .configure(api::routes),
        )
        .await;
    };
}

/// Sends a request and gives its status and JSON body, null where there is none.
#[macro_export]
macro_rules! ask {
    ($service:expr, $method:ident, $uri:expr, $body:expr) => {{
        let request = test::TestRequest::$method().uri(&$uri).set_payload($body);
        let request = request.insert_header(("content-type", "application/json")).to_request();
        let response = test::call_service(&$service, request).await;
        let status = response.status();
        let body = test::read_body(response).await;
        (status, serde_json::from_slice::<Value>(&body).unwrap_or(Value::Null))
    }};
}

/// Sends a file whole and makes it a shot of a scene; gives the status and the shot, or the problem.
#[macro_export]
macro_rules! send {
    ($service:expr, $scene:expr, $name:expr, $bytes:expr) => {{
        let key = common::key(rand_key());
        let name = $name.replace(' ', "%20");
        let (status, said) = ask!($service, put, format!("/api/incoming/{key}?from=0&name={name}"), $bytes);
        if status == StatusCode::OK {
            let arrived = json!({ "key": key, "name": $name }).to_string();
            ask!($service, post, format!("/api/scenes/{}/shots", $scene), arrived)
        } else {
            (status, said)
        }
    }};
}

/// A number that no other call gave.
pub fn rand_key() -> u64 {
    static NEXT: std::sync::atomic::AtomicU64 = std::sync::atomic::AtomicU64::new(1);
    NEXT.fetch_add(1, std::sync::atomic::Ordering::Relaxed)
}
