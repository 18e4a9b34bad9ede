//! .spi1d and .spi3d tables: plain text, as OpenColorIO's readers define them.

use crate::registry::TableFormat;
use crate::{FormatError, shortened, text};
use lantern_core::table::{Domain, LENGTHS, SIZES, Table, Table1, Table3};
use std::fmt::Write as _;

/// The format of tables for each channel.
pub const CURVES: TableFormat = TableFormat {
    id: "spi1d",
    name: "spi1d",
    endings: &["spi1d"],
    begins: |bytes| first_word(bytes, "Version"),
    read: read_curves,
    write: Some(|table, notes| write_curves(table, notes).map(String::into_bytes)),
    holds: "one 1D table",
};

/// The format of 3D tables.
pub const CUBE: TableFormat = TableFormat {
    id: "spi3d",
    name: "spi3d",
    endings: &["spi3d"],
    begins: |bytes| first_word(bytes, "SPILUT"),
    read: read_cube,
    write: Some(|table, _| write_cube(table).map(String::into_bytes)),
    holds: "one 3D table over 0..1",
};

/// The largest file that is read.
const MAX_BYTES: usize = 160 << 20;

fn first_word(bytes: &[u8], word: &str) -> bool {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes).trim_ascii_start();
    bytes.get(..word.len()).is_some_and(|b| b.eq_ignore_ascii_case(word.as_bytes()))
        && bytes.get(word.len()).is_none_or(u8::is_ascii_whitespace)
}

/// Lines that hold anything, with their numbers.
fn lines(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let all = text.lines().enumerate().map(|(i, l)| (i + 1, l.split('#').next().unwrap_or("").trim()));
    all.filter(|(_, l)| !l.is_empty())
}

fn number(line: usize, word: &str) -> Result<f32, FormatError> {
    let found = word.parse::<f32>().ok().filter(|v| v.is_finite());
    found.ok_or_else(|| FormatError::Line {
        line,
        why: format!("“{}” is not a finite number", shortened(word)),
    })
}

fn whole(line: usize, word: &str) -> Result<usize, FormatError> {
    let why = || format!("“{}” is not a whole number", shortened(word));
    word.parse().map_err(|_| FormatError::Line { line, why: why() })
}

fn checked<'a>(bytes: &'a [u8], format: &'static str) -> Result<std::borrow::Cow<'a, str>, FormatError> {
    if bytes.len() > MAX_BYTES {
        return Err(FormatError::broken(format, format!("{} bytes are more than a table has", bytes.len())));
    }
    text(bytes, format)
}

fn read_curves(bytes: &[u8], title: &str) -> Result<Table, FormatError> {
    let broken = |why: String| FormatError::broken("spi1d", why);
    let text = checked(bytes, "spi1d")?;
    let (mut from, mut length, mut components) = ([0.0_f32, 1.0], None, None);
    let mut entries: Vec<[f32; 3]> = Vec::new();
    let (mut inside, mut ended) = (false, false);
    for (i, line) in lines(&text) {
        let fail = |why: String| FormatError::Line { line: i, why };
        if ended {
            return Err(fail(format!("“{}” stands after the end of the table", shortened(line))));
        }
        let words: Vec<&str> = line.split_whitespace().take(8).collect();
        if inside {
            if line == "}" {
                (inside, ended) = (false, true);
                continue;
            }
            let count = components.unwrap_or(0);
            if words.len() != count {
                return Err(fail(format!("{count} numbers are expected, not {}", words.len())));
            }
            let values = words.iter().map(|w| number(i, w)).collect::<Result<Vec<f32>, _>>()?;
            entries.push(match values.as_slice() {
                [v] => [*v; 3],
                // Readers of this format give blue as it comes where there are two.
                [r, g, b] => [*r, *g, *b],
                _ => return Err(fail("two components are not read".into())),
            });
            if length.is_some_and(|n| entries.len() > n) {
                return Err(fail(format!("more entries than the {} that Length says", length.unwrap_or(0))));
            }
            continue;
        }
        match (words[0].to_ascii_lowercase().as_str(), words.len()) {
            ("version", 2) if words[1] == "1" => {}
            ("version", _) => return Err(fail("version 1 is read".into())),
            ("from", 3) => from = [number(i, words[1])?, number(i, words[2])?],
            ("length", 2) => {
                let n = whole(i, words[1])?;
                if !LENGTHS.contains(&n) {
                    return Err(fail(format!("Length goes from 2 to 65536, not {n}")));
                }
                length = Some(n);
            }
            ("components", 2) => {
                let n = whole(i, words[1])?;
                if n != 1 && n != 3 {
                    return Err(fail(format!("1 or 3 components are read, not {n}")));
                }
                components = Some(n);
            }
            ("{", 1) => {
                if length.is_none() || components.is_none() {
                    return Err(fail("Length and Components stand before the numbers".into()));
                }
                inside = true;
            }
            _ => return Err(fail(format!("“{}” is not known here", shortened(line)))),
        }
    }
    let want = length.unwrap_or(0);
    if !ended || entries.len() != want || want == 0 {
        return Err(broken(format!(
            "{want} entries are expected, {} are there: the file is cut short",
            entries.len()
        )));
    }
    let domain = Domain { min: [from[0]; 3], max: [from[1]; 3] };
    Ok(Table::new(titled(title), Some(Table1::new(domain, entries)?), None)?)
}

