//! The report of a package: one HTML page that anybody can open, and the same as JSON.

use crate::manifest::Manifest;
use base64::prelude::{BASE64_STANDARD, Engine as _};
use lantern_core::bake::Fidelity;
use serde::Serialize;
use std::fmt::Write as _;

/// A table with its proof.
#[derive(Clone, Debug, Serialize)]
pub struct Proof {
    /// Its path in the package.
    pub path: String,
    /// What somebody who gets it has to know.
    pub says: Vec<String>,
    /// The proof.
    pub fidelity: Fidelity,
}

/// A small picture of a shot as it leaves.
#[derive(Clone, Debug, Serialize)]
pub struct Thumb {
    /// The shot's name.
    pub name: String,
    /// PNG.
    #[serde(skip)]
    pub png: Vec<u8>,
}

/// All that is said of a package.
#[derive(Clone, Debug)]
pub struct Report {
    /// What is in it, without the report itself.
    pub manifest: Manifest,
    /// Every table with its proof.
    pub proofs: Vec<Proof>,
    /// Its shots.
    pub thumbs: Vec<Thumb>,
}

/// The same as JSON.
#[derive(Clone, Debug, Serialize)]
pub struct Plain<'a> {
    /// What is in the package.
    #[serde(flatten)]
    pub manifest: &'a Manifest,
    /// Every table with its proof.
    pub proofs: &'a [Proof],
    /// Its shots.
    pub shots: Vec<&'a str>,
}

impl Report {
    /// What goes into the JSON.
    pub fn without_pictures(&self) -> Plain<'_> {
        let shots = self.thumbs.iter().map(|t| t.name.as_str()).collect();
        Plain { manifest: &self.manifest, proofs: &self.proofs, shots }
    }
}

/// Text inside of HTML.
fn text(raw: &str) -> String {
    let mut out = String::with_capacity(raw.len());
    for c in raw.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            c if c.is_control() => out.push(' '),
            c => out.push(c),
        }
    }
    out
}

const STYLE: &str = "body{font:15px/1.5 system-ui,sans-serif;color:#1d1b19;background:#f6f4f1;max-width:62rem;margin:2rem auto;padding:0 1.5rem}\
h1{font-size:1.7rem;margin:0 0 .2rem}h2{font-size:1.15rem;margin:2.2rem 0 .6rem}h3{font-size:1rem;margin:1.6rem 0 .3rem;font-family:ui-monospace,monospace;overflow-wrap:anywhere}\
table{border-collapse:collapse;width:100%}th,td{text-align:left;padding:.25rem .8rem .25rem 0;border-bottom:1px solid #d9d4cd;vertical-align:top}\
td.n,th.n{text-align:right;font-variant-numeric:tabular-nums}.q{color:#6b655d}.code{font-family:ui-monospace,monospace;font-size:.85rem;overflow-wrap:anywhere}\
.warn{background:#fbe9d0;border-left:4px solid #b4691f;padding:.6rem 1rem}.shots{display:flex;flex-wrap:wrap;gap:.8rem}\
figure{margin:0;width:11rem}img{width:100%;display:block;border-radius:3px}figcaption{font-size:.8rem;color:#6b655d}";

/// The page: self-contained, without scripts.
pub fn html(report: &Report) -> String {
    let m = &report.manifest;
    let version = m.look.version.map_or(String::new(), |v| format!(", version {v}"));
    let mut out = format!(
        "<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\">\
         <title>{0}: what was handed off</title><style>{STYLE}</style></head><body><h1>{0}{version}</h1>\
         <p class=\"q\">{1}. Made by {2}.</p>",
        text(&m.look.name),
        text(&m.plan),
        text(&m.program)
    );
    if !m.left_out.is_empty() {
        out.push_str("<h2>Not in any table</h2><div class=\"warn\"><p>These steps work on pictures only. Who renders with a table alone does not see them.</p><ul>");
        for l in &m.left_out {
            let _ = write!(out, "<li><b>{}</b>: {}</li>", text(&l.step), text(&l.why));
        }
        out.push_str("</ul></div>");
    }
    if !m.not_made.is_empty() {
        out.push_str("<h2>Could not be made</h2><div class=\"warn\"><ul>");
        for n in &m.not_made {
            let _ = write!(out, "<li>{}, for {}: {}</li>", text(&n.what), text(&n.receiver), text(&n.why));
        }
        out.push_str("</ul></div>");
    }
    files(&mut out, m);
    if !report.thumbs.is_empty() {
        out.push_str("<h2>Shots, as they leave</h2><div class=\"shots\">");
        for t in &report.thumbs {
            let data = BASE64_STANDARD.encode(&t.png);
            let name = text(&t.name);
            let _ = write!(
                out,
                "<figure><img alt=\"{name}\" src=\"data:image/png;base64,{data}\"><figcaption>{name}</figcaption></figure>"
            );
        }
        out.push_str("</div>");
    }
    if !report.proofs.is_empty() {
        out.push_str("<h2>Proof of each table</h2><p class=\"q\">Each file was read back and compared with the exact path.</p>");
        report.proofs.iter().for_each(|p| proof(&mut out, p));
    }
    out.push_str("<p class=\"q\">manifest.json has the hashes of every file; <code>dusky-lantern verify</code> checks them.</p></body></html>\n");
    out
}

fn files(out: &mut String, m: &Manifest) {
    out.push_str("<h2>Files</h2><table><tr><th>For</th><th>File</th><th>What it is</th><th class=\"n\">Bytes</th></tr>");
    for f in &m.files {
        let _ = write!(
            out,
            "<tr><td>{}</td><td class=\"code\">{}</td><td>{}</td><td class=\"n\">{}</td></tr>",
            text(&f.receiver),
            text(&f.path),
            text(&f.is),
            f.length
        );
    }
    out.push_str("</table>");
}

fn proof(out: &mut String, p: &Proof) {
    let f = &p.fidelity;
    let _ = write!(out, "<h3>{}</h3><p class=\"q\">{}", text(&p.path), text(&f.measure));
    if let Some(j) = &f.judgement {
        let _ = write!(out, "; its shape {}", if j.sound { "is sound" } else { "falls short" });
    }
    out.push_str(".</p>");
    for line in &p.says {
        let _ = write!(out, "<p>{}</p>", text(line));
    }
    out.push_str("<table><tr><th>Compared on</th><th class=\"n\">Mean</th><th class=\"n\">99th percentile</th><th class=\"n\">Worst</th><th>Where: in, exact, table</th></tr>");
    for c in &f.comparisons {
        let three = |v: [f32; 3]| v.map(|v| format!("{v:.3}")).join(" ");
        let w = &c.worst;
        let _ = write!(
            out,
            "<tr><td>{}</td><td class=\"n\">{:.3}</td><td class=\"n\">{:.3}</td><td class=\"n\">{:.2}</td><td class=\"code\">{}; {}; {}</td></tr>",
            text(&c.name),
            c.mean,
            c.p99,
            w.difference,
            three(w.input),
            three(w.exact),
            three(w.table)
        );
    }
    out.push_str("</table>");
}
