//! The demo production, built into the program.

use crate::files::{Failure, Outcome};
use lantern_core::look::Look;
use lantern_server::{
    Data,
    seed::{Seed, SeedScene, SeedShot, seed},
};
use rust_embed::RustEmbed;

/// What the demo's generator made.
#[derive(RustEmbed)]
#[folder = "../demo/data/"]
struct Files;

const LOOKS: [&str; 3] = ["harbour-dusk", "brine-light", "salt-and-ember"];

/// A shot's name, its encoding, and its file or the folder of its frames.
type Row = (&'static str, &'static str, &'static str);

/// Scenes with their shots; the last one holds the finished stills.
const SCENES: [(&str, &[Row]); 6] = [
    (
        "Lantern market",
        &[
            ("lantern market 014", "camera", "lantern-market.png"),
            ("lantern market 021", "camera", "lantern-market-021.png"),
        ],
    ),
    (
        "Kelp greenhouse",
        &[
            ("kelp greenhouse 003", "camera", "kelp-greenhouse.png"),
            ("kelp greenhouse 004", "camera", "kelp-greenhouse-004.png"),
        ],
    ),
    (
        "Ferry deck",
        &[("ferry deck 007", "camera", "ferry-deck-007"), ("ferry deck 008", "acescg", "ferry-deck-008.exr")],
    ),
    ("Foggy mole", &[("foggy mole 002", "rec709", "foggy-mole-002.png")]),
    (
        "Workbench",
        &[("workbench 001", "camera", "workbench.png"), ("workbench 002", "camera", "workbench-002.png")],
    ),
    (
        "References",
        &[
            ("lamp room, keeper", "srgb", "lamp-room-keeper.png"),
            ("lamp room, great lamp", "srgb", "lamp-room-lamp.png"),
            ("mole at evening", "srgb", "mole-evening.png"),
            ("mole in the morning", "srgb", "mole-morning.png"),
        ],
    ),
];

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
    Ok(SeedShot { name, encoding, reason: reason(encoding), pictures })
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
        scenes.push(SeedScene { name, finished: name == "References", shots });
    }
    let production = Seed { name: "The Salt Clock", camera: &camera, scenes: &scenes, looks: &looks };
    seed(data, &production).map(|_| ()).map_err(|e| Failure(format!("the demo production: {e:?}")))
}
