//! ACES metadata files (AMF, AMPAS S-2019-001): for each shot how its pictures become ACES, what the look does there, and how that
//! becomes light on a display, by name and hash of the CLF that does it.
//!
//! An AMF's look transforms go from scene to scene, and a look here holds film and display steps too. So it is taken apart
//! where light leaves the scene: the trim and the Scene steps are look transforms, film and Screen steps the output transform.
//!
//! The smallest that the document allows is written. From memory, because nothing in the registries reads these files: the
//! name space `urn:ampas:aces:amf:v1.0`, the order of the elements, that `amfInfo` and `pipelineInfo` each have times and a
//! UUID, the identifiers of the ACEScct transforms, and SHA-256 by its name among the XML signature algorithms.

use super::tables::{ACES, Made, Part};
use super::{Making, PackageError, Shot};
use crate::configuration::to_aces;
use crate::corrections;
use crate::manifest::sha256;
use crate::plan::{Receiver, plain_name};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::step::SlopeOffsetPower;
use lantern_formats::clf;
use std::fmt::Write as _;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;

/// A file that an AMF points to: its name beside it, its SHA-256, and what it does.
#[derive(Clone)]
struct Pointed {
    name: String,
    sha256: String,
    does: String,
}

/// Adds the metadata of every shot, and the tables of their cameras, in a folder that the look's tables stand in already.
pub(super) fn metadata(
    making: &mut Making<'_>,
    receiver: &Receiver,
    folder: &str,
    tables: &[&Made],
) -> Result<(), PackageError> {
    let order = making.order;
    let pointed = |part: Part, does: &str| {
        let found = tables.iter().find(|t| t.key.part == part)?;
        Some(Pointed { name: found.name.clone(), sha256: sha256(&found.file.bytes), does: does.into() })
    };
    let look = pointed(Part::Scene, &format!("{}: its Scene steps", order.look.name));
    let Some(output) = pointed(Part::Output, &format!("{}: film and display", order.look.name)) else {
        return Ok(());
    };
    if order.shots.is_empty() {
        making.not_made(&receiver.name, "ACES metadata", "there is no shot whose encoding is known");
    }
    for (i, shot) in order.shots.iter().enumerate() {
        let what = format!("the ACES metadata of {}", shot.name);
        let trim = match correction(shot) {
            Ok(trim) => trim,
            Err(why) => {
                making.not_made(&receiver.name, &what, &format!("its trim is no ASC CDL: {why}"));
                continue;
            }
        };
        let Some((camera, bytes)) = input(making, shot, folder) else {
            let why = "it is finished for a display, from which no formula leads to ACES";
            making.not_made(&receiver.name, &what, why);
            continue;
        };
        making.put(&receiver.name, &format!("{folder}{}", camera.name), &camera.does, &bytes)?;
        let text = text(shot, &camera, trim.as_ref(), look.as_ref(), &output, order.saved_at);
        let path = format!("{folder}{:02}-{}.amf", i + 1, plain_name(&shot.name, "shot"));
        making.put(&receiver.name, &path, &format!("ACES metadata of {}", shot.name), text.as_bytes())?;
    }
    Ok(())
}

/// A shot's trim as a correction; none where it does nothing.
fn correction(shot: &Shot<'_>) -> Result<Option<SlopeOffsetPower>, String> {
    if shot.trim.steps.iter().all(|s| !s.on) {
        return Ok(None);
    }
    corrections::fit(&shot.trim).map(|fitted| Some(fitted.step))
}

