//! .cube tables (Cube LUT specification 1.0): 1D, 3D, and both in one file (`LUT_1D_SIZE` and `LUT_3D_SIZE`
//! with `LUT_1D_INPUT_RANGE` and `LUT_3D_INPUT_RANGE`), as several programs write them.
//!
//! The form with both parts knows no `TITLE`: readers of it refuse one. Its title stands in a comment at its head.

use crate::registry::TableFormat;
use crate::{FormatError, shortened};
use lantern_core::table::{Domain, LENGTHS, SIZES, Table, Table1, Table3};
use std::fmt::Write as _;

/// The format. Nothing says at its beginning that a file is of it: what begins like no other is taken for it, and text that is
/// none is refused with its line.
pub const FORMAT: TableFormat = TableFormat {
    id: "cube",
    name: "Cube LUT",
    endings: &["cube"],
    begins: |_| false,
    read: |bytes, _| read(bytes),
    write: Some(|table, notes| write(table, notes).map(String::into_bytes)),
    holds: "a 1D table, a 3D table, or both in this order",
};

/// The largest file that is read: a 129-point table with long numbers stays below.
pub const MAX_BYTES: usize = 128 << 20;

/// What the header lines said.
#[derive(Default)]
struct Header {
    title: Option<String>,
    /// The title in a comment.
    noted: String,
    length: Option<usize>,
    size: Option<usize>,
    min: Option<[f32; 3]>,
    max: Option<[f32; 3]>,
    range_1d: Option<[f32; 2]>,
    range_3d: Option<[f32; 2]>,
}

/// Reads a .cube file.
pub fn read(bytes: &[u8]) -> Result<Table, FormatError> {
    if bytes.len() > MAX_BYTES {
        return Err(FormatError::broken("cube", format!("{} bytes are more than a table has", bytes.len())));
    }
    let text = crate::text(bytes, "cube")?;
    let mut header = Header::default();
    let mut rows: Vec<[f32; 3]> = Vec::new();
    // Lines end as on any system: also with a carriage return alone.
    for (i, line) in text.split('\n').flat_map(|l| l.trim_end_matches('\r').split('\r')).enumerate() {
        let line = line.trim();
        if let Some(comment) = line.strip_prefix('#') {
            if let Some(title) = comment.trim().strip_prefix(TITLE_NOTE) {
                header.noted = title.trim().chars().take(MOST_TITLE).collect();
            }
            continue;
        }
        if line.is_empty() {
            continue;
        }
        let fail = |why: String| FormatError::Line { line: i + 1, why };
        if line.starts_with(|c: char| c.is_ascii_alphabetic())
            && !line.starts_with("nan")
            && !line.starts_with("inf")
        {
            if !rows.is_empty() {
                return Err(fail(format!("“{}” stands among the numbers", shortened(line))));
            }
            keyword(&mut header, line).map_err(fail)?;
            continue;
        }
        rows.push(triple(line).map_err(fail)?);
        let most = header.length.unwrap_or(0) + header.size.map_or(0, |n| n * n * n);
        if rows.len() > most {
            return Err(fail(format!("more numbers than the size says: {most} lines of three are expected")));
        }
    }
    build(header, &rows)
}

/// What the comment that holds the title of a file with both parts begins with.
const TITLE_NOTE: &str = "Title:";
/// The longest title, in characters.
const MOST_TITLE: usize = 200;

