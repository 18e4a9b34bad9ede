//! Bringing one picture to another, and taking tables apart: ordinary steps fitted to colours.

pub mod aim;
pub mod features;
pub mod model;
pub mod patch;
pub mod proposals;
pub mod reading;
pub mod references;
pub mod shot;
pub mod small;
pub mod stock;
pub mod taken;
pub mod trained;
pub mod training;
pub mod transport;
pub mod unpick;

use crate::graph::CompileError;
use thiserror::Error;

/// Why nothing is matched.
#[derive(Debug, Error, PartialEq)]
pub enum MatchError {
    /// A picture of one colour.
    #[error("{0} is one flat colour: there is nothing to read from it")]
    Flat(String),
    /// A pair that covers hardly a pixel.
    #[error(
        "a pair covers too little of its picture: draw it over a patch that is at least a hundredth of the picture wide"
    )]
    TinyPair,
    /// A pair that lies outside of its picture.
    #[error("a pair lies outside of its picture: its edges go from 0 to 1")]
    Outside,
    /// A pair that names a reference that is not there.
    #[error("a pair is of reference {0}, and there are {1}")]
    NoReference(usize, usize),
    /// More pairs than are taken.
    #[error("{0} pairs are more than the {1} that a match takes")]
    TooManyPairs(usize, usize),
    /// Pictures that are said to be aligned and have other shapes.
    #[error("the pictures have different shapes: what is aligned is the same frame, graded and ungraded")]
    NotAligned,
    /// No reference at all.
    #[error("there is no reference: give one or more")]
    Nothing,
    /// A pixel that is no number.
    #[error("the picture has values that are no numbers")]
    NotFinite,
    /// The way to the screen cannot be gone.
    #[error(transparent)]
    Compile(#[from] CompileError),
}
