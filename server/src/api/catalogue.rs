//! What exists: step kinds, encodings, what stands still in the scopes, the schema of a look.

use actix_web::{HttpResponse, web};
use lantern_core::bake::{Bake, Before};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::scope::{
    chromaticity::{self, Diagram},
    limits, stops,
};
use lantern_core::step::{KINDS, KindInfo};
use lantern_core::table::Domain;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::{Value, json};

/// An encoding as people choose it.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EncodingInfo {
    /// Its id.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// A line on what it is.
    pub title: String,
    /// Whether it describes display light.
    pub display: bool,
    /// Whether its code values are linear light.
    pub linear: bool,
    /// The peak of an HDR display in cd/m²; none for others.
    pub peak: Option<f64>,
    /// Marks for a scale of an HDR display's signal: light in cd/m² and its code value, rising; empty for others.
    pub marks: Vec<[f64; 2]>,
    /// Whether a table that expects it has a 1D part, so that programs that know only 3D tables do not take it.
    pub narrow: bool,
}

/// Light in cd/m² that scales of HDR signals are marked at.
const MARKS: [f64; 7] = [0.0, 1.0, 10.0, 100.0, 203.0, 1_000.0, 4_000.0];

/// Marks of an HDR display up to its peak, which is one of them.
fn marks(of: &Encoding) -> Vec<[f64; 2]> {
    if !of.is_hdr() {
        return Vec::new();
    }
    let below = MARKS.into_iter().filter(|light| *light < 0.8 * of.peak);
    below.chain([of.peak]).map(|light| [light, of.code_of_grey(light)]).collect()
}

/// All shipped encodings.
pub fn encoding_list() -> Vec<EncodingInfo> {
    Encoding::shipped()
        .map(|e| EncodingInfo {
            display: e.reference == Reference::Display,
            narrow: {
                let plan = Bake::plan(&e, 33);
                plan.before != Before::Nothing || plan.domain != Domain::UNIT
            },
            peak: e.is_hdr().then_some(e.peak),
            marks: marks(&e),
            linear: e.is_linear(),
            id: e.id,
            name: e.name,
            title: e.title,
        })
        .collect()
}

/// Answers while the server lives.
pub async fn health() -> HttpResponse {
    HttpResponse::Ok().json(json!({ "status": "ok" }))
}

/// Every kind of step with its parameters.
pub async fn steps() -> web::Json<Vec<KindInfo>> {
    web::Json(KINDS.to_vec())
}

/// Every encoding.
pub async fn encodings() -> web::Json<Vec<EncodingInfo>> {
    web::Json(encoding_list())
}

/// The JSON Schema of look files.
pub async fn look_schema() -> web::Json<Value> {
    web::Json(lantern_core::look::schema::look_schema())
}

/// What stands still in the scopes.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ScopeInfo {
    /// The chromaticity diagram.
    pub diagram: Diagram,
    /// Bands of false colour from dark to light; the first goes down without end.
    pub bands: Vec<ScopeBand>,
    /// Lowest and highest R, G or B of EBU R 103.
    pub r103_rgb: [f32; 2],
    /// The share of the picture that EBU R 103 lets lie beyond.
    pub r103_area: f64,
}

/// A band of false colour.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ScopeBand {
    /// Its lower end in stops from middle grey; none for the first.
    pub from: Option<f32>,
    /// R, G and B.
    pub colour: [u8; 3],
}

/// What stands still in the scopes.
pub async fn scopes() -> web::Json<ScopeInfo> {
    let band = |b: &stops::Band| ScopeBand { from: b.from.is_finite().then_some(b.from), colour: b.colour };
    web::Json(ScopeInfo {
        diagram: chromaticity::diagram(),
        bands: stops::BANDS.iter().map(band).collect(),
        r103_rgb: limits::R103_RGB,
        r103_area: limits::R103_AREA,
    })
}
