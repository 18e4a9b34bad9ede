//! Flicker: density that breathes from frame to frame.

use super::kind::{CHANGES, Domain, FILM, Kind, KindInfo, Nothing};
use crate::film::Chain;
use crate::texture::Texture;

pub use crate::texture::Flicker;

impl Kind for Flicker {
    const INFO: KindInfo = KindInfo {
        kind: "flicker",
        title: "Flicker",
        purpose: "Density that breathes from frame to frame",
        zones: FILM,
        domain: Domain::Density,
        picture_only: CHANGES,
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn texture(&self, strength: f64, _: &Chain) -> Option<Texture> {
        Some(Texture::Flicker(self.kernel(strength)))
    }
}
