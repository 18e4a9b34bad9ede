//! The list of everything that is shot: which set, how many frames, how it is kept, and what is wrong with it.

use crate::scene::{ferry, greenhouse, lamp_room, market, mole, net_loft, rope_walk, salt_pans, workbench};
use crate::stage::Stage;
use lantern_core::step::{Balance, balance::WORKING_KELVIN};

/// Width of every picture in pixels; the height follows at 16:9.
pub const WIDTH: usize = 1920;
/// Positions a second of what moves: puppets are set for every second frame of 24.
pub const RATE: f32 = 12.0;

/// Whole paths a pixel where many lamps light each place.
const MANY: usize = 16;
/// The same where brass and glass mirror a lamp: the rims of its images need many.
const BRIGHT: usize = 40;

/// A still or moving picture of the production.
pub struct Take {
    /// The name of its file, or of its frames' folder.
    pub name: &'static str,
    /// The set at a time in seconds.
    pub build: fn(f32) -> Stage,
    /// The name of its linear render: takes of one set-up share it.
    pub render: &'static str,
    /// Frames; one for a still.
    pub frames: usize,
    /// Whole paths a pixel.
    pub paths: usize,
    /// The balance that would put it right: it was shot that much off.
    pub off: Balance,
    /// How it is kept.
    pub kept: Kept,
}

/// How a take is kept.
pub enum Kept {
    /// The camera's log, in 12 of the 16 bits of a PNG as a camera's recorder pads them.
    Log,
    /// Linear AP1 in half floats.
    Linear,
    /// As a display shows it, BT.709, 12 of 16 bits.
    Display,
    /// A finished still through a look, sRGB, 12 of 16 bits.
    Finished(&'static str),
}

impl Take {
    /// The file of a frame, counted from 0, in the folder of the pictures.
    pub fn file(&self, frame: usize) -> String {
        let ending = if matches!(self.kept, Kept::Linear) { "exr" } else { "png" };
        if self.frames == 1 {
            format!("{}.{ending}", self.name)
        } else {
            format!("{0}/{0}.{1:04}.{ending}", self.name, frame + 1)
        }
    }
}

/// The file that says how things move in the rope walk, beside its frames' folder.
pub fn motion_file() -> String {
    format!("{}.motion.json", rope_walk::NAME)
}

const fn right() -> Balance {
    Balance { exposure: 0.0, temperature: WORKING_KELVIN, tint: 0.0 }
}

const fn still(name: &'static str, build: fn(f32) -> Stage, kept: Kept) -> Take {
    Take { name, build, render: name, frames: 1, paths: 10, off: right(), kept }
}

const HARBOUR: &str = include_str!("../data/finish/embers.look.json");
const PALE: &str = include_str!("../data/finish/pale-sea.look.json");

/// Every take.
pub const TAKES: &[Take] = &[
    Take { paths: MANY, ..still("lantern-market", market::wide, Kept::Log) },
    Take {
        paths: MANY,
        off: Balance { exposure: 1.2, temperature: WORKING_KELVIN, tint: 0.0 },
        ..still("lantern-market-021", market::close, Kept::Log)
    },
    still("kelp-greenhouse", greenhouse::wide, Kept::Log),
    Take {
        off: Balance { exposure: -0.8, temperature: 4_600.0, tint: 6.0 },
        ..still("kelp-greenhouse-004", greenhouse::close, Kept::Log)
    },
    still("workbench", workbench::wide, Kept::Log),
    Take {
        render: "workbench",
        off: Balance { exposure: 1.0, temperature: 8_200.0, tint: -5.0 },
        ..still("workbench-002", workbench::wide, Kept::Log)
    },
    still("ferry-deck-008", ferry::close, Kept::Linear),
    still("foggy-mole-002", mole::fog, Kept::Display),
    still("salt-pans-003", salt_pans::noon, Kept::Log),
    still("net-loft-005", net_loft::menders, Kept::Log),
    Take {
        render: "lantern-market",
        paths: MANY,
        ..still("lantern-market-contrast", market::wide, Kept::Display)
    },
    Take { paths: BRIGHT, ..still("lamp-room-keeper", lamp_room::keeper, Kept::Finished(HARBOUR)) },
    Take { paths: BRIGHT, ..still("lamp-room-lamp", lamp_room::lamp, Kept::Finished(HARBOUR)) },
    still("mole-evening", mole::evening, Kept::Finished(HARBOUR)),
    still("mole-morning", mole::morning, Kept::Finished(PALE)),
    Take { frames: 6, paths: 6, ..still("ferry-deck-007", ferry::wide, Kept::Log) },
    Take { frames: rope_walk::FRAMES, paths: 6, ..still(rope_walk::NAME, rope_walk::travel, Kept::Log) },
];
