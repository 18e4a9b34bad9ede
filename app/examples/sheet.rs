//! Contact sheets: every starting look on every shot of the demo production, one picture a shelf; every negative on the
//! neutral print, and the main negative on every print.
//!
//! `cargo xtask sheets OUT [PICTURE...]` writes them; pictures are taken as sRGB. The first row of each is the plain
//! rendering.

use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::film::stock::{NegativeStock, PrintStock, negatives, prints};
use lantern_core::graph::Program;
use lantern_core::look::{Look, Path, Step, starting};
use lantern_core::picture::Picture;
use lantern_core::step::{Negative, Print, Values, Zone};
use lantern_formats::Depth;
use std::collections::BTreeMap;
use std::path::{Path as FilePath, PathBuf};

type Outcome<T = ()> = Result<T, Box<dyn std::error::Error>>;

/// Pixels of a picture's width on the sheet, and between pictures.
const WIDTH: usize = 232;
const GAP: usize = 4;

/// Shots that wear looks, with how they are encoded.
const SHOTS: [(&str, &str); 9] = [
    ("workbench.png", "camera"),
    ("lantern-market.png", "camera"),
    ("lantern-market-021.png", "camera"),
    ("kelp-greenhouse.png", "camera"),
    ("ferry-deck-007/ferry-deck-007.0001.png", "camera"),
    ("ferry-deck-008.exr", "acescg"),
    ("foggy-mole-002.png", "rec709"),
    ("kelp-greenhouse-004.png", "camera"),
    ("workbench-002.png", "camera"),
];

fn main() -> Outcome {
    let data = FilePath::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data");
    let out = PathBuf::from(std::env::args().nth(1).ok_or("say where the sheets go")?);
    std::fs::create_dir_all(&out)?;
    let camera: CameraProfile = serde_json::from_slice(&std::fs::read(data.join("harrier.camera.json"))?)?;
    let camera = camera.encoding()?;
    let mut shots = Vec::new();
    for (file, encoding) in SHOTS {
        let encoding = Encoding::find(encoding).unwrap_or_else(|| camera.clone());
        let picture = lantern_formats::picture::read(&std::fs::read(data.join(file))?)?;
        shots.push((picture.fit_within(WIDTH, WIDTH), encoding));
    }
    // Own pictures, as finished sRGB ones.
    for file in std::env::args().skip(2) {
        let picture = lantern_formats::picture::read(&std::fs::read(file)?)?;
        shots.push((picture.fit_within(WIDTH, WIDTH), Encoding::find("srgb").ok_or("srgb")?));
    }
    let mut shelves: BTreeMap<&str, Vec<&Look>> = BTreeMap::new();
    for s in starting::looks() {
        shelves.entry(s.shelf).or_default().push(&s.look);
    }
    for (shelf, looks) in shelves {
        let mut paths = vec![Path::default()];
        paths.extend(looks.iter().map(|l| l.path.clone()));
        let file = out.join(format!("{}.png", shelf.to_lowercase().replace(' ', "-")));
        std::fs::write(&file, sheet(&shots, &paths)?)?;
        println!(
            "{}: plain rendering, {}",
            file.display(),
            looks.iter().map(|l| l.name.as_str()).collect::<Vec<_>>().join(", ")
        );
    }
    for (name, films) in
        [("negatives", negatives_on_the_neutral_print()), ("prints", main_negative_on_every_print())]
    {
        let mut paths = vec![Path::default()];
        paths.extend(films.iter().map(|(_, path)| path.clone()));
        let file = out.join(format!("{name}.png"));
        std::fs::write(&file, sheet(&shots, &paths)?)?;
        let names: Vec<&str> = films.iter().map(|(name, _)| name.as_str()).collect();
        println!("{}: plain rendering, {}", file.display(), names.join(", "));
    }
    Ok(())
}

type Films = Vec<(String, Path)>;

fn film(negative: Negative, print: Print) -> Path {
    let step = |id: &str, values| Step::new(id, Zone::Film, values);
    Path::of(vec![step("negative", Values::Negative(negative)), step("print", Values::Print(print))])
}

fn negatives_on_the_neutral_print() -> Films {
    let on = |s: &NegativeStock| film(Negative { stock: s.clone(), ..Default::default() }, Print::default());
    negatives().iter().map(|s| (s.name.clone(), on(s))).collect()
}

fn main_negative_on_every_print() -> Films {
    let on = |s: &PrintStock| film(Negative::default(), Print { stock: s.clone(), ..Default::default() });
    prints().iter().map(|s| (s.name.clone(), on(s))).collect()
}

/// A PNG of all shots across under all paths down.
fn sheet(shots: &[(Picture, Encoding)], paths: &[Path]) -> Outcome<Vec<u8>> {
    let display = Encoding::find("srgb").ok_or("no sRGB")?;
    let height = shots.iter().map(|(p, _)| p.height()).max().unwrap_or(0);
    let (w, h) = ((WIDTH + GAP) * shots.len() - GAP, (height + GAP) * paths.len() - GAP);
    let mut pixels = vec![[0.1, 0.1, 0.1, 1.0]; w * h];
    for (row, path) in paths.iter().enumerate() {
        for (column, (shot, encoding)) in shots.iter().enumerate() {
            let mut picture = shot.pixels.clone();
            Program::compile(path, encoding, &display)?.run_parallel(&mut picture);
            for (y, line) in picture.chunks_exact(shot.width()).enumerate() {
                let at = ((height + GAP) * row + y) * w + (WIDTH + GAP) * column;
                pixels[at..at + line.len()].copy_from_slice(line);
            }
        }
    }
    Ok(lantern_formats::png::write(&Picture::new(w, h, pixels)?, Depth::Eight)?)
}
