//! Print: the film in the projector, and the printer's light.

use super::kind::{Domain, FILM, Kind, KindInfo, Nothing};
use crate::field::ValueError;

pub use crate::film::settings::Print;

impl Kind for Print {
    const INFO: KindInfo = KindInfo {
        kind: "print",
        title: "Print",
        purpose: "The film in the projector: stock, printer points, silver",
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
