//! A disk that is full: jobs end all the same, a server starts, reads and deletes, and everything goes on once there is room.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, http::StatusCode, test, web};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_server::jobs::{Jobs, Lane};
use lantern_server::media::folders::Folders;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api};
use serde_json::{Value, json};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

/// A disk of its own, in memory. `None` where this machine mounts none for us; CI's does.
struct Disk(PathBuf, #[allow(dead_code)] tempfile::TempDir);

impl Disk {
    fn of(megabytes: u32) -> Option<Self> {
        let dir = tempfile::tempdir().unwrap();
        let at = dir.path().to_owned();
        let size = format!("size={megabytes}m");
        let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", &size, "tmpfs"]).arg(&at).output();
        mounted.is_ok_and(|o| o.status.success()).then_some(Self(at, dir))
    }

    /// Takes all the room that is left.
    fn fill(&self) {
        let mut ballast =
            std::fs::OpenOptions::new().create(true).append(true).open(self.0.join("ballast")).unwrap();
        let piece = [0x77_u8; 4096];
        while ballast.write_all(&piece).is_ok() {}
        while ballast.write_all(&piece[..1]).is_ok() {}
    }

    fn make_room(&self) {
        std::fs::remove_file(self.0.join("ballast")).unwrap();
    }
}

impl Drop for Disk {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.0).status();
    }
}

/// Waits until something is so.
async fn until<F: Future<Output = bool>>(mut so: impl FnMut() -> F) {
    let begun = Instant::now();
    while !so().await {
        assert!(begun.elapsed() < Duration::from_secs(600), "it never came to be");
        tokio::time::sleep(Duration::from_millis(30)).await;
    }
}

fn production(data: &Data) {
    let camera: CameraProfile =
        serde_json::from_str(include_str!("../../../demo/data/harrier.camera.json")).unwrap();
    let picture = common::grey();
    let shots = vec![common::still("grey", &picture)];
    let scenes = [SeedScene { name: "one", finished: false, shots }];
    seed(data, &Seed { name: "Test", camera: &camera, scenes: &scenes, looks: &[Look::new("First")] })
        .unwrap();
}

fn open(at: &Path) -> Data {
    Data::open(&at.join("data")).unwrap()
}

#[actix_web::test]
async fn a_job_ends_on_a_full_disk_can_be_cancelled_and_the_server_starts_reads_and_deletes() {
    let Some(disk) = Disk::of(48) else {
        eprintln!("no disk could be mounted: this test needs to be root");
        return;
    };
    for with_reserve in [true, false] {
        let data = open(&disk.0);
        production(&data);
        let jobs = web::Data::new(Jobs::default());
        service_over!(data, jobs, studio, service);
        let (_, all) = ask!(service, get, "/api/productions", "");
        let production = format!("/api/productions/{}", all[0]["id"].as_str().unwrap());
        let (_, looks) = ask!(service, get, format!("{production}/looks"), "");
        let look = looks[0]["id"].as_str().unwrap().to_owned();
        // Two wait while the disk fills: a table, and a package.
        let (go, wait) = std::sync::mpsc::channel::<()>();
        jobs.queue(Lane::Handoffs, "blocker", move |_| wait.recv().unwrap());
        let table = json!({ "version": 1, "from": "acescct", "to": "rec709", "size": 17 }).to_string();
        let (status, handoff) = ask!(service, post, format!("/api/looks/{look}/handoffs"), table);
        assert_eq!(status, StatusCode::OK, "{handoff}");
        let delivery = json!({ "kind": "table", "format": "cube", "from": "acescct", "to": "rec709", "size": 17, "range": "full" });
        let plan = json!({ "version": 1, "name": "All", "receivers": [{ "name": "Set", "deliveries": [delivery] }] });
        let (_, plan) =
            ask!(service, post, format!("{production}/plans"), json!({ "plan": plan }).to_string());
        let order = json!({ "version": 1, "plan": plan["id"] }).to_string();
        let (status, package) = ask!(service, post, format!("/api/looks/{look}/packages"), order);
        assert_eq!(status, StatusCode::OK, "{package}");
        if with_reserve {
            data.store.set_room_aside().unwrap();
        }
        disk.fill();
        go.send(()).unwrap();
        let handoff = format!("/api/handoffs/{}", handoff["id"].as_str().unwrap());
        let package = format!("/api/packages/{}", package["id"].as_str().unwrap());
        for job in [&handoff, &package] {
            until(async || ask!(service, get, job, "").1["state"] == "failed").await;
            let (_, said) = ask!(service, get, job, "");
            assert!(said["failure"].as_str().unwrap().contains("no room left"), "{said}");
            // Cancelling what has ended leaves it as it is.
            let (status, said) = ask!(service, post, format!("{job}/cancel"), "");
            assert!(status == StatusCode::OK || status == StatusCode::INSUFFICIENT_STORAGE, "{said}");
            assert_eq!(ask!(service, get, job, "").1["state"], "failed");
        }
        // What is not essential is refused in words, and nothing is lost.
        disk.fill();
        let (status, said) = ask!(service, put, production, json!({ "name": "Other" }).to_string());
        assert!(
            status == StatusCode::INSUFFICIENT_STORAGE || status == StatusCode::NO_CONTENT,
            "{status}: {said}"
        );
        if with_reserve {
            // It starts, reads, and deletes.
            data.store.set_room_aside().ok();
            drop((service, studio, jobs));
            drop(data);
            let data = open(&disk.0);
            let jobs = web::Data::new(Jobs::default());
            service_over!(data, jobs, _studio, service);
            let (_, all) = ask!(service, get, &production, "");
            let shot = all["scenes"][0]["shots"][0]["id"].as_str().unwrap().to_owned();
            assert_eq!(ask!(service, get, &handoff, "").1["state"], "failed", "its end was saved");
            let (status, said) = ask!(service, delete, format!("/api/shots/{shot}"), "");
            assert!(
                status == StatusCode::NO_CONTENT || status == StatusCode::INSUFFICIENT_STORAGE,
                "{status}: {said}"
            );
            disk.make_room();
        } else {
            // Its end is saved as soon as there is room.
            disk.make_room();
            until(async || {
                let saved = data.store.with(|c| {
                    lantern_server::store::handoffs::Handoff::find(
                        c,
                        &handoff.rsplit('/').next().unwrap().into(),
                    )
                });
                saved.unwrap().state == "failed"
            })
            .await;
            until(async || jobs.find(handoff.rsplit('/').next().unwrap()).is_none()).await;
        }
        std::fs::remove_dir_all(disk.0.join("data")).unwrap();
    }
}
