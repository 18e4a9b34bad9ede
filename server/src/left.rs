//! Every table that left a production, in handoffs and in packages: what a file that came back is compared with.

use crate::error::{ApiError, ApiResult};
use crate::media::MediaFolder;
use crate::store::{
    Store, handoffs::Handoff, ids::ProductionId, looks::LookRow, packages::PackageRow,
    productions::Production,
};
use diesel::SqliteConnection;
use lantern_handoff::identify::Known;
use lantern_handoff::verify::Reader;
use std::path::Path;

/// The most tables that one is compared with: the newest count.
const MOST_KNOWN: usize = 400;
/// The most bytes of them in memory at once.
const MOST_HELD: usize = 512 << 20;

/// Where the bytes of a table are.
enum Place {
    /// A handoff's file, by its hash.
    Alone(String),
    /// A file of a package: the package's hash, and its path in it with its own hash.
    Packed { package: String, path: String, hash: String },
}

/// A table that left.
struct Left {
    name: String,
    file_name: String,
    place: Place,
    from: String,
    to: String,
    made_at: i64,
}

/// All that left a production, newest first.
fn left(c: &mut SqliteConnection, production: &ProductionId) -> ApiResult<Vec<Left>> {
    let mut all = Vec::new();
    for look in LookRow::of_production(c, production)? {
        for h in Handoff::of_look(c, &look.id)? {
            let Some(kept) = h.table_hash else { continue };
            all.push(Left {
                name: format!("{}, version {}: {}", look.name, h.version, h.file_name),
                file_name: h.file_name,
                place: Place::Alone(kept),
                from: h.from_encoding,
                to: h.to_encoding,
                made_at: h.made_at,
            });
        }
        for p in PackageRow::of_look(c, &look.id)? {
            let (Some(manifest), Some(package)) = (p.manifest(), p.archive_hash) else { continue };
            for file in manifest.files {
                let Some(table) = file.table else { continue };
                all.push(Left {
                    name: format!("{}, version {}: {}, in {}", look.name, p.version, file.path, p.file_name),
                    file_name: file.path.rsplit('/').next().unwrap_or_default().to_owned(),
                    place: Place::Packed { package: package.clone(), path: file.path, hash: file.blake3 },
                    from: table.from,
                    to: table.to,
                    made_at: p.made_at,
                });
            }
        }
    }
    all.sort_by_key(|l| std::cmp::Reverse(l.made_at));
    all.truncate(MOST_KNOWN);
    Ok(all)
}

/// The tables that left a production, as far as their files are whole: one that is lost or broken is none that a file could be.
pub fn known(store: &Store, media: &MediaFolder, id: &ProductionId) -> ApiResult<Vec<Known>> {
    let mut known = Vec::new();
    gather(store, media, id, "", &mut known)?;
    Ok(known)
}

/// Adds a production's tables, each called `before` and its own name, up to [`MOST_KNOWN`] and [`MOST_HELD`] in all.
fn gather(
    store: &Store,
    media: &MediaFolder,
    id: &ProductionId,
    before: &str,
    known: &mut Vec<Known>,
) -> ApiResult<()> {
    let (production, rows) = store.with(|c| Ok((Production::find(c, id)?, left(c, id)?)))?;
    let mut held: usize = known.iter().map(|k| k.table.weight()).sum();
    let mut open: Option<(String, Reader)> = None;
    for l in rows {
        let read = match &l.place {
            Place::Alone(hash) => media.read(hash).ok(),
            Place::Packed { package, path, .. } => {
                // Tables of a package follow one another.
                if open.as_ref().is_none_or(|(which, _)| which != package) {
                    let reader = media.path(package).ok().and_then(|zip| Reader::open(&zip).ok());
                    open = reader.map(|r| (package.clone(), r));
                }
                open.as_mut().and_then(|(_, reader)| reader.file(path).ok())
            }
        };
        let read = read.and_then(|bytes| lantern_formats::registry::read_table(&bytes, &l.file_name).ok());
        let Some(table) = read else { continue };
        held += table.weight();
        if held > MOST_HELD || known.len() >= MOST_KNOWN {
            break;
        }
        let encoding = |id: &str| store.with(|c| production.encoding(c, id)).ok();
        let (Place::Alone(hash) | Place::Packed { hash, .. }) = l.place;
        let name = format!("{before}{}", l.name);
        known.push(Known { name, hash, table, from: encoding(&l.from), to: encoding(&l.to) });
    }
    Ok(())
}

/// The tables that left the productions of a data folder, or one of them by its name. The folder is only read, also while a
/// server works with it. Errors where it has no database of this program, and where no production has that name.
pub fn of_folder(folder: &Path, production: Option<&str>) -> ApiResult<Vec<Known>> {
    let store = Store::open_to_read(&folder.join(crate::DATABASE))?;
    let media = MediaFolder::to_read(&folder.join(crate::MEDIA));
    let all = store.with(|c| Production::all(c))?;
    let wanted: Vec<&Production> =
        all.iter().filter(|p| production.is_none_or(|name| p.name == name)).collect();
    if let (Some(name), true) = (production, wanted.is_empty()) {
        let names: Vec<String> = all.iter().map(|p| format!("“{}”", p.name)).collect();
        return Err(ApiError::Invalid(format!(
            "there is no production “{name}” in {}; there are {}",
            folder.display(),
            if names.is_empty() { "none".into() } else { names.join(", ") }
        )));
    }
    let several = wanted.len() > 1;
    let mut known = Vec::new();
    for p in wanted {
        let before = if several { format!("{}: ", p.name) } else { String::new() };
        gather(&store, &media, &p.id, &before, &mut known)?;
    }
    Ok(known)
}
