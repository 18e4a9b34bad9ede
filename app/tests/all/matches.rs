//! Shots matched to references under looks by mathematics that neither the steps nor the training use: against the bars, and
//! against what is commonly done.

#![allow(clippy::unwrap_used, clippy::expect_used)]

use crate::baselines;
use crate::common::tables;
use lantern_core::bake::Judgement;
use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::graph::Program;
use lantern_core::look::Path as Steps;
use lantern_core::matching::reading;
use lantern_core::matching::references::{Common, Pair, Request, alignment, difference, match_shot};
use lantern_core::matching::small::{Area, Small, screen};
use lantern_core::table::Table;
use std::path::Path;
use std::sync::atomic::AtomicBool;

static GO_ON: AtomicBool = AtomicBool::new(false);

/// A picture of the demo, made small; `camera` is its camera's log.
fn of_demo(file: &str, encoding: &str) -> Small {
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data");
    let camera = || {
        let text = std::fs::read_to_string(data.join("harrier.camera.json")).unwrap();
        serde_json::from_str::<CameraProfile>(&text).unwrap().encoding().unwrap()
    };
    let encoding = Encoding::find(encoding).unwrap_or_else(camera);
    let bytes = std::fs::read(data.join(file)).unwrap();
    Small::of(&lantern_formats::picture::read(&bytes).unwrap(), &encoding, &Steps::default()).unwrap()
}

/// One picture of each scene, none of which wears a look.
fn contents() -> Vec<Small> {
    let pictures = [
        ("workbench.png", "camera"),
        ("lantern-market.png", "camera"),
        ("kelp-greenhouse.png", "camera"),
        ("salt-pans-003.png", "camera"),
        ("net-loft-005.png", "camera"),
        ("rope-walk-012/rope-walk-012.0001.png", "camera"),
        ("ferry-deck-007/ferry-deck-007.0001.png", "camera"),
        ("foggy-mole-002.png", "rec709"),
    ];
    pictures.map(|(file, encoding)| of_demo(file, encoding)).into()
}

fn under(table: &Table, picture: &Small) -> Small {
    let mut pixels = picture.pixels.clone();
    table.apply_parallel(&mut pixels);
    Small { pixels, ..picture.clone() }
}

fn matched(request: &Request<'_>) -> Small {
    let found = match_shot(request, &GO_ON).unwrap().unwrap();
    let mut path = Steps::default();
    found.put(&mut path);
    path.check().unwrap();
    let mut pixels = request.shot.pixels.clone();
    Program::compile(&path, &screen(), &screen()).unwrap().run_parallel(&mut pixels);
    Small { pixels, ..request.shot.clone() }
}

fn looks() -> Vec<(&'static str, Table)> {
    let screen = tables::all(33).into_iter().filter(|t| t.from == "rec709");
    screen.map(|t| (t.name, t.table)).collect()
}

fn area(x: f64, y: f64) -> Area {
    Area { x, y, width: 0.06, height: 0.08 }
}

