//! A negative and a print put together: solved, and ready for blocks.

use super::curve::CharacteristicCurve;
use super::develop::{Chemistry, Developing, RangeFit, STOP};
use super::dyes::{DENSEST, Dyes};
use super::even::EvenTable;
use super::expose::Exposing;
use super::print::{LOCK_POINTS, Printer, Printing, Projection};
use super::stock::{NegativeKind, NegativeStock, negatives};
use super::strengths::{ENTRIES, SPAN, Strengths};
use super::{GREY, MIDDLE_LIGHT, POINT};
use crate::colour::{Mat3, primaries::AP1};
use crate::film::settings::{Negative, Print};
use crate::numeric::lane::{Channel, N, Planes};
use std::sync::OnceLock;

/// What stands for a negative where a path has a print alone: the light as it is, on a long straight curve.
fn straight() -> CharacteristicCurve {
    CharacteristicCurve { gamma: 0.58, toe: [-1.9, 0.2], shoulder: [2.6, 0.3] }
}

/// The straight negative as a stock.
fn plain_stock() -> &'static NegativeStock {
    static STOCK: OnceLock<NegativeStock> = OnceLock::new();
    STOCK.get_or_init(|| {
        let main = &negatives()[0];
        let c = straight();
        let layer = super::stock::Layer {
            gamma: c.gamma,
            toe: c.toe[0],
            toe_soft: c.toe[1],
            shoulder: c.shoulder[0],
            shoulder_soft: c.shoulder[1],
        };
        NegativeStock {
            name: "Straight".into(),
            line: "Light as it is, on a long straight curve.".into(),
            kind: NegativeKind::Negative,
            capture: Mat3::IDENTITY.0,
            stray: 0.0,
            restraint: [[0.0; 3]; 3],
            base: [0.0; 3],
            layers: [layer.clone(), layer.clone(), layer],
            printing: Mat3::IDENTITY.0,
            ..main.clone()
        }
    })
}

/// A film from scene light to the screen: its parts for single colours, and ready for blocks.
#[derive(Clone, Debug)]
pub struct Chain {
    /// The negative's stock.
    pub stock: NegativeStock,
    /// Light from scene to layers.
    pub exposing: Exposing,
    /// Layers to densities.
    pub chemistry: Chemistry,
    /// The same for blocks.
    pub developing: Developing,
    /// The printer; a reversal has none.
    pub printer: Option<Printer>,
    /// The projection.
    pub projection: Projection,
    /// Printer and projection for blocks.
    pub printing: Printing,
    /// Where tones or colours are not taken in full.
    pub strengths: Option<Strengths>,
    /// Printer points, of red, green and blue light, that make up for how the negative was exposed and developed.
    pub made_up: [f64; 3],
    /// How far lights go above paper white on a display with headroom, 0..1.
    pub lights: f64,
    /// What exposure and development multiply light by, and what pre-flash adds to middle grey.
    pub exposed: [f64; 2],
    /// How much the grain has grown by push.
    pub grain_growth: f64,
    /// Density of base and fog of each layer.
    pub base: [f64; 3],
}

/// A negative as its step has it.
struct Set {
    stock: NegativeStock,
    chemistry: Chemistry,
    gain: f64,
    flash: f64,
    /// What the print sees of its densities.
    sees: Mat3,
    /// Density of fog that push adds.
    fog: [f64; 3],
    /// How far the layers see as the stock does.
    colour: f64,
    /// How much the grain has grown.
    growth: f64,
}

