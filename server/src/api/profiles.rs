//! Camera profiles of a production: made, tried, changed, exported and imported.

use super::json::Body;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::Store;
use crate::store::ids::{ProductionId, ProfileId};
use crate::store::productions::{Media, MediaKind, PROFILE, Production};
use crate::store::profiles::{Profile, ProfileBody};
use actix_web::{HttpResponse, web};
use lantern_core::colour::profile::ProfileReading;
use lantern_core::look::MAX_NAME;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A profile.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProfileDetail {
    /// Its id.
    pub id: ProfileId,
    /// The id that shots have as their encoding.
    pub encoding: String,
    /// What it says: the file that is exported.
    pub body: ProfileBody,
    /// Whether it is the usual camera's.
    pub usual: bool,
    /// Rises with every accepted change.
    pub revision: i32,
    /// Where light lands on its curve, where it has constants.
    pub reading: Option<ProfileReading>,
}

/// A profile to make or change.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct SaveProfile {
    /// What it says. Checked as a file is: wrong constants come back by name.
    pub body: serde_json::Value,
    /// The text of a .cube file, where a technical table stands for constants; the one it has stays where none is
    /// given.
    #[serde(default)]
    pub table: Option<String>,
    /// Whether it is the usual camera's from now on.
    #[serde(default)]
    pub usual: bool,
    /// The revision that the change was made to; without one it wins over any.
    #[serde(default)]
    pub revision: Option<i32>,
}

impl ProfileDetail {
    pub(super) fn of(p: Profile, production: &Production) -> ApiResult<Self> {
        let body = p.body()?;
        let reading = match &body {
            ProfileBody::Constants(c) => Some(c.reading()?),
            ProfileBody::Table(_) => None,
        };
        let (encoding, usual) = (format!("{PROFILE}{}", p.id), production.camera == p.id.as_str());
        Ok(Self { id: p.id, encoding, body, usual, revision: p.revision, reading })
    }
}

fn read(value: serde_json::Value) -> ApiResult<ProfileBody> {
    // The two kinds are told apart here, so that an error names the field of the kind that was meant.
    let wrong = |e: serde_json::Error| ApiError::Invalid(format!("this is not a camera profile: {e}"));
    let body = if value.get("gives").is_some() {
        ProfileBody::Table(serde_json::from_value(value).map_err(wrong)?)
    } else {
        ProfileBody::Constants(serde_json::from_value(value).map_err(wrong)?)
    };
    body.encoding()?;
    if let ProfileBody::Constants(c) = &body {
        c.reading()?;
    }
    if body.name().trim().is_empty() || body.name().chars().count() > MAX_NAME {
        return Err(ApiError::Invalid(format!("a camera profile has a name of 1 to {MAX_NAME} characters")));
    }
    Ok(body)
}

/// Where light lands on a curve that is being made.
pub async fn reading(body: Body<serde_json::Value>) -> ApiResult<web::Json<ProfileReading>> {
    match read(body.into_inner())? {
        ProfileBody::Constants(c) => Ok(web::Json(c.reading()?)),
        ProfileBody::Table(_) => {
            Err(ApiError::Invalid("a profile from a table has no curve of its own".into()))
        }
    }
}

/// Makes a profile.
pub async fn create(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    production: web::Path<ProductionId>,
    body: Body<SaveProfile>,
) -> ApiResult<web::Json<ProfileDetail>> {
    save(store, studio, Saved::New { production: production.into_inner() }, body.into_inner()).await
}

/// Changes a profile. Shots that are encoded by it are seen anew: pictures are kept by what the profile says.
pub async fn edit(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    id: web::Path<ProfileId>,
    body: Body<SaveProfile>,
) -> ApiResult<web::Json<ProfileDetail>> {
    save(store, studio, Saved::Old { profile: id.into_inner() }, body.into_inner()).await
}

/// What is saved: a new profile of a production, or one that is there.
enum Saved {
    New { production: ProductionId },
    Old { profile: ProfileId },
}

async fn save(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    what: Saved,
    asked: SaveProfile,
) -> ApiResult<web::Json<ProfileDetail>> {
    let body = read(asked.body)?;
    let saved = blocking(move || {
        let table = asked.table.as_deref().map(|text| keep_table(&studio, text)).transpose()?;
        store.change(|c| {
            let old = match &what {
                Saved::New { .. } => None,
                Saved::Old { profile } => Some(Profile::find(c, profile)?),
            };
            if let (Some(revision), Some(old)) = (asked.revision, &old)
                && revision != old.revision
            {
                return Err(ApiError::Conflict { what: "camera profile", current: old.revision });
            }
            let of = match (&what, &old) {
                (Saved::New { production }, _) => production,
                (Saved::Old { .. }, Some(old)) => &old.production_id,
                (Saved::Old { .. }, None) => return Err(ApiError::NotFound("profile")),
            };
            let mut production = Production::find(c, of)?;
            if let Some(media) = &table {
                media.insert(c)?;
            }
            let given = table.map(|m| m.hash);
            let table_hash = given.or_else(|| old.as_ref().and_then(|o| o.table_hash.clone()));
            if matches!(body, ProfileBody::Table(_)) != table_hash.is_some() {
                return Err(ApiError::Invalid(
                    "a profile has either constants or a table: give the table's .cube file with it".into(),
                ));
            }
            let row = Profile {
                id: old.as_ref().map_or_else(ProfileId::fresh, |o| o.id.clone()),
                production_id: production.id.clone(),
                name: body.name().into(),
                body: serde_json::to_string(&body).map_err(ApiError::internal)?,
                table_hash,
                revision: old.as_ref().map_or(1, |o| o.revision + 1),
            };
            if old.is_some() {
                row.update(c)?
            } else {
                row.insert(c)?
            }
            if asked.usual || production.camera.is_empty() {
                Production::set_camera(c, &production.id, Some(&row.id))?;
                production.camera = row.id.to_string();
            }
            ProfileDetail::of(row, &production)
        })
    });
    Ok(web::Json(saved.await?))
}

/// Keeps the text of a technical table that can be read.
fn keep_table(studio: &Studio, text: &str) -> ApiResult<Media> {
    lantern_formats::registry::read_table(text.as_bytes(), "")
        .map_err(|e| ApiError::Invalid(format!("the profile’s table: {e}")))?;
    studio.media.keep_as(MediaKind::Table, text.as_bytes())
}

/// Deletes a profile that no shot is encoded by.
pub async fn delete(store: web::Data<Store>, id: web::Path<ProfileId>) -> ApiResult<HttpResponse> {
    let gone = store.run(move |c| {
        c.immediate_transaction(|c| {
            let row = Profile::find(c, &id)?;
            let production = Production::find(c, &row.production_id)?;
            let usual = production.camera == row.id.as_str();
            let own = format!("{PROFILE}{}", row.id);
            let shots = production.scenes(c)?.into_iter().flat_map(|(_, shots)| shots);
            let worn = shots.filter(|s| s.encoding == own || (usual && s.encoding == "camera")).count();
            if worn > 0 {
                let name = row.name;
                return Err(ApiError::Invalid(format!(
                    "{worn} shots are encoded by “{name}”: say another encoding for them first"
                )));
            }
            if usual {
                Production::set_camera(c, &production.id, None)?;
            }
            Profile::delete(c, &row.id)
        })
    });
    gone.await?;
    Ok(HttpResponse::NoContent().finish())
}
