//! A whole production as one document: what a production file holds, and what a copy is made from. Files are named by
//! their hashes only.

use super::boards::BoardTable;
use super::handoffs::{Handoff, word};
use super::ids::{BoardTableId, HandoffId, PackageId, ProductionId, ProfileId, SceneId, ShotId};
use super::looks::{LookRow, Version};
use super::packages::PackageRow;
use super::plans::PlanRow;
use super::productions::{Media, MediaKind, PROFILE, Production};
use super::profiles::{Profile, ProfileBody};
use super::scenes::Scene;
use super::shots::{Frame, Shot, ShotPatch};
use crate::error::{ApiError, ApiResult};
use diesel::SqliteConnection;
use lantern_core::look::{Look, Path};
use lantern_core::step::TableEncoding;
use lantern_handoff::plan::Plan;
use lantern_handoff::table_file::{Format, Range};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// The version that this code writes.
pub const VERSION: u32 = 4;

/// A production.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Manifest {
    /// Version of this document's form.
    pub version: u32,
    /// The production's name.
    pub name: String,
    /// The id, in this document, of the profile of its usual camera; empty where it has none.
    pub camera: String,
    /// Its camera profiles.
    pub profiles: Vec<ManifestProfile>,
    /// Its scenes in order.
    pub scenes: Vec<ManifestScene>,
    /// Its looks.
    pub looks: Vec<ManifestLook>,
    /// Its delivery plans; since version 4. Profiles go by their ids in this document.
    #[serde(default)]
    pub plans: Vec<Plan>,
}

/// A camera profile.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestProfile {
    /// Its id in this document.
    pub id: String,
    /// What it says.
    pub body: ProfileBody,
    /// The hash of its technical table.
    pub table: Option<String>,
}

/// A scene.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestScene {
    /// Its name.
    pub name: String,
    /// Whether it holds finished stills.
    pub finished: bool,
    /// Its shots in order.
    pub shots: Vec<ManifestShot>,
    /// The tables that stand beside finished stills; since version 2.
    #[serde(default)]
    pub tables: Vec<ManifestBoardTable>,
}

/// A table on a board.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestBoardTable {
    /// Its name.
    pub name: String,
    /// What somebody notes of it.
    pub note: String,
    /// Words that it is found by.
    pub tags: String,
    /// The hash of its contents.
    pub table: String,
    /// The encoding that it expects.
    pub from: TableEncoding,
    /// The encoding that it gives.
    pub to: TableEncoding,
}

/// A shot.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestShot {
    /// Its name.
    pub name: String,
    /// Its encoding's id; `profile:` is followed by an id of this document.
    pub encoding: String,
    /// Why it has its encoding.
    pub encoding_reason: String,
    /// Frames a second.
    pub rate: f64,
    /// The frame shown for it.
    pub poster: i32,
    /// The first frame that counts.
    pub in_frame: i32,
    /// The last frame that counts.
    pub out_frame: Option<i32>,
    /// How many frames were announced.
    pub expected: i32,
    /// The path that balances it.
    pub trim: Path,
    /// Its frames.
    pub frames: Vec<ManifestFrame>,
    /// What somebody notes of it; since version 2.
    #[serde(default)]
    pub note: String,
    /// Words that it is found by; since version 2.
    #[serde(default)]
    pub tags: String,
    /// Its contrast frame, by the places of its scene and of itself there; since version 2.
    #[serde(default)]
    pub contrast: Option<[usize; 2]>,
    /// The encoding that is proposed for it; empty where none is.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub proposed: String,
}

/// A frame.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestFrame {
    /// Its number.
    pub number: i32,
    /// Its file's name.
    pub name: String,
    /// The hash of its file.
    pub media: String,
    /// Pixels in a row.
    pub width: i32,
    /// Rows.
    pub height: i32,
    /// The file's length.
    pub bytes: i64,
    /// Values that were no finite numbers.
    pub healed: i64,
}

/// A look with its versions.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestLook {
    /// The document as it stands.
    pub document: serde_json::Value,
    /// Its numbered versions.
    pub versions: Vec<ManifestVersion>,
    /// Its finished handoffs.
    pub handoffs: Vec<ManifestHandoff>,
    /// Its finished packages; since version 4.
    #[serde(default)]
    pub packages: Vec<ManifestPackage>,
}

