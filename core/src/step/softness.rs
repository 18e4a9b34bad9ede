//! Softness: how sharply the film draws.

use super::kind::{Domain, FILM, Kind, KindInfo, Nothing, SPREADS};
use crate::film::Chain;
use crate::texture::Texture;

pub use crate::texture::Softness;

impl Kind for Softness {
    const INFO: KindInfo = KindInfo {
        kind: "softness",
        title: "Softness",
        purpose: "How sharply the film draws, and its edges",
        zones: FILM,
        domain: Domain::Exposure,
        picture_only: SPREADS,
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn texture(&self, strength: f64, film: &Chain) -> Option<Texture> {
        Some(Texture::Softness(self.kernel(strength, &film.stock)))
    }
}
