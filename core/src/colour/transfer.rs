//! Transfer functions: code values to linear values and back, on planes of pixels.

use super::log_curve::LogCurve;
use crate::numeric::lane::{Channel, N, Planes, each_value, exp2, log2, powf, select, signed_pow};

/// A transfer function. `decode` gives linear values, `encode` code values; both are defined for every finite
/// input, negative values included, and are inverse to each other where the standard's own range allows it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Transfer {
    /// Values are linear already.
    Linear,
    /// ACEScc, AMPAS S-2014-003. All values at or below zero share one code value.
    AcesCc,
    /// ACEScct, AMPAS S-2016-001.
    AcesCct,
    /// Printing-density log: 10-bit code 95 is black, 685 is white, 0.002 density a code value, 0.6 gamma.
    Cineon,
    /// A pure power, odd about zero: BT.1886 with zero black (2.4), digital cinema (2.6).
    Power(f32),
    /// IEC 61966-2-1, continued oddly below zero.
    Srgb,
    /// SMPTE ST 2084 with linear 1.0 = [`REFERENCE_WHITE`].
    Pq,
    /// ITU-R BT.2100 HLG as display light of a 1000 cd/m2 display, linear 1.0 = [`REFERENCE_WHITE`]. The only
    /// transfer here that mixes the channels: its OOTF works on luminance.
    Hlg,
    /// A camera's log curve by its constants.
    Log(LogCurve),
}

/// Linear 1.0 of an HDR display in cd/m2, where SDR white meets it: HDR reference white (ITU-R BT.2408-7, table 1:
/// 58 % PQ, 75 % HLG).
pub const REFERENCE_WHITE: f32 = 203.0;

impl Transfer {
    /// Linear values of one colour's code values.
    pub fn decoded(&self, rgb: [f32; 3]) -> [f32; 3] {
        let mut planes = rgb.map(Channel::of);
        self.decode(&mut planes);
        planes.map(|plane| plane[0])
    }

    /// Code values of linear values.
    pub fn encoded(&self, rgb: [f32; 3]) -> [f32; 3] {
        let mut planes = rgb.map(Channel::of);
        self.encode(&mut planes);
        planes.map(|plane| plane[0])
    }

    /// Code values to linear values.
    #[inline(always)]
    pub fn decode(&self, p: &mut Planes) {
        match self {
            Self::Linear => {}
            Self::AcesCc => each_value!(p, v => acescc_to_linear(v)),
            Self::AcesCct => each_value!(p, v => acescct_to_linear(v)),
            Self::Cineon => each_value!(p, v => cineon_to_linear(v)),
            Self::Power(g) => each_value!(p, v => signed_pow(v, *g)),
            Self::Srgb => each_value!(p, v => srgb_to_linear(v)),
            Self::Pq => each_value!(p, v => pq_to_linear(v)),
            Self::Hlg => hlg_to_linear(p),
            // A copy: constants that are read through a reference keep the loop scalar.
            Self::Log(c) => {
                let c = *c;
                each_value!(p, v => c.to_linear(v));
            }
        }
    }

    /// Linear values to code values.
    #[inline(always)]
    pub fn encode(&self, p: &mut Planes) {
        match self {
            Self::Linear => {}
            Self::AcesCc => each_value!(p, v => linear_to_acescc(v)),
            Self::AcesCct => each_value!(p, v => linear_to_acescct(v)),
            Self::Cineon => each_value!(p, v => linear_to_cineon(v)),
            Self::Power(g) => each_value!(p, v => signed_pow(v, 1.0 / g)),
            Self::Srgb => each_value!(p, v => linear_to_srgb(v)),
            Self::Pq => each_value!(p, v => linear_to_pq(v)),
            Self::Hlg => linear_to_hlg(p),
            Self::Log(c) => {
                let c = *c;
                each_value!(p, v => c.to_code(v));
            }
        }
    }
}

/// AMPAS S-2014-003, 4.4.2.
#[inline(always)]
fn acescc_to_linear(v: f32) -> f32 {
    const KNEE: f32 = (9.72 - 15.0) / 17.52;
    let e = exp2(v * 17.52 - 9.72);
    select(v <= KNEE, (e - 1.0 / 65536.0) * 2.0, e)
}

/// AMPAS S-2014-003, 4.4.1.
#[inline(always)]
fn linear_to_acescc(v: f32) -> f32 {
    let low = 1.0 / 65536.0 + v.max(0.0) * 0.5;
    (log2(select(v < 1.0 / 32768.0, low, v)) + 9.72) / 17.52
}

/// Slope of ACEScct's linear part (AMPAS S-2016-001, 4.4).
pub const CCT_SLOPE: f32 = 10.540_238;
/// ACEScct code value of zero light (AMPAS S-2016-001, 4.4).
pub const CCT_BLACK: f32 = 0.072_905_534;

/// AMPAS S-2016-001, 4.4. The standard's ceiling of 65504 is left to file writers: nothing is clipped here.
#[inline(always)]
pub fn acescct_to_linear(v: f32) -> f32 {
    const KNEE: f32 = 0.155_251_14;
    select(v <= KNEE, (v - CCT_BLACK) / CCT_SLOPE, exp2(v * 17.52 - 9.72))
}

