//! The formats of pictures and of tables: one entry each, defined in the format's own file. From it come what is recognised,
//! what is read and written, and what a format has no place for.

use crate::depth::SampleDepth;
use crate::facts::Facts;
use crate::frame::{Beside, Frame, Rows};
use crate::{FormatError, cdl, clf, cube, dpx, exr, hald, jpeg, png, spi, tiff};
use lantern_core::colour::Encoding;
use lantern_core::picture::Codes;
use lantern_core::table::Table;

/// A picture format.
pub struct PictureFormat {
    /// What people call it.
    pub name: &'static str,
    /// What names of its files end with, the usual one first.
    pub endings: &'static [&'static str],
    /// What its files begin with: any of these.
    pub begins: &'static [&'static [u8]],
    /// Reads a picture with what lies beside it.
    pub read: fn(&[u8]) -> Result<Frame, FormatError>,
    /// Reads a picture row by row. `None` for one whose rows do not lie one after the other.
    pub rows: Option<RowReader>,
    /// Reads what a file says of itself, without its pixels.
    pub facts: fn(&[u8]) -> Result<Facts, FormatError>,
    /// Writes a picture of an encoding in the format's usual depth. `None` for one that is only read.
    pub write: Option<Writer>,
    /// The depths that it is written in, and how; none for one that is only read.
    pub depths: &'static [SampleDepth],
    /// Writes a picture of an encoding in one of [`PictureFormat::depths`].
    pub write_at: Option<DepthWriter>,
    /// Pictures of whole numbers, taken and given as they are. `None` where that spares nothing.
    pub codes: Option<CodesFormat>,
    /// What it has a place for beside the pixels.
    pub keeps: Keeps,
}

/// How a format takes and gives pictures of whole numbers: the same as by way of a [`Frame`], with less to move.
pub struct CodesFormat {
    /// Reads a picture of red, green and blue alone; `None` for a file that holds another.
    pub read: CodesReader,
    /// The number that stands for 1 in what is written.
    pub most: u16,
    /// Writes a picture of [`CodesFormat::most`] and an encoding.
    pub write: CodesWriter,
}

impl PictureFormat {
    /// Whether a file that begins like this is of it.
    pub fn knows(&self, head: &[u8]) -> bool {
        self.begins.iter().any(|b| head.starts_with(b))
    }
}

/// Reads a picture row by row, and gives what lies beside its pixels.
pub type RowReader = fn(&[u8], &mut dyn Rows) -> Result<Beside, FormatError>;

/// Writes a picture of an encoding.
pub type Writer = fn(&Frame, Option<&Encoding>) -> Result<Vec<u8>, FormatError>;

/// Writes a picture of an encoding in a depth.
pub type DepthWriter = fn(&Frame, Option<&Encoding>, SampleDepth) -> Result<Vec<u8>, FormatError>;

/// Reads a picture of whole numbers with what lies beside it; `None` for a file that holds another.
pub type CodesReader = fn(&[u8]) -> Result<Option<(Codes, Beside)>, FormatError>;

/// Writes a picture of whole numbers and an encoding with what lies beside it.
pub type CodesWriter = fn(&Codes, &Beside, Option<&Encoding>) -> Result<Vec<u8>, FormatError>;

/// What a format has a place for beside the pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Keeps {
    /// Data and display windows.
    pub windows: bool,
    /// How rows and columns stand.
    pub orientation: bool,
    /// Timecode and rate.
    pub times: bool,
}

/// Every picture format.
pub const PICTURES: &[PictureFormat] = &[png::FORMAT, tiff::FORMAT, dpx::FORMAT, exr::FORMAT, jpeg::FORMAT];

/// A format of lookup tables.
pub struct TableFormat {
    /// The word that it is asked for by.
    pub id: &'static str,
    /// What people call it.
    pub name: &'static str,
    /// What names of its files end with, the usual one first.
    pub endings: &'static [&'static str],
    /// Whether a file that begins like this is of it.
    pub begins: fn(&[u8]) -> bool,
    /// Reads a table. The text is its title where the file has none.
    pub read: fn(&[u8], &str) -> Result<Table, FormatError>,
    /// Writes a table, with lines that say more of it where the format has a place for them. `None` for one that is only read.
    pub write: Option<TableWriter>,
    /// What a file of it holds, in words.
    pub holds: &'static str,
}

/// Writes a table.
pub type TableWriter = fn(&Table, &[String]) -> Result<Vec<u8>, FormatError>;

/// Every format of tables; what begins like none of the others is taken for the last.
pub const TABLES: &[TableFormat] =
    &[hald::FORMAT, clf::FORMAT, cdl::FORMAT, spi::CURVES, spi::CUBE, cube::FORMAT];

