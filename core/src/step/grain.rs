//! Grain: the grain of the negative.

use super::kind::{CHANGES, Domain, FILM, Kind, KindInfo, Nothing};
use crate::film::Chain;
use crate::texture::Texture;

pub use crate::texture::Grain;

impl Kind for Grain {
    const INFO: KindInfo = KindInfo {
        kind: "grain",
        title: "Grain",
        purpose: "The grain of the negative, in its own density",
        zones: FILM,
        domain: Domain::Density,
        picture_only: CHANGES,
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn texture(&self, strength: f64, film: &Chain) -> Option<Texture> {
        Some(Texture::Grain(self.kernel(strength, film)))
    }
}