/// A version of a look.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestVersion {
    /// Its number.
    pub number: i32,
    /// What the designer calls it.
    pub name: String,
    /// The document.
    pub document: serde_json::Value,
    /// Seconds since 1970.
    pub saved_at: i64,
}

/// A finished handoff.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestHandoff {
    /// The version's number.
    pub version: i32,
    /// Encoding that the table expects.
    pub from: String,
    /// Encoding that it gives.
    pub to: String,
    /// Points on a side.
    pub size: i32,
    /// The fidelity report.
    pub report: serde_json::Value,
    /// The hash of the table's file.
    pub table: String,
    /// The name that it is downloaded under.
    pub file_name: String,
    /// Seconds since 1970.
    pub made_at: i64,
    /// Its format; version 2 knew one.
    #[serde(default)]
    pub format: Format,
    /// The range of its code values.
    #[serde(default)]
    pub range: Range,
    /// What its receiver has to know, in lines.
    #[serde(default)]
    pub says: String,
}

/// A finished package.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestPackage {
    /// The version's number.
    pub version: i32,
    /// The plan as it was.
    pub plan: Plan,
    /// The package's own manifest.
    pub manifest: lantern_handoff::manifest::Manifest,
    /// The hash of its archive.
    pub archive: String,
    /// The name that it is downloaded under.
    pub file_name: String,
    /// Seconds since 1970.
    pub made_at: i64,
}

fn json<T: serde::de::DeserializeOwned>(text: &str) -> ApiResult<T> {
    serde_json::from_str(text).map_err(ApiError::internal)
}

/// The hashes of the tables that the steps of a look document use.
fn tables_in(document: &serde_json::Value) -> impl Iterator<Item = &str> {
    let steps = document["path"]["steps"].as_array().into_iter().flatten();
    let tables = steps.filter(|s| s["kind"] == "table").filter_map(|s| s["values"]["tables"].as_array());
    tables.flatten().filter_map(|t| t["table"].as_str())
}

pub(super) fn wrong(why: impl std::fmt::Display) -> ApiError {
    ApiError::Invalid(format!("this production file cannot be used: {why}"))
}

impl Manifest {
    /// Everything of a production.
    pub fn of(c: &mut SqliteConnection, production: &Production) -> ApiResult<Self> {
        let profiles = Profile::of_production(c, &production.id)?
            .into_iter()
            .map(|p| Ok(ManifestProfile { body: p.body()?, id: p.id.to_string(), table: p.table_hash }))
            .collect::<ApiResult<_>>()?;
        let mut scenes = Vec::new();
        let all = production.scenes(c)?;
        let places: HashMap<ShotId, [usize; 2]> = (0..)
            .zip(&all)
            .flat_map(|(i, (_, shots))| (0..).zip(shots).map(move |(j, s)| (s.id.clone(), [i, j])))
            .collect();
        for (scene, shots) in all {
            let shots = shots
                .into_iter()
                .map(|s| {
                    let contrast = s.contrast.as_ref().and_then(|id| places.get(id).copied());
                    Ok(ManifestShot { contrast, ..ManifestShot::of(c, s)? })
                })
                .collect::<ApiResult<_>>()?;
            let tables = BoardTable::of_scene(c, &scene.id)?;
            let tables = tables.into_iter().map(ManifestBoardTable::of).collect::<ApiResult<_>>()?;
            scenes.push(ManifestScene { name: scene.name, finished: scene.finished, shots, tables });
        }
        let looks = LookRow::of_production(c, &production.id)?
            .into_iter()
            .map(|l| ManifestLook::of(c, &l))
            .collect::<ApiResult<_>>()?;
        let plans = PlanRow::of_production(c, &production.id)?;
        let plans = plans.iter().map(PlanRow::plan).collect::<ApiResult<_>>()?;
        let (name, camera) = (production.name.clone(), production.camera.clone());
        Ok(Self { version: VERSION, name, camera, profiles, scenes, looks, plans })
    }

