//! What a table does and what a picture is, as a person reads it: for drawings and for words.

use super::small::{Small, plane, screen};
use crate::bake::{Bake, Judgement, bake, judge};
use crate::colour::axis::Axis;
use crate::colour::plane::{SKIN_DEGREES, polar};
use crate::colour::{Encoding, Reference, Zone};
use crate::graph::{CompileError, Program};
use crate::look::Path;
use crate::numeric::percentile::percentile;
use crate::table::Table;
use schemars::JsonSchema;
use serde::Serialize;
use std::borrow::Cow;
use std::sync::atomic::AtomicBool;

/// Greys that the neutral scale is read at.
const GREYS: usize = 65;
/// Hues, brightnesses (luma of the screen's code) and chroma of the colours whose moves are drawn.
const HUES: usize = 24;
const BRIGHTNESSES: [f64; 3] = [0.25, 0.5, 0.75];
const CHROMA: f64 = 0.08;

/// A grey and what becomes of it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct GreyPoint {
    /// Its code value in the table's input encoding.
    pub code: f64,
    /// Where scene light goes in, stops from middle grey.
    pub stops: Option<f64>,
    /// What the rendering, or the display itself, shows of it without the table: code of the screen, 0..1.
    pub plain: f64,
    /// What comes out, as code of the screen: red, green, blue.
    pub out: [f64; 3],
    /// Its tint, as a place on the plane of colour differences.
    pub tint: [f64; 2],
}

/// Where a colour goes on the plane of colour differences.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Arrow {
    /// Its brightness, as luma of the screen's code.
    pub brightness: f64,
    /// Its hue in degrees.
    pub hue: f64,
    /// Where it lies without the table.
    pub from: [f64; 2],
    /// Where it lies with it.
    pub to: [f64; 2],
    /// What its luma gains.
    pub rise: f64,
}

/// What a table does.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct TableReading {
    /// Its neutral scale, from dark to bright.
    pub greys: Vec<GreyPoint>,
    /// Where colours go: for each brightness every hue.
    pub arrows: Vec<Arrow>,
    /// Share of its points with a channel at or below 0.
    pub clips_low: f64,
    /// Share of its points with a channel at or above 1.
    pub clips_high: f64,
    /// The judgement of its shape, where its output is a display's.
    pub judgement: Option<Judgement>,
    /// The same in sentences.
    pub says: Vec<String>,
}

