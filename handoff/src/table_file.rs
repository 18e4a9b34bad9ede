//! A look as a file of a table: made, written, read back.

use crate::plan::plain_name;
use lantern_core::bake::{self, Bake, Before};
use lantern_core::colour::Encoding;
use lantern_core::graph::{Program, plain};
use lantern_core::table::{Domain, Table, TableError};
use lantern_formats::registry::{TABLES, TableFormat};
use lantern_formats::{FormatError, cube, hald};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::atomic::AtomicBool;
use thiserror::Error;

/// Points on a side of tables that are handed off.
pub const SIZES: [usize; 3] = [17, 33, 65];

/// A format that tables are handed off in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Format {
    /// Cube LUT specification 1.0.
    #[default]
    Cube,
    /// Common LUT Format (SMPTE ST 2136-1).
    Clf,
    /// A 1D table of .spi1d.
    Spi1d,
    /// A 3D table of .spi3d.
    Spi3d,
    /// A picture that holds a 3D table.
    Hald,
}

impl Format {
    /// All of them.
    pub const ALL: [Self; 5] = [Self::Cube, Self::Clf, Self::Spi1d, Self::Spi3d, Self::Hald];

    /// Its word.
    pub fn id(self) -> &'static str {
        match self {
            Self::Cube => "cube",
            Self::Clf => "clf",
            Self::Spi1d => "spi1d",
            Self::Spi3d => "spi3d",
            Self::Hald => "hald",
        }
    }

    /// What it is, for people who choose one.
    pub fn says(self) -> &'static str {
        match self {
            Self::Cube => "Cube LUT specification 1.0",
            Self::Clf => "Common LUT Format (SMPTE ST 2136-1): formulas stay formulas",
            Self::Spi1d => "one curve for each channel",
            Self::Spi3d => "one 3D table over 0..1",
            Self::Hald => "a picture that holds a 3D table (PNG of 16 bit)",
        }
    }

    /// Its entry among the formats of tables.
    pub fn entry(self) -> &'static TableFormat {
        TABLES.iter().find(|f| f.id == self.id()).unwrap_or(&cube::FORMAT)
    }

    /// What its files end with.
    pub fn ending(self) -> &'static str {
        self.entry().endings[0]
    }
}

/// The range of code values that go into and come out of a table.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Range {
    /// 0 to 1.
    #[default]
    Full,
    /// 64 to 940 of 10 bit.
    Legal,
}

impl Range {
    /// Its word.
    pub fn id(self) -> &'static str {
        match self {
            Self::Full => "full",
            Self::Legal => "legal",
        }
    }
}

/// What a file is to be.
#[derive(Clone, Debug)]
pub struct Wanted<'a> {
    /// What the look is called.
    pub look: &'a str,
    /// What goes in.
    pub from: &'a Encoding,
    /// What comes out.
    pub to: &'a Encoding,
    /// The format.
    pub format: Format,
    /// Points on a side: 17, 33 or 65. A HaldCLUT has the next square number.
    pub size: usize,
    /// The range of both.
    pub range: Range,
}

/// A file.
#[derive(Clone, Debug)]
pub struct TableFile {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// The table as it is read back from them.
    pub table: Table,
    /// What somebody who gets it has to know, in sentences.
    pub says: Vec<String>,
}

impl Wanted<'_> {
    /// The name of its file: what it is of, what it takes and gives by `way`, its size, and its range where that is not the
    /// usual one.
    pub fn file_name(&self, version: Option<i32>, way: [&str; 2]) -> String {
        let [from, to] = way.map(|e| {
            let stem = std::path::Path::new(e).file_stem().and_then(|s| s.to_str());
            plain_name(stem.unwrap_or(e), "encoding")
        });
        let look = plain_name(self.look, "look");
        let version = version.map_or(String::new(), |v| format!("_v{v}"));
        let legal = if self.range == Range::Legal { "_legal" } else { "" };
        let hald = if self.format == Format::Hald { "_hald" } else { "" };
        format!("{look}{version}_{from}_to_{to}_{}{legal}{hald}.{}", self.size, self.format.ending())
    }
}

