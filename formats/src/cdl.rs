//! ASC colour decision lists, version 1.2: .cc (one correction), .ccc (a collection), .cdl (a decision list).

use crate::FormatError;
use crate::registry::TableFormat;
use lantern_core::step::{SlopeOffsetPower, Values};
use lantern_core::table::{Operator, Table, operator};
use quick_xml::events::{BytesStart, Event};
use quick_xml::reader::Reader;
use std::fmt::Write as _;

/// The format where a table may stand: one correction on code values, clipped as the standard says.
pub const FORMAT: TableFormat = TableFormat {
    id: "cdl",
    name: "ASC colour decision list",
    endings: &["cc", "ccc", "cdl"],
    begins: |bytes| crate::xml::is_xml(bytes) && !(crate::clf::FORMAT.begins)(bytes),
    read: |bytes, title| the_one(read(bytes)?, title),
    write: None,
    holds: "slope, offset, power and saturation",
};

/// The only correction of a file as a table.
fn the_one(mut all: Vec<Correction>, title: &str) -> Result<Table, FormatError> {
    if all.len() != 1 {
        let ids: Vec<&str> = all.iter().map(|c| c.id.as_str()).take(12).collect();
        return Err(broken(format!(
            "it holds {} corrections ({}): save the one that is meant as a file of its own",
            all.len(),
            ids.join(", ")
        )));
    }
    let Correction { id, step } = all.swap_remove(0);
    let correction = operator::Correction {
        slope: step.slope(),
        offset: step.offset(),
        power: step.power(),
        saturation: step.saturation,
        inverse: false,
        clips: true,
    };
    let title = if id.is_empty() { title.to_owned() } else { id };
    Ok(Table::of(title.chars().take(200).collect(), vec![Operator::Correction(correction)])?)
}

/// The largest file that is read.
pub const MAX_BYTES: usize = 16 << 20;
/// The most corrections of one file.
pub const MAX_CORRECTIONS: usize = 5_000;
/// The deepest nesting: a decision list has four levels around its numbers.
const MAX_DEPTH: usize = 16;

/// The name space of version 1.2.
const NAME_SPACE: &str = "urn:ASC:CDL:v1.2";

/// One correction.
#[derive(Clone, Debug, PartialEq)]
pub struct Correction {
    /// Its id, or empty.
    pub id: String,
    /// Its numbers.
    pub step: SlopeOffsetPower,
}

/// The three forms of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// One correction (.cc).
    Correction,
    /// A collection (.ccc).
    Collection,
    /// A decision list (.cdl).
    DecisionList,
}

impl Form {
    /// The form with a file extension.
    pub fn of_extension(extension: &str) -> Option<Self> {
        match extension {
            "cc" => Some(Self::Correction),
            "ccc" => Some(Self::Collection),
            "cdl" => Some(Self::DecisionList),
            _ => None,
        }
    }
}

fn broken(why: impl std::fmt::Display) -> FormatError {
    FormatError::broken("colour decision list", why)
}

/// Reads every correction of a file of any of the three forms.
pub fn read(bytes: &[u8]) -> Result<Vec<Correction>, FormatError> {
    if bytes.len() > MAX_BYTES {
        return Err(broken(format!("{} bytes are more than a decision list has", bytes.len())));
    }
    let text = std::str::from_utf8(bytes).map_err(|_| broken("this is not a text file"))?;
    let mut reader = Reader::from_str(text);
    reader.config_mut().trim_text(true);
    let mut found = Vec::new();
    let mut open: Option<Partial> = None;
    let mut path: Vec<String> = Vec::new();
    loop {
        match reader.read_event().map_err(broken)? {
            Event::Start(tag) => {
                let name = local_name(&tag);
                if path.len() >= MAX_DEPTH {
                    return Err(broken("its elements are nested too deeply"));
                }
                if name == "ColorCorrection" {
                    open = Some(Partial { id: id_of(&tag)?, ..Default::default() });
                }
                path.push(name);
            }
            Event::Text(t) => {
                let (Some(part), Some(name)) = (open.as_mut(), path.last()) else { continue };
                part.take(name, &t)?;
            }
            Event::End(_) => {
                if path.pop().as_deref() == Some("ColorCorrection")
                    && let Some(part) = open.take()
                {
                    if found.len() == MAX_CORRECTIONS {
                        return Err(broken(format!("more than {MAX_CORRECTIONS} corrections")));
                    }
                    found.push(part.finish()?);
                }
            }
            Event::DocType(_) => return Err(broken("document types are not read")),
            Event::Eof => break,
            _ => {}
        }
    }
    if !path.is_empty() {
        return Err(broken(format!("it breaks off inside of {}", path.join(" / "))));
    }
    if found.is_empty() {
        return Err(broken("there is no ColorCorrection in it"));
    }
    Ok(found)
}

