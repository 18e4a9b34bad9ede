//! Measurements as CSV (RFC 4180): wedges and patches, with comma, semicolon or tab between the columns, and lines that begin with #.
//!
//! A wedge's columns are log exposure and one density, or those of the red-, green- and blue-sensitive layers. A first line of
//! words is a heading. `# push: 1` says how far the development was pushed in stops, `# grey: -1.3` the log exposure of middle
//! grey, from which log exposures are counted then, and `# name: ...` what it is called.
//!
//! Patches have a heading. A column `name` and one `stops` may stand anywhere; the others are the light of red, green and blue, then
//! `X, Y, Z` or `L, a, b` of the print. `# light: ENCODING` says how the light is encoded (linear AP1 where nothing is said),
//! `# white: D50` or `# white: 0.3127 0.3290` under which white X, Y and Z were measured (D65 where nothing is said).

use crate::FormatError;
use lantern_core::colour::chromaticity::xy_to_xyz;
use lantern_core::colour::difference::xyz_to_lab;
use lantern_core::colour::primaries::AP1;
use lantern_core::colour::{Adaptation, Encoding};
use lantern_core::film::measured::{Patch, Wedge};
use lantern_core::graph::Program;
use lantern_core::look::Path;

/// The longest file of measurements.
const MOST_BYTES: usize = 1 << 20;
/// The most rows of one.
const MOST_ROWS: usize = 2000;

fn wrong(why: impl Into<String>) -> FormatError {
    FormatError::broken("the measurements", why.into())
}

/// A file of measurements as lines: what is said of it, what lies between columns, and the rows with their lines.
struct Sheet<'a> {
    said: Vec<(String, &'a str)>,
    rows: Vec<(usize, csv::StringRecord)>,
}

impl<'a> Sheet<'a> {
    fn read(bytes: &'a [u8], needs: &str) -> Result<Self, FormatError> {
        if bytes.len() > MOST_BYTES {
            return Err(wrong("a file of measurements has up to a megabyte"));
        }
        let text = std::str::from_utf8(bytes).map_err(|_| wrong("this is no CSV: it is no text"))?;
        let text = text.trim_start_matches('\u{feff}');
        let comments = text.lines().filter_map(|l| l.trim().strip_prefix('#'));
        let said = comments.filter_map(|l| l.split_once(':'));
        let said = said.map(|(key, value)| (key.trim().to_ascii_lowercase(), value.trim())).collect();
        let first =
            text.lines().find(|l| !l.trim().is_empty() && !l.trim().starts_with('#')).unwrap_or_default();
        let between = [b';', b'\t', b','].into_iter().find(|b| first.as_bytes().contains(b));
        let between = between.ok_or_else(|| wrong(needs))?;
        let mut reader = csv::ReaderBuilder::new();
        let reader = reader
            .delimiter(between)
            .comment(Some(b'#'))
            .has_headers(false)
            .flexible(true)
            .trim(csv::Trim::All);
        let mut rows = Vec::new();
        for (i, row) in reader.from_reader(text.as_bytes()).records().enumerate() {
            let row = row.map_err(|e| wrong(e.to_string()))?;
            if i > MOST_ROWS {
                return Err(wrong(format!("more than {MOST_ROWS} rows")));
            }
            rows.push((row.position().map_or(i + 1, |p| p.line() as usize), row));
        }
        Ok(Self { said, rows })
    }
}

fn number(line: usize, row: &csv::StringRecord, at: usize) -> Result<f64, FormatError> {
    let cell = row.get(at).unwrap_or_default();
    cell.parse().map_err(|_| wrong(format!("line {line}: “{cell}” is no number")))
}

/// Reads a wedge; `name` is what it is called where the file does not say.
pub fn wedge(bytes: &[u8], name: &str) -> Result<Wedge, FormatError> {
    let sheet = Sheet::read(bytes, "a wedge has two columns at least: log exposure and density")?;
    let mut wedge = Wedge { name: name.into(), push: 0.0, steps: Vec::new() };
    let mut grey = 0.0;
    for (key, value) in &sheet.said {
        let number = || {
            let number = value.parse::<f64>().ok().filter(|v| v.is_finite() && v.abs() <= 20.0);
            number.ok_or_else(|| wrong(format!("“# {key}: {value}”: a number is needed after the colon")))
        };
        match key.as_str() {
            "push" => wedge.push = number()?,
            "grey" => grey = number()?,
            "name" => wedge.name = value.chars().take(100).collect(),
            _ => {}
        }
    }
    for (i, (line, row)) in sheet.rows.iter().enumerate() {
        if i == 0 && row.iter().all(|cell| cell.parse::<f64>().is_err()) {
            continue;
        }
        let number = |at: usize| number(*line, row, at);
        wedge.steps.push(match row.len() {
            2 => [number(0)? - grey, number(1)?, number(1)?, number(1)?],
            4 => [number(0)? - grey, number(1)?, number(2)?, number(3)?],
            n => {
                return Err(wrong(format!(
                    "line {line} has {n} columns: log exposure and one density, or three, are needed"
                )));
            }
        });
    }
    Ok(wedge)
}

