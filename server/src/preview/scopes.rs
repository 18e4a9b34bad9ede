//! The scopes whose counts go with a picture: one entry each.

use super::layout::{Element, HEADER, Message, MessagePart};
use super::output::{Output, Point};
use super::proxy::Proxy;
use super::request::Counts;
use crate::error::{ApiError, ApiResult};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::scope::{self, Mask, chromaticity, limits};
use rayon::prelude::*;
use std::sync::OnceLock;

/// A scope.
pub struct Scope {
    /// What the page calls its counts.
    pub name: &'static str,
    /// What its counts are.
    pub element: Element,
    /// How many there are; for each of the waveform's columns where `columns`.
    pub count: usize,
    /// Whether it has so many for each column.
    pub columns: bool,
    /// Whether a request asks for it.
    wanted: fn(&Counts) -> bool,
    /// Counts it. `None` where the picture does not have what it counts.
    counted: fn(&Counts, &Seen<'_>) -> Option<Counted>,
}

/// Counts, as many as the scope says.
enum Counted {
    Short(Vec<u16>),
    Long(Vec<u32>),
    Float(Vec<f32>),
}

impl Counted {
    fn bytes(&self) -> &[u8] {
        match self {
            Self::Short(v) => bytemuck::cast_slice(v),
            Self::Long(v) => bytemuck::cast_slice(v),
            Self::Float(v) => bytemuck::cast_slice(v),
        }
    }
}

/// Every scope, in the order in which their counts come in a message.
pub const SCOPES: &[Scope] = &[
    Scope {
        name: "wave",
        element: Element::Short,
        count: 3 * scope::LEVELS,
        columns: true,
        wanted: |c| c.wave,
        counted: |_, s| {
            Some(Counted::Short(scope::waveform(s.delivered, s.width(), s.columns, s.mask.as_ref())))
        },
    },
    Scope {
        name: "luma",
        element: Element::Short,
        count: scope::LEVELS,
        columns: true,
        wanted: |c| c.luma,
        counted: |_, s| {
            Some(Counted::Short(scope::luma_waveform(s.delivered, s.width(), s.columns, s.mask.as_ref())))
        },
    },
    Scope {
        name: "vector",
        element: Element::Short,
        count: scope::LEVELS * scope::LEVELS,
        columns: false,
        wanted: |c| c.vector.is_some(),
        counted: |c, s| Some(Counted::Short(scope::vectorscope(s.inside(), c.vector?.clamp(1.0, 16.0)))),
    },
    // Of R, G, B and luma.
    Scope {
        name: "histogram",
        element: Element::Long,
        count: 4 * scope::LEVELS,
        columns: false,
        wanted: |c| c.histogram,
        counted: |_, s| Some(Counted::Long(scope::histogram(s.inside()))),
    },
    Scope {
        name: "chromaticity",
        element: Element::Short,
        count: scope::LEVELS * scope::LEVELS,
        columns: false,
        wanted: |c| c.chromaticity,
        counted: |_, s| {
            let mut light = s.light().to_vec();
            Program::scene(s.path, &s.proxy.encoding).run_parallel(&mut light);
            Some(Counted::Short(chromaticity::chromaticity(&light)))
        },
    },
    // Shares at black, at white, out of gamut, beyond EBU R 103.
    Scope {
        name: "limits",
        element: Element::Float,
        count: 4,
        columns: false,
        wanted: |c| c.limits,
        counted: |_, s| {
            let output = s.output?;
            // Texture makes a pixel depend on its neighbours: then all of them are made, and as many counted.
            let at = |point| {
                output
                    .of_pixels(point, s.light())
                    .unwrap_or_else(|| sparse(&output.all(point), s.width(), s.mask.as_ref()))
            };
            let l = limits::limits(&at(Point::Delivered), &at(Point::Unfitted));
            let shares = [l.at_black, l.at_white, l.out_of_gamut, l.beyond_r103];
            Some(Counted::Float(shares.map(|v| v as f32).to_vec()))
        },
    },
];

/// A scope's bit among what a message holds.
pub const fn bit(place: usize) -> u16 {
    1 << place
}

/// The scopes as parts of a message.
pub fn parts() -> impl Iterator<Item = MessagePart> {
    SCOPES.iter().enumerate().map(|(i, s)| MessagePart {
        name: s.name,
        bit: bit(i),
        element: s.element,
        count: s.count,
        columns: s.columns,
    })
}

/// What a picture with these counts holds.
pub fn flags(wanted: &Counts) -> u16 {
    let asked = SCOPES.iter().enumerate().filter(|(_, s)| (s.wanted)(wanted));
    asked.fold(0, |all, (i, _)| all | bit(i))
}

/// Only every second pixel of every second row counts where whole programs have to run for it.
const STRIDE: usize = 2;

/// What scopes count.
struct Seen<'a> {
    proxy: &'a Proxy,
    path: &'a Path,
    output: Option<&'a Output<'a>>,
    /// The delivered picture, RGBA.
    delivered: &'a [[u8; 4]],
    /// Columns of the waveform.
    columns: usize,
    /// The area that counts; all where there is none.
    mask: Option<Mask>,
    inside: OnceLock<Vec<[u8; 4]>>,
    light: OnceLock<Vec<[f32; 4]>>,
}

impl Seen<'_> {
    fn width(&self) -> usize {
        self.proxy.picture.width()
    }

    /// Delivered pixels of the area.
    fn inside(&self) -> &[[u8; 4]] {
        match &self.mask {
            Some(mask) => self.inside.get_or_init(|| mask.gather(self.delivered)),
            None => self.delivered,
        }
    }

    /// Source pixels of the area, some of them.
    fn light(&self) -> &[[f32; 4]] {
        self.light.get_or_init(|| sparse(&self.proxy.picture.pixels, self.width(), self.mask.as_ref()))
    }
}

/// Appends the counts of the picture that a message holds, or of `delivered` where the message shows it by a tone map.
pub fn append(
    message: &mut Message,
    wanted: &Counts,
    proxy: &Proxy,
    path: &Path,
    output: Option<&Output<'_>>,
    columns: usize,
    delivered: Option<&[u8]>,
) -> ApiResult<()> {
    let (w, h) = (proxy.picture.width(), proxy.picture.height());
    let mask = wanted.area.as_ref().map(|a| a.mask(w, h)).transpose();
    let mask = mask.map_err(|e| ApiError::Invalid(e.to_string()))?;
    let delivered = bytemuck::cast_slice(delivered.unwrap_or(&message[HEADER..HEADER + w * h * 4]));
    let (inside, light) = (OnceLock::new(), OnceLock::new());
    let seen = Seen { proxy, path, output, delivered, columns, mask, inside, light };
    let asked: Vec<&Scope> = SCOPES.iter().filter(|s| (s.wanted)(wanted)).collect();
    let counted: Vec<_> = asked.into_par_iter().filter_map(|s| (s.counted)(wanted, &seen)).collect();
    counted.iter().for_each(|c| message.extend_from_slice(c.bytes()));
    Ok(())
}

/// Pixels of the area; every second of every second row, or all of an area so small that few would be left.
fn sparse(pixels: &[[f32; 4]], w: usize, mask: Option<&Mask>) -> Vec<[f32; 4]> {
    if let Some(mask) = mask {
        let inside = mask.gather(pixels);
        let step = if inside.len() > 40_000 { STRIDE * STRIDE } else { 1 };
        return inside.into_iter().step_by(step).collect();
    }
    let rows = pixels.chunks_exact(w.max(1)).step_by(STRIDE);
    rows.flat_map(|row| row.iter().step_by(STRIDE).copied()).collect()
}
