//! How far two colours of one encoding are apart.

use crate::colour::{
    Encoding, Reference,
    difference::{LabOf, ciede2000, delta_e_itp, itp},
    transfer::{REFERENCE_WHITE, Transfer},
};
use crate::graph::Program;
use crate::look::Path;
use crate::numeric::lane::{self, Channel, N, Planes};
use rayon::prelude::*;

/// Colours that one thread measures at a time.
const CHUNK: usize = 16 * N;

/// Measures differences between code values of one encoding.
///
/// Display-referred SDR values are compared by CIEDE2000 against the display's own white; PQ and HLG by
/// delta-E-ITP; scene-referred values are shown by the plain rendering on BT.709 first.
pub struct Meter {
    show: Option<Program>,
    shown: Encoding,
    lab: LabOf,
    hdr: bool,
}

impl Meter {
    /// A meter for code values of `of`.
    pub fn new(of: &Encoding) -> Self {
        let hdr = of.is_hdr();
        if of.reference == Reference::Display {
            return Self { show: None, shown: of.clone(), lab: LabOf::new(&of.primaries), hdr };
        }
        let rec709 = Encoding::find("rec709").unwrap_or_else(|| of.clone());
        let lab = LabOf::new(&rec709.primaries);
        Self { show: Program::compile(&Path::default(), of, &rec709).ok(), shown: rec709, lab, hdr: false }
    }

    /// The name of the measure.
    pub fn name(&self) -> &'static str {
        if self.hdr { "delta-E-ITP" } else { "CIEDE2000" }
    }

    /// Whether it measures HDR displays.
    pub fn is_hdr(&self) -> bool {
        self.hdr
    }

    /// The differences of two equally long lists, one by one.
    pub fn differences(&self, a: &[[f32; 4]], b: &[[f32; 4]]) -> Vec<f64> {
        let mut out = vec![0.0; a.len().min(b.len())];
        let chunks = out.par_chunks_mut(CHUNK).zip(a.par_chunks(CHUNK).zip(b.par_chunks(CHUNK)));
        chunks.for_each(|(out, (a, b))| self.fill(out, &self.of_chunk(a), &self.of_chunk(b)));
        out
    }

    /// The same where the places of the first list are known.
    pub(super) fn differences_from(&self, a: &[[f64; 3]], b: &[[f32; 4]]) -> Vec<f64> {
        let mut out = vec![0.0; a.len().min(b.len())];
        let chunks = out.par_chunks_mut(CHUNK).zip(a.par_chunks(CHUNK).zip(b.par_chunks(CHUNK)));
        chunks.for_each(|(out, (a, b))| self.fill(out, a, &self.of_chunk(b)));
        out
    }

    fn fill(&self, out: &mut [f64], a: &[[f64; 3]], b: &[[f64; 3]]) {
        let between = if self.hdr { delta_e_itp } else { ciede2000 };
        for (out, (a, b)) in out.iter_mut().zip(a.iter().zip(b)) {
            *out = if a == b { 0.0 } else { between(*a, *b) };
        }
    }

    /// CIELAB of code values, or ITP for HDR displays.
    pub(super) fn places(&self, coded: &[[f32; 4]]) -> Vec<[f64; 3]> {
        coded.par_chunks(CHUNK).flat_map_iter(|chunk| self.of_chunk(chunk)).collect()
    }

    fn of_chunk(&self, coded: &[[f32; 4]]) -> Vec<[f64; 3]> {
        let mut coded = coded.to_vec();
        if let Some(show) = &self.show {
            show.run(&mut coded);
        }
        lane::vectorised(Decode { transfer: &self.shown.transfer, coded: &mut coded });
        let place = |[r, g, b, _]: [f32; 4]| {
            let rgb = [r, g, b].map(f64::from);
            if self.hdr { itp(rgb.map(|v| v * f64::from(REFERENCE_WHITE))) } else { self.lab.lab(rgb) }
        };
        coded.into_iter().map(place).collect()
    }
}

/// Code values to light, in place.
struct Decode<'a> {
    transfer: &'a Transfer,
    coded: &'a mut [[f32; 4]],
}

impl pulp::NullaryFnOnce for Decode<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let mut planes: Planes = [Channel::of(0.0); 3];
        for block in self.coded.chunks_mut(N) {
            lane::load(block, &mut planes);
            self.transfer.decode(&mut planes);
            lane::store(&planes, block);
        }
    }
}
