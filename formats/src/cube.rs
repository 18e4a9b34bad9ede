//! .cube tables (Cube LUT specification 1.0): 1D, 3D, and both in one file (`LUT_1D_SIZE` and `LUT_3D_SIZE`
//! with `LUT_1D_INPUT_RANGE` and `LUT_3D_INPUT_RANGE`), as several programs write them.

use crate::FormatError;
use lantern_core::table::{Domain, LENGTHS, SIZES, Table, Table1, Table3};
use std::fmt::Write as _;

/// The largest file that is read: a 129-point table with long numbers stays below.
pub const MAX_BYTES: usize = 128 << 20;

/// What the header lines said.
#[derive(Default)]
struct Header {
    title: String,
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
    let text =
        std::str::from_utf8(bytes).map_err(|_| FormatError::broken("cube", "this is not a text file"))?;
    let mut header = Header::default();
    let mut rows: Vec<[f32; 3]> = Vec::new();
    for (i, line) in text.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with('#') {
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

fn shortened(line: &str) -> String {
    line.chars().take(40).collect()
}

fn keyword(header: &mut Header, line: &str) -> Result<(), String> {
    let (word, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
    let rest = rest.trim();
    let size = |within: std::ops::RangeInclusive<usize>| {
        let n: usize =
            rest.parse().map_err(|_| format!("{word} wants a whole number, not “{}”", shortened(rest)))?;
        let (a, b) = (*within.start(), *within.end());
        if within.contains(&n) { Ok(n) } else { Err(format!("{word} goes from {a} to {b}, not {n}")) }
    };
    match word {
        "TITLE" => header.title = rest.trim_matches('"').chars().take(200).collect(),
        "LUT_1D_SIZE" => header.length = Some(size(LENGTHS)?),
        "LUT_3D_SIZE" => header.size = Some(size(SIZES)?),
        "DOMAIN_MIN" => header.min = Some(triple(rest)?),
        "DOMAIN_MAX" => header.max = Some(triple(rest)?),
        "LUT_1D_INPUT_RANGE" => header.range_1d = Some(pair(rest)?),
        "LUT_3D_INPUT_RANGE" => header.range_3d = Some(pair(rest)?),
        // Words that a later specification may bring say nothing about the numbers.
        word if word.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_') => {}
        _ => return Err(format!("“{}” is neither a keyword nor three numbers", shortened(line))),
    }
    Ok(())
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
    Ok(Table::new(header.title, shaper, cube)?)
}

/// Writes a .cube file. Lines of `notes` stand as comments at its head.
///
/// Numbers have nine decimals: closer than f32 can tell apart over 0..1.
pub fn write(table: &Table, notes: &[String]) -> String {
    let mut out = String::new();
    let put = |out: &mut String, c: &[f32]| {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "{:.9} {:.9} {:.9}", c[0], c[1], c[2]);
    };
    let _ = writeln!(out, "TITLE \"{}\"", table.title.replace(['"', '\n', '\r'], " "));
    for note in notes {
        let _ = writeln!(out, "# {}", note.replace(['\n', '\r'], " "));
    }
    if let Some(shaper) = &table.shaper {
        let d = shaper.domain();
        let _ = writeln!(out, "LUT_1D_SIZE {}", shaper.entries().len());
        let _ = writeln!(out, "LUT_1D_INPUT_RANGE {} {}", d.min[0], d.max[0]);
    }
    if let Some(cube) = &table.cube {
        let d = cube.domain();
        let _ = writeln!(out, "LUT_3D_SIZE {}", cube.size());
        if table.shaper.is_some() {
            let _ = writeln!(out, "LUT_3D_INPUT_RANGE {} {}", d.min[0], d.max[0]);
        } else if d != Domain::UNIT {
            let _ = writeln!(out, "DOMAIN_MIN {} {} {}", d.min[0], d.min[1], d.min[2]);
            let _ = writeln!(out, "DOMAIN_MAX {} {} {}", d.max[0], d.max[1], d.max[2]);
        }
    }
    if let Some(shaper) = &table.shaper {
        shaper.entries().iter().for_each(|c| put(&mut out, c));
    }
    if let Some(cube) = &table.cube {
        cube.nodes().iter().for_each(|c| put(&mut out, c));
    }
    out
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
        let text = write(&both, &["a note".into()]);
        assert!(text.contains("# a note"));
        assert_eq!(read(text.as_bytes()).unwrap(), both);
        let alone = Table { shaper: None, ..both };
        assert_eq!(read(write(&alone, &[]).as_bytes()).unwrap(), alone);
    }

    #[test]
    fn the_specifications_own_example_is_read() {
        // Cube LUT specification 1.0, the 3D example with a domain.
        let text = "#comment\nTITLE \"small\"\nLUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2.0 2.0 2.0\n\
                    0 0 0\n1 0 0\n0 .75 0\n1 .75 0\n0 .25 1\n1 .25 1\n0 1 1\n1 1 1\n";
        let table = read(text.as_bytes()).unwrap();
        let cube = table.cube.unwrap();
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
        assert!(read(&[0xff, 0xfe, 0x00]).unwrap_err().to_string().contains("not a text file"));
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(text in "(LUT_3D_SIZE [0-9]{1,3}\n)?([-0-9.e ]{0,12}\n|[A-Z_]{0,9} ?[0-9]{0,3}\n){0,30}") {
            let _ = read(text.as_bytes());
        }
    }
}
