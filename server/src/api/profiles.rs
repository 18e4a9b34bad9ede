//! Camera profiles of a production: made, tried, changed, exported and imported.

use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::productions::{Media, PROFILE, Production};
use crate::store::profiles::{Profile, ProfileBody};
use crate::store::{Store, new_id};
use actix_web::{HttpResponse, web};
use lantern_core::colour::profile::ProfileReading;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A profile.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProfileDetail {
    /// Its id.
    pub id: String,
    /// The id that shots have as their encoding.
    pub encoding: String,
    /// What it says: the file that is exported.
    pub body: ProfileBody,
    /// Whether it is the usual camera's.
    pub usual: bool,
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
}

impl ProfileDetail {
    pub(super) fn of(p: Profile, production: &Production) -> ApiResult<Self> {
        let body = p.body()?;
        let reading = match &body {
            ProfileBody::Constants(c) => Some(c.reading()?),
            ProfileBody::Table(_) => None,
        };
        let (encoding, usual) = (format!("{PROFILE}{}", p.id), production.camera == p.id);
        Ok(Self { id: p.id, encoding, body, usual, reading })
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
    if body.name().trim().is_empty() || body.name().chars().count() > 200 {
        return Err(ApiError::Invalid("a camera profile has a name of 1 to 200 characters".into()));
    }
    Ok(body)
}

/// Where light lands on a curve that is being made.
pub async fn reading(body: web::Json<serde_json::Value>) -> ApiResult<web::Json<ProfileReading>> {
    match read(body.into_inner())? {
        ProfileBody::Constants(c) => Ok(web::Json(c.reading()?)),
        ProfileBody::Table(_) => Err(ApiError::Invalid("a technical table has no curve of its own".into())),
    }
}

/// Makes a profile.
pub async fn create(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    production: web::Path<String>,
    body: web::Json<SaveProfile>,
) -> ApiResult<web::Json<ProfileDetail>> {
    save(store, studio, production.into_inner(), None, body.into_inner()).await
}

/// Changes a profile. Shots that are encoded by it are seen anew.
pub async fn edit(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    id: web::Path<String>,
    body: web::Json<SaveProfile>,
) -> ApiResult<web::Json<ProfileDetail>> {
    let known = id.clone();
    let row = store.run(move |c| Profile::find(c, &known)).await?;
    save(store, studio, row.production_id.clone(), Some(row), body.into_inner()).await
}

async fn save(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    production: String,
    old: Option<Profile>,
    asked: SaveProfile,
) -> ApiResult<web::Json<ProfileDetail>> {
    let body = read(asked.body)?;
    let media = studio.media.clone();
    let saved = store.run(move |c| {
        let mut table_hash = old.as_ref().and_then(|o| o.table_hash.clone());
        if let Some(text) = &asked.table {
            let table = lantern_formats::cube::read(text.as_bytes())
                .map_err(|e| ApiError::Invalid(format!("the technical table: {e}")))?;
            drop(table);
            let hash = media.keep(text.as_bytes())?;
            Media { hash: hash.clone(), kind: "table".into(), bytes: text.len() as i64 }.insert(c)?;
            table_hash = Some(hash);
        }
        if matches!(body, ProfileBody::Table(_)) != table_hash.is_some() {
            return Err(ApiError::Invalid(
                "a profile has either constants or a technical table: give the table's .cube file with it"
                    .into(),
            ));
        }
        c.immediate_transaction(|c| {
            let mut production = Production::find(c, &production)?;
            let row = Profile {
                id: old.map_or_else(new_id, |o| o.id),
                production_id: production.id.clone(),
                name: body.name().into(),
                body: serde_json::to_string(&body).map_err(ApiError::internal)?,
                table_hash,
            };
            row.put(c)?;
            if asked.usual || production.camera.is_empty() {
                Production::set_camera(c, &production.id, &row.id)?;
                production.camera.clone_from(&row.id);
            }
            ProfileDetail::of(row, &production)
        })
    });
    let saved = saved.await?;
    studio.proxies.forget_all();
    Ok(web::Json(saved))
}

/// Deletes a profile that no shot is encoded by.
pub async fn delete(store: web::Data<Store>, id: web::Path<String>) -> ApiResult<HttpResponse> {
    let gone = store.run(move |c| {
        c.immediate_transaction(|c| {
            let row = Profile::find(c, &id)?;
            let production = Production::find(c, &row.production_id)?;
            let usual = production.camera == row.id;
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
                Production::set_camera(c, &production.id, "")?;
            }
            Profile::delete(c, &row.id)
        })
    });
    gone.await?;
    Ok(HttpResponse::NoContent().finish())
}
