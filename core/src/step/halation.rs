//! Halation: light that comes back from the film's base.

use super::kind::{Domain, FILM, Kind, KindInfo, Nothing, SPREADS};
use crate::film::Chain;
use crate::texture::Texture;

pub use crate::texture::Halation;

impl Kind for Halation {
    const INFO: KindInfo = KindInfo {
        kind: "halation",
        title: "Halation",
        purpose: "Light that comes back from the film's base, around bright things",
        zones: FILM,
        domain: Domain::Exposure,
        picture_only: SPREADS,
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn texture(&self, strength: f64, film: &Chain) -> Option<Texture> {
        Some(Texture::Halation(self.kernel(strength, &film.stock.halation)))
    }
}
