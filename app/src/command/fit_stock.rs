//! fit-stock: a film stock from measurements.

use crate::files::{self, Failure, Outcome};
use clap::Args;
use lantern_core::colour::difference::ciede2000;
use lantern_core::film::measured::{Determined, FilmFit, Measured, Says};
use lantern_core::film::{NegativeStock, PrintStock, stock, wedge};
use lantern_core::matching::stock::print_table::{self, Held};
use lantern_core::matching::stock::{Film, FilmError, Known, patches};
use lantern_core::numeric::least_squares::unwatched;
use lantern_formats::measurements;
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;

#[derive(Args)]
pub struct FitStock {
    /// A wedge as CSV: log exposure, then one density or three; may be given several times, for several developments, each with
    /// a line “# push: STOPS”.
    #[arg(long, required_unless_present_any = ["patches", "print_table"])]
    wedge: Vec<PathBuf>,
    /// Patches of a chart as CSV with a heading: name and stops (if any), R, G, B of the light, then X, Y, Z or L, a, b of the
    /// print; “# light: ENCODING” and “# white: D50” may stand above.
    #[arg(long, conflicts_with = "print_table")]
    patches: Option<PathBuf>,
    /// A table that holds a negative and a print together.
    #[arg(long)]
    print_table: Option<PathBuf>,
    /// The log encoding that the print table takes.
    #[arg(long, default_value = "acescct")]
    from: String,
    /// The display encoding that it gives.
    #[arg(long, default_value = "rec709")]
    to: String,
    /// The stock that it is begun with: the name of one that ships, or a stock's file.
    #[arg(long)]
    start: String,
    /// The stock of the other side that patches or a print table are begun with; a print table tries all that ship where none
    /// is named.
    #[arg(long)]
    other: Option<String>,
    /// The stock of the other side is known: it is held as it is.
    #[arg(long, requires = "other")]
    known: bool,
    /// The stock's file. Where the other side is fitted too, its file lies beside it.
    #[arg(short, long)]
    out: PathBuf,
}

/// A stock of either side.
enum Stock {
    Negative(Box<NegativeStock>),
    Print(Box<PrintStock>),
}

fn named(name: &str) -> Outcome<Stock> {
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
        let mut begun = named(&self.start)?;
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
        if !wedges.is_empty() {
            let fail = |e: wedge::WedgeError| Failure(e.to_string());
            begun = match begun {
                Stock::Negative(s) => {
                    Stock::Negative(Box::new(wedge::negative(&s, &wedges, &go_on).map_err(fail)?))
                }
                Stock::Print(s) => Stock::Print(Box::new(wedge::print(&s, &wedges, &go_on).map_err(fail)?)),
            };
            begun.measured().iter().for_each(|m| say(m));
        }
        if self.patches.is_none() && self.print_table.is_none() {
            return begun.write(&self.out);
        }
        self.film(begun, !wedges.is_empty(), &go_on)
    }

    /// Negative and print together, from patches or a print table.
    fn film(&self, begun: Stock, has_wedge: bool, go_on: &AtomicBool) -> Outcome<()> {
        let other = self.other.as_deref().map(named).transpose()?;
        let first_is_negative = matches!(begun, Stock::Negative(_));
        let (negative, print) = match (begun, other) {
            (Stock::Negative(n), None) => (Some(*n), None),
            (Stock::Print(p), None) => (None, Some(*p)),
            (Stock::Negative(n), Some(Stock::Print(p))) | (Stock::Print(p), Some(Stock::Negative(n))) => {
                (Some(*n), Some(*p))
            }
            (Stock::Negative(_), _) => {
                return Err(Failure("--other has to be a print: --start is a negative".into()));
            }
            (Stock::Print(_), _) => {
                return Err(Failure("--other has to be a negative: --start is a print".into()));
            }
        };
        let known = Known {
            negative_curves: has_wedge && first_is_negative,
            print_curves: has_wedge && !first_is_negative,
            print: self.known && first_is_negative,
            negative: self.known && !first_is_negative,
        };
        let fail = |e: FilmError| Failure(e.to_string());
        let fitted = if let Some(path) = &self.patches {
            let patches = measurements::patches(&files::bytes(path)?)
                .map_err(|e| Failure(format!("{}: {e}", path.display())))?;
            let start = Film::new(negative.unwrap_or_default(), print).map_err(fail)?;
            patches::fit(&start, &patches, known, &unwatched, go_on).map_err(fail)?
        } else {
            let path = self.print_table.as_deref().unwrap_or(Path::new(""));
            let table = files::table(path)?;
            let [from, to] = [files::encoding(&self.from)?, files::encoding(&self.to)?];
            let name = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
            let starts = print_table::starts(negative.as_ref(), print.as_ref()).map_err(fail)?;
            let held = Held { name: &name, table: &table, from: &from, to: &to };
            print_table::fit(&starts, held, known, &unwatched, go_on).map_err(fail)?
        };
        let negative = Some(Stock::Negative(Box::new(fitted.film.negative)));
        let print = fitted.film.print.map(|p| Stock::Print(Box::new(p)));
        let (own, other) = if first_is_negative { (negative, print) } else { (print, negative) };
        own.ok_or_else(|| Failure("nothing was fitted".into()))?.write(&self.out)?;
        if let Some(other) = other.filter(|_| !self.known) {
            let side = if first_is_negative { "print" } else { "negative" };
            let stem = self.out.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
            let beside = self.out.with_file_name(format!("{stem}-{side}.json"));
            other.write(&beside)?;
            println!("the {side} that goes with it: {}", beside.display());
        }
        say_film(&fitted.fit);
        Ok(())
    }
}

