//! Productions with their scenes and shots; copied, and carried elsewhere as one file.

use super::boards::BoardTableDetail;
use super::json::Body;
use super::profiles::ProfileDetail;
use super::scenes::clean;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::Jobs;
use crate::media::bundle;
use crate::preview::Studio;
use crate::store::Store;
use crate::store::boards::BoardTable;
use crate::store::ids::{ProductionId, SceneId, ShotId};
use crate::store::looks::LookRow;
use crate::store::manifest::Manifest;
use crate::store::productions::Production;
use crate::store::profiles::Profile;
use crate::store::schema::frames;
use crate::store::shots::{COMING, Frame, Shot};
use crate::{Data, Demo};
use actix_web::{HttpRequest, HttpResponse, web};
use diesel::dsl::{count_star, max, min};
use diesel::prelude::*;
use lantern_core::look::Look;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A production in the list.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProductionLine {
    /// Its id.
    pub id: ProductionId,
    /// Its name.
    pub name: String,
}

/// A production with everything in order.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProductionDetail {
    /// Its id.
    pub id: ProductionId,
    /// Its name.
    pub name: String,
    /// Its camera profiles.
    pub profiles: Vec<ProfileDetail>,
    /// Its scenes in order.
    pub scenes: Vec<SceneDetail>,
}

/// A scene with its shots.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SceneDetail {
    /// Its id.
    pub id: SceneId,
    /// Its name.
    pub name: String,
    /// Whether it holds finished stills, which wear no look.
    pub finished: bool,
    /// Its shots in order.
    pub shots: Vec<ShotDetail>,
    /// The tables that stand beside finished stills.
    pub tables: Vec<BoardTableDetail>,
}

/// A shot.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ShotDetail {
    /// Its id.
    pub id: ShotId,
    /// Its name.
    pub name: String,
    /// Its encoding's id; empty where nobody has said it yet.
    pub encoding: String,
    /// Why it has its encoding, or why none is known.
    pub encoding_reason: String,
    /// The encoding that nearly all files have that say as little, where none is known: to be confirmed. Else empty.
    pub proposed: String,
    /// Pixels in a row of its first frame.
    pub width: i32,
    /// Rows of its first frame.
    pub height: i32,
    /// Frames that are here.
    pub frames: i32,
    /// Frames that were announced; fewer may be here.
    pub expected: i32,
    /// Number of the first frame, as its file says.
    pub first_number: i32,
    /// Frames a second.
    pub rate: f64,
    /// The frame shown for it, by its place in the order.
    pub poster: i32,
    /// The first frame that counts.
    pub in_frame: i32,
    /// The last frame that counts.
    pub out_frame: i32,
    /// How many steps balance it.
    pub trim_steps: i32,
    /// Rises with every change of its trim.
    pub trim_revision: i32,
    /// Rises with every change of anything else.
    pub revision: i32,
    /// The share of its frames that are here, while they come in.
    pub arriving: Option<f64>,
    /// What is wrong with it, in words.
    pub warnings: Vec<String>,
    /// What somebody notes of it.
    pub note: String,
    /// Words that it is found by.
    pub tags: String,
    /// The still that shows the same set-up in the camera's plain display profile.
    pub contrast: Option<ShotId>,
}

/// What is known of a shot's frames together.
#[derive(Clone, Debug, Default)]
struct Span {
    count: i32,
    numbers: [i32; 2],
    widths: [i32; 2],
    heights: [i32; 2],
    healed: i32,
}

impl Span {
    fn of(c: &mut SqliteConnection, shot: &ShotId) -> ApiResult<Self> {
        type Row = (i64, Option<i32>, Option<i32>, Option<i32>, Option<i32>, Option<i32>, Option<i32>);
        let own = frames::table.filter(frames::shot_id.eq(shot));
        let row: Row = own
            .select((
                count_star(),
                min(frames::number),
                max(frames::number),
                min(frames::width),
                max(frames::width),
                min(frames::height),
                max(frames::height),
            ))
            .first(c)?;
        let healed: i64 = own.filter(frames::healed.gt(0)).select(count_star()).first(c)?;
        let pair = |a: Option<i32>, b: Option<i32>| [a.unwrap_or(0), b.unwrap_or(0)];
        Ok(Self {
            count: row.0 as i32,
            numbers: pair(row.1, row.2),
            widths: pair(row.3, row.4),
            heights: pair(row.5, row.6),
            healed: healed as i32,
        })
    }

