//! Tables as other programs write them: what we read gives what OpenColorIO gives, to 1e-6.

#![allow(clippy::unwrap_used)]

use lantern_formats::registry::read_table;
use std::path::{Path, PathBuf};
use std::process::Command;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

/// Colours that lie inside and outside of 0..1, on nodes and between them.
fn colours() -> Vec<[f32; 4]> {
    let mut state = 7_u32;
    let mut next = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 24) as f32
    };
    let mut all: Vec<[f32; 4]> =
        (0..900).map(|_| [0, 1, 2].map(|_| next() * 1.8 - 0.4)).map(|[r, g, b]| [r, g, b, 1.0]).collect();
    all.extend((0..=100).map(|i| [i as f32 / 100.0; 3]).map(|[r, g, b]| [r, g, b, 0.5]));
    all.extend([[0.0, 0.0, 0.0, 1.0], [1.0, 1.0, 1.0, 1.0], [12.0, 0.18, 3e-4, 1.0], [1.0, 0.0, 0.5, 1.0]]);
    all
}

/// What OpenColorIO makes of the colours with a file.
fn theirs(file: &Path) -> Vec<[f32; 4]> {
    let python = root().join(".venv/bin/python");
    assert!(python.is_file(), "OpenColorIO is installed by `cargo xtask test`");
    let (source, target) = (file.with_extension("in.raw"), file.with_extension("out.raw"));
    let bytes: Vec<u8> = colours().iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
    std::fs::write(&source, bytes).unwrap();
    let script = root().join("xtask/outside.py");
    let done =
        Command::new(&python).arg(script).arg("apply").arg(file).args([&source, &target]).output().unwrap();
    assert!(done.status.success(), "{}: {}", file.display(), String::from_utf8_lossy(&done.stderr));
    let bytes = std::fs::read(&target).unwrap();
    let values: Vec<f32> =
        bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
    values.chunks_exact(4).map(|p| [p[0], p[1], p[2], p[3]]).collect()
}

/// Compares on every colour, relative to values over 1.
fn agrees(name: &str, contents: &[u8], within: f32) {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join(name);
    std::fs::write(&file, contents).unwrap();
    let mut ours = colours();
    read_table(contents, name).unwrap_or_else(|e| panic!("{name}: {e}")).apply(&mut ours);
    for ((a, b), from) in ours.iter().zip(theirs(&file)).zip(colours()) {
        for (x, y) in a.iter().zip(b) {
            assert!(
                *x == y || (x - y).abs() <= within * y.abs().max(1.0),
                "{name}: {from:?} became {a:?}, {b:?} there"
            );
        }
    }
}

fn clf(nodes: &str) -> Vec<u8> {
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!-- a note -->\n<ProcessList id=\"one\" compCLFversion=\"3.0\">\n\
         <Description>made by hand</Description>\n<InputDescriptor>any</InputDescriptor>\n{nodes}\n</ProcessList>\n"
    )
    .into_bytes()
}

fn node(kind: &str, depths: [&str; 2], attributes: &str, inside: &str) -> String {
    format!(
        "<{kind} inBitDepth=\"{}\" outBitDepth=\"{}\" {attributes}>{inside}</{kind}>",
        depths[0], depths[1]
    )
}

const FLOAT: [&str; 2] = ["32f", "32f"];

