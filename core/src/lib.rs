//! The rules and the arithmetic of Dusky Lantern.
//!
//! Layers, lowest first; each uses those before it and no other, which a test holds:
//!
//! * [`numeric`] — planar blocks, elementary functions, matrices, half floats, percentiles.
//! * [`picture`] — RGBA pictures in f32, and pictures of whole numbers.
//! * [`field`] — how parameters are described, and the check of their values.
//! * [`colour`] — encodings, camera profiles, adaptation, the colour-difference plane, CIEDE2000, zones and their axes.
//! * [`table`] — a lookup table as data, and reading it between its nodes.
//! * [`film`] — negative, printer, print and projection; stocks.
//! * [`texture`] — what light and film do across neighbouring pixels: bloom, halation, grain, softness and more.
//! * [`region`] — where a step or a group works.
//! * [`step`] — one file a step kind: parameters with their ranges, and what the step does.
//! * [`look`] — the document, its path of steps, its versions, checks, comparison.
//! * [`graph`] — what a path compiles to, and running it.
//! * [`bake`] — tables made of paths: filled, proven, judged.
//! * [`scope`] — waveform, vectorscope, histogram and chromaticity counts, limits, false colour, readout.
//! * [`matching`] — bringing one shot to another.
//!
//! **Out of scope:** files, clocks, networks, databases. Bytes become core types in `lantern-formats`.
//!
//! **Conventions.** Picture values are f32 and may leave 0..1 anywhere between two steps. Scene-linear
//! values are AP1 with 0.18 = middle grey; display-linear values are P3-D65 with 1.0 = peak white. Exposure
//! is in stops, angles in degrees, chromaticities are CIE 1931 xy.

pub mod bake;
pub mod colour;
pub mod field;
pub mod film;
pub mod graph;
pub mod look;
pub mod matching;
pub mod numeric;
pub mod picture;
pub mod region;
pub mod scope;
pub mod step;
pub mod table;
pub mod texture;