/// How a shot's code values become light of ACES2065-1.
fn input(making: &Making<'_>, shot: &Shot<'_>, folder: &str) -> Option<(Pointed, Vec<u8>)> {
    if shot.encoding.reference == Reference::Display {
        return None;
    }
    let aces = Encoding::find(ACES)?;
    let table = to_aces(&shot.encoding.name, &shot.encoding, &aces, making.cancel).ok()??;
    let bytes = clf::write(&table, &[]).into_bytes();
    let sha256 = sha256(&bytes);
    let mut name = format!("{}_to_{ACES}.clf", plain_name(&shot.encoding.name, "camera"));
    // Two cameras may have one name.
    let taken = |name: &str| {
        let path = format!("{folder}{name}");
        making.files.iter().any(|f| f.path == path && f.sha256 != sha256)
    };
    while taken(&name) {
        name = format!("other-{name}");
    }
    let does = format!("{} to {}", shot.encoding.name, aces.name);
    Some((Pointed { name, sha256, does }, bytes))
}

/// The ACEScct transforms of ACES 1, by their names there.
const TO_CCT: &str = "urn:ampas:aces:transformId:v1.5:ACEScsc.Academy.ACES_to_ACEScct.a1.0.3";
const FROM_CCT: &str = "urn:ampas:aces:transformId:v1.5:ACEScsc.Academy.ACEScct_to_ACES.a1.0.3";
const SHA_256: &str = "http://www.w3.org/2001/04/xmlenc#sha256";

fn text(
    shot: &Shot<'_>,
    camera: &Pointed,
    trim: Option<&SlopeOffsetPower>,
    look: Option<&Pointed>,
    output: &Pointed,
    saved_at: i64,
) -> String {
    let mut pipeline = transform("inputTransform", camera);
    if let Some(trim) = trim {
        pipeline.push_str(&trimmed(trim));
    }
    if let Some(look) = look {
        pipeline.push_str(&transform("lookTransform", look));
    }
    pipeline.push_str(&transform("outputTransform", output));
    let clip = clip(shot);
    let time = utc(saved_at);
    // The same for the same contents, and another one for others.
    let info = |of: &str| {
        format!(
            "<aces:dateTime><aces:creationDateTime>{time}</aces:creationDateTime><aces:modificationDateTime>{time}\
             </aces:modificationDateTime></aces:dateTime>\n    <aces:uuid>{}</aces:uuid>",
            uuid(&format!("{of}{clip}{pipeline}"))
        )
    };
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
         <aces:acesMetadataFile xmlns:aces=\"urn:ampas:aces:amf:v1.0\" xmlns:cdl=\"urn:ASC:CDL:v1.01\" version=\"1.0\">\n  \
         <aces:amfInfo>\n    <aces:description>{}</aces:description>\n    {}\n  </aces:amfInfo>\n{clip}  \
         <aces:pipeline>\n    <aces:pipelineInfo>\n    {}\n    <aces:acesVersion><aces:majorVersion>1</aces:majorVersion>\
         <aces:minorVersion>3</aces:minorVersion><aces:patchVersion>0</aces:patchVersion></aces:acesVersion>\n    \
         </aces:pipelineInfo>\n{pipeline}  </aces:pipeline>\n</aces:acesMetadataFile>\n",
        escaped(&shot.name),
        info("file"),
        info("pipeline"),
    )
}

/// Which pictures it is of: a file, or the frames of a sequence with `#` for each digit of their numbers.
fn clip(shot: &Shot<'_>) -> String {
    let file = match (shot.frames.as_slice(), pattern(&shot.file)) {
        ([first, .., last], Some(pattern)) => format!(
            "<aces:sequence idx=\"#\" min=\"{first}\" max=\"{last}\">{}</aces:sequence>",
            escaped(&pattern)
        ),
        _ => format!("<aces:file>{}</aces:file>", escaped(&shot.file)),
    };
    format!(
        "  <aces:clipId>\n    <aces:clipName>{}</aces:clipName>\n    {file}\n  </aces:clipId>\n",
        escaped(&shot.name)
    )
}

/// A file's name with `#` for each of the last digits before its ending.
fn pattern(file: &str) -> Option<String> {
    let (stem, ending) = file.rsplit_once('.').unwrap_or((file, ""));
    let end = stem.trim_end_matches(|c: char| !c.is_ascii_digit());
    let begin = end.trim_end_matches(|c: char| c.is_ascii_digit());
    let digits = end.len() - begin.len();
    (digits > 0).then(|| format!("{begin}{}{}.{ending}", "#".repeat(digits), &stem[end.len()..]))
}

