//! Reading a file: elements one by one, so that no tree of it stands in memory.

use super::node::{Array, Attributes, KINDS, Node, short};
use super::{MAX_BYTES, broken};
use crate::FormatError;
use lantern_core::table::{MOST_OPERATORS, Operator, SIZES, Table};
use quick_xml::events::{BytesStart, Event};
use quick_xml::reader::Reader;

/// The deepest nesting: parameters lie three levels below the list; what a file says of itself may nest further.
const MAX_DEPTH: usize = 16;
/// The longest text beside arrays that is kept.
const MOST_TEXT: usize = 4096;
/// The most parameters of one node: three channels.
const MOST_PARAMETERS: usize = 3;
/// The most numbers of an array.
const MOST_NUMBERS: usize = 3 * SIZES.end().pow(3);

/// Elements of the list that say something of the file and change no colour.
const SAID: [&str; 5] = ["Id", "Description", "InputDescriptor", "OutputDescriptor", "Info"];

/// Elements of nodes whose text says something.
const TEXTS: [&str; 8] =
    ["minInValue", "maxInValue", "minOutValue", "maxOutValue", "Slope", "Offset", "Power", "Saturation"];

/// Reads a file; `title` is its title where it has neither a name nor a description.
pub fn read(bytes: &[u8], title: &str) -> Result<Table, FormatError> {
    if bytes.len() > MAX_BYTES {
        return Err(broken(format!("{} bytes are more than a table has", bytes.len())));
    }
    let text = std::str::from_utf8(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes))
        .map_err(|_| broken("this is not a text file"))?;
    let mut reader = Reader::from_str(text);
    reader.config_mut().trim_text(true);
    let mut file = File::default();
    loop {
        match reader.read_event().map_err(broken)? {
            Event::Start(tag) => file.open(&tag)?,
            Event::Empty(tag) => {
                file.open(&tag)?;
                file.close()?;
            }
            Event::Text(t) => file.text(&t)?,
            Event::CData(t) => file.text(&t)?,
            Event::End(_) => file.close()?,
            Event::DocType(_) => return Err(broken("document types are not read")),
            Event::Eof => break,
            _ => {}
        }
    }
    file.table(title)
}

/// A file as far as it has been read.
#[derive(Default)]
struct File {
    open: Vec<String>,
    node: Option<Node>,
    operators: Vec<Operator>,
    seen: bool,
    name: String,
    description: String,
}

fn local_name(tag: &BytesStart<'_>) -> String {
    tag.local_name().as_ref().chars().take(60).collect()
}

fn attributes(tag: &BytesStart<'_>) -> Result<Attributes, FormatError> {
    let mut all = Attributes::new();
    for attribute in tag.attributes() {
        let attribute = attribute.map_err(broken)?;
        let value = quick_xml::escape::unescape(&attribute.value).map_err(broken)?;
        let name = attribute.key.local_name().as_ref().chars().take(60).collect();
        all.insert(name, value.chars().take(MOST_TEXT).collect());
    }
    Ok(all)
}

impl File {
    fn open(&mut self, tag: &BytesStart<'_>) -> Result<(), FormatError> {
        let name = local_name(tag);
        if self.open.len() >= MAX_DEPTH {
            return Err(broken("its elements are nested too deeply"));
        }
        match self.open.len() {
            0 if name != "ProcessList" => {
                return Err(broken(format!("it begins with “{}”; a ProcessList is expected", short(&name))));
            }
            0 => {
                if self.seen {
                    return Err(broken("there are two ProcessLists in it"));
                }
                self.seen = true;
                let attributes = attributes(tag)?;
                self.name = attributes.get("name").cloned().unwrap_or_default();
            }
            1 if KINDS.contains(&name.as_str()) => {
                if self.operators.len() >= MOST_OPERATORS {
                    return Err(broken(format!("more than {MOST_OPERATORS} nodes")));
                }
                self.node =
                    Some(Node { kind: name.clone(), attributes: attributes(tag)?, ..Default::default() });
            }
            1 if !SAID.contains(&name.as_str()) => {
                return Err(broken(format!(
                    "“{}” is no node that is read: {} are",
                    short(&name),
                    KINDS.join(", ")
                )));
            }
            _ => self.inside(&name, tag)?,
        }
        self.open.push(name);
        Ok(())
    }

