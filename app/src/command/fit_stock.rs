//! fit-stock: a film stock from measurements.

use crate::files::{self, Failure, Outcome};
use clap::Args;
use lantern_core::film::measured::Measured;
use lantern_core::film::{NegativeStock, PrintStock, stock, wedge};
use lantern_formats::measurements;
use std::path::PathBuf;
use std::sync::atomic::AtomicBool;

#[derive(Args)]
pub struct FitStock {
    /// A wedge as CSV: log exposure, then one density or three; may be given several times, for several developments, each with
    /// a line “# push: STOPS”.
    #[arg(long, required = true)]
    wedge: Vec<PathBuf>,
    /// The stock that it is begun with: the name of one that ships, or a stock's file.
    #[arg(long)]
    start: String,
    /// The stock's file.
    #[arg(short, long)]
    out: PathBuf,
}

/// A stock of either side.
enum Stock {
    Negative(Box<NegativeStock>),
    Print(Box<PrintStock>),
}

fn start(name: &str) -> Outcome<Stock> {
    let same = |n: &str| n.eq_ignore_ascii_case(name);
    if let Some(found) = stock::negatives().iter().find(|s| same(&s.name)) {
        return Ok(Stock::Negative(Box::new(found.clone())));
    }
    if let Some(found) = stock::prints().iter().find(|s| same(&s.name)) {
        return Ok(Stock::Print(Box::new(found.clone())));
    }
    let path = PathBuf::from(name);
    if !path.is_file() {
        let names = stock::negatives().iter().map(|s| s.name.as_str());
        let names: Vec<&str> = names.chain(stock::prints().iter().map(|s| s.name.as_str())).collect();
        return Err(Failure(format!(
            "there is no stock “{name}”, nor a file of this name; these ship: {}",
            names.join(", ")
        )));
    }
    let fail = |e: &dyn std::fmt::Display| Failure(format!("{}: {e}", path.display()));
    let value: serde_json::Value = serde_json::from_slice(&files::bytes(&path)?).map_err(|e| fail(&e))?;
    if value.get("kind").is_some() {
        let stock: NegativeStock = serde_json::from_value(value).map_err(|e| fail(&e))?;
        stock.check().map_err(|e| fail(&e))?;
        return Ok(Stock::Negative(Box::new(stock)));
    }
    let stock: PrintStock = serde_json::from_value(value).map_err(|e| fail(&e))?;
    stock.check().map_err(|e| fail(&e))?;
    Ok(Stock::Print(Box::new(stock)))
}

impl FitStock {
    pub fn run(&self) -> Outcome<()> {
        let begun = start(&self.start)?;
        let wedges = self
            .wedge
            .iter()
            .map(|path| {
                let name = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
                measurements::wedge(&files::bytes(path)?, &name)
                    .map_err(|e| Failure(format!("{}: {e}", path.display())))
            })
            .collect::<Outcome<Vec<_>>>()?;
        let go_on = AtomicBool::new(false);
        let fail = |e: wedge::WedgeError| Failure(e.to_string());
        let (json, measured) = match begun {
            Stock::Negative(s) => {
                let made = wedge::negative(&s, &wedges, &go_on).map_err(fail)?;
                (serde_json::to_string_pretty(&made), made.measured)
            }
            Stock::Print(s) => {
                let made = wedge::print(&s, &wedges, &go_on).map_err(fail)?;
                (serde_json::to_string_pretty(&made), made.measured)
            }
        };
        let json = json.map_err(|e| Failure(e.to_string()))?;
        files::write(&self.out, json.as_bytes())?;
        measured.iter().for_each(say);
        Ok(())
    }
}

/// How well the stock meets what was measured.
fn say(m: &Measured) {
    for (wedge, residuals) in m.wedges.iter().zip(&m.residuals) {
        let all = residuals.as_flattened();
        let worst = all.iter().fold(0.0_f64, |m, r| m.max(r.abs()));
        let mean = (all.iter().map(|r| r * r).sum::<f64>() / all.len().max(1) as f64).sqrt();
        println!("{}: density off by {mean:.4}, {worst:.3} at most", wedge.name);
    }
    let three = |v: [f64; 3]| v.map(|v| format!("{v:.3}")).join(" ");
    println!("base {}, mean gradient {}", three(m.base), three(m.mean_gradient));
    if !m.undetermined.is_empty() {
        println!("not in the data, kept from {}: {}", m.start, m.undetermined.join(", "));
    }
}
