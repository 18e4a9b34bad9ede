//! The sets of the demo production.

pub mod ferry;
pub mod greenhouse;
pub mod lamp_room;
pub mod market;
pub mod mole;
pub mod net_loft;
pub mod rope_walk;
pub mod salt_pans;
pub mod workbench;