/// Reads a table between its encodings.
pub fn of_table(table: &Table, from: &Encoding, to: &Encoding) -> Result<TableReading, CompileError> {
    let show = Program::compile(&Path::default(), to, &screen())?;
    let shown = |mut inputs: Vec<[f32; 4]>| {
        table.apply_parallel(&mut inputs);
        show.run_parallel(&mut inputs);
        inputs
    };
    let plane = plane();
    let split = |p: &[f32; 4]| {
        let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
        [y, cb, cr].map(f64::from)
    };
    let mut codes: Vec<[f32; 4]> =
        (0..GREYS).map(|i| i as f32 / (GREYS - 1) as f32).map(|v| [v, v, v, 1.0]).collect();
    let log = Encoding::find("acescct").unwrap_or_else(|| from.clone());
    if from.is_linear() {
        Program::compile(&Path::default(), &log, from)?.run(&mut codes);
    }
    let mut plain = codes.clone();
    Program::compile(&Path::default(), from, &screen())?.run(&mut plain);
    let mut stops = codes.clone();
    if from.reference == Reference::Scene {
        Program::compile(&Path::default(), from, &log)?.run(&mut stops);
    }
    let scene = Axis::of(Zone::Scene);
    let out = shown(codes.clone());
    let greys = (0..GREYS)
        .map(|i| {
            let [_, cb, cr] = split(&out[i]);
            GreyPoint {
                code: f64::from(codes[i][1]),
                stops: (from.reference == Reference::Scene).then(|| f64::from(scene.place(stops[i][1]))),
                plain: f64::from(plain[i][1]),
                out: [0, 1, 2].map(|c| f64::from(out[i][c])),
                tint: [cb, cr],
            }
        })
        .collect::<Vec<_>>();
    let (wheel, named): (Vec<[f32; 4]>, Vec<(f64, f64)>) = BRIGHTNESSES
        .iter()
        .flat_map(|y| (0..HUES).map(move |h| (*y, h as f64 * 360.0 / HUES as f64)))
        .map(|(y, hue)| {
            let (cb, cr) = polar(hue, CHROMA);
            let [r, g, b] = plane.join(y as f32, cb as f32, cr as f32);
            ([r, g, b, 1.0], (y, hue))
        })
        .unzip();
    // The light that would look like this without the table.
    let mut inputs = wheel.clone();
    Program::between(&screen(), from, Reference::Scene).run_parallel(&mut inputs);
    let moved = shown(inputs);
    let arrows = named
        .iter()
        .zip(wheel.iter().zip(&moved))
        .map(|((brightness, hue), (a, b))| {
            let ([y0, cb0, cr0], [y1, cb1, cr1]) = (split(a), split(b));
            Arrow { brightness: *brightness, hue: *hue, from: [cb0, cr0], to: [cb1, cr1], rise: y1 - y0 }
        })
        .collect::<Vec<_>>();
    let points_of = crate::graph::plain(table, from).unwrap_or(Cow::Borrowed(table));
    let points: Vec<[f32; 3]> = match (points_of.cube(), points_of.shaper()) {
        (Some(cube), _) => cube.nodes().iter().map(|n| [n[0], n[1], n[2]]).collect(),
        (None, Some(shaper)) => shaper.entries().to_vec(),
        (None, None) => Vec::new(),
    };
    let share = |f: &dyn Fn(f32) -> bool| {
        points.iter().filter(|p| p.iter().any(|v| f(*v))).count() as f64 / points.len().max(1) as f64
    };
    let mut reading = TableReading {
        greys,
        arrows,
        clips_low: share(&|v| v <= 0.0),
        clips_high: share(&|v| v >= 1.0),
        judgement: judge(table, from, to),
        says: Vec::new(),
    };
    reading.says = sentences(&reading);
    Ok(reading)
}

/// Points on a side of the table that a look is read through.
const LOOK_POINTS: usize = 33;

/// Reads what of a look goes into a table between two encodings. `None` where it was stopped.
pub fn of_look(
    path: &Path,
    from: &Encoding,
    to: &Encoding,
    stop: &AtomicBool,
) -> Result<Option<TableReading>, CompileError> {
    let program = Program::compile(path, from, to)?;
    let table = bake(&program, &Bake::plan(from, LOOK_POINTS), "", stop).ok().flatten();
    table.map(|t| of_table(&t, from, to)).transpose()
}

fn sentences(r: &TableReading) -> Vec<String> {
    let mut says = Vec::new();
    let (first, last) = (&r.greys[0], &r.greys[GREYS - 1]);
    let per_cent = |v: f64| format!("{:.0} %", 100.0 * v);
    let mean = |v: [f64; 3]| v.iter().sum::<f64>() / 3.0;
    says.push(format!(
        "Black comes out at {} of the screen's signal, white at {}.",
        per_cent(mean(first.out)),
        per_cent(mean(last.out))
    ));
    // The slope about grey, over that without the table.
    let near = r.greys.iter().position(|g| g.plain >= 0.383).unwrap_or(GREYS / 2).clamp(2, GREYS - 3);
    let (a, b) = (&r.greys[near - 2], &r.greys[near + 2]);
    let slope = (mean(b.out) - mean(a.out)) / (b.plain - a.plain).max(1e-6);
    says.push(format!(
        "Contrast about grey is {slope:.2} times that without it; grey comes out at {}.",
        per_cent(mean(r.greys[near].out))
    ));
    let chroma = |p: [f64; 2]| p[0].hypot(p[1]);
    let strongest = r.greys.iter().max_by(|a, b| chroma(a.tint).total_cmp(&chroma(b.tint)));
    if let Some(g) = strongest.filter(|g| chroma(g.tint) > 0.005) {
        let hue = g.tint[1].atan2(g.tint[0]).to_degrees().rem_euclid(360.0);
        says.push(format!("Greys are tinted most at {}, toward {}.", per_cent(mean(g.out)), hue_name(hue)));
    } else {
        says.push("Greys stay neutral.".into());
    }
    let factor =
        r.arrows.iter().map(|a| chroma(a.to) / chroma(a.from)).sum::<f64>() / r.arrows.len().max(1) as f64;
    says.push(format!("Saturation is {factor:.2} times that without it."));
    if r.clips_low > 0.3 || r.clips_high > 0.3 {
        says.push(format!(
            "{} of its points have a channel at 0, {} one at full.",
            per_cent(r.clips_low),
            per_cent(r.clips_high)
        ));
    }
    if let Some(j) = &r.judgement {
        let short: Vec<&str> =
            j.measures.iter().filter(|m| m.falls_short).map(|m| m.title.as_str()).collect();
        says.push(if short.is_empty() {
            "Its shape is sound.".into()
        } else {
            format!("Its shape falls short: {}.", short.join(", ").to_lowercase())
        });
    }
    says
}

