//! A delivery plan: who receives what.

use crate::movie;
use crate::table_file::{Format, Range, SIZES};
use lantern_formats::registry::{self, PictureFormat};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// The version of plans that this code writes.
pub const PLAN_VERSION: u32 = 1;
/// The most receivers of a plan, and the most deliveries to one.
pub const MOST_RECEIVERS: usize = 40;
/// See [`MOST_RECEIVERS`].
pub const MOST_DELIVERIES: usize = 40;
/// The most displays of a configuration.
const MOST_DISPLAYS: usize = 20;
/// The longest name, in characters.
const MOST_NAME: usize = 80;

/// Who receives what of a look.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Plan {
    /// Version of this document's form.
    pub version: u32,
    /// What people call it.
    pub name: String,
    /// Everybody who receives something.
    pub receivers: Vec<Receiver>,
}

/// One of those who receive something.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Receiver {
    /// Who it is.
    pub name: String,
    /// What they get.
    pub deliveries: Vec<Delivery>,
}

/// One thing that somebody gets.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Delivery {
    /// The look as a table.
    Table {
        /// The format.
        #[serde(default)]
        format: Format,
        /// The encoding that it expects: an id, `camera` for the production's camera, or a profile.
        from: String,
        /// The encoding that it gives.
        to: String,
        /// Points on a side.
        #[serde(default = "usual_size")]
        size: usize,
        /// The range of code values going in and coming out.
        #[serde(default)]
        range: Range,
    },
    /// The look's own file.
    Look,
    /// A graded still of each shot, with its trim and texture.
    Stills {
        /// The ending of the format: png, tiff, exr or dpx.
        format: String,
        /// The encoding of the stills.
        to: String,
    },
    /// Every graded frame of each shot that has more than one, with its trim and texture.
    Frames {
        /// The ending of the format: png, tiff, exr or dpx.
        format: String,
        /// The encoding of the frames.
        to: String,
    },
    /// A review movie of each shot that has more than one frame, with its trim and texture.
    Movies {
        /// The ending of the format: mp4, mov or mkv.
        format: String,
        /// The encoding of the movies, which they are tagged with.
        to: String,
    },
    /// The trim of each shot as an ASC CDL on ACEScct.
    Corrections {
        /// cc: a file for each shot. ccc: one collection. cdl: one decision list.
        form: String,
    },
    /// An ACES metadata file (AMF) of each shot, with the tables that it points to: the Scene steps as a look transform, all
    /// else as the output transform.
    Metadata {
        /// The display that the output transform is for.
        to: String,
        /// Points on a side of its tables.
        #[serde(default = "usual_size")]
        size: usize,
    },
    /// A colour configuration: the look as a view of each display, the production's cameras as colour spaces.
    Configuration {
        /// Encodings of the displays.
        displays: Vec<String>,
        /// Points on a side of its tables.
        #[serde(default = "configured_size")]
        size: usize,
    },
}

fn configured_size() -> usize {
    crate::configuration::SIZE
}

fn usual_size() -> usize {
    33
}

/// Why a plan cannot be used.
#[derive(Debug, Error, PartialEq)]
pub enum PlanError {
    /// Not JSON of the right shape.
    #[error("this is not a delivery plan: {0}")]
    Shape(String),
    /// Written by a later version.
    #[error(
        "this plan has version {0}; this program reads up to version {PLAN_VERSION}: open it with a newer one"
    )]
    Later(u64),
    /// Something in it cannot be made.
    #[error("{receiver}: {why}")]
    Delivery {
        /// Who should have got it.
        receiver: String,
        /// What is wrong.
        why: String,
    },
}

impl Plan {
    /// Reads and checks a plan.
    pub fn from_json(text: &str) -> Result<Self, PlanError> {
        let value: serde_json::Value =
            serde_json::from_str(text).map_err(|e| PlanError::Shape(e.to_string()))?;
        Self::from_value(value)
    }

    /// The same from JSON that was read.
    pub fn from_value(value: serde_json::Value) -> Result<Self, PlanError> {
        let plan = Self::draft(value)?;
        plan.check()?;
        Ok(plan)
    }

