//! Film stocks: those that ship, and those of a production's own looks.

use super::json::Body;
use crate::error::{ApiError, ApiResult};
use crate::store::ids::ProductionId;
use crate::store::{Store, looks::LookRow};
use actix_web::web;
use lantern_core::film::stock::{
    Band, Layer, LayerGrain, NegativeStock, Neighbour, PrintStock, Taking, negatives, prints,
};
use lantern_core::film::wedge;
use lantern_core::look::Look;
use lantern_core::step::{Values, field::Field};
use lantern_formats::measurements;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::atomic::AtomicBool;

/// Stocks to choose from.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Stocks {
    /// Negatives and reversals that ship, then those of the production's looks.
    pub negatives: Vec<NegativeStock>,
    /// Prints that ship, then those of the production's looks.
    pub prints: Vec<PrintStock>,
    /// How many of the negatives ship.
    pub shipped_negatives: usize,
    /// How many of the prints ship.
    pub shipped_prints: usize,
}

/// The parameters of what a stock is made of.
#[derive(Debug, Serialize, JsonSchema)]
pub struct StockFields {
    /// Of a layer's curve.
    pub layer: &'static [Field],
    /// Of a dye's band.
    pub band: &'static [Field],
    /// Of a layer's grain.
    pub grain: &'static [Field],
    /// Of how a layer stands to a neighbour.
    pub neighbour: &'static [Field],
    /// Of what a black-and-white stock sees.
    pub taking: &'static [Field],
}

fn gather(looks: &[Look]) -> Stocks {
    let (mut n, mut p) = (negatives().to_vec(), prints().to_vec());
    for step in looks.iter().flat_map(|l| &l.path.steps) {
        match &step.values {
            Values::Negative(v) if !n.contains(&v.stock) => n.push(v.stock.clone()),
            Values::Print(v) if !p.contains(&v.stock) => p.push(v.stock.clone()),
            _ => {}
        }
    }
    Stocks { negatives: n, prints: p, shipped_negatives: negatives().len(), shipped_prints: prints().len() }
}

/// Stocks that a production may choose from.
pub async fn of_production(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
) -> ApiResult<web::Json<Stocks>> {
    let rows = store.run(move |c| LookRow::of_production(c, &id)).await?;
    let looks = rows.iter().map(LookRow::look).collect::<ApiResult<Vec<_>>>()?;
    Ok(web::Json(gather(&looks)))
}

/// A file of measurements.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct WedgeFile {
    /// Its name.
    pub name: String,
    /// The text: CSV.
    pub text: String,
}

/// A stock to fit to wedges.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct MeasureStock {
    /// The negative or reversal that it is begun with, where it is one.
    #[serde(default)]
    pub negative: Option<Box<NegativeStock>>,
    /// The print that it is begun with, where it is one.
    #[serde(default)]
    pub print: Option<Box<PrintStock>>,
    /// The wedges.
    pub wedges: Vec<WedgeFile>,
}

/// The stock that measurements make.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MeasuredStock {
    /// The negative or reversal.
    pub negative: Option<NegativeStock>,
    /// The print.
    pub print: Option<PrintStock>,
}

/// The most wedges of one stock.
const MOST_WEDGES: usize = 12;

/// Fits the curves of a stock to wedges.
pub async fn measure(body: Body<MeasureStock>) -> ApiResult<web::Json<MeasuredStock>> {
    let made = web::block(move || -> ApiResult<MeasuredStock> {
        if body.wedges.len() > MOST_WEDGES {
            return Err(ApiError::Invalid(format!("a stock takes up to {MOST_WEDGES} wedges")));
        }
        let wedges = body.wedges.iter().map(|w| {
            let read = measurements::wedge(w.text.as_bytes(), &w.name.chars().take(100).collect::<String>());
            read.map_err(|e| ApiError::Invalid(format!("{}: {e}", w.name)))
        });
        let wedges = wedges.collect::<ApiResult<Vec<_>>>()?;
        let go_on = AtomicBool::new(false);
        let wrong = |e: wedge::WedgeError| ApiError::Invalid(e.to_string());
        let refused = |e: lantern_core::field::ValueError| ApiError::Invalid(e.to_string());
        match (&body.negative, &body.print) {
            (Some(start), _) => {
                start.check().map_err(refused)?;
                let negative = wedge::negative(start, &wedges, &go_on).map_err(wrong)?;
                Ok(MeasuredStock { negative: Some(negative), print: None })
            }
            (None, Some(start)) => {
                start.check().map_err(refused)?;
                let print = wedge::print(start, &wedges, &go_on).map_err(wrong)?;
                Ok(MeasuredStock { negative: None, print: Some(print) })
            }
            (None, None) => Err(ApiError::Invalid("say the stock that it is begun with".into())),
        }
    });
    Ok(web::Json(made.await??))
}

/// What a stock's parts hold.
pub async fn fields() -> web::Json<StockFields> {
    web::Json(StockFields {
        layer: Layer::FIELDS,
        band: Band::FIELDS,
        grain: LayerGrain::FIELDS,
        neighbour: Neighbour::FIELDS,
        taking: Taking::FIELDS,
    })
}