fn local_name(tag: &BytesStart<'_>) -> String {
    tag.local_name().as_ref().chars().take(60).collect()
}

fn id_of(tag: &BytesStart<'_>) -> Result<String, FormatError> {
    for attribute in tag.attributes() {
        let attribute = attribute.map_err(broken)?;
        if attribute.key.local_name().as_ref() == "id" {
            let value = quick_xml::escape::unescape(&attribute.value).map_err(broken)?;
            return Ok(value.chars().take(200).collect());
        }
    }
    Ok(String::new())
}

/// A correction while it is read. What a file leaves out has its neutral value (ASC CDL 1.2).
#[derive(Default)]
struct Partial {
    id: String,
    slope: Option<[f64; 3]>,
    offset: Option<[f64; 3]>,
    power: Option<[f64; 3]>,
    saturation: Option<f64>,
}

impl Partial {
    fn take(&mut self, element: &str, text: &str) -> Result<(), FormatError> {
        match element {
            "Slope" => self.slope = Some(numbers(element, text)?),
            "Offset" => self.offset = Some(numbers(element, text)?),
            "Power" => self.power = Some(numbers(element, text)?),
            "Saturation" => self.saturation = Some(numbers::<1>(element, text)?[0]),
            _ => {}
        }
        Ok(())
    }

    fn finish(self) -> Result<Correction, FormatError> {
        let step = SlopeOffsetPower::from_sop(
            self.slope.unwrap_or([1.0; 3]),
            self.offset.unwrap_or([0.0; 3]),
            self.power.unwrap_or([1.0; 3]),
            self.saturation.unwrap_or(1.0),
        );
        let name =
            if self.id.is_empty() { "the correction".to_owned() } else { format!("“{}”", self.id) };
        let values = Values::SlopeOffsetPower(step.clone());
        values.check().map_err(|e| broken(format!("{name}: {e}")))?;
        Ok(Correction { id: self.id, step })
    }
}

fn numbers<const K: usize>(element: &str, text: &str) -> Result<[f64; K], FormatError> {
    let mut out = [0.0; K];
    let words: Vec<&str> = text.split_whitespace().take(K + 1).collect();
    if words.len() != K {
        return Err(broken(format!("{element} wants {K} numbers, not “{}”", shortened(text))));
    }
    for (v, word) in out.iter_mut().zip(words) {
        let number: f64 =
            word.parse().map_err(|_| broken(format!("{element}: “{}” is not a number", shortened(word))))?;
        if !number.is_finite() {
            return Err(broken(format!("{element}: “{}” is not a finite number", shortened(word))));
        }
        *v = number;
    }
    Ok(out)
}

fn shortened(text: &str) -> String {
    text.chars().take(40).collect()
}