/// What a hue of the plane is called.
pub fn hue_name(degrees: f64) -> &'static str {
    // Primaries, secondaries and what lies midway of code values on the plane of BT.709 (item 3.3 of the recommendation).
    const NAMES: [(f64, &str); 12] = [
        (354.8, "blue"),
        (24.7, "violet"),
        (49.7, "magenta"),
        (74.9, "rose"),
        (102.9, "red"),
        (138.4, "orange"),
        (174.8, "yellow"),
        (204.7, "yellow-green"),
        (229.7, "green"),
        (254.9, "blue-green"),
        (282.9, "cyan"),
        (318.4, "sky blue"),
    ];
    let off = |a: f64| ((degrees - a + 180.0).rem_euclid(360.0) - 180.0).abs();
    NAMES.iter().min_by(|a, b| off(a.0).total_cmp(&off(b.0))).map_or("", |n| n.1)
}

/// The tint of a range of brightness.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct ToneReading {
    /// Share of the picture.
    pub share: f64,
    /// Median place on the plane of colour differences.
    pub tint: [f64; 2],
    /// Mean chroma.
    pub chroma: f64,
}

/// A hue that is in a picture.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct HueReading {
    /// Its middle, in degrees.
    pub hue: f64,
    /// Share of the picture.
    pub share: f64,
    /// Mean chroma.
    pub chroma: f64,
    /// Mean luma.
    pub brightness: f64,
}

/// What a picture is by its tones and colours, on the screen.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct PictureReading {
    /// Luma of the screen's code below which 1, 5, 25, 50, 75, 95 and 99 % of the picture lie.
    pub tones: [f64; 7],
    /// Darks, middles and lights: thirds of the signal.
    pub ranges: [ToneReading; 3],
    /// Mean chroma over brightness, in eight steps from black to white; `None` where hardly anything lies.
    pub saturation: [Option<f64>; 8],
    /// Hues from blue on, every 30 degrees; those with under one per cent are left out.
    pub hues: Vec<HueReading>,
    /// Degrees from the skin line to the middle of what lies within 25 degrees of it, where that is one per cent or more.
    pub skin: Option<f64>,
    /// The same in sentences.
    pub says: Vec<String>,
}

