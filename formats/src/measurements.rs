//! Measurements as CSV (RFC 4180): wedges, with comma, semicolon or tab between the columns, and lines that begin with #.
//!
//! A wedge's columns are log exposure and one density, or those of the red-, green- and blue-sensitive layers. A first line of
//! words is a heading. `# push: 1` says how far the development was pushed in stops, `# grey: -1.3` the log exposure of middle
//! grey, from which log exposures are counted then, and `# name: ...` what it is called.

use crate::FormatError;
use lantern_core::film::measured::Wedge;

/// The longest file of measurements.
const MOST_BYTES: usize = 1 << 20;
/// The most rows of one.
const MOST_ROWS: usize = 2000;

fn wrong(why: impl Into<String>) -> FormatError {
    FormatError::broken("the measurements", why.into())
}

/// Reads a wedge; `name` is what it is called where the file does not say.
pub fn wedge(bytes: &[u8], name: &str) -> Result<Wedge, FormatError> {
    if bytes.len() > MOST_BYTES {
        return Err(wrong("a file of measurements has up to a megabyte"));
    }
    let text = std::str::from_utf8(bytes).map_err(|_| wrong("this is no CSV: it is no text"))?;
    let text = text.trim_start_matches('\u{feff}');
    let mut wedge = Wedge { name: name.into(), push: 0.0, steps: Vec::new() };
    let mut grey = 0.0;
    for line in text.lines().filter_map(|l| l.trim().strip_prefix('#')) {
        let Some((key, value)) = line.split_once(':') else { continue };
        let number = || {
            let number = value.trim().parse::<f64>().ok().filter(|v| v.is_finite() && v.abs() <= 20.0);
            number.ok_or_else(|| wrong(format!("“#{line}”: a number is needed after the colon")))
        };
        match key.trim().to_ascii_lowercase().as_str() {
            "push" => wedge.push = number()?,
            "grey" => grey = number()?,
            "name" => wedge.name = value.trim().chars().take(100).collect(),
            _ => {}
        }
    }
    let first = text.lines().find(|l| !l.trim().is_empty() && !l.trim().starts_with('#')).unwrap_or_default();
    let between = [b';', b'\t', b','].into_iter().find(|b| first.as_bytes().contains(b));
    let between =
        between.ok_or_else(|| wrong("a wedge has two columns at least: log exposure and density"))?;
    let mut reader = csv::ReaderBuilder::new();
    let reader =
        reader.delimiter(between).comment(Some(b'#')).has_headers(false).flexible(true).trim(csv::Trim::All);
    for (i, row) in reader.from_reader(text.as_bytes()).records().enumerate() {
        let row = row.map_err(|e| wrong(e.to_string()))?;
        if i > MOST_ROWS {
            return Err(wrong(format!("more than {MOST_ROWS} rows")));
        }
        let values: Vec<Option<f64>> = row.iter().map(|cell| cell.parse().ok()).collect();
        if i == 0 && values.iter().all(Option::is_none) {
            continue;
        }
        let place = row.position().map_or(i + 1, |p| p.line() as usize);
        let number = |at: usize| -> Result<f64, FormatError> {
            values[at].ok_or_else(|| wrong(format!("line {place}: “{}” is no number", &row[at])))
        };
        wedge.steps.push(match values.len() {
            2 => [number(0)? - grey, number(1)?, number(1)?, number(1)?],
            4 => [number(0)? - grey, number(1)?, number(2)?, number(3)?],
            n => {
                return Err(wrong(format!(
                    "line {place} has {n} columns: log exposure and one density, or three, are needed"
                )));
            }
        });
    }
    Ok(wedge)
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
}