#[test]
fn every_style_of_logarithm_and_exponent() {
    let log =
        |style: &str, parameters: &str| clf(&node("Log", FLOAT, &format!("style=\"{style}\""), parameters));
    for style in ["log10", "log2", "antiLog10", "antiLog2"] {
        agrees(&format!("{style}.clf"), &log(style, ""), 1e-6);
    }
    let side = "base=\"10\" logSideSlope=\"0.2471896\" logSideOffset=\"0.385537\" linSideSlope=\"5.5555556\" linSideOffset=\"0.0522723\"";
    for style in ["linToLog", "logToLin"] {
        agrees(&format!("{style}.clf"), &log(style, &format!("<LogParams {side}/>")), 1e-6);
        let three = "<LogParams channel=\"R\" base=\"10\" linSideOffset=\"0.5\"/><LogParams channel=\"G\" base=\"10\" linSideOffset=\"0.6\"/>\
            <LogParams channel=\"B\" base=\"10\" logSideSlope=\"0.5\" linSideOffset=\"0.7\"/>";
        agrees(&format!("{style}-3.clf"), &log(style, three), 1e-6);
    }
    for style in ["cameraLinToLog", "cameraLogToLin"] {
        for slope in ["", " linearSlope=\"5.367655\""] {
            let p = format!("<LogParams {side} linSideBreak=\"0.0105909\"{slope}/>");
            agrees(&format!("{style}.clf"), &log(style, &p), 1e-6);
        }
    }
    for style in ["basic", "basicMirror", "basicPassThru", "monCurve", "monCurveMirror"] {
        for way in ["Fwd", "Rev"] {
            let offset = if style.starts_with("mon") { " offset=\"0.055\"" } else { "" };
            let p = format!("<ExponentParams exponent=\"2.4\"{offset}/>");
            agrees(
                &format!("{style}{way}.clf"),
                &clf(&node("Exponent", FLOAT, &format!("style=\"{style}{way}\""), &p)),
                2e-6,
            );
        }
    }
}

#[test]
fn matrices_ranges_and_corrections_in_every_depth() {
    let matrix = |dim: &str, numbers: &str| format!("<Array dim=\"{dim}\">{numbers}</Array>");
    for depths in [["8i", "8i"], ["10i", "12i"], ["12i", "16f"], ["32f", "10i"], ["16i", "32f"]] {
        // Numbers are those of the depths.
        let scale = |d: &str| match d {
            "8i" => 255.0,
            "10i" => 1023.0,
            "12i" => 4095.0,
            "16i" => 65535.0,
            _ => 1.0,
        };
        let (a, b) = (scale(depths[0]), scale(depths[1]));
        let k = b / a;
        let numbers = format!(
            "{} {} {} {} {} {} {} {} {}",
            0.9 * k,
            0.08 * k,
            0.02 * k,
            0.1 * k,
            0.8 * k,
            0.1 * k,
            0.0,
            0.05 * k,
            0.95 * k
        );
        agrees("matrix.clf", &clf(&node("Matrix", depths, "", &matrix("3 3", &numbers))), 1e-6);
        let range = format!(
            "<minInValue>{}</minInValue><maxInValue>{}</maxInValue><minOutValue>{}</minOutValue><maxOutValue>{}</maxOutValue>",
            0.1 * a,
            0.9 * a,
            0.05 * b,
            0.8 * b
        );
        agrees("range.clf", &clf(&node("Range", depths, "", &range)), 1e-6);
        agrees("range-open.clf", &clf(&node("Range", depths, "style=\"noClamp\"", &range)), 1e-6);
        let low = format!("<minInValue>{}</minInValue><minOutValue>{}</minOutValue>", 0.1 * a, 0.1 * b);
        agrees("range-low.clf", &clf(&node("Range", depths, "style=\"Clamp\"", &low)), 1e-6);
    }
    agrees(
        "offset.clf",
        &clf(&node("Matrix", FLOAT, "", &matrix("3 4", "1 0 0 .1  0,1,0,-.2  0 0 1 .3"))),
        1e-6,
    );
    let sop = "<SOPNode><Slope>1.2 1 0.9</Slope><Offset>0.02 0 -0.03</Offset><Power>1.1 1 0.9</Power></SOPNode>\
        <SatNode><Saturation>0.85</Saturation></SatNode>";
    for style in
        ["Fwd", "Rev", "FwdNoClamp", "RevNoClamp", "v1.2_Fwd", "v1.2_Rev", "noClampFwd", "noClampRev"]
    {
        agrees(
            &format!("{style}.clf"),
            &clf(&node("ASC_CDL", FLOAT, &format!("id=\"x\" style=\"{style}\""), sop)),
            2e-6,
        );
    }
}