fn transform(kind: &str, to: &Pointed) -> String {
    format!(
        "    <aces:{kind} applied=\"false\">\n      <aces:description>{}</aces:description>\n      <aces:hash \
         algorithm=\"{SHA_256}\">{}</aces:hash>\n      <aces:file>{}</aces:file>\n    </aces:{kind}>\n",
        escaped(&to.does),
        to.sha256,
        escaped(&to.name)
    )
}

fn trimmed(trim: &SlopeOffsetPower) -> String {
    let three = |v: [f64; 3]| v.map(|v| format!("{v:.6}")).join(" ");
    let mut out = String::from(
        "    <aces:lookTransform applied=\"false\">\n      <aces:description>Trim</aces:description>\n",
    );
    let _ = write!(
        out,
        "      <aces:cdlWorkingSpace>\n        <aces:toCdlWorkingSpace><aces:transformId>{TO_CCT}</aces:transformId>\
         </aces:toCdlWorkingSpace>\n        <aces:fromCdlWorkingSpace><aces:transformId>{FROM_CCT}</aces:transformId>\
         </aces:fromCdlWorkingSpace>\n      </aces:cdlWorkingSpace>\n      <cdl:SOPNode><cdl:Slope>{}</cdl:Slope><cdl:Offset>{}\
         </cdl:Offset><cdl:Power>{}</cdl:Power></cdl:SOPNode>\n      <cdl:SatNode><cdl:Saturation>{:.6}</cdl:Saturation>\
         </cdl:SatNode>\n    </aces:lookTransform>\n",
        three(trim.slope()),
        three(trim.offset()),
        three(trim.power()),
        trim.saturation
    );
    out
}

/// A UUID of some contents (RFC 9562, version 8: its bits are a hash).
fn uuid(contents: &str) -> String {
    let mut bytes = [0_u8; 16];
    bytes.copy_from_slice(&blake3::hash(contents.as_bytes()).as_bytes()[..16]);
    format!("urn:uuid:{}", uuid::Uuid::new_v8(bytes))
}

/// Seconds since 1970 as date and time (RFC 3339).
fn utc(seconds: i64) -> String {
    let at = OffsetDateTime::from_unix_timestamp(seconds).unwrap_or(OffsetDateTime::UNIX_EPOCH);
    at.format(&Rfc3339).unwrap_or_default()
}

/// Text inside of XML.
fn escaped(raw: &str) -> String {
    let plain: String = raw.chars().filter(|c| !c.is_control()).collect();
    plain.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_those_of_the_calendar() {
        // By `date -u -d @SECONDS`.
        for (seconds, want) in [
            (0, "1970-01-01T00:00:00Z"),
            (951_782_399, "2000-02-28T23:59:59Z"),
            (951_782_400, "2000-02-29T00:00:00Z"),
            (1_709_164_800, "2024-02-29T00:00:00Z"),
            (4_102_444_799, "2099-12-31T23:59:59Z"),
            (-1, "1969-12-31T23:59:59Z"),
        ] {
            assert_eq!(utc(seconds), want);
        }
    }

    #[test]
    fn a_sequence_is_named_with_a_sign_for_each_digit() {
        assert_eq!(pattern("sea.0007.exr").as_deref(), Some("sea.####.exr"));
        assert_eq!(pattern("a1_b22c.png").as_deref(), Some("a1_b##c.png"));
        assert_eq!(pattern("sea.exr"), None);
    }

    #[test]
    fn a_uuid_has_its_version_and_variant() {
        let id = uuid("x");
        assert_eq!((id.len(), &id[23..24]), (45, "8"));
        assert!("89ab".contains(&id[28..29]), "{id}");
        assert_ne!(id, uuid("y"));
    }
}
