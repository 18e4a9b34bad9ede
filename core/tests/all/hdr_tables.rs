//! Tables to HDR displays: how near they are to the exact path, and what the judge says of them.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::{Bake, Proving, bake, judge};
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::starting;
use std::sync::atomic::AtomicBool;

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

#[test]
#[ignore = "prints figures"]
fn figures() {
    let size: usize = std::env::var("SIZE").ok().and_then(|v| v.parse().ok()).unwrap_or(33);
    let pairs = std::env::var("PAIRS")
        .unwrap_or("srgb:pq,rec709:pq,acescct:pq,srgb:hlg,srgb:srgb,srgb:rec709".into());
    for pair in pairs.split(',') {
        let (from, to) = pair.split_once(':').unwrap();
        let (from, to) = (encoding(from), encoding(to));
        let mut all = Vec::new();
        let mut short = Vec::new();
        for s in starting::looks() {
            let program = Program::compile(&s.look.path, &from, &to).unwrap();
            let made = bake(&program, &Bake::between(&from, &to, size), "", &AtomicBool::new(false))
                .unwrap()
                .unwrap();
            let report = Proving::new(&program, &made, &from, &to).finish();
            let p99: Vec<f64> = report.comparisons.iter().map(|c| c.p99).collect();
            let j = judge(&made, &from, &to).unwrap();
            let m = j.measures.iter().find(|m| m.id == "hue-jump").unwrap();
            if m.value > 0.1 {
                short.push(format!("{}: hue {:.3}", s.look.name, m.value));
            }
            for m in j.faults() {
                short.push(format!(
                    "{}: {} {:.3} over {}; p99 {p99:.2?}",
                    s.look.name, m.id, m.value, m.limit
                ));
            }
            all.push((p99, s.look.name.clone()));
        }
        println!("{pair}, {size} points:");
        for (i, name) in ["chart", "neutral", "cube"].iter().enumerate() {
            all.sort_by(|a, b| a.0[i].total_cmp(&b.0[i]));
            let at = |k: usize| format!("{:.2} {}", all[k].0[i], all[k].1);
            let n = all.len();
            println!("   {name}: median {}, worst {}, {}", at(n / 2), at(n - 1), at(n - 2));
        }
        short.iter().for_each(|s| println!("   {s}"));
    }
}