/// The format of a table by its first bytes.
pub fn table_format(bytes: &[u8]) -> &'static TableFormat {
    TABLES.iter().find(|f| (f.begins)(bytes)).unwrap_or(&cube::FORMAT)
}

/// Reads a table of any format; `title` is its title where the file has none.
pub fn read_table(bytes: &[u8], title: &str) -> Result<Table, FormatError> {
    if let Some(what) = foreign(bytes) {
        let instead = "a .cube, .clf, .spi1d or .spi3d file, or a HaldCLUT picture";
        return Err(FormatError::Unsupported { format: "table", what: what.into(), instead });
    }
    (table_format(bytes).read)(bytes, title)
}

/// Tables in formats that are known by sight and not read.
fn foreign(bytes: &[u8]) -> Option<&'static str> {
    let head = std::str::from_utf8(bytes.get(..4096).unwrap_or(bytes)).unwrap_or_default();
    let mut lines = head.lines().map(str::trim).filter(|l| !l.is_empty() && !l.starts_with('#'));
    let first = lines.next()?;
    if first.starts_with("CSPLUTV") {
        return Some("a table with 1D curves and a grid as .csp files hold it");
    }
    // A row of whole numbers, the places of the grid, before rows of three.
    let whole = |l: &str| l.split_whitespace().filter(|w| w.parse::<u32>().is_ok()).count();
    let count = first.split_whitespace().count();
    let mesh = first.to_ascii_lowercase().contains("mesh") && count <= 3;
    let places = count > 3 && whole(first) == count && lines.next().is_some_and(|l| whole(l) == 3);
    (mesh || places).then_some("a table of whole numbers as .3dl files hold it")
}

/// The format of a file by its first bytes.
pub fn of_bytes(head: &[u8]) -> Result<&'static PictureFormat, FormatError> {
    PICTURES.iter().find(|f| f.knows(head)).ok_or(FormatError::UnknownPicture)
}

/// The format that a name ends with, in any case.
pub fn of_ending(ending: &str) -> Option<&'static PictureFormat> {
    let ending = ending.to_ascii_lowercase();
    PICTURES.iter().find(|f| f.endings.contains(&ending.as_str()))
}