/// Patches of the shot, and of the references the ones that are most alike before any look: as skin is paired with skin. Those
/// that have none are left out.
fn pairs(shot: &Small, references: &[&Small], count: usize, random: &mut tables::Random) -> Vec<Pair> {
    let far = |a: [f32; 3], b: [f32; 3]| (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f32>().sqrt();
    let grid = (0..15 * 11).map(|i| area(f64::from(i % 15) * 0.0625, f64::from(i / 15) * 0.083));
    let grid: Vec<Pair> =
        grid.flat_map(|a| (0..references.len()).map(move |of| Pair { shot: a, reference: a, of })).collect();
    let seen: Vec<[f32; 3]> = grid.iter().map(|p| references[p.of].mean(&p.reference).unwrap()).collect();
    let found: Vec<Pair> = (0..120)
        .map(|_| area(f64::from(random.next()) * 0.93, f64::from(random.next()) * 0.91))
        .filter_map(|mine| {
            let colour = shot.mean(&mine).unwrap();
            let best =
                (0..grid.len()).min_by(|a, b| far(seen[*a], colour).total_cmp(&far(seen[*b], colour)))?;
            (far(seen[best], colour) < 0.03).then_some(Pair { shot: mine, ..grid[best] })
        })
        .collect();
    let mut chosen: Vec<Pair> = Vec::new();
    while chosen.len() < count.min(found.len()) {
        let next = found.iter().max_by(|a, b| {
            let apart = |p: &Pair| {
                let mine = shot.mean(&p.shot).unwrap();
                chosen.iter().map(|c| far(shot.mean(&c.shot).unwrap(), mine)).fold(9.0_f32, f32::min)
            };
            apart(a).total_cmp(&apart(b))
        });
        chosen.push(*next.unwrap());
    }
    chosen
}

fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// Every look with `LANTERN_ALL_LOOKS` set, else some of them.
fn chosen() -> Vec<(usize, (&'static str, Table))> {
    let all = std::env::var_os("LANTERN_ALL_LOOKS").is_some();
    looks().into_iter().enumerate().filter(|(k, _)| all || [0, 1, 4, 6, 10, 15].contains(k)).collect()
}

/// Bars (after over before): the same frame at most 0.20 in the median and none worse; six pairs under looks over 6 at most 0.60
/// and worse in at most one of ten; four references at most 0.85; one unrelated reference at its default strength worse by more
/// than 2 in at most 5 % and better than what is commonly done in 85 %.
#[test]
fn matches_meet_what_is_promised_of_them() {
    let contents = contents();
    let mut random = tables::Random(5);
    let (mut aligned, mut by_pairs, mut four, mut one) = (vec![], vec![], vec![], vec![]);
    let (mut beaten, mut worse, mut count) = ([0; 4], 0, 0);
    for (k, (name, look)) in chosen() {
        let shot = &contents[k % contents.len()];
        let truth = under(&look, shot);
        let before = difference(shot, &truth);
        let raw: Vec<&Small> = (1..=4).map(|i| &contents[(k + i) % contents.len()]).collect();
        let others: Vec<Small> = raw.iter().map(|r| under(&look, r)).collect();
        let ask = |references: &[Small], common, pairs: &[Pair]| {
            let request = Request { shot, references, common, pairs, strength: None, name };
            difference(&matched(&request), &truth)
        };
        let a = ask(std::slice::from_ref(&truth), None, &[]);
        assert!(a < before + 0.05, "{name}: {a} for {before}");
        let drawn = pairs(shot, &raw, 6, &mut random);
        if before > 6.0 && drawn.len() >= 4 {
            by_pairs.push(ask(&others, Some(Common::Nothing), &drawn) / before);
        }
        four.push(ask(&others, Some(Common::Nothing), &[]) / before);
        let o = ask(&others[..1], Some(Common::Nothing), &[]);
        one.push(o / before);
        aligned.push(a / before);
        worse += usize::from(o > before + 2.0);
        for (n, b) in beaten.iter_mut().zip(baselines::all(shot, &others[0])) {
            *n += usize::from(o < difference(&b, &truth));
        }
        count += 1;
        println!("{name:<16} before {before:5.2}: aligned {a:.2}, one {o:.2}");
    }
    let [a, p, f, o] = [&mut aligned, &mut by_pairs, &mut four, &mut one].map(|v| median(v));
    println!("pairs {by_pairs:.2?}, four {four:.2?}");
    println!(
        "after over before: aligned {a:.2}, pairs {p:.2}, four {f:.2}, one {o:.2}; better than others {beaten:?} of {count}"
    );
    assert!(a <= 0.20 && p <= 0.60 && f <= 0.85 && o <= 1.0);
    assert!(by_pairs.iter().filter(|p| **p > 1.0).count() * 10 <= by_pairs.len(), "{by_pairs:?}");
    assert!(worse * 20 <= count && beaten.iter().all(|b| b * 100 >= 85 * count));
}

#[test]
fn of_the_same_scene_the_map_between_colours_says_more_than_an_inference() {
    // Two frames of one market under the same light.
    let two = ["lantern-market.png", "lantern-market-021.png"].map(|file| of_demo(file, "camera"));
    for (shot, other) in [(&two[0], &two[1]), (&two[1], &two[0])] {
        let (mut scene, mut nothing) = (vec![], vec![]);
        for (_, (name, look)) in chosen() {
            let (truth, reference) = (under(&look, shot), under(&look, other));
            let before = difference(shot, &truth);
            let ask = |common, into: &mut Vec<f64>| {
                let references = std::slice::from_ref(&reference);
                let request =
                    Request { shot, references, common: Some(common), pairs: &[], strength: None, name };
                into.push(difference(&matched(&request), &truth) / before);
            };
            ask(Common::Scene, &mut scene);
            ask(Common::Nothing, &mut nothing);
        }
        let [s, n] = [&mut scene, &mut nothing].map(|v| median(v));
        println!("the same scene {s:.2}, as if of another {n:.2}");
        assert!(s < n && s <= 0.85, "{s} {n}");
    }
}

/// Measures by which a table's shape falls short.
fn short(judged: Option<Judgement>) -> Vec<String> {
    let measures = judged.map(|j| j.measures).unwrap_or_default();
    measures.into_iter().filter(|m| m.falls_short && !m.warning_only).map(|m| m.title).collect()
}

#[test]
fn a_match_breaks_nowhere_that_its_reference_look_does_not() {
    let contents = contents();
    let display = Encoding::find("rec709").unwrap();
    for (k, (name, look)) in chosen() {
        let shot = &contents[k % contents.len()];
        let own = short(reading::of_table(&look, &display, &display).unwrap().judgement);
        for (what, reference) in
            [("same", under(&look, shot)), ("other", under(&look, &contents[(k + 1) % contents.len()]))]
        {
            let references = std::slice::from_ref(&reference);
            let request = Request { shot, references, common: None, pairs: &[], strength: Some(1.0), name };
            let mut path = Steps::default();
            match_shot(&request, &GO_ON).unwrap().unwrap().put(&mut path);
            let read = reading::of_look(&path, &display, &display, &GO_ON).unwrap().unwrap();
            let its = short(read.judgement);
            assert!(its.iter().all(|m| own.contains(m)), "{name} {what}: {its:?}, its look {own:?}");
        }
    }
}

#[test]
fn the_same_frame_is_found_and_others_are_not_taken_for_it() {
    let contents = contents();
    for (k, (name, look)) in looks().into_iter().enumerate() {
        let shot = &contents[k % contents.len()];
        let same = alignment(shot, &under(&look, shot));
        assert!(same > 0.5, "{name}: {same}");
        for other in contents.iter().filter(|c| *c != shot) {
            // Two frames of one set-up from nearly the same place may be taken for it.
            let far = alignment(shot, &under(&look, other));
            assert!(far < 0.35 || difference(shot, other) < 8.0, "{name}: {far}");
        }
    }
}

#[test]
fn a_tinted_black_and_white_reference_makes_a_tinted_black_and_white() {
    let contents = contents();
    let sepia = looks().into_iter().find(|l| l.0 == "sepia").unwrap().1;
    let reference = under(&sepia, &contents[0]);
    let request = |references| Request {
        shot: &contents[4],
        references,
        common: None,
        pairs: &[],
        strength: Some(1.0),
        name: "s",
    };
    let found = match_shot(&request(std::slice::from_ref(&reference)), &GO_ON).unwrap().unwrap();
    assert!(found.report.monochrome && found.report.says.contains("monochrome"), "{:?}", found.report);
    let made = matched(&request(std::slice::from_ref(&reference)));
    // What is left of colour is the tint: red over blue everywhere that is not black.
    let middle = made.pixels.iter().filter(|p| p[1] > 0.2 && p[1] < 0.8).collect::<Vec<_>>();
    assert!(middle.iter().all(|p| p[0] > p[2]), "a warm tint");
    let coloured = match_shot(&request(&contents[1..2]), &GO_ON).unwrap().unwrap();
    assert!(!coloured.report.monochrome);
}

#[test]
fn neutrals_do_not_reverse_and_the_same_request_gives_the_same_bits() {
    let contents = contents();
    for (_, (name, look)) in chosen() {
        let reference = under(&look, &contents[1]);
        let request = Request {
            shot: &contents[0],
            references: std::slice::from_ref(&reference),
            common: Some(Common::Nothing),
            pairs: &[],
            strength: Some(1.0),
            name,
        };
        let found = match_shot(&request, &GO_ON).unwrap().unwrap();
        let mut path = Steps::default();
        found.put(&mut path);
        let mut ramp: Vec<[f32; 4]> = (0..=400).map(|i| [i as f32 / 400.0; 4]).collect();
        Program::compile(&path, &screen(), &screen()).unwrap().run(&mut ramp);
        let luma = |p: &[f32; 4]| 0.2 * p[0] + 0.7 * p[1] + 0.1 * p[2];
        // Where a channel leaves the display, the fit into it takes light from the others.
        let inside = |p: &[f32; 4]| p[..3].iter().all(|v| *v > 1e-3 && *v < 0.999);
        let pairs = ramp.windows(2).filter(|w| inside(&w[0]) && inside(&w[1]));
        assert!(pairs.into_iter().all(|w| luma(&w[1]) >= luma(&w[0]) - 1e-5), "{name}");
        if name == "crossed" {
            let one = rayon::ThreadPoolBuilder::new().num_threads(1).build().unwrap();
            assert_eq!(one.install(|| match_shot(&request, &GO_ON)).unwrap().unwrap(), found);
            assert_eq!(match_shot(&request, &AtomicBool::new(true)), Ok(None), "stopped");
        }
    }
}

#[test]
fn what_cannot_be_read_is_refused_in_a_sentence() {
    let contents = contents();
    let flat = Small { width: 8, height: 8, pixels: vec![[0.4, 0.4, 0.4, 1.0]; 64] };
    let ask = |references: &[Small], common, pairs: &[Pair]| {
        let request = Request { shot: &contents[0], references, common, pairs, strength: None, name: "r" };
        match_shot(&request, &GO_ON).map(drop).unwrap_err().to_string()
    };
    assert!(ask(std::slice::from_ref(&flat), None, &[]).contains("one flat colour"));
    assert!(ask(&[], None, &[]).contains("no reference"));
    let tiny = Area { x: 0.5, y: 0.5, width: 0.004, height: 0.004 };
    let with = |shot, reference, of| ask(&contents[1..2], None, &[Pair { shot, reference, of }]);
    assert!(with(tiny, area(0.1, 0.1), 0).contains("too little"));
    assert!(with(area(0.97, 0.1), area(0.1, 0.1), 0).contains("outside"));
    assert!(with(area(f64::NAN, 0.1), area(0.1, 0.1), 0).contains("outside"));
    assert!(with(area(0.1, 0.1), area(0.1, 0.1), 3).contains("reference 3"));
    let tall = Small { width: 8, height: 16, pixels: (0..128).map(|i| [i as f32 / 128.0; 4]).collect() };
    assert!(ask(&[tall], Some(Common::Aligned), &[]).contains("shapes"));
}