fn titled(title: &str) -> String {
    title.chars().take(200).collect()
}

fn read_cube(bytes: &[u8], title: &str) -> Result<Table, FormatError> {
    let text = checked(bytes, "spi3d")?;
    let mut lines = lines(&text);
    let cut = || FormatError::broken("spi3d", "the file is cut short");
    let head = |found: Option<(usize, &str)>, want: &str| -> Result<(), FormatError> {
        let (line, words) = found.ok_or_else(cut)?;
        let same = words.split_whitespace().map(str::to_ascii_uppercase).collect::<Vec<_>>().join(" ");
        let why = || format!("“{want}” is expected, not “{}”", shortened(words));
        if same == want { Ok(()) } else { Err(FormatError::Line { line, why: why() }) }
    };
    head(lines.next(), "SPILUT 1.0")?;
    head(lines.next(), "3 3")?;
    let (line, sides) = lines.next().ok_or_else(cut)?;
    let sides = sides.split_whitespace().take(4).map(|w| whole(line, w)).collect::<Result<Vec<_>, _>>()?;
    let &[n, g, b] = sides.as_slice() else {
        return Err(FormatError::Line { line, why: "three sides are expected".into() });
    };
    if n != g || n != b || !SIZES.contains(&n) {
        let why = format!("2 to 129 points on each side are read, not {n} x {g} x {b}");
        return Err(FormatError::Line { line, why });
    }
    let mut nodes = vec![[f32::NAN; 3]; n * n * n];
    let mut count = 0;
    for (line, text) in lines {
        let fail = |why: &str| FormatError::Line { line, why: why.into() };
        let words: Vec<&str> = text.split_whitespace().take(7).collect();
        if words.len() != 6 {
            return Err(fail("three places and three numbers are expected"));
        }
        let at = [whole(line, words[0])?, whole(line, words[1])?, whole(line, words[2])?];
        if at.iter().any(|i| *i >= n) {
            return Err(fail("a place lies outside of the table"));
        }
        let node = &mut nodes[at[0] + n * (at[1] + n * at[2])];
        if !node[0].is_nan() {
            return Err(fail("this place stands twice"));
        }
        *node = [number(line, words[3])?, number(line, words[4])?, number(line, words[5])?];
        count += 1;
    }
    if count != nodes.len() {
        return Err(FormatError::broken(
            "spi3d",
            format!("{} places are expected, {count} are there: the file is cut short", nodes.len()),
        ));
    }
    Ok(Table::new(titled(title), None, Some(Table3::new(n, Domain::UNIT, &nodes)?))?)
}

fn holds_not(format: &'static str, table: &Table, holds: &str) -> FormatError {
    FormatError::broken(format, format!("it holds {holds}; this is {}", table.summary()))
}