fn keyword(header: &mut Header, line: &str) -> Result<(), String> {
    let (word, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
    let rest = rest.trim();
    let size = |within: std::ops::RangeInclusive<usize>| {
        let n: usize =
            rest.parse().map_err(|_| format!("{word} wants a whole number, not “{}”", shortened(rest)))?;
        let (a, b) = (*within.start(), *within.end());
        if within.contains(&n) { Ok(n) } else { Err(format!("{word} goes from {a} to {b}, not {n}")) }
    };
    // The specification's keywords are upper-case; some programs write others.
    match word.to_ascii_uppercase().as_str() {
        "TITLE" => once(&mut header.title, word, rest.trim_matches('"').chars().take(MOST_TITLE).collect()),
        "LUT_1D_SIZE" => once(&mut header.length, word, size(LENGTHS)?),
        "LUT_3D_SIZE" => once(&mut header.size, word, size(SIZES)?),
        "DOMAIN_MIN" => once(&mut header.min, word, triple(rest)?),
        "DOMAIN_MAX" => once(&mut header.max, word, triple(rest)?),
        "LUT_1D_INPUT_RANGE" => once(&mut header.range_1d, word, pair(rest)?),
        "LUT_3D_INPUT_RANGE" => once(&mut header.range_3d, word, pair(rest)?),
        // Words that a later specification may bring say nothing about the numbers.
        _ if word.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_') => Ok(()),
        _ => Err(format!("“{}” is neither a keyword nor three numbers", shortened(line))),
    }
}

/// Sets what a keyword says. One that stands twice is refused: nobody can tell which of the two counts.
fn once<T>(slot: &mut Option<T>, word: &str, value: T) -> Result<(), String> {
    match slot.replace(value) {
        None => Ok(()),
        Some(_) => Err(format!("{} stands twice", shortened(word))),
    }
}

fn numbers<const K: usize>(text: &str) -> Result<[f32; K], String> {
    let mut out = [0.0_f32; K];
    let mut words = text.split_whitespace();
    for v in &mut out {
        let word = words.next().ok_or_else(|| format!("{K} numbers are expected"))?;
        *v = word.parse().map_err(|_| format!("“{}” is not a number", shortened(word)))?;
        if !v.is_finite() {
            return Err(format!("“{}” is not a finite number", shortened(word)));
        }
    }
    match words.next() {
        None => Ok(out),
        Some(word) => Err(format!("{K} numbers are expected; “{}” follows them", shortened(word))),
    }
}

fn triple(text: &str) -> Result<[f32; 3], String> {
    numbers(text)
}

fn pair(text: &str) -> Result<[f32; 2], String> {
    numbers(text)
}

fn build(header: Header, rows: &[[f32; 3]]) -> Result<Table, FormatError> {
    let (length, nodes) = (header.length.unwrap_or(0), header.size.map_or(0, |n| n * n * n));
    if length + nodes == 0 {
        return Err(FormatError::broken("cube", "it has neither LUT_1D_SIZE nor LUT_3D_SIZE"));
    }
    if rows.len() != length + nodes {
        let why = format!(
            "{} lines of three numbers are expected, {} are there: the file is cut short",
            length + nodes,
            rows.len()
        );
        return Err(FormatError::broken("cube", why));
    }
    let whole = Domain { min: header.min.unwrap_or([0.0; 3]), max: header.max.unwrap_or([1.0; 3]) };
    let part = |range: Option<[f32; 2]>| range.map_or(whole, |[a, b]| Domain { min: [a; 3], max: [b; 3] });
    let (first, rest) = rows.split_at(length);
    let shaper = header.length.map(|_| Table1::new(part(header.range_1d), first.to_vec())).transpose()?;
    // With a 1D part before it the file's domain is the 1D part's.
    let domain =
        if shaper.is_some() && header.range_3d.is_none() { Domain::UNIT } else { part(header.range_3d) };
    let cube = header.size.map(|n| Table3::new(n, domain, rest)).transpose()?;
    Ok(Table::new(header.title.unwrap_or(header.noted), shaper, cube)?)
}

/// Whether a table is written in the form with both parts, which fewer programs read: it has a 1D part, or expects another
/// range than 0..1. A program that knows only 3D tables refuses that form, where it would pass over a `DOMAIN_MIN` and give
/// other colours.
pub fn is_narrow(table: &Table) -> bool {
    match (table.shaper(), table.cube()) {
        (Some(_), Some(_)) => true,
        (None, Some(cube)) => ranged(cube.domain()).is_some(),
        _ => false,
    }
}

/// The range of a domain that is alike in all channels and is not 0..1.
fn ranged(d: Domain) -> Option<[f32; 2]> {
    let alike = |v: [f32; 3]| v[0] == v[1] && v[0] == v[2];
    (d != Domain::UNIT && alike(d.min) && alike(d.max)).then_some([d.min[0], d.max[0]])
}

/// A table whose 3D part expects another range than 0..1, as one with a 1D part that leads there.
fn spread_out(table: &Table) -> Option<Table> {
    let (None, Some(cube)) = (table.shaper(), table.cube()) else { return None };
    ranged(cube.domain())?;
    let shaper = Table1::new(cube.domain(), vec![[0.0; 3], [1.0; 3]]).ok()?;
    let nodes: Vec<[f32; 3]> = cube.nodes().iter().map(|n| [n[0], n[1], n[2]]).collect();
    let unit = Table3::new(cube.size(), Domain::UNIT, &nodes).ok()?;
    Table::new(table.title.clone(), Some(shaper), Some(unit)).ok()
}

/// Writes a .cube file. Lines of `notes` stand as comments at its head.
///
/// Numbers have nine decimals: closer than f32 can tell apart over 0..1.
/// A table of other operators has no place in it.
pub fn write(table: &Table, notes: &[String]) -> Result<String, FormatError> {
    if let Some(table) = spread_out(table) {
        return write(&table, notes);
    }
    let Some((shaper, cube)) = table.parts() else {
        let why = format!("it holds {}; this is {}", FORMAT.holds, table.summary());
        return Err(FormatError::broken("cube", why));
    };
    let both = shaper.is_some() && cube.is_some();
    let mut out = String::new();
    let put = |out: &mut String, c: &[f32]| {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "{:.9} {:.9} {:.9}", c[0], c[1], c[2]);
    };
    let title = table.title.replace(['"', '\n', '\r'], " ");
    let _ = if both { writeln!(out, "# {TITLE_NOTE} {title}") } else { writeln!(out, "TITLE \"{title}\"") };
    for note in notes {
        let _ = writeln!(out, "# {}", note.replace(['\n', '\r'], " "));
    }
    let range = |out: &mut String, part: &str, d: Domain| {
        // Each form has its own words for what a part expects.
        let _ = if both {
            writeln!(out, "LUT_{part}_INPUT_RANGE {} {}", d.min[0], d.max[0])
        } else if d != Domain::UNIT {
            let [a, b] = [d.min, d.max].map(|v| v.map(|v| v.to_string()).join(" "));
            writeln!(out, "DOMAIN_MIN {a}\nDOMAIN_MAX {b}")
        } else {
            Ok(())
        };
    };
    if let Some(shaper) = shaper {
        let _ = writeln!(out, "LUT_1D_SIZE {}", shaper.entries().len());
        range(&mut out, "1D", shaper.domain());
    }
    if let Some(cube) = cube {
        let _ = writeln!(out, "LUT_3D_SIZE {}", cube.size());
        range(&mut out, "3D", cube.domain());
    }
    if let Some(shaper) = shaper {
        shaper.entries().iter().for_each(|c| put(&mut out, c));
    }
    if let Some(cube) = cube {
        cube.nodes().iter().for_each(|c| put(&mut out, c));
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn small() -> Table {
        let nodes: Vec<[f32; 3]> = (0..8).map(|i| [i as f32 / 7.0, 0.333_333_34, -0.25]).collect();
        let cube = Table3::new(2, Domain::UNIT, &nodes).unwrap();
        let domain = Domain { min: [-0.5; 3], max: [16.0; 3] };
        let shaper = Table1::new(domain, vec![[0.0; 3], [0.5; 3], [1.0; 3]]).unwrap();
        Table::new("both".into(), Some(shaper), Some(cube)).unwrap()
    }

    #[test]
    fn a_table_comes_back_as_it_was_written() {
        let both = small();
        let text = write(&both, &["a note".into()]).unwrap();
        assert!(text.contains("# a note"));
        assert_eq!(read(text.as_bytes()).unwrap(), both);
        assert!(!text.contains("TITLE"), "readers of the form with both parts refuse one");
        let alone = Table::new(both.title.clone(), None, both.cube().cloned()).unwrap();
        assert_eq!(read(write(&alone, &[]).unwrap().as_bytes()).unwrap(), alone);
    }

    #[test]
    fn the_specifications_own_example_is_read() {
        // Cube LUT specification 1.0, the 3D example with a domain.
        let text = "#comment\nTITLE \"small\"\nLUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2.0 2.0 2.0\n\
                    0 0 0\n1 0 0\n0 .75 0\n1 .75 0\n0 .25 1\n1 .25 1\n0 1 1\n1 1 1\n";
        let table = read(text.as_bytes()).unwrap();
        let cube = table.cube().unwrap();
        assert_eq!((cube.size(), cube.domain().max, cube.node(0, 1, 0)), (2, [2.0; 3], [0.0, 0.75, 0.0]));
    }

    #[test]
    fn wrong_files_say_what_is_wrong_and_where() {
        let says = |text: &str, want: &str| {
            let error = read(text.as_bytes()).unwrap_err().to_string();
            assert!(error.contains(want), "{text:?}: {error}");
        };
        says("LUT_3D_SIZE 2\n0 0 0\n", "8 lines of three numbers are expected, 1 are there");
        says("LUT_3D_SIZE 2\n0 0\n", "line 2: 3 numbers are expected");
        says("LUT_3D_SIZE 2\n0 0 x\n", "line 2: “x” is not a number");
        says("LUT_3D_SIZE 2\nnan 0 0\n", "not a finite number");
        says("LUT_3D_SIZE 999999\n", "line 1: LUT_3D_SIZE goes from 2 to 129");
        says(
            "LUT_3D_SIZE 2\nDOMAIN_MAX 0 0 0\n0 0 0\n0 0 0\n0 0 0\n0 0 0\n0 0 0\n0 0 0\n0 0 0\n0 0 0\n",
            "domain",
        );
        says("hello there\n", "neither a keyword nor three numbers");
        says("", "neither LUT_1D_SIZE nor LUT_3D_SIZE");
        says("LUT_3D_SIZE 2\nLUT_3D_SIZE 2\n", "line 2: LUT_3D_SIZE stands twice");
        says("TITLE \"a\"\ntitle \"b\"\n", "line 2: title stands twice");
        assert!(read(&[0x4c, 0x00, 0x03, 0x00]).unwrap_err().to_string().contains("not a text file"));
    }

    #[test]
    fn files_of_other_programs_are_read_whatever_they_are_written_in() {
        let plain =
            "TITLE \"Abendröte\"\nLUT_3D_SIZE 2\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 1\n";
        let want = read(plain.as_bytes()).unwrap();
        assert_eq!(want.title, "Abendröte");
        let latin: Vec<u8> = plain.chars().map(|c| c as u32 as u8).collect();
        let wide = |order: fn(u16) -> [u8; 2]| -> Vec<u8> {
            std::iter::once(0xfeff).chain(plain.encode_utf16()).flat_map(order).collect()
        };
        for (what, bytes) in [
            ("with a mark", [b"\xef\xbb\xbf", plain.as_bytes()].concat()),
            ("Latin-1", latin),
            ("UTF-16", wide(u16::to_le_bytes)),
            ("UTF-16, the other way round", wide(u16::to_be_bytes)),
            ("lower case", plain.replace("LUT_3D_SIZE", "lut_3d_size").into_bytes()),
            ("carriage returns", plain.replace('\n', "\r\n").into_bytes()),
            ("carriage returns alone", plain.replace('\n', "\r").into_bytes()),
            ("blanks", plain.replace(' ', "\t  ").replace('\n', "  \n\n").into_bytes()),
        ] {
            assert_eq!(read(&bytes).unwrap().cube(), want.cube(), "{what}");
            let title = read(&bytes).unwrap().title;
            assert!(title == want.title || what == "blanks", "{what}: {title}");
        }
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(text in "(LUT_3D_SIZE [0-9]{1,3}\n)?([-0-9.e ]{0,12}\n|[A-Z_]{0,9} ?[0-9]{0,3}\n){0,30}") {
            let _ = read(text.as_bytes());
        }
    }
}