/// Reads a picture.
pub fn of_picture(picture: &Small) -> PictureReading {
    let split = picture.split();
    let n = split.len() as f64;
    let mut lumas: Vec<f64> = split.iter().map(|p| p[0]).collect();
    let tones = [0.01, 0.05, 0.25, 0.5, 0.75, 0.95, 0.99].map(|s| percentile(&mut lumas, s));
    let chroma = |p: &[f64; 3]| p[1].hypot(p[2]);
    let mean = |v: &[&[f64; 3]], f: &dyn Fn(&[f64; 3]) -> f64| {
        v.iter().map(|p| f(p)).sum::<f64>() / v.len().max(1) as f64
    };
    let ranges = [0, 1, 2].map(|i| {
        let inside: Vec<&[f64; 3]> =
            split.iter().filter(|p| ((p[0] * 3.0).max(0.0) as usize).min(2) == i).collect();
        let tint = [1, 2].map(|c| percentile(&mut inside.iter().map(|p| p[c]).collect::<Vec<f64>>(), 0.5));
        ToneReading { share: inside.len() as f64 / n, tint, chroma: mean(&inside, &chroma) }
    });
    let saturation = std::array::from_fn(|i| {
        let inside: Vec<&[f64; 3]> =
            split.iter().filter(|p| ((p[0] * 8.0).max(0.0) as usize).min(7) == i).collect();
        (inside.len() as f64 >= 0.005 * n).then(|| mean(&inside, &chroma))
    });
    let degrees = |p: &[f64; 3]| p[2].atan2(p[1]).to_degrees().rem_euclid(360.0);
    let coloured: Vec<&[f64; 3]> = split.iter().filter(|p| chroma(p) > 0.02).collect();
    let hues = (0..12)
        .filter_map(|i| {
            let inside: Vec<&[f64; 3]> =
                coloured.iter().filter(|p| (degrees(p) / 30.0).round() as usize % 12 == i).copied().collect();
            let share = inside.len() as f64 / n;
            (share >= 0.01).then(|| HueReading {
                hue: i as f64 * 30.0,
                share,
                chroma: mean(&inside, &chroma),
                brightness: mean(&inside, &|p| p[0]),
            })
        })
        .collect();
    let off = |p: &[f64; 3]| (degrees(p) - SKIN_DEGREES + 180.0).rem_euclid(360.0) - 180.0;
    let mut skin: Vec<f64> = coloured.iter().map(|p| off(p)).filter(|d| d.abs() < 25.0).collect();
    let skin = (skin.len() as f64 >= 0.01 * n).then(|| percentile(&mut skin, 0.5));
    let mut reading = PictureReading { tones, ranges, saturation, hues, skin, says: Vec::new() };
    reading.says = of_picture_in_words(&reading);
    reading
}