    /// The same of one that is still being made.
    pub fn draft(value: serde_json::Value) -> Result<Self, PlanError> {
        if let Some(version) = value["version"].as_u64().filter(|v| *v > u64::from(PLAN_VERSION)) {
            return Err(PlanError::Later(version));
        }
        // Where in it something is wrong is said too: plans are written by hand.
        let plan: Self =
            serde_path_to_error::deserialize(value).map_err(|e| PlanError::Shape(e.to_string()))?;
        plan.check_draft()?;
        Ok(plan)
    }

    /// Refuses what no package can be made of.
    pub fn check(&self) -> Result<(), PlanError> {
        self.check_draft()?;
        if self.receivers.is_empty() {
            return Err(PlanError::Shape("nobody receives anything".into()));
        }
        for r in &self.receivers {
            let fail = |why: String| Err(PlanError::Delivery { receiver: r.name.clone(), why });
            if r.name.trim().is_empty() {
                return Err(PlanError::Shape("a receiver has no name".into()));
            }
            let folder = plain_name(&r.name, "receiver");
            if self.receivers.iter().any(|o| !std::ptr::eq(o, r) && plain_name(&o.name, "receiver") == folder)
            {
                return fail(format!(
                    "another receiver would have the same folder “{folder}”: give one another name"
                ));
            }
            if r.deliveries.is_empty() {
                return fail("nothing is delivered".into());
            }
            if r.deliveries
                .iter()
                .any(|d| matches!(d, Delivery::Configuration { displays, .. } if displays.is_empty()))
            {
                return fail("a colour configuration has at least one display".into());
            }
        }
        Ok(())
    }

    /// Refuses what cannot stand even in a plan that is still being made: one that nobody receives anything of yet, say, can.
    pub fn check_draft(&self) -> Result<(), PlanError> {
        let shape = |why: String| Err(PlanError::Shape(why));
        let plain = |text: &str| text.chars().count() <= MOST_NAME && !text.chars().any(char::is_control);
        if !plain(&self.name) || self.receivers.iter().any(|r| !plain(&r.name)) {
            return shape(format!("a name has up to {MOST_NAME} characters on one line"));
        }
        if self.receivers.len() > MOST_RECEIVERS {
            return shape(format!("it has more than {MOST_RECEIVERS} receivers"));
        }
        for r in &self.receivers {
            let fail = |why: String| PlanError::Delivery { receiver: r.name.clone(), why };
            if r.deliveries.len() > MOST_DELIVERIES {
                return Err(fail(format!(
                    "up to {MOST_DELIVERIES} deliveries are made, not {}",
                    r.deliveries.len()
                )));
            }
            r.deliveries.iter().try_for_each(Delivery::check).map_err(fail)?;
        }
        Ok(())
    }

    /// Every name of an encoding in it, to be changed where it has another name elsewhere.
    pub fn encodings_mut(&mut self) -> impl Iterator<Item = &mut String> {
        self.receivers.iter_mut().flat_map(|r| &mut r.deliveries).flat_map(Delivery::encodings_mut)
    }
}

impl Delivery {
    /// Refuses what is not made of a look, with the reason.
    fn check(&self) -> Result<(), String> {
        let size = match self {
            Self::Table { size, .. } | Self::Configuration { size, .. } | Self::Metadata { size, .. } => {
                Some(size)
            }
            _ => None,
        };
        if let Some(size) = size.filter(|s| !SIZES.contains(s)) {
            return Err(format!("a table is written with 17, 33 or 65 points on a side, not {size}"));
        }
        if let Self::Configuration { displays, .. } = self
            && displays.len() > MOST_DISPLAYS
        {
            return Err(format!(
                "a configuration has up to {MOST_DISPLAYS} displays, not {}",
                displays.len()
            ));
        }
        match self {
            Self::Stills { format, .. } | Self::Frames { format, .. } if written(format).is_none() => {
                Err(format!("pictures are not written as “{format}”: png, tiff, exr and dpx are"))
            }
            Self::Movies { format, .. } if !movie::is_ending(format) => {
                Err(format!("movies are not written as “{format}”: mp4, mov and mkv are"))
            }
            Self::Corrections { form } if lantern_formats::cdl::Form::of_extension(form).is_none() => {
                Err(format!("corrections are written as cc, ccc or cdl, not as “{form}”"))
            }
            _ => Ok(()),
        }
    }

