//! What a kept program rendered, kept as numbers: whatever is laid out anew inside has to render the same.
//!
//! Expected values are this program's own, of a state whose every part is checked elsewhere against standards and other
//! libraries: this test says that a change of structure is none of colour. A change of colour that is meant writes the
//! fixture anew (`cargo test -p lantern-core --test all -- --ignored writes_what_is_rendered`), and its commit says what changed and why.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::film::stock::{negatives, prints};
use lantern_core::graph::{Graph, Program};
use lantern_core::look::{Look, Path, starting};
use lantern_core::table::{Domain, Table, Table3};
use lantern_core::texture::FrameGeometry;
use serde_json::{Value, json};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

static NEVER: AtomicBool = AtomicBool::new(false);

/// Looks of the demo, whose files the core does not read otherwise.
const DEMO: [(&str, &str); 5] = [
    ("harbour dusk", include_str!("../../../demo/data/looks/harbour-dusk.look.json")),
    ("brine light", include_str!("../../../demo/data/looks/brine-light.look.json")),
    ("salt and ember", include_str!("../../../demo/data/looks/salt-and-ember.look.json")),
    ("pale sea", include_str!("../../../demo/data/finish/pale-sea.look.json")),
    ("embers", include_str!("../../../demo/data/finish/embers.look.json")),
];

/// Pictures of odd and even sides, of one row and one column, wider than what is done at once, and high.
const SIZES: [[usize; 2]; 6] = [[16, 9], [61, 41], [320, 180], [1700, 24], [1, 37], [37, 1]];

/// The most that a value may differ by.
const NEAR: f32 = 1e-6;
/// Pixels that are kept of a picture.
const KEPT: usize = 96;

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

/// A picture in code values: ramps of every channel that leave 0..1 at both ends where the encoding may, noise, a lamp, and
/// corners of the cube.
fn picture([w, h]: [usize; 2], from: &Encoding) -> Vec<[f32; 4]> {
    let over = if from.id == "acescct" || from.id == "acescg" { 0.06 } else { 0.0 };
    let mut state = 2_463_534_242_u32;
    let mut noise = || {
        state ^= state << 13;
        state ^= state >> 17;
        state ^= state << 5;
        (state >> 8) as f32 / (1 << 24) as f32
    };
    let at = |i: usize, noise: &mut dyn FnMut() -> f32| {
        let (x, y) = ((i % w) as f32 / w as f32, (i / w) as f32 / h as f32);
        if i % 29 == 7 {
            let corner = |bit: usize| if (i / 29) >> bit & 1 == 1 { 1.0 } else { 0.0 };
            return [corner(0), corner(1), corner(2), 1.0];
        }
        if (x - 0.7).hypot(y - 0.4) < 0.06 {
            return [1.0, 0.93, 0.8, 0.5];
        }
        let ramp = |v: f32| -over + v * (1.0 + 2.0 * over);
        let r = ramp((x + 0.1 * noise()) / 1.1);
        let g = ramp((0.7 * x + 0.3 * y + 0.1 * noise()) / 1.1);
        let b = ramp((1.0 - y + 0.1 * noise()) / 1.1);
        [r, g, b, 0.25 + 0.75 * x]
    };
    (0..w * h).map(|i| at(i, &mut noise)).collect()
}

/// All that one case renders.
struct Case {
    name: String,
    pixels: Vec<[f32; 4]>,
}

/// As it is rendered at rest, with texture, at a frame.
fn at_rest(name: &str, path: &Path, [from, to]: [&str; 2], size: [usize; 2]) -> Case {
    let (a, b) = (encoding(from), encoding(to));
    let graph = Graph::compile(path, &a, &b).unwrap();
    let mut pixels = picture(size, &a);
    let geometry = FrameGeometry::whole(size[0], size[1], graph.gauge, 1001);
    graph.run(&mut pixels, &geometry, &NEVER).unwrap();
    Case { name: format!("{name}, {from} to {to}, {} x {}", size[0], size[1]), pixels }
}

/// As it goes into a table.
fn baked(name: &str, path: &Path, [from, to]: [&str; 2]) -> Case {
    let (a, b) = (encoding(from), encoding(to));
    let mut pixels = picture([61, 41], &a);
    Program::compile(path, &a, &b).unwrap().run(&mut pixels);
    Case { name: format!("{name}, {from} to {to}, for a table"), pixels }
}

/// What is shown or measured inside of a path: what a step is given, and its region's matte.
fn probed(name: &str, path: &Path, id: &str) -> Vec<Case> {
    let (from, to) = (encoding("acescct"), encoding("rec709"));
    let run = |what: &str, program: Program| {
        let mut pixels = picture([61, 41], &from);
        program.run(&mut pixels);
        Case { name: format!("{name}, {what} {id}"), pixels }
    };
    let given = Program::given_to(path, id, &from, &to).unwrap().0;
    let matte = Program::matte(path, id, &from, &to);
    let scene = Program::up_to(path, id, &from);
    let all =
        [Some(run("given to", given)), matte.map(|p| run("matte of", p)), Some(run("light before", scene))];
    all.into_iter().flatten().collect()
}

