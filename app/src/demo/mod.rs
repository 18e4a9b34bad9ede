//! The demo production, built into the program.

mod scenes;

use crate::files::{Failure, Outcome};
use lantern_core::look::Look;
use lantern_server::{
    Data,
    seed::{Seed, SeedScene, SeedShot, seed},
};
use rust_embed::RustEmbed;
use scenes::{CONTRAST, RATE, Row, SCENES};

/// What the demo's generator made.
#[derive(RustEmbed)]
#[folder = "../demo/data/"]
struct Files;

const LOOKS: [&str; 3] = ["harbour-dusk", "brine-light", "salt-and-ember"];

fn reason(encoding: &str) -> &'static str {
    match encoding {
        "camera" => "shot on the production's camera",
        "acescg" => "chromaticities of the file are those of AP1",
        _ => "finished for this display",
    }
}

fn shot((name, encoding, file): Row) -> Outcome<SeedShot<'static>> {
    // A folder's frames, or the one file.
    let inside = format!("{file}/");
    let mut names: Vec<String> =
        Files::iter().filter(|n| *n == file || n.starts_with(&inside)).map(|n| n.to_string()).collect();
    names.sort();
    let pictures: Vec<_> = names
        .iter()
        .filter_map(|n| Some((n.rsplit('/').next().unwrap_or(n).to_owned(), Files::get(n)?.data)))
        .collect();
    if pictures.is_empty() {
        return Err(Failure(format!("the demo production: {file} is missing")));
    }
    let contrast = CONTRAST.iter().find(|(shot, _)| *shot == name).map(|(_, still)| *still);
    Ok(SeedShot { name, encoding, reason: reason(encoding), pictures, rate: RATE, contrast })
}

/// Puts the demo production into a data folder that has none.
pub fn prepare(data: &Data) -> Outcome<()> {
    let fail = |e: &dyn std::fmt::Display| Failure(format!("the demo production: {e}"));
    let file =
        |name: &str| Files::get(name).map(|f| f.data).ok_or_else(|| fail(&format!("{name} is missing")));
    let camera = serde_json::from_slice(&file("harrier.camera.json")?).map_err(|e| fail(&e))?;
    let mut looks = Vec::new();
    for name in LOOKS {
        let text = file(&format!("looks/{name}.look.json"))?;
        looks.push(Look::from_json(&String::from_utf8_lossy(&text)).map_err(|e| fail(&e))?);
    }
    let mut scenes = Vec::new();
    for (name, rows) in SCENES {
        let shots = rows.iter().map(|r| shot(*r)).collect::<Outcome<_>>()?;
        scenes.push(SeedScene { name, finished: name == scenes::FINISHED, shots });
    }
    let production = Seed { name: "The Salt Clock", camera: &camera, scenes: &scenes, looks: &looks };
    seed(data, &production).map(|_| ()).map_err(|e| Failure(format!("the demo production: {e:?}")))
}