    /// Reads and checks a document.
    pub fn from_json(text: &[u8]) -> ApiResult<Self> {
        /// What is read of a document of any version.
        #[derive(Deserialize)]
        struct Any {
            version: Option<u64>,
        }
        match serde_json::from_slice::<Any>(text).map_err(wrong)?.version {
            None => return Err(wrong("it says no version")),
            Some(v) if v > u64::from(VERSION) => {
                return Err(wrong(format!("it has version {v}; open it with a newer program")));
            }
            Some(_) => {}
        }
        let manifest: Self = serde_json::from_slice(text).map_err(wrong)?;
        manifest.check()?;
        Ok(manifest)
    }

    /// The hashes of every file that it names.
    pub fn files(&self) -> BTreeSet<&str> {
        let frames = self.scenes.iter().flat_map(|s| &s.shots).flat_map(|s| &s.frames);
        let tables = self.profiles.iter().filter_map(|p| p.table.as_deref());
        let handoffs = self.looks.iter().flat_map(|l| &l.handoffs).map(|h| h.table.as_str());
        let own = frames.map(|f| f.media.as_str()).chain(tables).chain(handoffs).chain(self.board_tables());
        own.chain(self.step_tables()).chain(self.archives()).collect()
    }

    /// The hashes of its frames.
    pub fn pictures(&self) -> BTreeSet<String> {
        let frames = self.scenes.iter().flat_map(|s| &s.shots).flat_map(|s| &s.frames);
        frames.map(|f| f.media.clone()).collect()
    }

    /// The hashes of its packages.
    fn archives(&self) -> impl Iterator<Item = &str> {
        self.looks.iter().flat_map(|l| &l.packages).map(|p| p.archive.as_str())
    }

    /// The hashes of the tables on its boards.
    fn board_tables(&self) -> impl Iterator<Item = &str> {
        self.scenes.iter().flat_map(|s| &s.tables).map(|t| t.table.as_str())
    }

    /// The hashes of the tables that steps of its looks, versions and trims use.
    fn step_tables(&self) -> impl Iterator<Item = &str> {
        let versions = self.looks.iter().flat_map(|l| &l.versions).map(|v| &v.document);
        let documents = self.looks.iter().map(|l| &l.document).chain(versions);
        let trims = self.scenes.iter().flat_map(|s| &s.shots).flat_map(|s| s.trim.tables());
        documents.flat_map(tables_in).chain(trims)
    }

    /// Saves it as a new production under a name and gives that. `sizes` are the lengths of its files, which lie in
    /// the media folder already.
    pub fn put(
        &self,
        c: &mut SqliteConnection,
        name: &str,
        sizes: &BTreeMap<String, u64>,
    ) -> ApiResult<Production> {
        c.immediate_transaction(|c| {
            for hash in self.files() {
                let length = sizes.get(hash).copied().unwrap_or(0);
                let table = self.profiles.iter().any(|p| p.table.as_deref() == Some(hash))
                    || self.looks.iter().flat_map(|l| &l.handoffs).any(|h| h.table == hash)
                    || self.board_tables().any(|h| h == hash)
                    || self.step_tables().any(|h| h == hash);
                let package = self.archives().any(|h| h == hash);
                let other = if package { MediaKind::Package } else { MediaKind::Picture };
                let kind = if table { MediaKind::Table } else { other };
                Media::of(kind, hash.into(), length).insert(c)?;
            }
            let ids: HashMap<&str, ProfileId> =
                self.profiles.iter().map(|p| (p.id.as_str(), ProfileId::fresh())).collect();
            let fresh = |old: &str| ids.get(old).map(|id| id.as_str().to_owned()).unwrap_or_default();
            let production =
                Production { id: ProductionId::fresh(), name: name.into(), camera: fresh(&self.camera) };
            production.insert(c)?;
            for p in &self.profiles {
                let body = serde_json::to_string(&p.body).map_err(ApiError::internal)?;
                Profile {
                    id: fresh(&p.id).as_str().into(),
                    production_id: production.id.clone(),
                    name: p.body.name().into(),
                    body,
                    table_hash: p.table.clone(),
                    revision: 1,
                }
                .insert(c)?;
            }
            let mut put: Vec<Vec<ShotId>> = Vec::new();
            for (position, s) in (0..).zip(&self.scenes) {
                let (id, production_id) = (SceneId::fresh(), production.id.clone());
                let scene = Scene { id, production_id, position, name: s.name.clone(), finished: s.finished };
                scene.insert(c)?;
                for (position, table) in (0..).zip(&s.tables) {
                    table.put(c, &scene.id, position)?;
                }
                let shots = s.shots.iter().map(|shot| shot.put(c, &scene.id, sizes, &fresh));
                put.push(shots.collect::<ApiResult<Vec<_>>>()?);
            }
            for (scene, ids) in self.scenes.iter().zip(&put) {
                for (shot, id) in scene.shots.iter().zip(ids) {
                    let still = shot.contrast.and_then(|[i, j]| put.get(i)?.get(j)).cloned();
                    if still.is_some() {
                        Shot::patch(c, id, &ShotPatch { contrast: Some(still), ..Default::default() })?;
                    }
                }
            }
            for look in &self.looks {
                look.put(c, &production.id, &fresh)?;
            }
            for plan in &self.plans {
                PlanRow::create(c, &production.id, &renamed_in(plan, &fresh))?;
            }
            Ok(production)
        })
    }
}