    /// Every name of an encoding in it.
    fn encodings_mut(&mut self) -> Vec<&mut String> {
        match self {
            Self::Table { from, to, .. } => vec![from, to],
            Self::Stills { to, .. }
            | Self::Frames { to, .. }
            | Self::Movies { to, .. }
            | Self::Metadata { to, .. } => vec![to],
            Self::Configuration { displays, .. } => displays.iter_mut().collect(),
            Self::Look | Self::Corrections { .. } => Vec::new(),
        }
    }
}

/// The picture format of an ending, where it is written.
pub fn written(ending: &str) -> Option<&'static PictureFormat> {
    registry::of_ending(ending).filter(|f| f.write.is_some())
}

/// A name's letters and digits, with hyphens between its words: what files and folders are called by.
pub fn plain_name(name: &str, otherwise: &str) -> String {
    let plain: String =
        name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let words: Vec<&str> = plain.split('-').filter(|w| !w.is_empty()).collect();
    let plain: String = words.join("-").chars().take(80).collect();
    match plain.as_str() {
        "" => otherwise.into(),
        // Some systems keep these names for devices, whatever their endings are.
        "con" | "prn" | "aux" | "nul" | "conin" | "conout" => format!("{otherwise}-{plain}"),
        port if is_port(port) => format!("{otherwise}-{plain}"),
        _ => plain,
    }
}

/// Whether a name is that of a port: `com1` to `lpt9`, and with 0 in some places.
fn is_port(name: &str) -> bool {
    let number = name.strip_prefix("com").or_else(|| name.strip_prefix("lpt"));
    number.is_some_and(|n| n.len() == 1 && n.bytes().all(|b| b.is_ascii_digit()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_file_is_called_what_some_system_keeps_for_itself() {
        for (name, file) in [
            ("CON", "look-con"),
            ("NUL", "look-nul"),
            ("aux", "look-aux"),
            ("Com1", "look-com1"),
            ("LPT9", "look-lpt9"),
            ("com12", "com12"),
            ("Console", "console"),
            ("\u{202e}", "look"),
            ("../..", "look"),
        ] {
            assert_eq!(plain_name(name, "look"), file);
        }
    }

    #[test]
    fn a_plan_comes_back_and_a_wrong_one_says_why() {
        let text = r#"{"version":1,"name":"All","receivers":[{"name":"On set","deliveries":[
            {"kind":"table","from":"camera","to":"rec709"},{"kind":"look"},{"kind":"stills","format":"png","to":"srgb"},
            {"kind":"corrections","form":"ccc"}]}]}"#;
        let plan = Plan::from_json(text).unwrap();
        assert_eq!(Plan::from_json(&serde_json::to_string(&plan).unwrap()).unwrap(), plan);
        assert_eq!(
            plan.receivers[0].deliveries[0],
            Delivery::Table {
                format: Format::Cube,
                from: "camera".into(),
                to: "rec709".into(),
                size: 33,
                range: Range::Full,
            }
        );
        let why = |from: &str, to: &str| Plan::from_json(&text.replace(from, to)).unwrap_err().to_string();
        assert!(why("\"version\":1", "\"version\":9").contains("newer"));
        assert!(why("png", "gif").contains("On set: pictures are not written as “gif”"));
        assert!(why("ccc", "abc").contains("cc, ccc or cdl"));
        assert!(why("\"to\":\"rec709\"", "\"to\":\"rec709\",\"size\":34").contains("not 34"));
        let twice = r#"{"name":"on SET!","deliveries":[{"kind":"look"}]},{"name":"On set""#;
        assert!(why(r#"{"name":"On set""#, twice).contains("same folder"));
        assert!(why("\"kind\":\"look\"", "\"kind\":\"book\"").contains("not a delivery plan"));
        let placed = why(",\"to\":\"srgb\"", "");
        assert!(
            placed.contains("receivers[0].deliveries[2]") && placed.contains("missing field `to`"),
            "{placed}"
        );
        assert!(
            Plan::from_json("{\"version\":1,\"name\":\"\",\"receivers\":[]}")
                .unwrap_err()
                .to_string()
                .contains("nobody")
        );
    }

    #[test]
    fn names_of_files_hold_no_path() {
        assert_eq!(plain_name("Harbour Dusk", "look"), "harbour-dusk");
        assert_eq!(plain_name("../../ß", "look"), "look");
    }
}