#[test]
fn tables_of_one_and_three_dimensions_in_every_depth() {
    for (depth, full) in
        [("8i", 255.0), ("10i", 1023.0), ("12i", 4095.0), ("16i", 65535.0), ("16f", 1.0), ("32f", 1.0)]
    {
        let value = |v: f64| if full > 1.0 { (v * full).round().to_string() } else { v.to_string() };
        let curve: String = (0..32).map(|i| value((f64::from(i) / 31.0).powf(0.7)) + "\n").collect();
        let array = format!("<Array dim=\"32 1\">{curve}</Array>");
        agrees("curve.clf", &clf(&node("LUT1D", ["10i", depth], "", &array)), 1e-6);
        let three: String = (0..17)
            .map(|i| {
                format!(
                    "{} {} {}\n",
                    value(f64::from(i) / 16.0),
                    value(0.9 * (f64::from(i) / 16.0).powi(2)),
                    value(0.5)
                )
            })
            .collect();
        agrees(
            "curves.clf",
            &clf(&node(
                "LUT1D",
                ["32f", depth],
                "interpolation=\"linear\"",
                &format!("<Array dim=\"17 3\">{three}</Array>"),
            )),
            1e-6,
        );
        let cube: String = (0..125)
            .map(|i| {
                let (r, g, b) = (f64::from(i / 25) / 4.0, f64::from(i / 5 % 5) / 4.0, f64::from(i % 5) / 4.0);
                format!(
                    "{} {} {}\n",
                    value(r * r),
                    value(0.3 * r + 0.7 * g),
                    value((0.2 + 0.8 * b) * (1.0 - 0.1 * g))
                )
            })
            .collect();
        for way in ["", "interpolation=\"trilinear\"", "interpolation=\"tetrahedral\""] {
            agrees(
                "cube.clf",
                &clf(&node("LUT3D", ["32f", depth], way, &format!("<Array dim=\"5 5 5 3\">{cube}</Array>"))),
                1e-6,
            );
        }
    }
}

/// The value of a half's bits, by the definition of IEEE 754 binary16.
fn half(bits: u32) -> f64 {
    let (sign, exponent, fraction) = (bits >> 15, (bits >> 10) & 31, f64::from(bits & 1023));
    let size = if exponent == 0 {
        fraction / 1024.0 * 2_f64.powi(-14)
    } else {
        (1.0 + fraction / 1024.0) * 2_f64.powi(exponent as i32 - 15)
    };
    if sign == 1 { -size } else { size }
}

#[test]
fn tables_with_an_entry_for_each_half_and_raw_halves() {
    let bend = |v: f64| if v < 0.0 { 0.5 * v } else { v / (1.0 + v) };
    let floats: String = (0..65_536)
        .map(|i| if (i & 0x7fff) >= 0x7c00 { "0\n".into() } else { format!("{}\n", bend(half(i)) as f32) })
        .collect();
    let array = format!("<Array dim=\"65536 1\">{floats}</Array>");
    agrees("halves.clf", &clf(&node("LUT1D", FLOAT, "halfDomain=\"true\"", &array)), 1e-6);
    // The bits of 0, 0.25, 0.5, 0.75 and 1.
    let raw = "<Array dim=\"5 1\">0 13312 14336 14848 15360</Array>";
    agrees("raw.clf", &clf(&node("LUT1D", ["32f", "16f"], "rawHalfs=\"true\"", raw)), 1e-6);
}