/// Every ending of pictures that are read.
pub fn endings() -> impl Iterator<Item = &'static str> {
    PICTURES.iter().flat_map(|f| f.endings).copied()
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::picture::Picture;
    use proptest::prelude::*;

    #[test]
    fn what_is_written_is_recognised_as_its_own_format_and_no_other() {
        let picture = Picture::new(3, 2, vec![[0.25, 0.5, 0.75, 1.0]; 6]).unwrap();
        let frame = Frame::from(picture);
        for format in PICTURES {
            let Some(write) = format.write else { continue };
            let bytes = write(&frame, None).unwrap();
            let known: Vec<_> = PICTURES.iter().filter(|f| f.knows(&bytes)).map(|f| f.name).collect();
            assert_eq!(known, [format.name]);
            assert_eq!((format.facts)(&bytes).unwrap().format, format.name);
            let read = (format.read)(&bytes).unwrap().picture;
            assert!((read.pixels[4][1] - 0.5).abs() < 1e-3, "{}", format.name);
        }
    }

    #[test]
    fn whole_numbers_make_the_same_file_and_the_same_picture_as_floats() {
        let beside = Beside { aspect: 2.0, ..Beside::default() };
        for (w, h) in [(1, 1), (5, 3), (67, 9), (130, 70)] {
            let value = |i: usize| ((i * 7919) % 1009) as f32 / 990.0 - 0.01;
            let pixels = (0..w * h).map(|i| [value(i), value(3 * i + 1), value(5 * i + 2), 1.0]).collect();
            let frame = Frame { picture: Picture::new(w, h, pixels).unwrap(), beside: beside.clone() };
            for encoding in [None, Encoding::find("rec709")] {
                for format in PICTURES {
                    let (Some(codes), Some(write)) = (&format.codes, format.write) else { continue };
                    let bytes = write(&frame, encoding.as_ref()).unwrap();
                    let own = Codes::of(&frame.picture, codes.most);
                    assert!(
                        (codes.write)(&own, &beside, encoding.as_ref()).unwrap() == bytes,
                        "{}",
                        format.name
                    );
                    let (back, with) = (codes.read)(&bytes).unwrap().unwrap();
                    assert_eq!((&back, &with), (&own, &beside));
                    assert_eq!(back.picture(), (format.read)(&bytes).unwrap().picture);
                    // One that breaks off is refused in both ways, in the same words.
                    let cut = &bytes[..bytes.len() - 4];
                    let why = |e: FormatError| e.to_string();
                    let (a, b) = ((codes.read)(cut).map_err(why), (format.read)(cut).map_err(why));
                    assert!(a.is_err() && a.err() == b.err(), "{}", format.name);
                }
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2000))]

        #[test]
        fn of_a_file_with_a_fault_whole_numbers_say_what_floats_say(
            format in proptest::sample::select(vec!["tiff", "dpx"]),
            at in any::<proptest::sample::Index>(),
            value in any::<u8>(),
            cut in proptest::option::of(any::<proptest::sample::Index>()),
            in_head in any::<bool>(),
        ) {
            let format = of_ending(format).unwrap();
            let codes = format.codes.as_ref().unwrap();
            let mut bytes = (codes.write)(&Codes::black([5, 3], codes.most).unwrap(), &Beside::default(), None).unwrap();
            // Faults in what says how the pixels lie are the ones that matter: in a TIFF that stands at its end.
            let head = if format.name == "TIFF" { bytes.len() - 240..bytes.len() } else { 0..1024 };
            let at = if in_head { head.start + at.index(head.len()) } else { at.index(bytes.len()) };
            bytes[at] = value;
            bytes.truncate(cut.map_or(bytes.len(), |cut| cut.index(bytes.len())));
            match ((codes.read)(&bytes), (format.read)(&bytes)) {
                (Ok(Some((codes, beside))), Ok(frame)) => {
                    prop_assert_eq!(codes.picture(), frame.picture);
                    prop_assert_eq!(beside, frame.beside);
                }
                (Ok(None), _) => {}
                (Err(a), Err(b)) => prop_assert_eq!(a.to_string(), b.to_string()),
                (a, b) => prop_assert!(false, "{:?} {:?}", a.map(|_| ()), b.map(|_| ())),
            }
        }
    }

    #[test]
    fn what_is_no_plain_picture_of_whole_numbers_is_left_to_floats() {
        let picture = Picture::new(3, 2, vec![[0.25, 0.5, 0.75, 0.5]; 6]).unwrap();
        let clear = Frame { picture, beside: Beside { alpha: true, ..Beside::default() } };
        for format in PICTURES {
            let (Some(codes), Some(write)) = (&format.codes, format.write) else { continue };
            assert_eq!((codes.read)(&write(&clear, None).unwrap()).unwrap(), None, "{}", format.name);
            assert!((codes.read)(b"").is_err() && (codes.read)(format.begins[0]).is_err());
        }
        let eight = tiff::write(&clear.picture, crate::Depth::Eight).unwrap();
        assert_eq!((tiff::FORMAT.codes.unwrap().read)(&eight).unwrap(), None);
    }

    #[test]
    fn endings_are_lower_case_and_belong_to_one_format() {
        let mut all: Vec<_> = endings().collect();
        assert!(all.iter().all(|e| *e == e.to_ascii_lowercase()));
        let count = all.len();
        all.sort_unstable();
        all.dedup();
        assert_eq!(all.len(), count);
        assert_eq!(of_ending("TIF").map(|f| f.name), Some("TIFF"));
        assert!(of_ending("cube").is_none() && of_bytes(b"LUT_3D_SIZE 2").is_err() && of_bytes(b"").is_err());
    }

    #[test]
    fn a_table_is_read_by_its_bytes_whatever_it_is_called() {
        let text = "LUT_3D_SIZE 2\n".to_owned() + &"0.5 0.25 0.125\n".repeat(8);
        assert_eq!(read_table(text.as_bytes(), "by name").unwrap().cube().unwrap().size(), 2);
        let identity = hald::identity(2).unwrap();
        let picture = png::write(&identity, crate::Depth::Sixteen).unwrap();
        let table = read_table(&picture, "by name").unwrap();
        assert_eq!((table.title.as_str(), table.cube().unwrap().size()), ("by name", 4));
        assert!(read_table(b"neither", "").unwrap_err().to_string().contains("line 1"));
        for format in TABLES {
            let Some(write) = format.write else { continue };
            // The formats hold unlike things: one of these fits each.
            let curve = Table::new(
                "c".into(),
                read_table(b"LUT_1D_SIZE 2\n0 0 0\n1 1 1\n", "").unwrap().shaper().cloned(),
                None,
            );
            let bytes = write(&table, &[]).or_else(|_| write(&curve.unwrap(), &[])).unwrap();
            let known: Vec<_> = TABLES.iter().filter(|f| (f.begins)(&bytes)).map(|f| f.id).collect();
            assert!(
                known == [format.id] || known.is_empty() && format.id == "cube",
                "{}: {known:?}",
                format.id
            );
        }
    }
}