    /// An element inside of a node.
    fn inside(&mut self, name: &str, tag: &BytesStart<'_>) -> Result<(), FormatError> {
        let Some(node) = &mut self.node else { return Ok(()) };
        match name {
            "Array" => {
                if node.array.is_some() {
                    return Err(broken(format!("{}: there are two Arrays in it", node.kind)));
                }
                let dim = attributes(tag)?.remove("dim").unwrap_or_default();
                let sides: Option<Vec<usize>> =
                    dim.split_whitespace().take(5).map(|w| w.parse().ok()).collect();
                let sides = sides.filter(|s| (2..=4).contains(&s.len()));
                let dim = sides.ok_or_else(|| {
                    broken(format!("{}: “{}” are no sides of an Array", node.kind, short(&dim)))
                })?;
                let count = dim.iter().try_fold(1_usize, |n, d| n.checked_mul(*d));
                if count.is_none_or(|n| n == 0 || n > MOST_NUMBERS) {
                    return Err(broken(format!("{}: its Array is larger than any that is read", node.kind)));
                }
                node.array = Some(Array { dim, values: Vec::new() });
            }
            "LogParams" | "ExponentParams" => {
                if node.parameters.len() >= MOST_PARAMETERS {
                    return Err(broken(format!("{}: more than one set of parameters a channel", node.kind)));
                }
                node.parameters.push(attributes(tag)?);
            }
            "IndexMap" => {
                return Err(FormatError::Unsupported {
                    format: "Common LUT Format",
                    what: format!("the IndexMap of a {}", node.kind),
                    instead: "version 3, which has a Range before the table",
                });
            }
            _ => {}
        }
        Ok(())
    }

    fn text(&mut self, text: &str) -> Result<(), FormatError> {
        let Some(name) = self.open.last() else { return Ok(()) };
        if self.open.len() == 2 && name == "Description" && self.description.is_empty() {
            self.description = text.chars().take(200).collect();
        }
        let Some(node) = &mut self.node else { return Ok(()) };
        if name != "Array" {
            if TEXTS.contains(&name.as_str()) {
                let kept = node.texts.entry(name.clone()).or_default();
                let left = MOST_TEXT.saturating_sub(kept.len());
                kept.extend(text.chars().take(left));
            }
            return Ok(());
        }
        let Some(array) = &mut node.array else { return Ok(()) };
        // A text may come in pieces, where a comment stands in it: it is never cut inside of a number.
        let most: usize = array.dim.iter().product();
        for word in text.split(|c: char| c.is_whitespace() || c == ',').filter(|w| !w.is_empty()) {
            let number = word.parse::<f64>();
            let number =
                number.map_err(|_| broken(format!("{}: “{}” is not a number", node.kind, short(word))))?;
            if array.values.len() == most {
                return Err(broken(format!(
                    "{}: more numbers than the {most} that its sides say",
                    node.kind
                )));
            }
            array.values.push(number);
        }
        Ok(())
    }

    fn close(&mut self) -> Result<(), FormatError> {
        self.open.pop();
        if self.open.len() != 1 {
            return Ok(());
        }
        let Some(node) = self.node.take() else { return Ok(()) };
        if let Some(array) = &node.array {
            let want: usize = array.dim.iter().product();
            if array.values.len() != want {
                let found = array.values.len();
                return Err(broken(format!(
                    "{}: {want} numbers are expected, {found} are there: the file is cut short",
                    node.kind
                )));
            }
        }
        let kind = node.kind.clone();
        let operator = node.operator()?;
        operator.check().map_err(|e| broken(format!("{kind}: {e}")))?;
        self.operators.push(operator);
        Ok(())
    }

    fn table(self, title: &str) -> Result<Table, FormatError> {
        if !self.seen {
            return Err(broken("there is no ProcessList in it"));
        }
        if !self.open.is_empty() {
            return Err(broken(format!("it breaks off inside of {}", self.open.join(" / "))));
        }
        if self.operators.is_empty() {
            return Err(broken("there is no node in it"));
        }
        let title = [self.name.as_str(), &self.description, title].into_iter().find(|t| !t.is_empty());
        Ok(Table::of(title.unwrap_or("").chars().take(200).collect(), self.operators)?)
    }
}
