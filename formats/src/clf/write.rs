//! Writing a file: all values in 32-bit float with 1.0 as full scale.

use lantern_core::table::operator::{Affine, Correction, Exponent, Gamma, Log, LogSide, Range, Style};
use lantern_core::table::{Between, Domain, Operator, Table};
use quick_xml::escape::escape;
use std::fmt::Write as _;

/// The name space of version 3 as AMPAS published it (S-2014-006). ST 2136-1 has another for the same nodes, which fewer readers
/// know yet; both are read.
const NAME_SPACE: &str = "urn:AMPAS:CLF:v3.0";

/// Both depths of every node.
const DEPTHS: &str = "inBitDepth=\"32f\" outBitDepth=\"32f\"";

/// Writes a table; lines of `notes` become its description.
pub fn write(table: &Table, notes: &[String]) -> String {
    let mut nodes = String::new();
    for operator in table.operators() {
        node(&mut nodes, operator);
    }
    let mut out = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
    let _ = writeln!(
        out,
        "<ProcessList xmlns=\"{NAME_SPACE}\" compCLFversion=\"3.0\" id=\"{}\" name=\"{}\">",
        urn(format!("{}\n{nodes}", table.title).as_bytes()),
        escape(&table.title)
    );
    for note in std::iter::once(&table.title).chain(notes) {
        let _ = writeln!(out, "  <Description>{}</Description>", escape(note));
    }
    out.push_str(&nodes);
    out.push_str("</ProcessList>\n");
    out
}

/// A name for contents, the same for the same contents: a UUID of version 8 (RFC 9562) by BLAKE3.
pub fn urn(contents: &[u8]) -> String {
    let hash = blake3::hash(contents);
    let mut b = [0_u8; 16];
    b.copy_from_slice(&hash.as_bytes()[..16]);
    b[6] = b[6] & 0x0f | 0x80;
    b[8] = b[8] & 0x3f | 0x80;
    let hex: String = b.iter().map(|v| format!("{v:02x}")).collect();
    format!("urn:uuid:{}-{}-{}-{}-{}", &hex[..8], &hex[8..12], &hex[12..16], &hex[16..20], &hex[20..])
}

fn node(out: &mut String, operator: &Operator) {
    match operator {
        Operator::Matrix(m) => matrix(out, m),
        Operator::Range(r) => range(out, r),
        Operator::Log(l) => log(out, l),
        Operator::Exponent(e) => exponent(out, e),
        Operator::Correction(c) => correction(out, c),
        Operator::Curve(t) => {
            to_unit(out, t.domain());
            curve(out, "", t.entries());
        }
        Operator::HalfDomain(t) => curve(out, " halfDomain=\"true\"", t.entries()),
        Operator::Cube(t, between) => {
            to_unit(out, t.domain());
            let way = match between {
                Between::Tetrahedral => "tetrahedral",
                Between::Trilinear => "trilinear",
            };
            let n = t.size();
            let _ = writeln!(
                out,
                "  <LUT3D {DEPTHS} interpolation=\"{way}\">\n    <Array dim=\"{n} {n} {n} 3\">"
            );
            // Blue runs fastest.
            for i in 0..n * n * n {
                let [r, g, b] = t.node(i / n / n, i / n % n, i % n);
                let _ = writeln!(out, "{r} {g} {b}");
            }
            out.push_str("    </Array>\n  </LUT3D>\n");
        }
    }
}

/// What leads to the 0..1 that tables of this format take.
fn to_unit(out: &mut String, d: Domain) {
    if d == Domain::UNIT {
        return;
    }
    let wide = |v: [f32; 3]| v.map(f64::from);
    let (min, max) = (wide(d.min), wide(d.max));
    let gain = [0, 1, 2].map(|c| 1.0 / (max[c] - min[c]));
    let mut rows = [[0.0; 3]; 3];
    (0..3).for_each(|c| rows[c][c] = gain[c]);
    matrix(out, &Affine { rows, offset: [0, 1, 2].map(|c| -min[c] * gain[c]) });
}

fn matrix(out: &mut String, m: &Affine) {
    let columns = if m.offset == [0.0; 3] { 3 } else { 4 };
    let _ = writeln!(out, "  <Matrix {DEPTHS}>\n    <Array dim=\"3 {columns}\">");
    for (row, offset) in m.rows.iter().zip(m.offset) {
        let _ = match columns {
            3 => writeln!(out, "      {} {} {}", row[0], row[1], row[2]),
            _ => writeln!(out, "      {} {} {} {offset}", row[0], row[1], row[2]),
        };
    }
    out.push_str("    </Array>\n  </Matrix>\n");
}

