//! Contact sheets: every starting look on every shot of the demo production, one picture a shelf; every negative on the
//! neutral print, and the main negative on every print; texture is put on.
//!
//! `cargo xtask sheets OUT [PICTURE...]` writes them; pictures are taken as sRGB. The first row of each is the plain
//! rendering; names stand at the left and above.

mod letters;
#[path = "../../src/demo/scenes.rs"]
#[allow(dead_code)]
mod scenes;

use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::film::stock::{NegativeStock, PrintStock, negatives, prints};
use lantern_core::graph::Graph;
use lantern_core::look::{Look, Path, Step, starting};
use lantern_core::picture::Picture;
use lantern_core::step::{Negative, Print, Values, Zone};
use lantern_core::texture::FrameGeometry;
use lantern_formats::Depth;
use std::collections::BTreeMap;
use std::path::{Path as FilePath, PathBuf};
use std::sync::atomic::AtomicBool;

type Outcome<T = ()> = Result<T, Box<dyn std::error::Error>>;

/// Pixels of a picture's width on the sheet, between pictures, and of the column of names.
const WIDTH: usize = 200;
const GAP: usize = 4;
const NAMES: usize = 132;

/// A shot that wears looks.
struct Shot {
    name: String,
    picture: Picture,
    encoding: Encoding,
}

/// A row of a sheet.
struct Row {
    name: String,
    path: Path,
}

fn main() -> Outcome {
    let data = FilePath::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data");
    let out = PathBuf::from(std::env::args().nth(1).ok_or("say where the sheets go")?);
    std::fs::create_dir_all(&out)?;
    let camera: CameraProfile = serde_json::from_slice(&std::fs::read(data.join("harrier.camera.json"))?)?;
    let camera = camera.encoding()?;
    let mut shots = Vec::new();
    for (name, encoding, file) in scenes::SCENES.iter().flat_map(|(_, shots)| *shots) {
        let encoding = Encoding::find(encoding).unwrap_or_else(|| camera.clone());
        // Of a sequence, its first frame.
        let file = if data.join(file).is_dir() { format!("{file}/{file}.0001.png") } else { (*file).into() };
        shots.push(Shot { name: (*name).into(), picture: small(&data.join(file))?, encoding });
    }
    // Own pictures, as finished sRGB ones.
    for file in std::env::args().skip(2) {
        let encoding = Encoding::find("srgb").ok_or("srgb")?;
        shots.push(Shot { name: file.clone(), picture: small(FilePath::new(&file))?, encoding });
    }
    let mut shelves: BTreeMap<&str, Vec<&Look>> = BTreeMap::new();
    for s in starting::looks() {
        shelves.entry(s.shelf).or_default().push(&s.look);
    }
    for (shelf, looks) in shelves {
        let rows = looks.iter().map(|l| Row { name: l.name.clone(), path: l.path.clone() });
        keep(&out.join(format!("{}.png", shelf.to_lowercase().replace(' ', "-"))), &shots, rows)?;
    }
    keep(&out.join("negatives.png"), &shots, negatives_on_the_neutral_print())?;
    keep(&out.join("prints.png"), &shots, main_negative_on_every_print())
}

/// A picture file in the size of the sheet.
fn small(file: &FilePath) -> Outcome<Picture> {
    Ok(lantern_formats::picture::read(&std::fs::read(file)?)?.fit_within(WIDTH, WIDTH))
}

/// Writes a sheet of rows under the plain rendering.
fn keep(file: &FilePath, shots: &[Shot], rows: impl IntoIterator<Item = Row>) -> Outcome {
    let plain = Row { name: "Plain rendering".into(), path: Path::default() };
    let rows: Vec<Row> = std::iter::once(plain).chain(rows).collect();
    std::fs::write(file, sheet(shots, &rows)?)?;
    println!("{}: {} looks on {} shots", file.display(), rows.len() - 1, shots.len());
    Ok(())
}

fn film(negative: Negative, print: Print) -> Path {
    let step = |id: &str, values| Step::new(id, Zone::Film, values);
    Path::of(vec![step("negative", Values::Negative(negative)), step("print", Values::Print(print))])
}

fn negatives_on_the_neutral_print() -> Vec<Row> {
    let on = |s: &NegativeStock| film(Negative { stock: s.clone(), ..Default::default() }, Print::default());
    negatives().iter().map(|s| Row { name: s.name.clone(), path: on(s) }).collect()
}

fn main_negative_on_every_print() -> Vec<Row> {
    let on = |s: &PrintStock| film(Negative::default(), Print { stock: s.clone(), ..Default::default() });
    prints().iter().map(|s| Row { name: s.name.clone(), path: on(s) }).collect()
}

/// A PNG of all shots across under all rows down.
fn sheet(shots: &[Shot], rows: &[Row]) -> Outcome<Vec<u8>> {
    let display = Encoding::find("srgb").ok_or("no sRGB")?;
    let heads: Vec<Vec<String>> = shots.iter().map(|s| letters::lines(&s.name, WIDTH)).collect();
    let head = heads.iter().map(Vec::len).max().unwrap_or(0) * letters::LINE + GAP;
    let height = shots.iter().map(|s| s.picture.height()).max().unwrap_or(0);
    let (w, h) = (NAMES + (WIDTH + GAP) * shots.len(), head + (height + GAP) * rows.len());
    let mut pixels = vec![[0.1, 0.1, 0.1, 1.0]; w * h];
    for (column, name) in heads.iter().enumerate() {
        letters::write(&mut pixels, w, [NAMES + (WIDTH + GAP) * column, 0], name);
    }
    for (row, look) in rows.iter().enumerate() {
        let top = head + (height + GAP) * row;
        letters::write(&mut pixels, w, [0, top], &letters::lines(&look.name, NAMES - GAP));
        for (column, shot) in shots.iter().enumerate() {
            let graph = Graph::compile(&look.path, &shot.encoding, &display)?;
            let (across, down) = (shot.picture.width(), shot.picture.height());
            let mut picture = shot.picture.pixels.clone();
            let geometry = FrameGeometry::whole(across, down, graph.gauge, 0);
            graph.run(&mut picture, &geometry, &AtomicBool::new(false)).ok_or("stopped")?;
            for (y, line) in picture.chunks_exact(across).enumerate() {
                let at = (top + y) * w + NAMES + (WIDTH + GAP) * column;
                pixels[at..at + across].copy_from_slice(line);
            }
        }
    }
    Ok(lantern_formats::png::write(&Picture::new(w, h, pixels)?, Depth::Eight)?)
}
