//! Vignette: light falling off toward the edges.

use super::kind::{Domain, FILM, Kind, KindInfo, Nothing, PLACE};
use crate::film::Chain;
use crate::texture::Texture;

pub use crate::texture::Vignette;

impl Kind for Vignette {
    const INFO: KindInfo = KindInfo {
        kind: "vignette",
        title: "Vignette",
        purpose: "Light falling off toward the edges, in stops",
        zones: FILM,
        domain: Domain::Linear,
        picture_only: PLACE,
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn texture(&self, strength: f64, _: &Chain) -> Option<Texture> {
        Some(Texture::Vignette(self.kernel(strength)))
    }
}