fn path(value: &Value) -> Path {
    let path: Path = serde_json::from_value(value.clone()).unwrap();
    path.check().unwrap();
    path
}

fn step(id: &str, zone: &str, kind: &str, values: Value) -> Value {
    json!({ "id": id, "name": id, "zone": zone, "on": true, "strength": 1.0, "kind": kind, "values": values })
}

fn with(mut step: Value, more: Value) -> Value {
    step.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    step
}

/// A colour range, as a path writes it.
fn range(more: Value) -> Value {
    json!({ "colours": with(serde_json::to_value(lantern_core::region::ColourRange::default()).unwrap(), more) })
}

/// Groups, ranges, strengths in all zones that have them.
fn grouped() -> Value {
    let reds = range(json!({ "hue": 20.0, "hue_reach": 50.0 }));
    let lights = range(json!({ "brightness_low": 0.5, "saturation_high": 0.6 }));
    let darks = range(json!({ "brightness_high": -1.0, "inverted": true }));
    json!({
        "steps": [
            with(step("a", "scene", "balance", json!({ "exposure": 0.4, "temperature": 4300.0, "tint": 4.0 })),
                json!({ "strength": 0.7 })),
            with(step("b", "scene", "tone", json!({ "contrast": 1.3, "toe": 0.2, "shoulder": 0.3 })),
                json!({ "group": "g", "region": reds })),
            with(step("c", "scene", "saturation", json!({ "amount": 0.6 })),
                json!({ "group": "g", "strength": 0.5 })),
            with(step("d", "scene", "levels", json!({})), json!({ "region": lights, "strength": 0.8 })),
            step("e", "film", "plain-rendering", json!({ "contrast": 1.3 })),
            with(step("f", "screen", "tone", json!({ "contrast": 0.9, "lift": 0.2 })), json!({ "group": "k" })),
            with(step("h", "screen", "saturation", json!({ "amount": 1.4 })),
                json!({ "group": "k", "region": darks })),
        ],
        "groups": [
            { "id": "g", "name": "G", "on": true, "strength": 0.8, "region": lights },
            { "id": "k", "name": "K", "on": true, "strength": 0.6 },
        ],
    })
}

/// A film with all its texture.
fn filmed([negative, print]: [usize; 2], more: Value) -> Value {
    let (negative, print) = (&negatives()[negative], &prints()[print]);
    let film = |id: &str, values: Value| step(id, "film", id, values);
    json!({ "steps": [
        step("a", "scene", "balance", json!({ "exposure": 0.3 })),
        film("bloom", json!({})),
        film("vignette", json!({})),
        film("halation", json!({})),
        with(film("negative", json!({ "stock": negative })), more.clone()),
        film("softness", json!({})),
        film("grain", json!({})),
        with(film("print", json!({ "stock": print })), more),
        film("flicker", json!({})),
        film("gate-weave", json!({})),
        step("z", "screen", "saturation", json!({ "amount": 1.1 })),
    ] })
}

/// A table of 9 points that turns hues a little and lifts the darks.
fn table() -> Arc<Table> {
    let at = |i: usize| {
        let [r, g, b] = [i % 9, i / 9 % 9, i / 81].map(|v| v as f32 / 8.0);
        [0.04 + 0.9 * r + 0.05 * g, 0.03 + 0.9 * g * g.sqrt() + 0.04 * b, 0.02 + 0.88 * b + 0.06 * r]
    };
    let nodes: Vec<[f32; 3]> = (0..729).map(at).collect();
    Arc::new(Table::new("turned".into(), None, Some(Table3::new(9, Domain::UNIT, &nodes).unwrap())).unwrap())
}

fn tabled() -> Path {
    let used = |from: &str, to: &str, strength: f64| {
        json!({
            "table": "0".repeat(64), "name": "turned", "from": from, "to": to, "strength": strength
        })
    };
    let mut path = path(&json!({ "steps": [
        step("t", "scene", "table", json!({ "tables": [used("acescct", "acescct", 0.6)] })),
        step("u", "screen", "table", json!({ "tables": [used("rec709", "rec709", 0.4), used("acescct", "rec709", 0.3)] })),
    ] }));
    path.attach(&mut |_| Some(table()));
    path
}