/// Why a file cannot be made.
#[derive(Debug, Error)]
pub enum TableFileError {
    /// A size that is not handed off.
    #[error("a table is written with 17, 33 or 65 points on a side, not {0}")]
    Size(usize),
    /// Legal range of linear light.
    #[error("legal range is of code values, and {0} is linear light: take full range")]
    LegalLight(String),
    /// A format of curves, and a look that mixes channels.
    #[error(
        "an spi1d holds one curve for each channel, and this path mixes channels: take cube, clf, spi3d or hald"
    )]
    Mixes,
    /// A format over 0..1 alone, and an encoding that goes beyond.
    #[error(
        "{format} holds a 3D table over 0..1, and {from} goes beyond: take cube or clf, or another logarithmic encoding as acescct"
    )]
    Beyond {
        /// The format.
        format: &'static str,
        /// What goes in.
        from: String,
    },
    /// A path that does not go from one encoding to the other.
    #[error("{0}")]
    Path(String),
    /// The numbers make no table.
    #[error("{0}")]
    Table(#[from] TableError),
    /// The format does not hold it, or does not read back.
    #[error("{0}")]
    Format(#[from] FormatError),
}

/// What is said of a .cube with both parts.
const NARROW: &str = "this table has a 1D part before its 3D part, as linear light, ACEScc, and SDR sources on HDR \
    displays need: programs that read 3D tables alone do not take it. From another logarithmic encoding (acescct, for one) there is none";

/// What is said where the darks of a table to an HDR display are rough.
const ROUGH: &str = "holds no curve before its 3D table, and without one the darks of an SDR source are rough on an HDR display: \
    take cube or clf, which hold one";

/// Refuses what [`make`] would refuse, without making it.
pub fn check(program: &Program, wanted: &Wanted<'_>) -> Result<(), TableFileError> {
    let Wanted { from, to, format, size, range, .. } = *wanted;
    if !SIZES.contains(&size) {
        return Err(TableFileError::Size(size));
    }
    let legal = range == Range::Legal;
    if let Some(light) = [from, to].into_iter().find(|e| legal && e.is_linear()) {
        return Err(TableFileError::LegalLight(light.id.clone()));
    }
    let plan = Bake::plan(from, size);
    let over_unit = plan.before == Before::Nothing && plan.domain == Domain::UNIT;
    let beyond = match format {
        Format::Cube | Format::Clf => false,
        Format::Spi1d => plan.before != Before::Nothing,
        Format::Spi3d | Format::Hald => !over_unit,
    };
    if beyond {
        return Err(TableFileError::Beyond { format: format.entry().name, from: from.id.clone() });
    }
    if format == Format::Spi1d {
        // The fewest points: what matters is whether there are any.
        let listed = program.listed([from, to], 2, legal, "", &AtomicBool::new(false))?;
        if listed.is_some_and(|l| !l.is_by_channel()) {
            return Err(TableFileError::Mixes);
        }
    }
    Ok(())
}

/// Makes a file of a program, on all threads of the current pool. `None` when `cancel` was set meanwhile.
pub fn make(
    program: &Program,
    wanted: &Wanted<'_>,
    cancel: &AtomicBool,
) -> Result<Option<TableFile>, TableFileError> {
    check(program, wanted)?;
    let Wanted { from, to, format, size, range, .. } = *wanted;
    let legal = range == Range::Legal;
    let title = bake::title(wanted.look, from, to, legal);
    let mut says = Vec::new();
    let entry = format.entry();
    let points = if format == Format::Hald { hald::points_for(size) } else { size };
    if points != size {
        says.push(format!("a HaldCLUT has a square number of points on a side: {points} in place of {size}"));
    }
    let plan = Bake { legal, ..Bake::between(from, to, points) };
    // What holds a 3D table alone gets one.
    let alone = matches!(format, Format::Spi3d | Format::Hald) && matches!(plan.before, Before::Root(_));
    let plan = if alone { Bake { before: Before::Nothing, ..plan } } else { plan };
    if alone {
        says.push(format!("{} {ROUGH}", entry.name));
    }
    let made = match format {
        Format::Clf => program.listed([from, to], points, legal, &title, cancel)?,
        Format::Spi1d => {
            let Some(listed) = program.listed([from, to], points, legal, &title, cancel)? else {
                return Ok(None);
            };
            Some(plain(&listed, from)?.into_owned())
        }
        Format::Cube | Format::Spi3d | Format::Hald => bake::bake(program, &plan, &title, cancel)?,
    };
    let Some(table) = made else { return Ok(None) };
    if format == Format::Cube && cube::is_narrow(&table) {
        says.push(NARROW.into());
    }
    if format == Format::Clf {
        says.push(format!("it is made of: {}", table.summary()));
    }
    let write = entry.write.ok_or(TableFileError::Format(FormatError::UnknownPicture))?;
    let bytes = write(&table, &[])?;
    let table = (entry.read)(&bytes, &title)?;
    Ok(Some(TableFile { bytes, table, says }))
}

impl TableFile {
    /// The table as one for full range: what it is proven and judged as.
    pub fn in_full_range(&self, range: Range) -> Result<Table, TableError> {
        match range {
            Range::Full => Ok(self.table.clone()),
            Range::Legal => self.table.clone().of_legal(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::look::Path;

    fn made(format: Format, from: &str, to: &str, range: Range) -> Result<TableFile, TableFileError> {
        let [from, to] = [from, to].map(|id| Encoding::find(id).unwrap());
        let program = Program::compile(&Path::default(), &from, &to).unwrap();
        let wanted = Wanted { look: "t", from: &from, to: &to, format, size: 33, range };
        make(&program, &wanted, &AtomicBool::new(false)).map(Option::unwrap)
    }

    #[test]
    fn every_format_that_holds_3d_tables_gives_the_same_colours() {
        let colours = [[0.2_f32, 0.3, 0.4, 1.0], [0.41, 0.41, 0.41, 1.0], [0.6, 0.5, 0.3, 1.0]];
        let run = |format| {
            let mut pixels = colours;
            made(format, "acescct", "rec709", Range::Full).unwrap().table.apply(&mut pixels);
            pixels
        };
        let want = run(Format::Cube);
        for format in [Format::Clf, Format::Spi3d, Format::Hald] {
            for (a, b) in run(format).as_flattened().iter().zip(want.as_flattened()) {
                assert!((a - b).abs() < 2e-3, "{format:?}");
            }
        }
    }

    #[test]
    fn black_and_white_of_legal_range_are_codes_64_and_940_of_10_bit() {
        // A display table that changes nothing: legal black and white stay where they are.
        for format in [Format::Cube, Format::Clf, Format::Spi3d, Format::Hald] {
            let file = made(format, "rec709", "rec709", Range::Legal).unwrap();
            let mut p = [64.0, 512.0, 940.0].map(|v: f32| [v / 1023.0, v / 1023.0, v / 1023.0, 1.0]);
            file.table.apply(&mut p);
            for (p, want) in p.iter().zip([64.0, 512.0, 940.0]) {
                assert!((p[1] * 1023.0 - want).abs() < 0.05, "{format:?}: {} for {want}", p[1] * 1023.0);
            }
            let mut full = [[0.0, 0.5, 1.0, 1.0]];
            file.in_full_range(Range::Legal).unwrap().apply(&mut full);
            assert!(full[0].iter().zip([0.0, 0.5, 1.0]).all(|(a, b)| (a - b).abs() < 1e-4), "{full:?}");
        }
    }

    #[test]
    fn a_file_name_holds_no_path_and_says_what_the_table_is() {
        let e = Encoding::find("acescct").unwrap();
        let of = |look, format, size, range| Wanted { look, from: &e, to: &e, format, size, range };
        let dusk = of("Harbour Dusk", Format::Cube, 33, Range::Full);
        assert_eq!(
            dusk.file_name(Some(3), ["acescct", "rec709"]),
            "harbour-dusk_v3_acescct_to_rec709_33.cube"
        );
        let odd = of("../../ß", Format::Clf, 65, Range::Legal);
        assert_eq!(odd.file_name(None, ["../a/My Camera.json", "pq"]), "look_my-camera_to_pq_65_legal.clf");
    }

    #[test]
    fn what_a_format_does_not_hold_is_refused_with_what_does() {
        let why = |f, from, to, r| made(f, from, to, r).unwrap_err().to_string();
        assert!(why(Format::Spi1d, "acescct", "rec709", Range::Full).contains("mixes channels"));
        assert!(why(Format::Spi3d, "acescg", "rec709", Range::Full).contains("cube or clf"));
        assert!(why(Format::Hald, "acescc", "rec709", Range::Full).contains("cube or clf"));
        assert!(why(Format::Cube, "acescg", "rec709", Range::Legal).contains("linear light"));
    }
}
