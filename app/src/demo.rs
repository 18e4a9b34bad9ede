//! The demo production, built into the program.

use crate::files::{Failure, Outcome};
use lantern_core::look::Look;
use lantern_server::{
    Data,
    seed::{Seed, SeedShot, seed},
};

const LOOKS: [&str; 3] = [
    include_str!("../../demo/data/looks/harbour-dusk.look.json"),
    include_str!("../../demo/data/looks/brine-light.look.json"),
    include_str!("../../demo/data/looks/salt-and-ember.look.json"),
];

const fn shot(name: &'static str, picture: &'static [u8]) -> SeedShot<'static> {
    SeedShot { name, encoding: "camera", picture }
}

/// Puts the demo production into a data folder that has none.
pub fn prepare(data: &Data) -> Outcome<()> {
    let fail = |e: &dyn std::fmt::Display| Failure(format!("the demo production: {e}"));
    let camera =
        serde_json::from_str(include_str!("../../demo/data/harrier.camera.json")).map_err(|e| fail(&e))?;
    let looks =
        LOOKS.map(Look::from_json).into_iter().collect::<Result<Vec<_>, _>>().map_err(|e| fail(&e))?;
    let scenes: [(&str, &[SeedShot<'_>]); 3] = [
        (
            "Lantern market",
            &[shot("lantern market 014", include_bytes!("../../demo/data/lantern-market.png"))],
        ),
        (
            "Kelp greenhouse",
            &[shot("kelp greenhouse 003", include_bytes!("../../demo/data/kelp-greenhouse.png"))],
        ),
        ("Workbench", &[shot("workbench 001", include_bytes!("../../demo/data/workbench.png"))]),
    ];
    let production = Seed { name: "The Salt Clock", camera: &camera, scenes: &scenes, looks: &looks };
    seed(data, &production).map(|_| ()).map_err(|e| Failure(format!("the demo production: {e:?}")))
}
