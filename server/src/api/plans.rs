//! Delivery plans: made, changed, carried as files.

use super::json::{Answer, Body, answer};
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::Store;
use crate::store::ids::{PlanId, ProductionId};
use crate::store::plans::{MOST_PLANS, PlanRow};
use crate::store::productions::{PROFILE, Production};
use crate::store::profiles::{Profile, ProfileBody};
use actix_web::{HttpResponse, web};
use diesel::SqliteConnection;
use lantern_handoff::plan::{Plan, plain_name};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

/// A plan.
#[derive(Debug, Serialize, JsonSchema)]
pub struct PlanDetail {
    /// Its id.
    pub id: PlanId,
    /// Rises with every accepted change.
    pub revision: i32,
    /// The plan.
    pub plan: Plan,
    /// What keeps a package from being made of it, in words, where anything does.
    pub problem: Option<String>,
}

/// A plan to make.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct CreatePlan {
    /// The plan, as it is or as its file says it. Checked as a file is.
    pub plan: Value,
}

/// Saves a change.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct SavePlan {
    /// The revision that the change was made to.
    pub revision: i32,
    /// The changed plan. Checked as a file is.
    pub plan: Value,
}

fn detail(c: &mut SqliteConnection, production: &Production, row: PlanRow) -> ApiResult<PlanDetail> {
    let mut plan = row.plan()?;
    let unknown = plan.encodings_mut().find_map(|id| production.encoding(c, id).err());
    let problem = plan.check().err().map(|e| e.to_string()).or(unknown.map(|e| e.to_string()));
    Ok(PlanDetail { id: row.id, revision: row.revision, plan, problem })
}

fn read(value: Value) -> ApiResult<Plan> {
    Plan::draft(value).map_err(|e| ApiError::Invalid(e.to_string()))
}

/// A production's plans.
pub async fn list(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
) -> ApiResult<Answer<Vec<PlanDetail>>> {
    answer(move || {
        store.with(|c| {
            let production = Production::find(c, &id)?;
            let rows = PlanRow::of_production(c, &id)?;
            rows.into_iter().map(|row| detail(c, &production, row)).collect::<ApiResult<Vec<_>>>()
        })
    })
    .await
}

/// What stands in a plan's file beside the plan: profiles of cameras, by the names that the plan has for them.
const PROFILES: &str = "profiles";
/// What the command line's own plans name.
const OF_COMMAND_LINE: [&str; 3] = ["look", "camera", "pictures"];

/// Makes a plan, also of what a file says.
pub async fn create(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
    body: Body<CreatePlan>,
) -> ApiResult<web::Json<PlanDetail>> {
    let made = store.run_change(move |c| {
        let production = Production::find(c, &id)?;
        if PlanRow::of_production(c, &id)?.len() >= MOST_PLANS {
            return Err(ApiError::Invalid(format!(
                "a production has up to {MOST_PLANS} plans: delete one first"
            )));
        }
        let mut value = body.into_inner().plan;
        let profiles = value.as_object_mut().and_then(|o| {
            OF_COMMAND_LINE.iter().for_each(|name| drop(o.remove(*name)));
            o.remove(PROFILES)
        });
        let mut plan = read(value)?;
        let own = Profile::of_production(c, &id)?;
        for name in plan.encodings_mut() {
            // A profile goes by what it is called: its id is another one in every production.
            let called = profiles.as_ref().and_then(|p| p[name.as_str()]["name"].as_str());
            let found = called.and_then(|called| own.iter().find(|p| p.name == called));
            if let Some(found) = found.filter(|_| name.starts_with(PROFILE)) {
                *name = format!("{PROFILE}{}", found.id);
            }
        }
        let row = PlanRow::create(c, &id, &plan)?;
        detail(c, &production, row)
    });
    Ok(web::Json(made.await?))
}

/// One plan.
pub async fn show(store: web::Data<Store>, id: web::Path<PlanId>) -> ApiResult<web::Json<PlanDetail>> {
    let found = store.run(move |c| {
        let row = PlanRow::find(c, &id)?;
        let production = Production::find(c, &row.production_id)?;
        detail(c, &production, row)
    });
    Ok(web::Json(found.await?))
}

/// Saves a change.
pub async fn save(
    store: web::Data<Store>,
    id: web::Path<PlanId>,
    body: Body<SavePlan>,
) -> ApiResult<web::Json<PlanDetail>> {
    let SavePlan { revision, plan } = body.into_inner();
    let saved = store.run_change(move |c| {
        let row = PlanRow::update(c, &id, revision, &read(plan)?)?;
        let production = Production::find(c, &row.production_id)?;
        detail(c, &production, row)
    });
    Ok(web::Json(saved.await?))
}

/// Deletes a plan. It can be put back; packages that were made of it stay.
pub async fn delete(store: web::Data<Store>, id: web::Path<PlanId>) -> ApiResult<HttpResponse> {
    store.run_when_full(move |c| PlanRow::set_deleted(c, &id, true)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a deleted plan back.
pub async fn restore(store: web::Data<Store>, id: web::Path<PlanId>) -> ApiResult<HttpResponse> {
    store.run(move |c| PlanRow::set_deleted(c, &id, false)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// A plan as a file, with the profiles of cameras that it names: the command line takes it.
pub async fn file(studio: web::Data<Studio>, id: web::Path<PlanId>) -> ApiResult<HttpResponse> {
    let made = studio.store.run(move |c| {
        let row = PlanRow::find(c, &id)?;
        let production = Production::find(c, &row.production_id)?;
        let mut plan = row.plan()?;
        let mut profiles = Map::new();
        for name in plan.encodings_mut() {
            let Ok(Some(profile)) = production.profile(c, name) else { continue };
            // What a technical table gives ships.
            if let body @ ProfileBody::Constants(_) = profile.body()? {
                profiles.insert(name.clone(), serde_json::to_value(body).map_err(ApiError::internal)?);
            }
        }
        let mut value = serde_json::to_value(&plan).map_err(ApiError::internal)?;
        if !profiles.is_empty() {
            value[PROFILES] = Value::Object(profiles);
        }
        Ok((format!("{}.plan.json", plain_name(&plan.name, "plan")), value))
    });
    let (name, value) = made.await?;
    Ok(HttpResponse::Ok()
        .content_type("application/json")
        .insert_header(("content-disposition", super::attachment(&name)))
        .body(serde_json::to_vec_pretty(&value).map_err(ApiError::internal)?))
}