/// An encoding's id in the new production: profiles have new ids there.
fn renamed(encoding: &str, fresh: &dyn Fn(&str) -> String) -> String {
    match encoding.strip_prefix(PROFILE) {
        Some(old) => format!("{PROFILE}{}", fresh(old)),
        None => encoding.into(),
    }
}

/// The same of every encoding of a plan.
fn renamed_in(plan: &Plan, fresh: &dyn Fn(&str) -> String) -> Plan {
    let mut plan = plan.clone();
    plan.encodings_mut().for_each(|id| *id = renamed(id, fresh));
    plan
}

impl ManifestShot {
    fn of(c: &mut SqliteConnection, s: Shot) -> ApiResult<Self> {
        let frames = Frame::of_shot(c, &s.id)?.into_iter().map(|f| ManifestFrame {
            number: f.number,
            name: f.name,
            media: f.media_hash,
            width: f.width,
            height: f.height,
            bytes: f.bytes,
            healed: f.healed,
        });
        Ok(Self {
            frames: frames.collect(),
            trim: s.trim()?,
            contrast: None,
            proposed: s.proposed,
            note: s.note,
            tags: s.tags,
            name: s.name,
            encoding: s.encoding,
            encoding_reason: s.encoding_reason,
            rate: s.rate,
            poster: s.poster,
            in_frame: s.in_frame,
            out_frame: s.out_frame,
            expected: s.expected,
        })
    }

    fn put(
        &self,
        c: &mut SqliteConnection,
        scene: &SceneId,
        sizes: &BTreeMap<String, u64>,
        fresh: &dyn Fn(&str) -> String,
    ) -> ApiResult<ShotId> {
        let encoding = renamed(&self.encoding, fresh);
        let shot = Shot {
            encoding,
            encoding_reason: self.encoding_reason.clone(),
            proposed: self.proposed.clone(),
            rate: self.rate,
            poster: self.poster,
            in_frame: self.in_frame,
            out_frame: self.out_frame,
            expected: self.expected,
            trim: serde_json::to_string(&self.trim).map_err(ApiError::internal)?,
            note: self.note.clone(),
            tags: self.tags.clone(),
            ..Shot::new(c, scene, &self.name)?
        };
        shot.insert(c)?;
        for f in &self.frames {
            Frame {
                shot_id: shot.id.clone(),
                number: f.number,
                name: f.name.clone(),
                media_hash: f.media.clone(),
                width: f.width,
                height: f.height,
                // What a file's length is, the file knows best.
                bytes: sizes.get(&f.media).map_or(f.bytes, |n| *n as i64),
                healed: f.healed,
            }
            .put(c)?;
        }
        Ok(shot.id)
    }
}

