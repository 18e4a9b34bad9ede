//! A data folder by itself: looks with revisions and versions, pictures in frames, handoffs, restarts.

#![allow(clippy::unwrap_used)]

use crate::common;

use common::picture_of as ask;
use lantern_core::colour::CameraProfile;
use lantern_core::look::{Look, Path};
use lantern_server::Data;
use lantern_server::error::ApiError;
use lantern_server::jobs::{Jobs, handoff};
use lantern_server::preview::layout::HEADER;
use lantern_server::preview::light::DropperRequest;
use lantern_server::preview::reading::{ReadingRequest, read};
use lantern_server::preview::{Counts, Kind, PictureRequest, Quality, RowRequest, Studio};
use lantern_server::seed::{Seed, SeedScene, SeedShot, seed};
use lantern_server::store::handoffs::Handoff;
use lantern_server::store::ids::{ProductionId, ShotId};
use lantern_server::store::looks::{LookRow, Version};
use lantern_server::store::productions::Production;
use std::sync::atomic::AtomicBool;

/// Nothing stops the work.
static GO_ON: AtomicBool = AtomicBool::new(false);

/// A folder with one production of one grey shot, 64 x 36, in ACEScct.
fn folder() -> (tempfile::TempDir, Data, ProductionId, ShotId) {
    let dir = tempfile::tempdir().unwrap();
    let data = Data::open(dir.path()).unwrap();
    let picture = common::grey();
    let camera: CameraProfile =
        serde_json::from_str(include_str!("../../../demo/data/harrier.camera.json")).unwrap();
    let scenes = [SeedScene { name: "one", finished: false, shots: vec![common::still("grey", &picture)] }];
    let production = Seed { name: "Test", camera: &camera, scenes: &scenes, looks: &[Look::new("First")] };
    assert!(seed(&data, &production).unwrap());
    assert!(!seed(&data, &production).unwrap(), "a folder is filled once");
    let c = &mut *data.store.connect().unwrap();
    let production = Production::all(c).unwrap().remove(0);
    let shot = production.scenes(c).unwrap()[0].1[0].id.clone();
    (dir, data, production.id, shot)
}

#[test]
fn an_empty_folder_that_two_fill_at_once_holds_one_production() {
    let dir = tempfile::tempdir().unwrap();
    let data = Data::open(dir.path()).unwrap();
    let picture = common::grey();
    let camera: CameraProfile =
        serde_json::from_str(include_str!("../../../demo/data/harrier.camera.json")).unwrap();
    let fill = || {
        let contrast = Some("plain");
        let shots =
            vec![SeedShot { contrast, ..common::still("grey", &picture) }, common::still("plain", &picture)];
        let scenes = [SeedScene { name: "one", finished: true, shots }];
        seed(&data, &Seed { name: "Test", camera: &camera, scenes: &scenes, looks: &[] }).unwrap()
    };
    let filled: usize = std::thread::scope(|s| {
        let both: Vec<_> = (0..4).map(|_| s.spawn(fill)).collect();
        both.into_iter().map(|t| usize::from(t.join().unwrap())).sum()
    });
    let c = &mut *data.store.connect().unwrap();
    let all = Production::all(c).unwrap();
    assert_eq!((filled, all.len()), (1, 1));
    let shots = all[0].scenes(c).unwrap().remove(0).1;
    assert_eq!(shots[0].contrast.as_ref(), Some(&shots[1].id), "the contrast frame is tied");
}

#[test]
fn a_save_that_names_an_older_revision_is_refused_and_changes_nothing() {
    let (_dir, data, production, _) = folder();
    let c = &mut *data.store.connect().unwrap();
    let row = LookRow::of_production(c, &production).unwrap().remove(0);
    let mut look = row.look().unwrap();
    look.notes = "mine".into();
    assert_eq!(LookRow::update(c, &row.id, 1, &look).unwrap().revision, 2);
    look.notes = "theirs".into();
    let refused = LookRow::update(c, &row.id, 1, &look).unwrap_err();
    assert!(matches!(refused, ApiError::Conflict { what: "look", current: 2 }), "{refused}");
    assert_eq!(LookRow::find(c, &row.id).unwrap().look().unwrap().notes, "mine");
}

