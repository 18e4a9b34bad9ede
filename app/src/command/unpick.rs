//! unpick: a table taken apart.

use crate::files::{self, Failure, Outcome};
use clap::{Args, ValueEnum};
use lantern_core::matching::unpick::{Distance, Unpick, unpick};
use std::path::PathBuf;
use std::sync::atomic::AtomicBool;

#[derive(Args)]
pub struct UnpickTable {
    /// The table's file, of any format that is read.
    table: PathBuf,
    /// The encoding that it expects: an id, or a camera profile file.
    #[arg(long)]
    from: String,
    /// The encoding that it gives.
    #[arg(long)]
    to: String,
    /// Whether what the steps leave of the table is kept beneath them.
    #[arg(long, value_enum, default_value_t = Remainder::Exact)]
    remainder: Remainder,
    /// The look's file.
    #[arg(short, long)]
    out: PathBuf,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Remainder {
    /// Kept: with it the look is the table.
    Exact,
    /// Not kept: steps alone.
    None,
}

impl UnpickTable {
    pub fn run(&self) -> Outcome<()> {
        let table = files::table(&self.table)?;
        let way = [files::table_encoding(&self.from)?, files::table_encoding(&self.to)?];
        let name = self.table.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        let asked =
            Unpick { table: &table, name: &name, way: &way, remainder: self.remainder == Remainder::Exact };
        let fail = |e: &dyn std::fmt::Display| Failure(format!("{}: {e}", self.table.display()));
        let found = unpick(&asked, &|_| {}, &AtomicBool::new(false)).map_err(|e| fail(&e))?;
        let found = found.ok_or_else(|| fail(&"it was stopped"))?;
        files::write(&self.out, found.look.to_json().as_bytes())?;
        let Distance { mean, p95, max, neutrals, natural } = found.distance;
        println!(
            "steps alone, CIEDE2000 from the table: mean {mean:.2}, 95th percentile {p95:.2}, largest {max:.1}"
        );
        println!("greys {neutrals:.2}, colours of surfaces {natural:.2}");
        if asked.remainder {
            if table.parts().is_some() {
                println!("with the remainder the look is the table");
            } else {
                println!(
                    "with the remainder the look is the table at 65 points on a side: it is made of {}",
                    table.summary()
                );
            }
        }
        Ok(())
    }
}
