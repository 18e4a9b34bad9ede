//! What leaves the program: a look as files of tables in open formats, packages of them with their proof, and what is said of
//! files that come back. No server, no database: the command line does all of it anywhere.

pub mod configuration;
pub mod corrections;
pub mod graded;
pub mod identify;
pub mod manifest;
pub mod movie;
pub mod package;
pub mod pipeline;
pub mod plan;
pub mod rate;
pub mod report;
pub mod sink;
pub mod table_file;
pub mod unzip;
pub mod verify;
