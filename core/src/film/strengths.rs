//! How much of a film's tones and of its colours a picture takes on.

use super::develop::STOP;
use super::even::EvenTable;
use crate::numeric::lane::{Channel, N, Planes, exp2, log2};

/// Entries of a film's neutral response, and the log exposures of its ends.
pub const ENTRIES: usize = 1024;
/// Ends of the neutral response in log exposure over middle grey.
pub const SPAN: [f64; 2] = [-4.5, 4.5];

/// Light below which logarithms stop.
const FAINTEST: f32 = 1e-6;

/// result = exp(ln P + tone (ln T - ln P) + colour (ln F - ln T)), with P the plain rendering, T the film's neutral
/// response on each channel and F the film, in linear AP1. Tone and colour 1 are the film; colour 0 keeps neutrals
/// exactly neutral; both 0 are the plain rendering.
#[derive(Clone, Debug, PartialEq)]
pub struct Strengths {
    /// Of the film's tones.
    pub tone: f32,
    /// Of the film's colours.
    pub colour: f32,
    /// log2 of the light that neutrals become, over [`SPAN`].
    pub response: EvenTable,
}

impl Strengths {
    /// The film's light `film` at these strengths, in its place. `scene` is the light before the film, `plain` what the
    /// plain rendering makes of it, `bare` the film of that light where nothing was put onto it in between (grain,
    /// halation): what was put on counts in full.
    #[inline(always)]
    pub fn run(&self, film: &mut Planes, scene: &Planes, plain: &Planes, bare: Option<&Planes>) {
        let (tone, colour) = (self.tone, self.colour);
        for c in 0..3 {
            let mut t = Channel::of(0.0);
            self.neutral(&scene[c], &mut t);
            for i in 0..N {
                let light = log2(film[c][i].max(FAINTEST));
                let own = match bare {
                    Some(bare) => log2(bare[c][i].max(FAINTEST)),
                    None => light,
                };
                let p = log2(plain[c][i].max(FAINTEST));
                film[c][i] = exp2(p + tone * (t[i] - p) + colour * (own - t[i]) + (light - own));
            }
        }
    }

    /// log2 of what the film makes of a neutral of each light.
    #[inline(always)]
    fn neutral(&self, light: &Channel, out: &mut Channel) {
        let scale = (ENTRIES - 1) as f32 / (SPAN[1] - SPAN[0]) as f32;
        for i in 0..N {
            let x = log2(light[i].max(FAINTEST) * (1.0 / super::GREY as f32)) * STOP as f32;
            out[i] = (x - SPAN[0] as f32) * scale;
        }
        self.response.read(out);
    }
}