/// AMPAS S-2016-001, 4.4.
#[inline(always)]
pub fn linear_to_acescct(v: f32) -> f32 {
    const KNEE: f32 = 0.007_812_5;
    select(v <= KNEE, v * CCT_SLOPE + CCT_BLACK, (log2(v.max(KNEE)) + 9.72) / 17.52)
}

/// Density span from reference black to reference white over the negative's gamma, in log10 exposure.
const CINEON_SPAN: f64 = (685.0 - 95.0) * 0.002 / 0.6;
const LOG2_10: f32 = std::f32::consts::LOG2_10;

/// Printing-density log to linear: white (685) is 1, black (95) is 0.
#[inline(always)]
fn cineon_to_linear(v: f32) -> f32 {
    let black = 10.0_f64.powf(-CINEON_SPAN) as f32;
    (exp2((v * 1023.0 - 685.0) * (0.002 / 0.6) * LOG2_10) - black) / (1.0 - black)
}

#[inline(always)]
fn linear_to_cineon(v: f32) -> f32 {
    let black = 10.0_f64.powf(-CINEON_SPAN) as f32;
    // Code 0 is the lowest that the 10-bit file holds; below it the logarithm has no value.
    let lowest = 10.0_f64.powf(-685.0 * 0.002 / 0.6) as f32;
    (685.0 + log2((v * (1.0 - black) + black).max(lowest)) / LOG2_10 * (0.6 / 0.002)) / 1023.0
}

/// IEC 61966-2-1, 5.2.
#[inline(always)]
fn srgb_to_linear(v: f32) -> f32 {
    let a = v.abs();
    select(a <= 0.040_45, a / 12.92, powf((a + 0.055) / 1.055, 2.4)).copysign(v)
}

/// IEC 61966-2-1, 5.3.
#[inline(always)]
fn linear_to_srgb(v: f32) -> f32 {
    let a = v.abs();
    select(a <= 0.003_130_8, a * 12.92, 1.055 * powf(a, 1.0 / 2.4) - 0.055).copysign(v)
}

// SMPTE ST 2084:2014, 5.2 (constants as the exact fractions given there).
const M1: f32 = 2610.0 / 16384.0;
const M2: f32 = 2523.0 / 4096.0 * 128.0;
const C1: f32 = 3424.0 / 4096.0;
const C2: f32 = 2413.0 / 4096.0 * 32.0;
const C3: f32 = 2392.0 / 4096.0 * 32.0;

#[inline(always)]
fn pq_to_linear(v: f32) -> f32 {
    let n = powf(v, 1.0 / M2);
    powf((n - C1).max(0.0) / (C2 - C3 * n), 1.0 / M1) * (10_000.0 / REFERENCE_WHITE)
}

#[inline(always)]
fn linear_to_pq(v: f32) -> f32 {
    let y = powf(v * (REFERENCE_WHITE / 10_000.0), M1);
    powf((C1 + C2 * y) / (1.0 + C3 * y), M2)
}

/// Peak of the HLG display in cd/m2, and its system gamma (ITU-R BT.2100-2, table 5, note 5f).
pub const HLG_PEAK: f32 = 1000.0;
const HLG_GAMMA: f32 = 1.2;
const HLG_A: f32 = 0.178_832_77;
const HLG_B: f32 = 1.0 - 4.0 * HLG_A;
const HLG_C: f32 = 0.559_910_7;
/// Luminance weights of ITU-R BT.2100-2, table 5.
const HLG_LUMA: [f32; 3] = [0.2627, 0.6780, 0.0593];

/// ITU-R BT.2100-2, table 5: inverse OETF.
#[inline(always)]
fn hlg_scene(v: f32) -> f32 {
    let high = (exp2((v - HLG_C) / HLG_A * std::f32::consts::LOG2_E) + HLG_B) / 12.0;
    select(v <= 0.5, v.max(0.0) * v / 3.0, high)
}

/// ITU-R BT.2100-2, table 5: OETF.
#[inline(always)]
fn hlg_code(e: f32) -> f32 {
    let high = HLG_A * log2((12.0 * e - HLG_B).max(1e-6)) * std::f32::consts::LN_2 + HLG_C;
    select(e <= 1.0 / 12.0, powf(3.0 * e, 0.5), high)
}

/// Multiplies a block by its luminance to a power.
#[inline(always)]
fn hlg_ootf(p: &mut Planes, power: f32, factor: f32) {
    let [r, g, b] = p;
    for i in 0..N {
        let y = HLG_LUMA[0] * r[i] + HLG_LUMA[1] * g[i] + HLG_LUMA[2] * b[i];
        let gain = powf(y, power) * factor;
        r[i] *= gain;
        g[i] *= gain;
        b[i] *= gain;
    }
}

/// ITU-R BT.2100-2, table 5: inverse OETF, then the OOTF with alpha = peak, beta = 0.
#[inline(always)]
fn hlg_to_linear(p: &mut Planes) {
    each_value!(p, v => hlg_scene(v));
    hlg_ootf(p, HLG_GAMMA - 1.0, HLG_PEAK / REFERENCE_WHITE);
}

/// The inverse of [`hlg_to_linear`]; light below zero becomes zero.
#[inline(always)]
fn linear_to_hlg(p: &mut Planes) {
    each_value!(p, v => v.max(0.0) * (REFERENCE_WHITE / HLG_PEAK));
    hlg_ootf(p, (1.0 - HLG_GAMMA) / HLG_GAMMA, 1.0);
    each_value!(p, e => hlg_code(e));
}