impl ManifestBoardTable {
    fn of(row: BoardTable) -> ApiResult<Self> {
        Ok(Self {
            from: json(&row.from_encoding)?,
            to: json(&row.to_encoding)?,
            name: row.name,
            note: row.note,
            tags: row.tags,
            table: row.table_hash,
        })
    }

    fn put(&self, c: &mut SqliteConnection, scene: &SceneId, position: i32) -> ApiResult<()> {
        let text = |e: &TableEncoding| serde_json::to_string(e).map_err(ApiError::internal);
        BoardTable {
            id: BoardTableId::fresh(),
            scene_id: scene.clone(),
            position,
            name: self.name.clone(),
            note: self.note.clone(),
            tags: self.tags.clone(),
            table_hash: self.table.clone(),
            from_encoding: text(&self.from)?,
            to_encoding: text(&self.to)?,
        }
        .insert(c)
    }
}

impl ManifestLook {
    fn of(c: &mut SqliteConnection, l: &LookRow) -> ApiResult<Self> {
        let versions = Version::of_look(c, &l.id)?
            .into_iter()
            .map(|v| {
                let document = json(&v.document)?;
                Ok(ManifestVersion { number: v.number, name: v.name, document, saved_at: v.saved_at })
            })
            .collect::<ApiResult<_>>()?;
        let handoffs = Handoff::of_look(c, &l.id)?
            .into_iter()
            .filter_map(|h| h.table_hash.clone().map(|table| (h, table)))
            .map(|(h, table)| {
                Ok(ManifestHandoff {
                    version: h.version,
                    from: h.from_encoding,
                    to: h.to_encoding,
                    size: h.size,
                    report: json(&h.report)?,
                    table,
                    file_name: h.file_name,
                    made_at: h.made_at,
                    format: word(&h.format),
                    range: word(&h.code_range),
                    says: h.says,
                })
            })
            .collect::<ApiResult<_>>()?;
        let done = PackageRow::of_look(c, &l.id)?.into_iter();
        let packages = done
            .filter_map(|p| p.archive_hash.clone().map(|archive| (p, archive)))
            .map(|(p, archive)| {
                let (plan, manifest) = (json(&p.plan)?, json(&p.manifest)?);
                let PackageRow { version, file_name, made_at, .. } = p;
                Ok(ManifestPackage { version, plan, manifest, archive, file_name, made_at })
            })
            .collect::<ApiResult<_>>()?;
        Ok(Self { document: json(&l.document)?, versions, handoffs, packages })
    }

    fn put(
        &self,
        c: &mut SqliteConnection,
        production: &ProductionId,
        fresh: &dyn Fn(&str) -> String,
    ) -> ApiResult<()> {
        let row = LookRow::create(c, production, &Look::from_json(&self.document.to_string())?)?;
        for v in &self.versions {
            Version {
                look_id: row.id.clone(),
                number: v.number,
                name: v.name.clone(),
                document: Look::from_json(&v.document.to_string())?.to_json(),
                saved_at: v.saved_at,
            }
            .insert(c)?;
        }
        for h in &self.handoffs {
            Handoff {
                id: HandoffId::fresh(),
                look_id: row.id.clone(),
                version: h.version,
                from_encoding: renamed(&h.from, fresh),
                to_encoding: renamed(&h.to, fresh),
                size: h.size,
                state: "done".into(),
                failure: String::new(),
                report: h.report.to_string(),
                table_hash: Some(h.table.clone()),
                file_name: h.file_name.clone(),
                made_at: h.made_at,
                format: h.format.id().into(),
                code_range: h.range.id().into(),
                says: h.says.clone(),
            }
            .insert(c)?;
        }
        let text = |value: serde_json::Result<String>| value.map_err(ApiError::internal);
        for p in &self.packages {
            PackageRow {
                id: PackageId::fresh(),
                look_id: row.id.clone(),
                version: p.version,
                plan: text(serde_json::to_string(&renamed_in(&p.plan, fresh)))?,
                state: "done".into(),
                failure: String::new(),
                manifest: text(serde_json::to_string(&p.manifest))?,
                archive_hash: Some(p.archive.clone()),
                file_name: p.file_name.clone(),
                made_at: p.made_at,
            }
            .insert(c)?;
        }
        Ok(())
    }
}