    /// What is wrong, in words.
    fn warnings(&self, shot: &Shot, arriving: bool) -> Vec<String> {
        let mut all = Vec::new();
        if !arriving && !shot.arrival.is_empty() && shot.arrival != COMING {
            all.push(shot.arrival.clone());
        }
        if shot.encoding.is_empty() && !arriving {
            all.push("Encoding unknown. Set it to see the picture.".into());
        }
        let [first, last] = self.numbers;
        let gaps = last - first + 1 - self.count;
        if self.count == 0 && !arriving {
            all.push("no frame of it came in".into());
        } else if self.count < shot.expected && !arriving {
            all.push(format!(
                "It broke off after {} of {} frames. Bring it in again to go on.",
                self.count, shot.expected
            ));
        } else if gaps > 0 && !arriving {
            all.push(format!("{gaps} frames are missing between {first} and {last}"));
        }
        let [[w0, w1], [h0, h1]] = [self.widths, self.heights];
        if w0 != w1 || h0 != h1 {
            all.push(format!("its frames differ in size: {w0} × {h0} to {w1} × {h1}"));
        }
        if self.healed > 0 {
            let what =
                if self.count == 1 { "it holds".into() } else { format!("{} frames hold", self.healed) };
            all.push(format!(
                "{what} values that are no numbers (shown as black or as the highest half float)"
            ));
        }
        all
    }
}

impl ShotDetail {
    /// What people see of a shot. `arriving` is the share that is here while a job brings its frames in.
    pub fn of(c: &mut SqliteConnection, s: Shot, arriving: Option<f64>) -> ApiResult<Self> {
        let span = Span::of(c, &s.id)?;
        let end = span.count.max(1) - 1;
        let unknown = s.encoding.is_empty();
        Ok(Self {
            warnings: span.warnings(&s, arriving.is_some()),
            trim_steps: s.trim()?.steps.len() as i32,
            id: s.id,
            name: s.name,
            encoding: s.encoding,
            encoding_reason: s.encoding_reason,
            proposed: if unknown { s.proposed } else { String::new() },
            width: span.widths[0],
            height: span.heights[0],
            frames: span.count,
            expected: s.expected,
            first_number: span.numbers[0],
            rate: s.rate,
            poster: s.poster.min(end),
            in_frame: s.in_frame.min(end),
            out_frame: s.out_frame.unwrap_or(end).min(end),
            trim_revision: s.trim_revision,
            revision: s.revision,
            arriving,
            note: s.note,
            tags: s.tags,
            contrast: s.contrast,
        })
    }
}

/// All productions.
pub async fn list(store: web::Data<Store>) -> ApiResult<web::Json<Vec<ProductionLine>>> {
    let rows = store.run(|c| Production::all(c)).await?;
    Ok(web::Json(rows.into_iter().map(|p| ProductionLine { id: p.id, name: p.name }).collect()))
}

/// One production.
pub async fn show(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    id: web::Path<ProductionId>,
) -> ApiResult<web::Json<ProductionDetail>> {
    let detail = store.run(move |c| {
        // One reading of everything, also while frames come in.
        c.transaction(|c| {
            let production = Production::find(c, &id)?;
            let profiles = Profile::of_production(c, &production.id)?
                .into_iter()
                .map(|p| ProfileDetail::of(p, &production))
                .collect::<ApiResult<_>>()?;
            let mut scenes = Vec::new();
            for (scene, shots) in production.scenes(c)? {
                let shots = shots
                    .into_iter()
                    .map(|s| {
                        let job = jobs.going(s.id.as_str()).map(|j| j.share());
                        let arriving = if job.is_none() && studio.coming.is(s.id.as_str()) {
                            let here = Frame::count(c, &s.id)? as f64 / f64::from(s.expected.max(1));
                            (here < 1.0).then_some(here)
                        } else {
                            job
                        };
                        ShotDetail::of(c, s, arriving)
                    })
                    .collect::<ApiResult<_>>()?;
                let tables = BoardTable::of_scene(c, &scene.id)?;
                let tables = tables.into_iter().map(BoardTableDetail::of).collect::<ApiResult<_>>()?;
                let (id, name, finished) = (scene.id, scene.name, scene.finished);
                scenes.push(SceneDetail { id, name, finished, shots, tables });
            }
            Ok(ProductionDetail { id: production.id, name: production.name, profiles, scenes })
        })
    });
    Ok(web::Json(detail.await?))
}