/// Writes corrections in one of the three forms; [`Form::Correction`] holds the first one only.
pub fn write(corrections: &[Correction], form: Form) -> String {
    let mut out = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
    match form {
        Form::Correction => {
            for c in corrections.iter().take(1) {
                correction(&mut out, c, "", &format!(" xmlns=\"{NAME_SPACE}\""));
            }
        }
        Form::Collection => {
            let _ = writeln!(out, "<ColorCorrectionCollection xmlns=\"{NAME_SPACE}\">");
            for c in corrections {
                correction(&mut out, c, "  ", "");
            }
            out.push_str("</ColorCorrectionCollection>\n");
        }
        Form::DecisionList => {
            let _ = writeln!(out, "<ColorDecisionList xmlns=\"{NAME_SPACE}\">");
            for c in corrections {
                out.push_str("  <ColorDecision>\n");
                correction(&mut out, c, "    ", "");
                out.push_str("  </ColorDecision>\n");
            }
            out.push_str("</ColorDecisionList>\n");
        }
    }
    out
}

fn correction(out: &mut String, c: &Correction, indent: &str, name_space: &str) {
    let id =
        if c.id.is_empty() { String::new() } else { format!(" id=\"{}\"", quick_xml::escape::escape(&c.id)) };
    let row = |v: [f64; 3]| format!("{} {} {}", v[0], v[1], v[2]);
    let s = &c.step;
    let _ = write!(
        out,
        "{indent}<ColorCorrection{name_space}{id}>\n\
         {indent}  <SOPNode>\n\
         {indent}    <Slope>{}</Slope>\n\
         {indent}    <Offset>{}</Offset>\n\
         {indent}    <Power>{}</Power>\n\
         {indent}  </SOPNode>\n\
         {indent}  <SatNode>\n\
         {indent}    <Saturation>{}</Saturation>\n\
         {indent}  </SatNode>\n\
         {indent}</ColorCorrection>\n",
        row(s.slope()),
        row(s.offset()),
        row(s.power()),
        s.saturation
    );
}

#[cfg(test)]
mod tests {
    use super::*;

    fn two() -> Vec<Correction> {
        let step = |k: f64| {
            SlopeOffsetPower::from_sop([1.0 + k, 0.9, 1.1], [0.01, -0.02, k], [1.0, 1.1, 0.95], 0.85)
        };
        vec![
            Correction { id: "ferry & mole".into(), step: step(0.125) },
            Correction { id: "b".into(), step: step(0.25) },
        ]
    }

    #[test]
    fn all_three_forms_come_back_as_they_were_written() {
        for (form, count) in [(Form::Correction, 1), (Form::Collection, 2), (Form::DecisionList, 2)] {
            let text = write(&two(), form);
            assert_eq!(read(text.as_bytes()).unwrap(), two()[..count], "{text}");
        }
    }

    #[test]
    fn what_a_file_leaves_out_is_neutral_and_prefixes_do_not_matter() {
        let text = r#"<a:ColorCorrection xmlns:a="urn:ASC:CDL:v1.01" id="x"><a:SOPNode><a:Slope>2 1 1</a:Slope></a:SOPNode></a:ColorCorrection>"#;
        let found = read(text.as_bytes()).unwrap();
        assert_eq!(found[0].step, SlopeOffsetPower { red_slope: 2.0, ..Default::default() });
    }

    #[test]
    fn wrong_files_are_refused_with_the_reason() {
        let why = |text: &str| read(text.as_bytes()).unwrap_err().to_string();
        assert!(why("<ColorCorrection><SOPNode><Slope>1 2</Slope>").contains("Slope wants 3 numbers"));
        assert!(why("<ColorCorrection><SOPNode><Slope>1 2 nan</Slope>").contains("not a finite number"));
        assert!(
            why("<ColorCorrection><SOPNode><Power>0 1 1</Power></SOPNode></ColorCorrection>")
                .contains("goes from 0.1")
        );
        assert!(why("<ColorCorrection><SOPNode>").contains("breaks off"));
        assert!(why("<Other></Other>").contains("no ColorCorrection"));
        assert!(why(&"<a>".repeat(40)).contains("too deeply"));
        assert!(why("<!DOCTYPE a [<!ENTITY b \"c\">]><a/>").contains("document types"));
    }
}