impl Chain {
    /// The chain of a negative and a print. Without a negative, the light goes onto a straight one; without a print, onto
    /// the neutral one that ships.
    pub fn new(negative: Option<&Negative>, print: Option<&Print>) -> Self {
        let neutral = Print::default();
        let print = print.unwrap_or(&neutral);
        let normal = negative.map(|n| Negative { exposure: 0.0, push: 0.0, flash: 0.0, ..n.clone() });
        let set = Set::new(negative);
        let makes_up = negative.is_some_and(|n| n.compensate);
        let reversal = set.stock.projected.clone();
        match reversal {
            Some(projected) => {
                let dyes = Dyes::new(&projected.dyes, print.projector);
                let mut projection = Projection::new(dyes, [0.0; 2], print.adapted);
                let silver = negative.map_or(0.0, |n| n.silver) * set.stock.silver;
                projection.silver = [silver, 0.0];
                let aim = projection.grey(projected.aim);
                let mut set = set;
                // A reversal has no printer that could make up for anything.
                let grey = Set::new(normal.as_ref()).grey_x();
                let offset = std::array::from_fn(|i| set.chemistry.curves[i].inverse(aim) + grey);
                set.chemistry.reversal = Some(offset);
                Self::finish(set, None, projection, print, [0.0; 3])
            }
            None => {
                let dyes = Dyes::new(&print.stock.dyes, print.projector);
                let silver = [print.silver * print.stock.silver, print.stock.silver_tilt];
                let projection = Projection::new(dyes, silver, print.adapted);
                let aim = projection.grey(print.stock.aim);
                let curves = print.stock.curves();
                // The light that gives middle grey its aim, for this negative and for the same one exposed and
                // developed normally.
                let solved = |set: &Set| -> [f64; 3] {
                    let seen = set.sees.apply(set.chemistry.neutral(set.grey_exposure()));
                    std::array::from_fn(|i| curves[i].inverse(aim) + seen[i] + set.fog[i])
                };
                let own = solved(&set);
                let usual = solved(&Set::new(normal.as_ref()));
                let made_up = std::array::from_fn(|i| (own[i] - usual[i]) / POINT);
                let points = [print.red, print.green, print.blue];
                let light = std::array::from_fn(|i| {
                    let solved = if makes_up { own[i] } else { usual[i] };
                    solved - set.fog[i] + POINT * (points[i] - MIDDLE_LIGHT)
                });
                let printer = Printer { sees: set.sees, light, curves };
                Self::finish(set, Some(printer), projection, print, made_up)
            }
        }
    }

    fn finish(
        set: Set,
        printer: Option<Printer>,
        mut projection: Projection,
        print: &Print,
        made_up: [f64; 3],
    ) -> Self {
        // The neutral scale, from deepest black up.
        let neutrals = |e: f64| {
            let d = set.chemistry.neutral(e * set.gain + set.flash * GREY);
            printer.as_ref().map_or(d, |p| p.at(d))
        };
        if print.lock > 0.0 {
            projection.locked = Some(lock(&projection, print.lock, &neutrals));
        }
        if print.black > 0.0 {
            let deepest = projection.to_ap1.apply(projection.xyz(neutrals(0.0)));
            projection.black = print.black * luma(deepest).max(0.0);
        }
        let (tone, colour) = (print.tone, print.colour);
        let strengths = (tone != 1.0 || colour != 1.0).then(|| {
            let response = |i: usize| {
                let x = SPAN[0] + (SPAN[1] - SPAN[0]) * i as f64 / (ENTRIES - 1) as f64;
                let light = projection.ap1(neutrals(GREY * 10_f64.powf(x)));
                luma(light).max(1e-6).log2() as f32
            };
            let response = EvenTable::new((0..ENTRIES).map(response));
            Strengths { tone: tone as f32, colour: colour as f32, response }
        });
        let (stock, chemistry) = (set.stock, set.chemistry);
        let base = stock.base;
        Self {
            exposing: Exposing::new(&stock, set.colour, set.gain, set.flash),
            developing: chemistry.lane(),
            printing: Printing::new(printer.as_ref(), &projection),
            stock,
            chemistry,
            printer,
            projection,
            strengths,
            made_up,
            lights: print.lights,
            exposed: [set.gain, set.flash],
            grain_growth: set.growth,
            base: std::array::from_fn(|i| base[i] + set.fog[i]),
        }
    }

    /// Scene light in linear AP1 to the light of the projected print, 1 for the clear print; both strengths in full.
    pub fn projected(&self, light: &[[f64; 3]]) -> Vec<[f64; 3]> {
        let mut projected = Vec::with_capacity(light.len());
        for some in light.chunks(N) {
            let mut planes: Planes = [Channel::of(0.0); 3];
            for (i, rgb) in some.iter().enumerate() {
                (0..3).for_each(|c| planes[c][i] = rgb[c] as f32);
            }
            self.exposing.run(&mut planes);
            self.developing.run(&mut planes);
            self.printing.run(&mut planes);
            projected.extend((0..some.len()).map(|i| [0, 1, 2].map(|c| f64::from(planes[c][i]))));
        }
        projected
    }

    /// Equivalent neutral densities of the print under a neutral light.
    pub fn neutral(&self, light: f64) -> [f64; 3] {
        let [gain, flash] = self.exposed;
        let d = self.chemistry.neutral(light * gain + flash * GREY);
        self.printer.as_ref().map_or(d, |p| p.at(d))
    }
}

/// Luminance of linear AP1.
fn luma(rgb: [f64; 3]) -> f64 {
    let w = AP1.luma();
    rgb.iter().zip(w).map(|(v, w)| v * w).sum()
}