fn cases() -> Vec<Case> {
    let mut all = Vec::new();
    let ways = [["acescct", "rec709"], ["rec709", "rec709"], ["acescct", "pq"], ["pq", "p3-d65"]];
    for s in starting::looks() {
        let look = &s.look;
        all.extend(ways.map(|way| at_rest(&look.name, &look.path, way, SIZES[1])));
    }
    for (name, text) in DEMO {
        let look = Look::from_json(text).unwrap();
        all.extend(ways.map(|way| at_rest(name, &look.path, way, SIZES[1])));
        all.extend(ways.map(|way| baked(name, &look.path, way)));
    }
    let last = [negatives().len() - 1, prints().len() - 1];
    let films = [
        ("first film", filmed([0, 0], json!({}))),
        ("last film", filmed(last, json!({}))),
        ("film in part", filmed([1, 0], json!({ "strength": 0.6 }))),
    ];
    for (name, film) in &films {
        let film = path(film);
        all.extend(SIZES.map(|size| at_rest(name, &film, ways[0], size)));
        all.extend(ways.map(|way| at_rest(name, &film, way, SIZES[0])));
        let mut scene = film.clone();
        scene.steps.retain(|s| s.id != "z");
        all.push(at_rest(name, &scene, ["acescg", "acescg"], SIZES[0]));
        all.push(baked(name, &film, ways[0]));
    }
    let (grouped, tabled) = (path(&grouped()), tabled());
    let trimmed = grouped.over(&path(&json!({ "steps": [
        step("x", "scene", "balance", json!({ "exposure": -0.5, "tint": -3.0 })),
        with(step("y", "scene", "tone", json!({ "contrast": 1.1 })), json!({ "region": range(json!({ "hue_reach": 60.0 })) })),
    ] })));
    for (name, path) in [("groups", &grouped), ("tables", &tabled), ("trim", &trimmed)] {
        all.extend(ways.map(|way| at_rest(name, path, way, SIZES[1])));
        all.extend(ways.map(|way| baked(name, path, way)));
    }
    for id in ["a", "b", "c", "d", "e", "f", "h", "g", "k"] {
        all.extend(probed("groups", &grouped, id));
    }
    let all_in_one = path(&films[0].1).over(&grouped);
    all.extend(SIZES.map(|size| at_rest("trim under film", &all_in_one, ways[0], size)));
    all
}

/// What is kept of a case: a hash of all bits, and pixels spread over the picture.
#[derive(PartialEq)]
struct Kept {
    name: String,
    hash: u64,
    pixels: Vec<[f32; 3]>,
}

impl Kept {
    fn of(case: &Case) -> Self {
        // FNV-1a over the bits of all values.
        let bytes = case.pixels.iter().flatten().flat_map(|v| v.to_bits().to_le_bytes());
        let hash =
            bytes.fold(0xcbf2_9ce4_8422_2325, |h: u64, b| (h ^ u64::from(b)).wrapping_mul(0x100_0000_01b3));
        // Sixths of a golden turn never fall into step with rows.
        let n = case.pixels.len();
        let place = |k: usize| ((k as f64 * 0.618_033_988_75).fract() * n as f64) as usize;
        let pixels = (0..KEPT.min(n)).map(|k| case.pixels[if n <= KEPT { k } else { place(k) }]);
        Self { name: case.name.clone(), hash, pixels: pixels.map(|[r, g, b, _]| [r, g, b]).collect() }
    }

    fn write(&self, out: &mut Vec<u8>) {
        out.extend((self.name.len() as u32).to_le_bytes());
        out.extend(self.name.as_bytes());
        out.extend(self.hash.to_le_bytes());
        out.extend((self.pixels.len() as u32).to_le_bytes());
        out.extend(self.pixels.as_flattened().iter().flat_map(|v| v.to_le_bytes()));
    }

    fn read(bytes: &mut &[u8]) -> Self {
        let mut take = |n: usize| {
            let (head, rest) = bytes.split_at(n);
            *bytes = rest;
            head
        };
        let word = |b: &[u8]| u32::from_le_bytes(b.try_into().unwrap());
        let n = word(take(4)) as usize;
        let name = String::from_utf8(take(n).to_vec()).unwrap();
        let hash = u64::from_le_bytes(take(8).try_into().unwrap());
        let n = word(take(4)) as usize;
        let values: Vec<f32> = take(n * 12).chunks_exact(4).map(|b| f32::from_bits(word(b))).collect();
        Self { name, hash, pixels: values.as_chunks().0.to_vec() }
    }
}

fn fixture() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/rendered.bin")
}

#[test]
#[ignore = "writes the fixture: for a change of colour that is meant"]
fn writes_what_is_rendered() {
    let mut out = Vec::new();
    cases().iter().for_each(|c| Kept::of(c).write(&mut out));
    std::fs::write(fixture(), out).unwrap();
}

#[test]
fn every_look_renders_as_it_did() {
    let bytes = std::fs::read(fixture()).unwrap();
    let mut rest = &bytes[..];
    let (mut faults, mut same) = (Vec::new(), 0);
    let cases = cases();
    for case in &cases {
        let (now, was) = (Kept::of(case), Kept::read(&mut rest));
        assert_eq!(now.name, was.name, "the fixture has other cases");
        if now.hash == was.hash {
            same += 1;
            continue;
        }
        let far = |(a, b): (&f32, &f32)| {
            if a.to_bits() == b.to_bits() { 0.0 } else { (a - b).abs() / b.abs().max(1.0) }
        };
        let off = now.pixels.as_flattened().iter().zip(was.pixels.as_flattened()).map(far);
        let worst = off.fold(0.0_f32, |m, v| if v.is_nan() { f32::INFINITY } else { m.max(v) });
        if worst > NEAR {
            faults.push(format!("{}: {worst}", now.name));
        }
    }
    assert!(rest.is_empty(), "the fixture has more cases");
    println!("{same} of {} to the bit", cases.len());
    assert!(faults.is_empty(), "off by more than {NEAR}:\n{}", faults.join("\n"));
}
