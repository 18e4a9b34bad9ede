//! The tables that looks use: kept as text by hash, read once, put in place in paths.
//!
//! A look in the database names its tables by hash. Where a look leaves as a file its tables go inside; where a file
//! comes in they are taken out of it.

use super::MediaFolder;
use crate::error::{ApiError, ApiResult};
use lantern_core::look::{Look, Path};
use lantern_core::step::Values;
use lantern_core::table::{KeptTable, Table};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, PoisonError};

/// Tables that were read, by hash.
#[derive(Clone, Debug, Default)]
pub struct TableCache(Arc<Mutex<HashMap<String, Arc<Table>>>>);

/// The most tables that stay in memory: a 65-point table takes 4.4 MB.
const MOST_KEPT: usize = 64;

impl MediaFolder {
    /// Keeps a table and gives the hash of its text, with the text's length.
    pub fn keep_table(&self, table: &Table) -> ApiResult<(String, u64)> {
        let text = serde_json::to_vec(&KeptTable::of(table)).map_err(ApiError::internal)?;
        Ok((self.keep(&text)?, text.len() as u64))
    }

    /// The table of a hash. `None` where it is not here or is none.
    pub fn table(&self, hash: &str) -> Option<Arc<Table>> {
        let lock = || self.tables.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = lock().get(hash) {
            return Some(found.clone());
        }
        let kept: KeptTable = serde_json::from_slice(&self.read(hash).ok()?).ok()?;
        let table = Arc::new(kept.table().ok()?);
        let mut all = lock();
        if all.len() >= MOST_KEPT {
            all.clear();
        }
        all.insert(hash.into(), table.clone());
        Some(table)
    }

    /// Puts the tables of a path in place.
    pub fn attach(&self, path: &mut Path) {
        path.attach(&mut |hash| self.table(hash));
    }

    /// Refuses a path with tables that are not here.
    pub fn check_tables(&self, path: &Path) -> ApiResult<()> {
        match path.tables().find(|hash| self.table(hash).is_none()) {
            None => Ok(()),
            Some(hash) => Err(ApiError::Invalid(format!(
                "the table {} is not here: bring in the look file that holds it, or the table itself",
                hash.get(..12).unwrap_or(hash)
            ))),
        }
    }

    /// A look from outside, without the tables inside it, which are kept here; its steps name them by their hashes.
    /// Also the hashes and lengths of the tables.
    pub fn take_tables(&self, mut look: Look) -> ApiResult<(Look, Vec<(String, u64)>)> {
        let mut hashes = BTreeMap::new();
        let mut taken = Vec::new();
        for (name, kept) in std::mem::take(&mut look.tables) {
            let table =
                kept.table().map_err(|e| ApiError::Invalid(format!("a table inside this look file: {e}")))?;
            let (hash, length) = self.keep_table(&table)?;
            hashes.insert(name, hash.clone());
            taken.push((hash, length));
        }
        for step in &mut look.path.steps {
            let Values::Table(v) = &mut step.values else { continue };
            for t in &mut v.tables {
                if let Some(hash) = hashes.get(&t.table) {
                    t.table.clone_from(hash);
                }
            }
        }
        self.check_tables(&look.path)?;
        Ok((look, taken))
    }

    /// A look with the tables that its steps use inside.
    pub fn with_tables(&self, mut look: Look) -> ApiResult<Look> {
        self.check_tables(&look.path)?;
        let hashes: Vec<String> = look.path.tables().map(str::to_owned).collect();
        for hash in hashes {
            if let Some(table) = self.table(&hash) {
                look.tables.insert(hash, KeptTable::of(&table));
            }
        }
        Ok(look)
    }
}