impl Projection {
    /// The equivalent neutral density of all layers at which a grey, with silver and base, has a visual density.
    fn grey(&self, visual: f64) -> f64 {
        let wanted = visual - self.dyes.base_density;
        let (mut low, mut high) = (0.0, DENSEST);
        for _ in 0..50 {
            let middle = 0.5 * (low + high);
            if -self.xyz([middle; 3])[1].log10() < wanted { low = middle } else { high = middle }
        }
        0.5 * (low + high)
    }
}

/// The neutral lock: what each layer's density becomes so that neutrals lose `share` of their tint.
fn lock(projection: &Projection, share: f64, neutrals: &dyn Fn(f64) -> [f64; 3]) -> [Vec<f64>; 3] {
    const RAMP: usize = 481;
    // From the lightest to the densest, which is the order of rising density.
    let ramp: Vec<([f64; 3], f64)> = (0..RAMP)
        .rev()
        .map(|i| neutrals(GREY * (-12.0 + 24.0 * i as f64 / (RAMP - 1) as f64).exp2()))
        .map(|n| (n, -projection.dyes.xyz(projection.dyes.amounts(n), 0.0, 0.0)[1].log10()))
        .collect();
    std::array::from_fn(|k| {
        let mut at = 0;
        (0..LOCK_POINTS)
            .map(|i| {
                let n = DENSEST * i as f64 / (LOCK_POINTS - 1) as f64;
                while at + 2 < RAMP && ramp[at + 1].0[k] < n {
                    at += 1;
                }
                let ((a, ta), (b, tb)) = (&ramp[at], &ramp[at + 1]);
                let t = ((n - a[k]) / (b[k] - a[k]).max(1e-9)).clamp(0.0, 1.0);
                // Beyond the scale's ends the last move stays.
                let beyond = (n - b[k]).max(0.0) + (n - a[k]).min(0.0);
                let to = ta + t * (tb - ta) + beyond;
                n + share * (to - n)
            })
            .collect()
    })
}

/// How much a stop of push makes grain grow (common practice: about a quarter).
const GROWTH: f64 = 1.25;

/// Stops about middle grey that a reversal holds where a scene's range is fitted into it.
const REVERSAL_LATITUDE: [f64; 2] = [-5.0, 3.0];

impl Set {
    fn new(negative: Option<&Negative>) -> Self {
        let plain = Negative { stock: plain_stock().clone(), ..Default::default() };
        let n = negative.unwrap_or(&plain);
        let stock = n.stock.clone();
        let silver_film = stock.kind == NegativeKind::BlackAndWhite;
        let (tone, colour) = (n.tone, if silver_film { 1.0 } else { n.colour });
        let push = &stock.push;
        let curves = stock.curves();
        let pushed: [CharacteristicCurve; 3] = std::array::from_fn(|i| {
            let c = curves[i];
            let gamma = c.gamma * (push.contrast * n.push * push.contrast_layers[i]).exp();
            CharacteristicCurve { gamma, toe: [c.toe[0] - push.speed * n.push * STOP, c.toe[1]], ..c }
        });
        let mean = CharacteristicCurve::mean(&pushed);
        let base = if stock.kind == NegativeKind::Reversal { mean } else { straight() };
        let curves = pushed.map(|c| base.toward(&mean.toward(&c, colour), tone));
        let fog: [f64; 3] = push.fog_layers.map(|w| w * push.fog * ((0.55 * n.push).exp() - 1.0) / 0.55);
        let common = CharacteristicCurve::mean(&curves);
        let latitude = match stock.kind {
            NegativeKind::Reversal => REVERSAL_LATITUDE,
            _ => [common.toe[0] / STOP, common.shoulder[0] / STOP],
        };
        let silver = n.silver * stock.silver / 3.0;
        let sees = Mat3(std::array::from_fn(|i| {
            std::array::from_fn(|j| {
                let plain = Mat3::IDENTITY.0[i][j];
                plain + colour * (stock.printing[i][j] - plain) + silver
            })
        }));
        Self {
            chemistry: Chemistry {
                fit: RangeFit::new([n.scene_black, n.scene_white], latitude, n.range_fit),
                curves,
                common,
                restraint: stock.restraint.map(|row| row.map(|v| v * colour)),
                reversal: None,
            },
            gain: (n.exposure - n.push).exp2(),
            flash: n.flash,
            sees,
            fog,
            colour,
            growth: GROWTH.powf(n.push),
            stock,
        }
    }

    /// What middle grey exposes the layers by.
    fn grey_exposure(&self) -> f64 {
        GREY * (self.gain + self.flash)
    }

    /// The same in log exposure.
    fn grey_x(&self) -> f64 {
        self.chemistry.x(self.grey_exposure())
    }
}
