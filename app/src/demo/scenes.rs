//! What the demo production is made of.

/// A shot's name, its encoding, and its file or the folder of its frames.
pub type Row = (&'static str, &'static str, &'static str);

/// The scene that holds finished stills.
pub const FINISHED: &str = "References";

/// Scenes with their shots.
pub const SCENES: [(&str, &[Row]); 9] = [
    (
        "Lantern market",
        &[
            ("lantern market 014", "camera", "lantern-market.png"),
            ("lantern market 021", "camera", "lantern-market-021.png"),
        ],
    ),
    (
        "Kelp greenhouse",
        &[
            ("kelp greenhouse 003", "camera", "kelp-greenhouse.png"),
            ("kelp greenhouse 004", "camera", "kelp-greenhouse-004.png"),
        ],
    ),
    (
        "Ferry deck",
        &[("ferry deck 007", "camera", "ferry-deck-007"), ("ferry deck 008", "acescg", "ferry-deck-008.exr")],
    ),
    ("Foggy mole", &[("foggy mole 002", "rec709", "foggy-mole-002.png")]),
    ("Salt pans", &[("salt pans 003", "camera", "salt-pans-003.png")]),
    ("Net loft", &[("net loft 005", "camera", "net-loft-005.png")]),
    ("Rope walk", &[("rope walk 012", "camera", "rope-walk-012")]),
    (
        "Workbench",
        &[("workbench 001", "camera", "workbench.png"), ("workbench 002", "camera", "workbench-002.png")],
    ),
    (
        FINISHED,
        &[
            ("lamp room, keeper", "srgb", "lamp-room-keeper.png"),
            ("lamp room, great lamp", "srgb", "lamp-room-lamp.png"),
            ("mole at evening", "srgb", "mole-evening.png"),
            ("mole in the morning", "srgb", "mole-morning.png"),
            ("lantern market 014, contrast", "rec709", "lantern-market-contrast.png"),
        ],
    ),
];

/// Shots and the stills that are their contrast frames.
pub const CONTRAST: [(&str, &str); 1] = [("lantern market 014", "lantern market 014, contrast")];

/// Frames a second of what moves: puppets are set for every second frame of 24.
pub const RATE: f64 = 12.0;