/// What a heading of patches says: where names, stops and the six numbers stand, and whether they are L*, a*, b*.
struct Heading {
    name: Option<usize>,
    stops: Option<usize>,
    values: [usize; 6],
    lab: bool,
}

impl Heading {
    fn of(row: &csv::StringRecord) -> Result<Self, FormatError> {
        let needs = || {
            wrong(
                "patches need a heading: name (if any), stops (if any), R, G, B of the light, then X, Y, Z or L, a, b of the print",
            )
        };
        let (mut name, mut stops, mut values) = (None, None, Vec::new());
        for (i, cell) in row.iter().enumerate() {
            match cell.to_ascii_lowercase().as_str() {
                "name" | "patch" => name = Some(i),
                "stops" | "exposure" => stops = Some(i),
                other if other.parse::<f64>().is_ok() || other.is_empty() => return Err(needs()),
                other => values.push((i, other.trim_end_matches('*').to_owned())),
            }
        }
        let places: [usize; 6] =
            values.iter().map(|v| v.0).collect::<Vec<_>>().try_into().map_err(|_| needs())?;
        let called: Vec<&str> = values[3..].iter().map(|v| v.1.as_str()).collect();
        let lab = match called[..] {
            ["l", "a", "b"] => true,
            ["x", "y", "z"] => false,
            _ => return Err(needs()),
        };
        Ok(Self { name, stops, values: places, lab })
    }
}

fn white(value: &str) -> Result<[f64; 2], FormatError> {
    match value.to_ascii_lowercase().as_str() {
        // CIE 015:2018, table 1.
        "d50" => return Ok([0.345_67, 0.358_51]),
        "d65" => return Ok([0.312_72, 0.329_03]),
        _ => {}
    }
    let numbers: Option<Vec<f64>> =
        value.split([' ', ',', ';']).filter(|p| !p.is_empty()).map(|p| p.parse().ok()).collect();
    let xy: Option<[f64; 2]> = numbers.and_then(|n| n.try_into().ok());
    xy.filter(|xy| xy.iter().all(|v| (0.1..0.8).contains(v)) && xy[0] + xy[1] < 1.0)
        .ok_or_else(|| wrong(format!("“# white: {value}”: D50, D65 or x and y of a white are needed")))
}