fn write_curves(table: &Table, notes: &[String]) -> Result<String, FormatError> {
    let alike = |d: Domain| d.min == [d.min[0]; 3] && d.max == [d.max[0]; 3];
    let (Some(curve), None) = (table.shaper(), table.cube()) else {
        return Err(holds_not("spi1d", table, CURVES.holds));
    };
    let d = curve.domain();
    if !alike(d) {
        return Err(FormatError::broken("spi1d", "its channels begin and end at one place"));
    }
    let grey = curve.entries().iter().all(|e| e[0] == e[1] && e[0] == e[2]);
    let mut out = format!(
        "Version 1\nFrom {} {}\nLength {}\nComponents {}\n{{\n",
        d.min[0],
        d.max[0],
        curve.entries().len(),
        if grey { 1 } else { 3 }
    );
    for e in curve.entries() {
        let _ = if grey { writeln!(out, "{}", e[0]) } else { writeln!(out, "{} {} {}", e[0], e[1], e[2]) };
    }
    // What stands after the end is not read: the notes have no other place.
    let _ = notes;
    out.push_str("}\n");
    Ok(out)
}

fn write_cube(table: &Table) -> Result<String, FormatError> {
    let cube = match (table.shaper(), table.cube()) {
        (None, Some(cube)) if cube.domain() == Domain::UNIT => cube,
        _ => return Err(holds_not("spi3d", table, CUBE.holds)),
    };
    let n = cube.size();
    let mut out = format!("SPILUT 1.0\n3 3\n{n} {n} {n}\n");
    for r in 0..n {
        for g in 0..n {
            for b in 0..n {
                let [x, y, z] = cube.node(r, g, b);
                let _ = writeln!(out, "{r} {g} {b} {x} {y} {z}");
            }
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn curves(domain: Domain) -> Table {
        let entries = (0..9).map(|i| [i as f32 * 0.11, (i as f32).sqrt(), -0.25]).collect();
        Table::new("t".into(), Some(Table1::new(domain, entries).unwrap()), None).unwrap()
    }

    #[test]
    fn what_is_written_comes_back() {
        let wide = Domain { min: [-0.5; 3], max: [4.0; 3] };
        let text = write_curves(&curves(wide), &[]).unwrap();
        assert_eq!(read_curves(text.as_bytes(), "t").unwrap(), curves(wide));
        let nodes: Vec<[f32; 3]> = (0..27).map(|i| [i as f32 / 26.0, 0.1, (i % 3) as f32]).collect();
        let cube = Table::new("t".into(), None, Some(Table3::new(3, Domain::UNIT, &nodes).unwrap())).unwrap();
        assert_eq!(read_cube(write_cube(&cube).unwrap().as_bytes(), "t").unwrap(), cube);
        assert!(write_curves(&cube, &[]).unwrap_err().to_string().contains("3D, 3 points"));
        assert!(write_cube(&curves(Domain::UNIT)).is_err());
    }

    #[test]
    fn wrong_files_say_what_is_wrong_and_where() {
        let curves = |t: &str| read_curves(t.as_bytes(), "").unwrap_err().to_string();
        assert!(curves("Version 2").contains("line 1"));
        assert!(curves("Version 1\nLength 2\nComponents 1\n{\n0\n").contains("cut short"));
        assert!(curves("Version 1\nLength 2\nComponents 1\n{\n0\nnan\n}").contains("line 6"));
        assert!(curves("Version 1\nLength 999999\n").contains("65536"));
        assert!(curves("Version 1\nComponents 1\n{\n").contains("before the numbers"));
        let cube = |t: &str| read_cube(t.as_bytes(), "").unwrap_err().to_string();
        assert!(cube("SPILUT 2.0\n").contains("SPILUT 1.0"));
        assert!(cube("SPILUT 1.0\n3 3\n2 2 3\n").contains("each side"));
        assert!(cube("SPILUT 1.0\n3 3\n2 2 2\n0 0 0 1 1 1\n0 0 0 1 1 1\n").contains("twice"));
        assert!(cube("SPILUT 1.0\n3 3\n2 2 2\n0 0 2 1 1 1\n").contains("outside"));
        assert!(cube("SPILUT 1.0\n3 3\n2 2 2\n0 0 0 1 1 1\n").contains("8 places"));
    }

    proptest! {
        #[test]
        fn no_text_panics(text in "(Version 1|SPILUT 1.0)\n[ -~\n]{0,200}") {
            let _ = read_curves(text.as_bytes(), "");
            let _ = read_cube(text.as_bytes(), "");
        }
    }
}