#[test]
fn a_list_of_all_of_them_in_another_name_space() {
    let nodes = [
        node(
            "Range",
            ["10i", "32f"],
            "style=\"noClamp\"",
            "<minInValue>64</minInValue><maxInValue>940</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue>",
        ),
        node("Exponent", FLOAT, "style=\"basicMirrorFwd\"", "<ExponentParams exponent=\"2.4\"/>"),
        node(
            "Matrix",
            FLOAT,
            "",
            "<Array dim=\"3 3\">0.6274 0.3293 0.0433 0.0691 0.9195 0.0114 0.0164 0.0880 0.8956</Array>",
        ),
        node(
            "Log",
            FLOAT,
            "style=\"linToLog\"",
            "<LogParams base=\"10\" logSideSlope=\"0.3\" logSideOffset=\"0.7\" linSideOffset=\"0.01\"/>",
        ),
        node("LUT1D", FLOAT, "", "<Array dim=\"3 1\">0 0.6 1</Array>"),
    ];
    let new = format!(
        "<ProcessList xmlns=\"http://www.smpte-ra.org/ns/2136-1/2024\" id=\"urn:uuid:95e8bd9f-6144-4d28-943b-97ec0d641ac7\" compCLFversion=\"3\">{}</ProcessList>",
        nodes.concat()
    );
    agrees("list.clf", new.as_bytes(), 2e-6);
}

#[test]
fn text_tables_with_foreign_line_ends_blanks_notes_and_cases() {
    let cube: String = (0..27)
        .map(|i| {
            let (r, g, b) = (f64::from(i % 3) / 2.0, f64::from(i / 3 % 3) / 2.0, f64::from(i / 9) / 2.0);
            format!("{:.6} {:e} {:.6}\n", r * r, g * 0.9 + 0.05 * b, b)
        })
        .collect();
    let plain = format!(
        "# made by hand\nTITLE \"a table\"\nLUT_3D_SIZE 3\nDOMAIN_MIN -0.25 -0.25 -0.25\nDOMAIN_MAX 1.5 1.5 1.5\n\n{cube}"
    );
    agrees("plain.cube", plain.as_bytes(), 1e-6);
    agrees("dos.cube", plain.replace('\n', "\r\n").as_bytes(), 1e-6);
    agrees(
        "tabs.cube",
        plain.replace(' ', "\t").replace("a\ttable", "a table").replace("#\tmade", "# made").as_bytes(),
        1e-6,
    );
    let long: String = (0..65_536)
        .map(|i| format!("{0:.7} {0:.7} {1:.7}\n", (f64::from(i) / 65_535.0).sqrt(), f64::from(i) / 65_535.0))
        .collect();
    agrees("long.cube", format!("LUT_1D_SIZE 65536\n{long}").as_bytes(), 1e-6);
    let curve: String = (0..9).map(|i| format!(" {}\n", (f64::from(i) / 8.0).powi(2))).collect();
    agrees(
        "one.spi1d",
        format!("Version 1\nFrom -0.5 2.0\nLength 9\nComponents 1\n{{\n{curve}}}\n").as_bytes(),
        1e-6,
    );
    let curves: String = (0..9)
        .map(|i| format!(" {} {} {}\r\n", f64::from(i) / 8.0, 1.0 - f64::from(i) / 8.0, 0.25))
        .collect();
    agrees(
        "three.spi1d",
        format!("Version 1\r\nFrom 0.0 1.0\r\nLength 9\r\nComponents 3\r\n{{\r\n{curves}}}\r\n").as_bytes(),
        1e-6,
    );
    let places: String = (0..27)
        .rev()
        .map(|i| {
            format!(
                "{} {} {} {} {} {}\n",
                i / 9,
                i / 3 % 3,
                i % 3,
                f64::from(i) / 26.0,
                0.5,
                f64::from(i % 3) * 0.4
            )
        })
        .collect();
    agrees("cube.spi3d", format!("SPILUT 1.0\n3 3\n3 3 3\n{places}").as_bytes(), 1e-6);
    let cdl = "<ColorCorrection id=\"a\"><SOPNode><Slope>1.1 0.9 1</Slope><Offset>0.01 0 -0.02</Offset><Power>0.9 1 1.2</Power></SOPNode>\
        <SatNode><Saturation>1.3</Saturation></SatNode></ColorCorrection>";
    agrees("one.cc", cdl.as_bytes(), 2e-6);
}
