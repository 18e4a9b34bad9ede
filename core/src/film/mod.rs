//! Film as film: a negative or reversal, the printer, the print and its projection.
//!
//! Light in linear AP1 becomes exposures of three layers ([`expose`]), these become densities through the inter-layer
//! effect and characteristic curves ([`develop`]), the printer's light carries the negative's densities onto the print
//! ([`print`]), whose dyes ([`dyes`]) filter the projector's light by the spectrum ([`spectrum`]). Stocks ([`stock`])
//! are parameters, all of our own invention. Logs are base 10; x is log10 of exposure over middle grey.

pub mod chain;
pub mod curve;
pub mod develop;
pub mod dyes;
mod even;
pub mod expose;
pub mod measured;
pub mod print;
pub mod reading;
pub mod settings;
pub mod spectrum;
pub mod stock;
pub mod strengths;
pub mod wedge;

pub use chain::Chain;
pub use stock::{NegativeKind, NegativeStock, PrintStock, SHIPPED_NEGATIVES, SHIPPED_PRINTS};

/// Scene light of middle grey.
pub const GREY: f64 = 0.18;

/// Log exposure of one printer point; twelve are 0.3, a stop of printer light (common practice).
pub const POINT: f64 = 0.025;

/// The printer light in the middle of the scale (common practice: 1 to 50).
pub const MIDDLE_LIGHT: f64 = 25.0;