fn of_picture_in_words(r: &PictureReading) -> Vec<String> {
    let per_cent = |v: f64| format!("{:.0} %", 100.0 * v);
    let mut says = vec![format!(
        "Its deepest tones lie at {}, its middle at {}, its brightest at {} of the signal.",
        per_cent(r.tones[0]),
        per_cent(r.tones[3]),
        per_cent(r.tones[6])
    )];
    for (range, name) in r.ranges.iter().zip(["Darks", "Middles", "Lights"]) {
        let amount = range.tint[0].hypot(range.tint[1]);
        if range.share >= 0.02 && amount > 0.008 {
            let hue = range.tint[1].atan2(range.tint[0]).to_degrees().rem_euclid(360.0);
            says.push(format!("{name} lean toward {} (hue {hue:.0}°, amount {amount:.3}).", hue_name(hue)));
        }
    }
    let strongest = r.hues.iter().max_by(|a, b| a.share.total_cmp(&b.share));
    match strongest {
        Some(h) => {
            says.push(format!("Its main hue is {} ({} of the picture).", hue_name(h.hue), per_cent(h.share)))
        }
        None => says.push("It has hardly any colour.".into()),
    }
    if let Some(skin) = r.skin {
        says.push(format!(
            "What may be skin lies {:.0}° {} the skin line.",
            skin.abs(),
            if skin < 0.0 { "below" } else { "above" }
        ));
    }
    says
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::{Domain, Table3};

    fn of(f: impl Fn([f32; 3]) -> [f32; 3]) -> TableReading {
        let nodes: Vec<[f32; 3]> = (0..33_usize.pow(3))
            .map(|i| f([i % 33, i / 33 % 33, i / 1089].map(|v| v as f32 / 32.0)))
            .collect();
        let table =
            Table::new(String::new(), None, Some(Table3::new(33, Domain::UNIT, &nodes).unwrap())).unwrap();
        let e = Encoding::find("rec709").unwrap();
        of_table(&table, &e, &e).unwrap()
    }

    #[test]
    fn a_table_that_does_nothing_reads_as_that() {
        let r = of(|c| c);
        assert!(
            r.greys.iter().all(|g| (g.out[0] - g.plain).abs() < 1e-4 && g.tint[0].hypot(g.tint[1]) < 1e-4)
        );
        // Colours of the screen's primaries that BT.709 does not hold are brought in smoothly; those of middle brightness it holds.
        let far = |a: &Arrow| (a.to[0] - a.from[0]).hypot(a.to[1] - a.from[1]).max(a.rise.abs());
        assert!(r.arrows.iter().filter(|a| a.brightness == 0.5).all(|a| far(a) < 0.02), "{:?}", r.arrows);
        assert!(r.arrows.iter().all(|a| far(a) < 0.06), "{:?}", r.arrows);
        assert!(r.says.iter().any(|s| s == "Greys stay neutral."), "{:?}", r.says);
        assert!(r.says.iter().any(|s| s.contains("Contrast about grey is 1.00")), "{:?}", r.says);
    }

    #[test]
    fn lifted_tinted_and_weaker_tables_read_as_what_they_are() {
        let r = of(|c| {
            let y = 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
            let f = |v: f32| 0.1 + 0.8 * (y + 0.5 * (v - y));
            [f(c[0]) + 0.03, f(c[1]), f(c[2]) - 0.03]
        });
        // 10 % of the display's code: BT.1886 and the screen zone have one power.
        assert!((r.greys[0].out[1] - 0.1).abs() < 5e-3);
        assert!(
            r.says.iter().any(|s| s.contains("orange") || s.contains("yellow") || s.contains("red")),
            "{:?}",
            r.says
        );
        let factor =
            r.arrows.iter().map(|a| a.to[0].hypot(a.to[1])).sum::<f64>() / r.arrows.len() as f64 / CHROMA;
        assert!(factor < 0.65, "{factor}");
        // Clipping.
        let r = of(|c| c.map(|v| (2.0 * v - 0.5).clamp(0.0, 1.0)));
        assert!(
            r.clips_low > 0.5 && r.clips_high > 0.5 && r.says.iter().any(|s| s.contains("at full")),
            "{:?}",
            r.says
        );
    }

    #[test]
    fn hues_have_the_names_of_the_colours_that_lie_there() {
        let plane = crate::colour::plane::Plane::bt709();
        for (rgb, name) in [
            ([1.0, 0.0, 0.0], "red"),
            ([1.0, 0.5, 0.0], "orange"),
            ([1.0, 1.0, 0.0], "yellow"),
            ([0.5, 1.0, 0.0], "yellow-green"),
            ([0.0, 1.0, 0.0], "green"),
            ([0.0, 1.0, 0.5], "blue-green"),
            ([0.0, 1.0, 1.0], "cyan"),
            ([0.0, 0.5, 1.0], "sky blue"),
            ([0.0, 0.0, 1.0], "blue"),
            ([0.5, 0.0, 1.0], "violet"),
            ([1.0, 0.0, 1.0], "magenta"),
            ([1.0, 0.0, 0.5], "rose"),
        ] {
            let (_, cb, cr) = plane.split(rgb);
            for off in [-8.0, 0.0, 8.0] {
                let degrees = f64::from(cr.atan2(cb)).to_degrees() + off;
                assert_eq!(hue_name(degrees.rem_euclid(360.0)), name, "{degrees}");
            }
        }
    }

    #[test]
    fn a_picture_reads_as_what_it_is() {
        let plane = plane();
        // Blue darks, warm lights.
        let pixels: Vec<[f32; 4]> = (0..400)
            .map(|i| i as f32 / 400.0)
            .map(|y| {
                let hue = if y < 0.5 { 0.0 } else { 150.0 };
                let (cb, cr) = polar(hue, 0.06);
                let [r, g, b] = plane.join(y, cb as f32, cr as f32);
                [r, g, b, 1.0]
            })
            .collect();
        let r = of_picture(&Small { width: 20, height: 20, pixels });
        assert!(
            (r.tones[3] - 0.5).abs() < 0.01 && r.ranges[0].tint[0] > 0.05 && r.ranges[2].tint[0] < -0.04,
            "{r:?}"
        );
        assert!(r.says.iter().any(|s| s.starts_with("Darks lean toward blue")), "{:?}", r.says);
        assert_eq!(r.hues.len(), 2);
        let grey = Small { width: 2, height: 1, pixels: vec![[0.2, 0.2, 0.2, 1.0], [0.5, 0.5, 0.5, 1.0]] };
        assert!(of_picture(&grey).says.iter().any(|s| s.contains("hardly any colour")));
    }
}
