//! Film stocks: those that ship, and those of a production's own looks.

use super::json::Body;
use super::waited::Waited;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::ids::ProductionId;
use crate::store::{Store, looks::LookRow};
use actix_web::web;
use lantern_core::film::measured::Measured;
use lantern_core::film::stock::{
    Band, Layer, LayerGrain, NegativeStock, Neighbour, PrintStock, Taking, negatives, prints,
};
use lantern_core::film::wedge;
use lantern_core::look::Look;
use lantern_core::matching::stock::print_table::{self, Held};
use lantern_core::matching::stock::{Film, FilmError, Known, patches};
use lantern_core::numeric::least_squares::unwatched;
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
    let made = blocking(move || -> ApiResult<MeasuredStock> {
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
    Ok(web::Json(made.await?))
}

/// A film to fit: negative and print together.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct FitFilm {
    /// The negative or reversal that it is begun with.
    pub negative: Box<NegativeStock>,
    /// The print that it is begun with; a reversal has none.
    #[serde(default)]
    pub print: Option<Box<PrintStock>>,
    /// The negative is known and held as it is.
    #[serde(default)]
    pub negative_known: bool,
    /// The print is.
    #[serde(default)]
    pub print_known: bool,
    /// Patches of a chart, as CSV.
    #[serde(default)]
    pub patches: Option<WedgeFile>,
    /// A table that holds a negative and a print, in place of patches.
    #[serde(default)]
    pub table: Option<super::tables::UnpickTable>,
}

/// A film that was fitted.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FittedFilm {
    /// The negative or reversal, with what it was measured from.
    pub negative: NegativeStock,
    /// The print.
    pub print: Option<PrintStock>,
    /// Printer points of red, green and blue light.
    pub points: [f64; 3],
    /// Screen black, 0..1.
    pub black: f64,
}

/// Fits a negative and a print to patches or to a print table. Stops where nobody waits for it any more.
pub async fn fit_film(studio: web::Data<Studio>, body: Body<FitFilm>) -> ApiResult<web::Json<FittedFilm>> {
    let waited = Waited::default();
    let stop = waited.0.clone();
    let made = blocking(move || -> ApiResult<FittedFilm> {
        let FitFilm { negative, print, negative_known, print_known, patches: data, table } =
            body.into_inner();
        let refused = |e: lantern_core::field::ValueError| ApiError::Invalid(e.to_string());
        let wrong = |e: FilmError| ApiError::Invalid(e.to_string());
        negative.check().map_err(refused)?;
        print.iter().try_for_each(|p| p.check()).map_err(refused)?;
        let wedges = |m: &Option<Measured>| m.as_ref().is_some_and(|m| !m.wedges.is_empty());
        let known = Known {
            negative_curves: wedges(&negative.measured),
            print_curves: print.as_ref().is_some_and(|p| wedges(&p.measured)),
            print: print_known,
            negative: negative_known,
        };
        if known.negative && (known.print || print.is_none()) {
            return Err(ApiError::Invalid("with both stocks known there is nothing left to fit".into()));
        }
        let start = Film::new(*negative, print.map(|p| *p)).map_err(wrong)?;
        let fitted = match (data, table) {
            (Some(file), None) => {
                let read = measurements::patches(file.text.as_bytes());
                let patches = read.map_err(|e| ApiError::Invalid(format!("{}: {e}", file.name)))?;
                patches::fit(&start, &patches, known, &unwatched, &stop).map_err(wrong)?
            }
            (None, Some(of)) => {
                let table = studio.media.table(&of.table).ok_or(ApiError::NotFound("table"))?;
                let unknown =
                    || ApiError::Invalid("there is no such encoding; /api/encodings lists them".into());
                let from = of.from.encoding().ok_or_else(unknown)?;
                let to = of.to.encoding().ok_or_else(unknown)?;
                let held = Held { name: &of.name, table: &table, from: &from, to: &to };
                print_table::fit(&[start], held, known, &unwatched, &stop).map_err(wrong)?
            }
            _ => return Err(ApiError::Invalid("give patches or a print table, one of the two".into())),
        };
        let Film { negative, print, points, black } = fitted.film;
        Ok(FittedFilm { negative, print, points, black })
    });
    let made = made.await?;
    drop(waited);
    Ok(web::Json(made))
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
