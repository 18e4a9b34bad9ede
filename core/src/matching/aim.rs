//! Colours that a path is to give, and how far it is from them.

use crate::colour::difference::{LabOf, ciede2000};
use crate::colour::transfer::Transfer;
use crate::colour::{Encoding, Reference, primaries::BT709};
use crate::graph::{CompileError, Program};
use crate::look::Path;

/// Colours of an encoding, and what a path is to make of them, on a display.
pub struct Aim {
    from: Encoding,
    judged: Encoding,
    inputs: Vec<[f32; 4]>,
    lab: LabOf,
    wanted: Vec<Wanted>,
}

/// A wanted colour with the directions that differences are counted in.
#[derive(Clone, Copy, Debug)]
pub(super) struct Wanted {
    lab: [f64; 3],
    /// Factor on a* (CIEDE2000's 1 + G).
    stretch: f64,
    /// Direction of its chroma, and 1 / (S_L, S_C, S_H), with the weight.
    along: [f64; 2],
    scale: [f64; 3],
}

/// The display that a result of an encoding is judged on, as linear light: its own, or BT.709 by the plain rendering.
pub fn judged_on(to: &Encoding) -> Encoding {
    let transfer = Transfer::Linear;
    if to.reference == Reference::Display {
        return Encoding { id: format!("{} as light", to.id), transfer, ..to.clone() };
    }
    let screen = Encoding::find("rec709").unwrap_or_else(|| to.clone());
    Encoding { id: "bt709 as light".into(), transfer, primaries: BT709, ..screen }
}

impl Aim {
    /// The colours of the Screen zone that are wanted there, both as code values of it.
    pub fn on_screen(
        inputs: Vec<[f32; 4]>,
        outputs: Vec<[f32; 4]>,
        weights: &[f64],
    ) -> Result<Self, CompileError> {
        let screen = super::small::screen();
        Self::new(&screen, &screen, inputs, outputs, weights)
    }

    /// `inputs` are code values of `from`; `outputs` the wanted code values of `to`; `weights` say how much each counts.
    pub fn new(
        from: &Encoding,
        to: &Encoding,
        inputs: Vec<[f32; 4]>,
        mut outputs: Vec<[f32; 4]>,
        weights: &[f64],
    ) -> Result<Self, CompileError> {
        let judged = judged_on(to);
        Program::compile(&Path::default(), to, &judged)?.run_parallel(&mut outputs);
        let lab = LabOf::new(&judged.primaries);
        let wanted = outputs.iter().zip(weights).map(|(p, w)| Wanted::new(lab_of(&lab, p), *w)).collect();
        Ok(Self { from: from.clone(), judged, inputs, lab, wanted })
    }

    /// What a path makes of the colours, as L*, a*, b*.
    pub fn seen(&self, path: &Path) -> Result<Vec<[f64; 3]>, CompileError> {
        let mut pixels = self.inputs.clone();
        Program::compile(path, &self.from, &self.judged)?.run(&mut pixels);
        Ok(pixels.iter().map(|p| lab_of(&self.lab, p)).collect())
    }

    /// Lightness, chroma and hue differences of a path from what is wanted, three a colour, each over its CIEDE2000 weight at
    /// the wanted colour; close to CIEDE2000 for small ones.
    pub fn residuals(&self, path: &Path) -> Vec<f64> {
        let Ok(seen) = self.seen(path) else { return vec![f64::NAN; 3 * self.wanted.len()] };
        seen.iter().zip(&self.wanted).flat_map(|(lab, w)| w.off(*lab)).collect()
    }

    /// CIEDE2000 of each colour.
    pub fn differences(&self, path: &Path) -> Result<Vec<f64>, CompileError> {
        Ok(self.seen(path)?.iter().zip(&self.wanted).map(|(a, w)| ciede2000(*a, w.lab)).collect())
    }
}

fn lab_of(lab: &LabOf, p: &[f32; 4]) -> [f64; 3] {
    lab.lab([p[0], p[1], p[2]].map(f64::from))
}

impl Wanted {
    /// A colour that counts by `weight`.
    pub(super) fn new(lab: [f64; 3], weight: f64) -> Self {
        let [l, a, b] = lab;
        let c7 = a.hypot(b).powi(7);
        let stretch = 1.5 - 0.5 * (c7 / (c7 + 25.0_f64.powi(7))).sqrt();
        let c = (a * stretch).hypot(b);
        let along = if c > 1e-6 { [a * stretch / c, b / c] } else { [1.0, 0.0] };
        let h = (b.atan2(a * stretch)).to_degrees();
        let cos = |degrees: f64| degrees.to_radians().cos();
        let t = 1.0 - 0.17 * cos(h - 30.0) + 0.24 * cos(2.0 * h) + 0.32 * cos(3.0 * h + 6.0)
            - 0.20 * cos(4.0 * h - 63.0);
        let l50 = (l - 50.0).powi(2);
        let sl = 1.0 + 0.015 * l50 / (20.0 + l50).sqrt();
        let scale = [sl, 1.0 + 0.045 * c, 1.0 + 0.015 * c * t].map(|s| weight.sqrt() / s);
        Self { lab, stretch, along, scale }
    }

    /// Lightness, chroma and hue differences of a colour from it, each over its weight.
    pub(super) fn off(&self, lab: [f64; 3]) -> [f64; 3] {
        let (da, db) = ((lab[1] - self.lab[1]) * self.stretch, lab[2] - self.lab[2]);
        let [x, y] = self.along;
        [
            (lab[0] - self.lab[0]) * self.scale[0],
            (da * x + db * y) * self.scale[1],
            (db * x - da * y) * self.scale[2],
        ]
    }
}
