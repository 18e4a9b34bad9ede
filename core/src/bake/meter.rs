//! How far two colours of one encoding are apart.

use crate::colour::{
    Encoding, Reference,
    difference::{LabOf, ciede2000, delta_e_itp, itp},
    transfer::REFERENCE_WHITE,
};
use crate::graph::Program;
use crate::look::Path;
use crate::numeric::lane::{N, Planes};

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
        let chunks = 16 * N;
        let mut out = Vec::with_capacity(a.len());
        for (a, b) in a.chunks(chunks).zip(b.chunks(chunks)) {
            let (a, b) = (self.places(a), self.places(b));
            let between = if self.hdr { delta_e_itp } else { ciede2000 };
            out.extend(a.iter().zip(&b).map(|(a, b)| if a == b { 0.0 } else { between(*a, *b) }));
        }
        out
    }

    /// CIELAB of code values, or ITP for HDR displays.
    pub(super) fn places(&self, coded: &[[f32; 4]]) -> Vec<[f64; 3]> {
        let mut coded = coded.to_vec();
        if let Some(show) = &self.show {
            show.run(&mut coded);
        }
        let mut out = Vec::with_capacity(coded.len());
        let mut planes: Planes = [[0.0; N]; 3];
        for block in coded.chunks(N) {
            crate::numeric::lane::load(block, &mut planes);
            self.shown.transfer.decode(&mut planes);
            out.extend((0..block.len()).map(|i| {
                let rgb = [planes[0][i], planes[1][i], planes[2][i]].map(f64::from);
                if self.hdr { itp(rgb.map(|v| v * f64::from(REFERENCE_WHITE))) } else { self.lab.lab(rgb) }
            }));
        }
        out
    }
}
