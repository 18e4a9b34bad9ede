//! Bloom: the glow of a lens around bright things.

use super::kind::{Domain, FILM, Kind, KindInfo, Nothing, SPREADS};
use crate::film::Chain;
use crate::texture::Texture;

pub use crate::texture::Bloom;

impl Kind for Bloom {
    const INFO: KindInfo = KindInfo {
        kind: "bloom",
        title: "Bloom",
        purpose: "Glow of the lens around bright things",
        zones: FILM,
        domain: Domain::Linear,
        picture_only: SPREADS,
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn texture(&self, strength: f64, _: &Chain) -> Option<Texture> {
        Some(Texture::Bloom(self.kernel(strength)))
    }
}