#[test]
fn versions_are_numbered_kept_as_they_were_and_go_with_their_look() {
    let (_dir, data, production, _) = folder();
    let c = &mut *data.store.connect().unwrap();
    let row = LookRow::of_production(c, &production).unwrap().remove(0);
    assert_eq!(Version::of_look(c, &row.id).unwrap().len(), 1);
    let mut look = row.look().unwrap();
    look.name = "Renamed".into();
    LookRow::update(c, &row.id, row.revision, &look).unwrap();
    let second = Version::keep(c, &row.id, "  ").unwrap();
    assert_eq!((second.number, second.name.as_str()), (2, "version 2"));
    let first = Version::find(c, &row.id, 1).unwrap();
    assert_eq!(Look::from_json(&first.document).unwrap().name, "First");
    LookRow::set_deleted(c, &row.id, true).unwrap();
    assert!(LookRow::of_production(c, &production).unwrap().is_empty());
    assert!(matches!(LookRow::set_deleted(c, &row.id, true), Err(ApiError::NotFound("look"))));
    // It is put back with all its versions, until it is forgotten a month later.
    LookRow::set_deleted(c, &row.id, false).unwrap();
    assert!(matches!(LookRow::set_deleted(c, &row.id, false), Err(ApiError::NotFound("look"))));
    assert_eq!(Version::of_look(c, &row.id).unwrap().len(), 2);
    LookRow::set_deleted(c, &row.id, true).unwrap();
    lantern_server::store::deleted::forget_old(c).unwrap();
    assert_eq!(Version::of_look(c, &row.id).unwrap().len(), 2, "it was deleted just now");
    diesel::RunQueryDsl::execute(diesel::sql_query("UPDATE looks SET deleted_at = deleted_at - 2592001"), c)
        .unwrap();
    lantern_server::store::deleted::forget_old(c).unwrap();
    assert!(Version::of_look(c, &row.id).unwrap().is_empty());
}

#[test]
fn a_handoff_that_ran_when_the_server_stopped_is_made_anew_and_everything_else_is_there_again() {
    let (dir, data, production, _) = folder();
    let look = {
        let c = &mut *data.store.connect().unwrap();
        let row = LookRow::of_production(c, &production).unwrap().remove(0);
        let handoff = Handoff {
            id: "h".into(),
            look_id: row.id.clone(),
            version: 1,
            from_encoding: "acescct".into(),
            to_encoding: "rec709".into(),
            size: 17,
            state: "running".into(),
            failure: String::new(),
            report: String::new(),
            table_hash: None,
            file_name: "t.cube".into(),
            made_at: 0,
            format: "cube".into(),
            code_range: "full".into(),
            says: String::new(),
        };
        handoff.insert(c).unwrap();
        row.id
    };
    drop(data);
    let data = Data::open(dir.path()).unwrap();
    let studio = actix_web::web::Data::new(Studio::new(data.store.clone(), data.media.clone()));
    let jobs = Jobs::default();
    handoff::resume(&studio, &jobs).unwrap();
    while jobs.find("h").is_some() {
        std::thread::yield_now();
    }
    let c = &mut *data.store.connect().unwrap();
    let found = Handoff::find(c, &"h".into()).unwrap();
    assert_eq!((found.state.as_str(), found.failure.as_str()), ("done", ""));
    assert!(data.media.read(&found.table_hash.unwrap()).unwrap().starts_with(b"TITLE"));
    assert_eq!(LookRow::find(c, &look).unwrap().name, "First");
}

#[test]
fn a_frame_holds_its_header_its_pixels_and_its_counts() {
    let (_dir, data, _, shot) = folder();
    let studio = Studio::new(data.store, data.media);
    for quality in [Quality::Rest, Quality::Drag] {
        let frame = studio
            .picture(
                &PictureRequest {
                    counts: Counts { wave: true, vector: Some(1.0), ..Default::default() },
                    ..ask(shot.as_str(), quality)
                },
                Kind::Picture,
                &GO_ON,
            )
            .unwrap()
            .unwrap();
        let word = |at: usize| u16::from_le_bytes([frame[at], frame[at + 1]]) as usize;
        assert_eq!((frame[0], word(4), word(8), word(10), word(12)), (1, 7, 64, 36, 64));
        // 18 % grey is 10 % of peak light by the plain rendering: 0.1^(1/2.4) of 255 is 97.7 in BT.1886.
        let pixels = &frame[HEADER..HEADER + 64 * 36 * 4];
        assert!(pixels.chunks(4).all(|p| p == [98, 98, 98, 255]), "{:?}", &pixels[..4]);
        let wave = &frame[HEADER + pixels.len()..];
        let count = u16::from_le_bytes([wave[98 * 2], wave[98 * 2 + 1]]);
        assert_eq!(count, 36, "the first column's red, all at one level");
        assert_eq!(frame.len(), HEADER + pixels.len() + 64 * 3 * 512 + 256 * 512);
    }
}

#[test]
fn a_stopped_picture_gives_nothing() {
    let (_dir, data, _, shot) = folder();
    let studio = Studio::new(data.store, data.media);
    assert_eq!(
        studio.picture(&ask(shot.as_str(), Quality::Rest), Kind::Picture, &AtomicBool::new(true)).unwrap(),
        None
    );
}