/// Reads patches: scene light in linear AP1, and CIELAB relative to the print's white.
pub fn patches(bytes: &[u8]) -> Result<Vec<Patch>, FormatError> {
    let sheet = Sheet::read(
        bytes,
        "patches have six columns at least: red, green and blue light, then X, Y, Z or L, a, b",
    )?;
    let (mut light, mut under) = (None, white("D65")?);
    for (key, value) in &sheet.said {
        match key.as_str() {
            "light" => {
                let found =
                    Encoding::find(value).ok_or_else(|| wrong(format!("there is no encoding “{value}”")))?;
                light = Some(found);
            }
            "white" => under = white(value)?,
            _ => {}
        }
    }
    let Some(((_, heading), rows)) = sheet.rows.split_first() else {
        return Err(wrong("there is nothing in it"));
    };
    let heading = Heading::of(heading)?;
    let mut patches = Vec::new();
    for (line, row) in rows {
        let six = |from: usize| -> Result<[f64; 3], FormatError> {
            let at = |i: usize| number(*line, row, heading.values[from + i]);
            Ok([at(0)?, at(1)?, at(2)?])
        };
        let (rgb, measured) = (six(0)?, six(3)?);
        let stops = heading.stops.map_or(Ok(0.0), |i| number(*line, row, i))?;
        if !(-20.0..=20.0).contains(&stops) {
            return Err(wrong(format!("line {line}: stops go from -20 to 20")));
        }
        let name = heading.name.and_then(|i| row.get(i)).unwrap_or_default();
        patches.push((name.chars().take(100).collect::<String>(), stops, rgb, measured));
    }
    // Luminance out of a hundred is common: whites are then far over 1.
    let most = patches.iter().map(|p| p.3[1]).fold(0.0, f64::max);
    let scale = if most > 3.0 { 0.01 } else { 1.0 };
    let to_working = Adaptation::Bradford.between(under, AP1.white);
    let white = xy_to_xyz(AP1.white);
    let decoded = |rgb: [f64; 3]| -> Result<[f64; 3], FormatError> {
        let Some(light) = &light else { return Ok(rgb) };
        let mut pixel = [[rgb[0] as f32, rgb[1] as f32, rgb[2] as f32, 1.0]];
        let linear = Encoding::find("acescg").ok_or_else(|| wrong("linear AP1 is not known"))?;
        let way = Program::compile(&Path::default(), light, &linear).map_err(|e| wrong(e.to_string()))?;
        way.run(&mut pixel);
        Ok([0, 1, 2].map(|i| f64::from(pixel[0][i])))
    };
    patches
        .into_iter()
        .map(|(name, stops, rgb, measured)| {
            let light = decoded(rgb)?.map(|v| v * stops.exp2());
            let lab = if heading.lab {
                measured
            } else {
                xyz_to_lab(to_working.apply(measured.map(|v| v * scale)), white)
            };
            Ok(Patch { name, light, lab })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn wedges_are_read_in_every_common_form() {
        let plain = "log E,R,G,B\n-1.5,0.2,0.5,0.9\n0,0.8,1.1,1.5\n";
        let read = wedge(plain.as_bytes(), "a").unwrap();
        assert_eq!((read.name.as_str(), read.push, read.steps.len()), ("a", 0.0, 2));
        assert_eq!(read.steps[1], [0.0, 0.8, 1.1, 1.5]);
        let other = "\u{feff}# push: 1\r\n# grey: -0.5\r\n# name: long\r\n-1.5; 0.2\r\n\r\n0; 0.8\r\n";
        let read = wedge(other.as_bytes(), "a").unwrap();
        assert_eq!(
            (read.name.as_str(), read.push, read.steps.clone()),
            ("long", 1.0, vec![[-1.0, 0.2, 0.2, 0.2], [0.5, 0.8, 0.8, 0.8]])
        );
        assert_eq!(wedge(b"-1\t0.2\n", "a").unwrap().steps, [[-1.0, 0.2, 0.2, 0.2]]);
    }

    #[test]
    fn what_is_no_wedge_says_where() {
        let says = |text: &str| wedge(text.as_bytes(), "a").unwrap_err().to_string();
        assert!(says("1,2\n3,x\n").contains("line 2: “x”"));
        assert!(says("1,2,3\n").contains("3 columns"));
        assert!(says("12\n").contains("two columns"));
        assert!(says("").contains("two columns"));
        assert!(says("# push: fast\n1,2\n").contains("number"));
        assert!(wedge(&[0xff, 0xfe, 0], "a").is_err());
    }

    #[test]
    fn patches_are_read_with_their_white_light_and_stops() {
        // White under D50 is L* 100 whatever it is adapted to.
        let xyz = "# white: D50\nname,stops,R,G,B,X,Y,Z\nwhite,1,0.45,0.45,0.45,96.42,100,82.52\n";
        let read = patches(xyz.as_bytes()).unwrap();
        assert_eq!((read[0].name.as_str(), read[0].light), ("white", [0.9; 3]));
        assert!((read[0].lab[0] - 100.0).abs() < 1e-3, "{:?}", read[0].lab);
        assert!(read[0].lab[1].abs() < 0.05 && read[0].lab[2].abs() < 0.05, "{:?}", read[0].lab);
        let lab = "# light: acescct\nR;G;B;L*;a*;b*\n0.4135884;0.4135884;0.4135884;50;1;-2\n";
        let read = patches(lab.as_bytes()).unwrap();
        // ACEScct of middle grey (S-2016-001) is 0.4135884.
        assert!(read[0].light.iter().all(|v| (v - 0.18).abs() < 1e-5), "{:?}", read[0].light);
        assert_eq!(read[0].lab, [50.0, 1.0, -2.0]);
    }

    #[test]
    fn what_are_no_patches_says_where() {
        let says = |text: &str| patches(text.as_bytes()).unwrap_err().to_string();
        assert!(says("1,2,3,4,5,6\n").contains("heading"));
        assert!(says("R,G,B,Dr,Dg,Db\n1,2,3,4,5,6\n").contains("X, Y, Z or L, a, b"));
        assert!(says("R,G,B,L,a\n").contains("heading"));
        assert!(says("R,G,B,L,a,b\n1,2,x,4,5,6\n").contains("line 2: “x”"));
        assert!(says("R,G,B,L,a,b\n1,2,3,4,5\n").contains("line 2: “”"));
        assert!(says("# light: nothing\nR,G,B,L,a,b\n").contains("no encoding"));
        assert!(says("# white: 2 3\nR,G,B,X,Y,Z\n").contains("white"));
        assert!(says("name,stops,R,G,B,L,a,b\na,99,1,1,1,1,1,1\n").contains("stops go from"));
    }
}