impl Stock {
    fn measured(&self) -> Option<&Measured> {
        match self {
            Self::Negative(s) => s.measured.as_ref(),
            Self::Print(s) => s.measured.as_ref(),
        }
    }

    fn write(&self, to: &Path) -> Outcome<()> {
        let json = match self {
            Self::Negative(s) => serde_json::to_string_pretty(s),
            Self::Print(s) => serde_json::to_string_pretty(s),
        };
        files::write(to, json.map_err(|e| Failure(e.to_string()))?.as_bytes())
    }
}

/// How well a film meets patches or a table.
fn say_film(fit: &FilmFit) {
    if !fit.patches.is_empty() {
        let all: Vec<f64> = fit
            .patches
            .iter()
            .zip(&fit.off)
            .map(|(p, off)| ciede2000(p.lab, [0, 1, 2].map(|i| p.lab[i] - off[i])))
            .collect();
        let mean = |of: &[f64]| of.iter().sum::<f64>() / of.len().max(1) as f64;
        let worst = all.iter().copied().fold(0.0, f64::max);
        println!(
            "{} patches, CIEDE2000: mean {:.2}, largest {worst:.1}; from the others alone {:.2}",
            all.len(),
            mean(&all),
            mean(&fit.left_out)
        );
    }
    if let Some(t) = &fit.table {
        println!(
            "{}, CIEDE2000: natural colours {:.2}, largest {:.1}; neutrals {:.2}",
            t.name, t.natural, t.worst, t.neutrals
        );
    }
    let [r, g, b] = fit.points;
    println!("printed at {r:.1} {g:.1} {b:.1} points, screen black {:.0} %", 100.0 * fit.black);
    if fit.tied {
        println!(
            "valid as a pair: nothing here tells the negative from the print; a wedge of one, or a print that is known, would"
        );
    }
    let named = |of: &dyn Fn(&Determined) -> bool| -> String {
        let names: Vec<&str> = fit.parameters.iter().filter(|p| of(p)).map(|p| p.name.as_str()).collect();
        names.join(", ")
    };
    let kept = named(&|p| p.says == Says::Start && !p.at_bound);
    if !kept.is_empty() {
        println!("not in the data, kept from the start: {kept}");
    }
    let bound = named(&|p| p.at_bound);
    if !bound.is_empty() {
        println!("at an end of its range: {bound}");
    }
}

/// How well the stock meets wedges.
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