fn range(out: &mut String, r: &Range) {
    let style = if r.clips { "Clamp" } else { "noClamp" };
    let _ = writeln!(out, "  <Range {DEPTHS} style=\"{style}\">");
    // In the order of the schema.
    if let Some([v, _]) = r.low {
        let _ = writeln!(out, "    <minInValue>{v}</minInValue>");
    }
    if let Some([v, _]) = r.high {
        let _ = writeln!(out, "    <maxInValue>{v}</maxInValue>");
    }
    if let Some([_, v]) = r.low {
        let _ = writeln!(out, "    <minOutValue>{v}</minOutValue>");
    }
    if let Some([_, v]) = r.high {
        let _ = writeln!(out, "    <maxOutValue>{v}</maxOutValue>");
    }
    out.push_str("  </Range>\n");
}

/// The sets of parameters: one for all channels where they are alike.
fn channels<T: PartialEq>(all: &[T; 3]) -> Vec<(&T, &'static str)> {
    if all[0] == all[1] && all[0] == all[2] {
        return vec![(&all[0], "")];
    }
    all.iter().zip([" channel=\"R\"", " channel=\"G\"", " channel=\"B\""]).collect()
}

fn log(out: &mut String, l: &Log) {
    let camera = l.channels.iter().any(|c| c.lin_side_break.is_some());
    let style = match (camera, l.to_linear) {
        (true, true) => "cameraLogToLin",
        (true, false) => "cameraLinToLog",
        (false, true) => "logToLin",
        (false, false) => "linToLog",
    };
    let _ = writeln!(out, "  <Log {DEPTHS} style=\"{style}\">");
    for (side, channel) in channels(&l.channels) {
        let LogSide { base, log_side_slope, log_side_offset, lin_side_slope, lin_side_offset, .. } = side;
        let _ = write!(
            out,
            "    <LogParams{channel} base=\"{base}\" logSideSlope=\"{log_side_slope}\" logSideOffset=\"{log_side_offset}\" linSideSlope=\"{lin_side_slope}\" linSideOffset=\"{lin_side_offset}\""
        );
        if let Some(v) = side.lin_side_break {
            let _ = write!(out, " linSideBreak=\"{v}\"");
        }
        if let Some(v) = side.linear_slope {
            let _ = write!(out, " linearSlope=\"{v}\"");
        }
        out.push_str("/>\n");
    }
    out.push_str("  </Log>\n");
}

fn exponent(out: &mut String, e: &Exponent) {
    let (style, line) = match e.style {
        Style::Basic => ("basic", false),
        Style::Mirror => ("basicMirror", false),
        Style::PassThru => ("basicPassThru", false),
        Style::MonCurve => ("monCurve", true),
        Style::MonCurveMirror => ("monCurveMirror", true),
    };
    let way = if e.inverse { "Rev" } else { "Fwd" };
    let _ = writeln!(out, "  <Exponent {DEPTHS} style=\"{style}{way}\">");
    for (Gamma { exponent, offset }, channel) in channels(&e.channels) {
        let offset = if line { format!(" offset=\"{offset}\"") } else { String::new() };
        let _ = writeln!(out, "    <ExponentParams{channel} exponent=\"{exponent}\"{offset}/>");
    }
    out.push_str("  </Exponent>\n");
}

fn correction(out: &mut String, c: &Correction) {
    let style = match (c.inverse, c.clips) {
        (false, true) => "Fwd",
        (false, false) => "FwdNoClamp",
        (true, true) => "Rev",
        (true, false) => "RevNoClamp",
    };
    let row = |v: [f64; 3]| format!("{} {} {}", v[0], v[1], v[2]);
    let _ = write!(
        out,
        "  <ASC_CDL {DEPTHS} style=\"{style}\">\n    <SOPNode>\n      <Slope>{}</Slope>\n      <Offset>{}</Offset>\n      \
         <Power>{}</Power>\n    </SOPNode>\n    <SatNode>\n      <Saturation>{}</Saturation>\n    </SatNode>\n  </ASC_CDL>\n",
        row(c.slope),
        row(c.offset),
        row(c.power),
        c.saturation
    );
}

fn curve(out: &mut String, attributes: &str, entries: &[[f32; 3]]) {
    let alike = entries.iter().all(|e| e[0] == e[1] && e[0] == e[2]);
    let channels = if alike { 1 } else { 3 };
    let _ = writeln!(
        out,
        "  <LUT1D {DEPTHS}{attributes} interpolation=\"linear\">\n    <Array dim=\"{} {channels}\">",
        entries.len()
    );
    for e in entries {
        let _ = if alike { writeln!(out, "{}", e[0]) } else { writeln!(out, "{} {} {}", e[0], e[1], e[2]) };
    }
    out.push_str("    </Array>\n  </LUT1D>\n");
}
