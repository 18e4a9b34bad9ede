//! Negative: the film in the camera, how it is exposed and developed.

use super::kind::{Domain, FILM, Kind, KindInfo, Nothing};
use crate::field::ValueError;

pub use crate::film::settings::Negative;

impl Kind for Negative {
    const INFO: KindInfo = KindInfo {
        kind: "negative",
        title: "Negative",
        purpose: "The film in the camera: stock, exposure, push, range",
        zones: FILM,
        domain: Domain::Rendering,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn check(&self) -> Result<(), ValueError> {
        self.stock.check()
    }
}
