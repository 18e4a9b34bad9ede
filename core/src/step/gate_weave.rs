//! Gate weave: a frame that does not quite stand still.

use super::kind::{CHANGES, Domain, FILM, Kind, KindInfo, Nothing};
use crate::film::Chain;
use crate::texture::Texture;

pub use crate::texture::GateWeave;

impl Kind for GateWeave {
    const INFO: KindInfo = KindInfo {
        kind: "gate-weave",
        title: "Gate weave",
        purpose: "A frame that does not quite stand still",
        zones: FILM,
        domain: Domain::Density,
        picture_only: CHANGES,
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn texture(&self, strength: f64, _: &Chain) -> Option<Texture> {
        Some(Texture::GateWeave(self.kernel(strength)))
    }
}