/// A production's name.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct NameProduction {
    /// What people call it.
    pub name: String,
}

fn line(p: Production) -> web::Json<ProductionLine> {
    web::Json(ProductionLine { id: p.id, name: p.name })
}

/// What the first look of a new production is called.
const FIRST_LOOK: &str = "First look";

/// Makes a production with one look and no scene.
pub async fn create(
    store: web::Data<Store>,
    body: Body<NameProduction>,
) -> ApiResult<web::Json<ProductionLine>> {
    let name = clean(&body.name)?;
    let made = store.run_change(move |c| {
        let production = Production { id: ProductionId::fresh(), name, camera: String::new() };
        production.insert(c)?;
        LookRow::create(c, &production.id, &Look::new(FIRST_LOOK))?;
        Ok(production)
    });
    Ok(line(made.await?))
}

/// Puts the demo production in, where there is none yet. Gives it.
pub async fn demo(demo: Option<web::Data<(Demo, Data)>>) -> ApiResult<web::Json<ProductionLine>> {
    let demo = demo.ok_or(ApiError::NotFound("demo production"))?;
    let made = blocking(move || {
        let (put, data) = &**demo;
        (put.0)(data).map_err(ApiError::internal)?;
        data.store
            .with(|c| Production::all(c))?
            .into_iter()
            .next()
            .ok_or(ApiError::NotFound("demo production"))
    });
    Ok(line(made.await?))
}

/// Renames a production.
pub async fn rename(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
    body: Body<NameProduction>,
) -> ApiResult<HttpResponse> {
    let name = clean(&body.name)?;
    store.run(move |c| Production::rename(c, &id, &name)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Deletes a production with everything in it. It can be put back.
pub async fn delete(store: web::Data<Store>, id: web::Path<ProductionId>) -> ApiResult<HttpResponse> {
    store.run_when_full(move |c| Production::set_deleted(c, &id, true)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a deleted production back.
pub async fn restore(store: web::Data<Store>, id: web::Path<ProductionId>) -> ApiResult<HttpResponse> {
    store.run(move |c| Production::set_deleted(c, &id, false)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Copies a production: everything in it, under a new name. Its files are kept once.
pub async fn duplicate(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
    body: Body<NameProduction>,
) -> ApiResult<web::Json<ProductionLine>> {
    let name = clean(&body.name)?;
    let made = store.run(move |c| {
        let production = Production::find(c, &id)?;
        Manifest::of(c, &production)?.put(c, &name, &Default::default())
    });
    Ok(line(made.await?))
}

/// A production as one file.
pub async fn export(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    id: web::Path<ProductionId>,
    request: HttpRequest,
) -> ApiResult<HttpResponse> {
    let made = blocking(move || {
        let (production, manifest) = store.change(|c| {
            let production = Production::find(c, &id)?;
            let manifest = Manifest::of(c, &production)?;
            Ok((production, manifest))
        })?;
        let file = tempfile::tempfile()?;
        bundle::write(&studio.media, &manifest, file.try_clone()?)?;
        Ok::<_, ApiError>((production.name, file))
    });
    let (name, file) = made.await?;
    let plain: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    super::archive(file, &format!("{plain}.production.zip"), &request)
}

/// A production file that arrived.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct ImportProduction {
    /// The key that it was sent under.
    pub key: String,
}

/// Makes a production from a file that arrived.
pub async fn import(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    body: Body<ImportProduction>,
) -> ApiResult<web::Json<ProductionLine>> {
    let made = blocking(move || {
        let media = &studio.media;
        let part = media.part(&body.key)?;
        if !part.exists() {
            return Err(ApiError::NotFound("arrived file"));
        }
        let read = bundle::read(media, &part);
        media.drop_part(&body.key)?;
        let (manifest, sizes) = read?;
        store.with(|c| {
            let taken: Vec<String> = Production::all(c)?.into_iter().map(|p| p.name).collect();
            let mut name = manifest.name.clone();
            while taken.contains(&name) {
                name.push_str(" (brought in)");
            }
            manifest.put(c, &name, &sizes)
        })
    });
    Ok(line(made.await?))
}
