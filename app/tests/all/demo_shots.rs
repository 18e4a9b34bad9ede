//! Shots of the demo that are off by a known amount, brought to shots that are right.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::graph::Program;
use lantern_core::look::{Path, Step};
use lantern_core::matching::shot::{bring, measure};
use lantern_core::region::{ColourRange, Region};
use lantern_core::scope::Area;
use lantern_core::step::{Values, Zone};

/// Linear AP1 of a shot in the production's log.
fn light(name: &str) -> (Vec<[f32; 4]>, usize, usize) {
    let data = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data");
    let text = std::fs::read(data.join("harrier.camera.json")).unwrap();
    let camera: CameraProfile = serde_json::from_slice(&text).unwrap();
    let p = lantern_formats::picture::read(&std::fs::read(data.join(name)).unwrap()).unwrap();
    let mut p = p.fit_within(960, 960);
    let linear = Encoding::find("acescg").unwrap();
    let decode = Program::compile(&Path::default(), &camera.encoding().unwrap(), &linear).unwrap();
    decode.run_parallel(&mut p.pixels);
    let (w, h) = (p.width(), p.height());
    (p.pixels, w, h)
}

#[test]
fn a_shot_a_stop_under_and_bluish_is_found_from_the_whole_frame_and_from_areas() {
    // The generator shot it so that exposure +1, 8200 K and tint -5 put it right (demo/src/takes.rs).
    let (right, w, h) = light("workbench.png");
    let (off, ..) = light("workbench-002.png");
    let rectangle = |x0, y0, x1, y1| Area { corners: vec![[x0, y0], [x1, y0], [x1, y1], [x0, y1]] };
    let areas = [
        None,
        // The chart, a face, the wall.
        Some(rectangle(0.09, 0.40, 0.46, 0.86)),
        Some(rectangle(0.51, 0.50, 0.62, 0.72)),
        Some(rectangle(0.10, 0.16, 0.90, 0.30)),
    ];
    for area in areas {
        let part = |pixels: &[[f32; 4]]| match &area {
            Some(area) => measure(&area.mask(w, h).unwrap().gather(pixels)).unwrap(),
            None => measure(pixels).unwrap(),
        };
        let found = bring(&part(&off), &part(&right)).unwrap();
        assert!((found.exposure - 1.0).abs() < 0.05, "{area:?}: {found:?}");
        assert!((found.temperature / 8_200.0 - 1.0).abs() < 0.02, "{area:?}: {found:?}");
        assert!((found.tint + 5.0).abs() < 0.5, "{area:?}: {found:?}");
        assert!((found.contrast - 1.0).abs() < 0.02, "{area:?}: {found:?}");
    }
}

#[test]
fn a_range_dragged_over_two_faces_of_the_workbench_holds_faces_and_not_the_set() {
    let (pixels, w, h) = light("workbench.png");
    let inside = |[x0, y0, x1, y1]: [f64; 4]| {
        let area = Area { corners: vec![[x0, y0], [x1, y0], [x1, y1], [x0, y1]] };
        area.mask(w, h).unwrap().gather(&pixels)
    };
    let to_log = |mut p: Vec<[f32; 4]>| {
        let (from, to) = (Encoding::find("acescg").unwrap(), Encoding::find("acescct").unwrap());
        Program::compile(&Path::default(), &from, &to).unwrap().run(&mut p);
        p
    };
    let (light_face, brown_face) = ([0.526, 0.574, 0.625, 0.64], [0.77, 0.565, 0.795, 0.615]);
    let range = ColourRange::over(&to_log(inside(light_face)), Zone::Scene).unwrap();
    let range = range.with(&to_log(inside(brown_face)), Zone::Scene).unwrap();
    let tone = Values::neutral("tone").unwrap();
    let step = Step { region: Some(Region { colours: range }), ..Step::new("t", Zone::Scene, tone) };
    let linear = Encoding::find("acescg").unwrap();
    let matte =
        Program::matte(&Path::of(vec![step]), "t", &linear, &Encoding::find("rec709").unwrap()).unwrap();
    let mean = |place: [f64; 4]| {
        let mut p = inside(place);
        matte.run(&mut p);
        p.iter().map(|p| f64::from(p[0])).sum::<f64>() / p.len() as f64
    };
    for face in [light_face, brown_face] {
        assert!(mean(face) > 0.75, "{face:?}: {}", mean(face));
    }
    // Wall, coat, and the chart's blue, green and magenta.
    for other in [
        [0.66, 0.18, 0.76, 0.30],
        [0.55, 0.80, 0.60, 0.85],
        [0.105, 0.65, 0.14, 0.71],
        [0.17, 0.65, 0.20, 0.71],
        [0.35, 0.63, 0.38, 0.69],
    ] {
        assert!(mean(other) < 0.1, "{other:?}: {}", mean(other));
    }
}
