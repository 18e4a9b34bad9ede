//! Film stocks: those that ship, and those of a production's own looks.

use crate::error::ApiResult;
use crate::store::ids::ProductionId;
use crate::store::{Store, looks::LookRow};
use actix_web::web;
use lantern_core::film::stock::{
    Band, Layer, LayerGrain, NegativeStock, Neighbour, PrintStock, Taking, negatives, prints,
};
use lantern_core::look::Look;
use lantern_core::step::{Values, field::Field};
use schemars::JsonSchema;
use serde::Serialize;

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
