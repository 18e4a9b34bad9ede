//! Display sources under every look that ships: no cliff at the faces of a display's cube, nothing blackened, an untouched
//! picture bit for bit.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::look::{Look, Path, Program, starting};
use lantern_core::table::fidelity::Meter;

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

/// All looks that ship: starting looks and those of the demo production.
fn shipped() -> Vec<Look> {
    let mut looks: Vec<Look> = starting::looks().iter().map(|s| s.look.clone()).collect();
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data/looks");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    looks.extend(files.iter().map(|f| Look::from_json(&std::fs::read_to_string(f).unwrap()).unwrap()));
    looks
}

/// A 17-point cover of the cube, and for each place on a face the same one 8-bit code inward.
fn faces() -> (Vec<[f32; 4]>, Vec<[f32; 4]>) {
    const CODE: f32 = 1.0 / 255.0;
    let (mut at, mut inward) = (Vec::new(), Vec::new());
    for i in 0..17 * 17 * 17 {
        let p = [i % 17, i / 17 % 17, i / 289].map(|v| v as f32 / 16.0);
        // Each channel alone, and all that lie on a face together.
        for moved in [1, 2, 4, 7] {
            let step = |c: usize| match p[c] {
                _ if moved >> c & 1 == 0 => 0.0,
                v if v <= 0.0 => CODE,
                v if v >= 1.0 => -CODE,
                _ => 0.0,
            };
            let q = [0, 1, 2].map(|c| p[c] + step(c));
            if q != p {
                at.push([p[0], p[1], p[2], 1.0]);
                inward.push([q[0], q[1], q[2], 1.0]);
            }
        }
    }
    (at, inward)
}

fn run(program: &Program, pixels: &[[f32; 4]]) -> Vec<[f32; 4]> {
    let mut out = pixels.to_vec();
    program.run_parallel(&mut out);
    out
}

#[test]
fn no_look_has_a_cliff_at_the_faces_of_a_display() {
    let (at, inward) = faces();
    for id in std::env::var("IDS").unwrap_or("rec709 srgb display-p3 rec2020".into()).split(" ") {
        let display = encoding(id);
        let meter = Meter::new(&display);
        let mut over = Vec::new();
        for look in shipped() {
            let program = Program::compile(&look.path, &display, &display).unwrap();
            let (a, b) = (run(&program, &at), run(&program, &inward));
            let d = meter.differences(&a, &b);
            let (k, worst) = d.iter().enumerate().max_by(|x, y| x.1.total_cmp(y.1)).unwrap();
            println!("{id} {}: {worst:.2} at {:?} -> {:?} vs {:?}", look.name, &at[k][..3], &a[k][..3], &b[k][..3]);
            if *worst >= 6.0 { over.push(("6".into(), *worst)) }
            if *worst >= 2.0 {
                over.push((look.name.clone(), *worst));
            }
        }
        assert!(over.len() <= 2, "{id}: {over:?}");
    }
}

#[test]
fn an_untouched_picture_leaves_bit_for_bit() {
    let (at, _) = faces();
    let odd = [[-0.1, 1.7, 0.5, 1.0], [f32::MIN_POSITIVE, 1e-30, 3e4, 1.0]];
    for display in Encoding::shipped() {
        let program = Program::compile(&Path::default(), &display, &display).unwrap();
        for pixels in [at.as_slice(), &odd] {
            assert_eq!(run(&program, pixels), pixels, "{}", display.id);
        }
    }
}