#[test]
fn wrong_requests_for_pictures_say_what_is_wrong() {
    let (_dir, data, _, shot) = folder();
    let studio = Studio::new(data.store, data.media);
    let says = |r: PictureRequest, want: &str| {
        let error = studio.picture(&r, Kind::Picture, &GO_ON).unwrap_err().to_string();
        assert!(error.contains(want), "{error}");
    };
    says(
        PictureRequest { display: "acescct".into(), ..ask(shot.as_str(), Quality::Rest) },
        "no display encoding",
    );
    says(ask("nowhere", Quality::Rest), "no shot");
    let row = RowRequest {
        seq: 1,
        shots: vec![shot],
        first: 0,
        path: Path::default(),
        width: 16,
        display: "srgb".into(),
    };
    assert_eq!(studio.thumbnail(&row, 0, &GO_ON).unwrap().unwrap()[8], 16);
    assert!(studio.thumbnail(&row, 1, &GO_ON).is_err());
}

#[test]
fn the_dropper_needs_a_balance_step_and_a_place_inside() {
    let (_dir, data, _, shot) = folder();
    let studio = Studio::new(data.store, data.media);
    let text = include_str!("../../../demo/data/looks/harbour-dusk.look.json");
    let path = Look::from_json(text).unwrap().path;
    let ask = |step: &str, at| DropperRequest {
        seat: common::seat(shot.as_str(), &path),
        step: step.into(),
        at: Some(at),
        area: None,
        stops: None,
    };
    let found = studio.dropper(&ask("balance", [0.5, 0.5])).unwrap();
    // The shot is neutral in the working white: 6000 K, no tint, and middle grey.
    assert!((found.temperature - 6000.0).abs() < 15.0 && found.tint.abs() < 0.2 && found.stops.abs() < 0.01);
    assert!(studio.dropper(&ask("tone", [0.5, 0.5])).unwrap_err().to_string().contains("Balance"));
    assert!(studio.dropper(&ask("balance", [0.5, 1.5])).unwrap_err().to_string().contains("outside"));
}

#[test]
fn a_reading_has_a_fingerprint_a_step_and_the_curves_of_the_step_in_hand() {
    let text = include_str!("../../../demo/data/looks/harbour-dusk.look.json");
    let path = Look::from_json(text).unwrap().path;
    let count = path.steps.len();
    let folder = tempfile::tempdir().unwrap();
    let media = lantern_server::media::MediaFolder::open(folder.path()).unwrap();
    let reading = read(&ReadingRequest { seq: 3, path, step: Some("tint".into()) }, &media).unwrap();
    assert_eq!((reading.seq, reading.fingerprints.len(), reading.curves.len()), (3, count, 3));
    // Darks, middles and lights sum to one everywhere.
    for i in 0..reading.curves[0].values.len() {
        let sum: f32 = reading.curves.iter().map(|c| c.values[i]).sum();
        assert!((sum - 1.0).abs() < 1e-5);
    }
    // The rendering's neutral scale rises.
    let rendering = reading.fingerprints.iter().find(|f| f.step == "rendering").unwrap();
    assert!(rendering.neutral.windows(2).all(|w| w[1][1] >= w[0][1]));
}

#[test]
fn a_database_that_a_newer_program_changed_is_refused_and_left_as_it_is() {
    use diesel::RunQueryDsl;
    let (dir, data, production, _) = folder();
    let sql = "INSERT INTO __diesel_schema_migrations (version) VALUES ('00000000000099')";
    diesel::sql_query(sql).execute(&mut *data.store.connect().unwrap()).unwrap();
    drop(data);
    let refused = Data::open(dir.path()).map(drop).unwrap_err().to_string();
    assert!(refused.contains("newer Dusky Lantern") && refused.contains("--data"), "{refused}");
    assert_eq!(refused.lines().count(), 1);
    // Without that change it is what it was.
    let file = dir.path().join("lantern.sqlite3");
    let mut c: diesel::SqliteConnection = diesel::Connection::establish(&file.to_string_lossy()).unwrap();
    diesel::sql_query("DELETE FROM __diesel_schema_migrations WHERE version = '00000000000099'")
        .execute(&mut c)
        .unwrap();
    drop(c);
    let data = Data::open(dir.path()).unwrap();
    assert_eq!(LookRow::of_production(&mut data.store.connect().unwrap(), &production).unwrap().len(), 1);
}

#[test]
fn a_database_without_room_says_so_and_keeps_what_it_had() {
    use diesel::RunQueryDsl;
    let (_dir, data, production, _) = folder();
    // SQLite's own bound stands in for a full disk: the same error comes of both.
    let c = &mut *data.store.connect().unwrap();
    diesel::sql_query("PRAGMA max_page_count = 1").execute(c).unwrap();
    let mut look = Look::new("Large");
    look.notes = "salt ".repeat(200_000);
    let refused = LookRow::create(c, &production, &look).map(drop).unwrap_err();
    assert!(matches!(refused, ApiError::Full), "{refused:?}");
    assert_eq!(LookRow::of_production(c, &production).unwrap().len(), 1);
}
