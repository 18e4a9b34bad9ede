//! compare: the colour difference of two pictures.

use super::encoding;
use crate::files::{self, Failure, Outcome};
use clap::Args;
use lantern_core::bake::Meter;
use lantern_core::numeric::percentile::percentile;
use serde_json::json;
use std::path::PathBuf;

#[derive(Args)]
pub struct Compare {
    /// One picture.
    a: PathBuf,
    /// The other.
    b: PathBuf,
    /// What both are encoded in.
    #[arg(long, default_value = "rec709")]
    encoding: String,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Compare {
    pub fn run(&self) -> Outcome<()> {
        let (a, b) = (files::picture(&self.a)?, files::picture(&self.b)?);
        if (a.width(), a.height()) != (b.width(), b.height()) {
            return Err(Failure(format!(
                "the pictures differ in size: {} x {} and {} x {}",
                a.width(),
                a.height(),
                b.width(),
                b.height()
            )));
        }
        let meter = Meter::new(&encoding(&self.encoding)?);
        let mut d = meter.differences(&a.pixels, &b.pixels);
        let at = (0..d.len()).max_by(|i, j| d[*i].total_cmp(&d[*j])).unwrap_or(0);
        let (x, y, worst) = (at % a.width(), at / a.width(), d[at]);
        let mean = d.iter().sum::<f64>() / d.len() as f64;
        let p99 = percentile(&mut d, 0.99);
        if self.json {
            let measure = meter.name();
            println!(
                "{}",
                json!({ "measure": measure, "mean": mean, "p99": p99, "worst": worst, "at": [x, y] })
            );
        } else {
            println!(
                "{}: mean {mean:.4}, 99th percentile {p99:.4}, worst {worst:.4} at {x}, {y}",
                meter.name()
            );
        }
        Ok(())
    }
}
