//! Colour compress: brings colours from outside the gamut in smoothly, and caps the peak.

use super::kind::{Domain, Kind, KindInfo, SCENE, Site};
use crate::colour::compress;

pub use crate::colour::compress::ColourCompress;

impl Kind for ColourCompress {
    const INFO: KindInfo = KindInfo {
        kind: "colour-compress",
        title: "Colour compress",
        purpose: "Brings colours outside the gamut in smoothly and caps the peak",
        zones: SCENE,
        domain: Domain::Linear,
        picture_only: "",
        fields: Self::FIELDS,
    };

    const WANTS_FREE_LIGHT: bool = true;

    type Kernel = compress::CompressKernel;

    fn work(&self, _: &Site) -> Option<Self::Kernel> {
        Some(self.kernel())
    }
}
