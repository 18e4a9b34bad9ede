//! What a group of steps was matched to, so that it can be matched again: kept with the group, wherever that goes.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The most references and pairs that are kept.
const MOST_REFERENCES: usize = 12;
const MOST_PAIRS: usize = 64;
/// The longest id or word, in characters.
const MOST_WORD: usize = 100;

/// A rectangle of a picture, as shares of its sides from the top left.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MatchedArea {
    /// Left edge.
    pub x: f64,
    /// Top edge.
    pub y: f64,
    /// Width.
    pub width: f64,
    /// Height.
    pub height: f64,
}

/// Areas that were to feel the same.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MatchedPair {
    /// The area of the shot.
    pub shot: MatchedArea,
    /// The area of the reference.
    pub reference: MatchedArea,
    /// Which reference, from 0.
    pub of: usize,
}

/// What a group was matched to; since version 7 of look documents.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Matched {
    /// Ids of the references, in the production that it was matched in.
    pub references: Vec<String>,
    /// What shot and references have in common, as it was said.
    pub common: String,
    /// The pairs.
    pub pairs: Vec<MatchedPair>,
}

impl Matched {
    /// Refuses what no match is, in a sentence about the group.
    pub(super) fn check(&self, group: &str) -> Result<(), String> {
        let fail = |why: &str| Err(format!("what “{group}” was matched to {why}"));
        if self.references.len() > MOST_REFERENCES || self.pairs.len() > MOST_PAIRS {
            return fail("has too many references or pairs");
        }
        let long = |t: &str| t.chars().count() > MOST_WORD;
        if long(&self.common) || self.references.iter().any(|r| long(r)) {
            return fail("has a name that is none");
        }
        let inside = |a: &MatchedArea| {
            [a.x, a.y, a.width, a.height].iter().all(|v| (0.0..=1.0).contains(v))
                && a.x + a.width <= 1.0 + 1e-9
                && a.y + a.height <= 1.0 + 1e-9
        };
        let fine = |p: &MatchedPair| inside(&p.shot) && inside(&p.reference) && p.of < self.references.len();
        if self.pairs.iter().all(fine) { Ok(()) } else { fail("has a pair outside of its pictures") }
    }
}

#[cfg(test)]
mod tests {
    use crate::look::{Look, Path};
    use serde_json::json;

    fn read(pair: serde_json::Value, references: serde_json::Value) -> Result<Path, String> {
        let document = json!({ "version": 7, "name": "x", "path": {
            "steps": [{ "id": "s", "name": "s", "zone": "screen", "on": true, "strength": 1.0, "group": "g",
                "kind": "saturation", "values": {} }],
            "groups": [{ "id": "g", "name": "g", "on": true, "strength": 0.5,
                "matched": { "references": references, "common": "nothing", "pairs": [pair] } }] } });
        Look::from_json(&document.to_string()).map(|l| l.path).map_err(|e| e.to_string())
    }

    #[test]
    fn what_a_group_was_matched_to_stays_with_it_and_is_checked() {
        let area = |x: f64| json!({ "x": x, "y": 0.1, "width": 0.2, "height": 0.2 });
        let pair = |x: f64, of: usize| json!({ "shot": area(x), "reference": area(0.5), "of": of });
        let path = read(pair(0.3, 0), json!(["a"])).unwrap();
        let kept = path.groups[0].matched.as_ref().unwrap();
        assert_eq!((kept.references.len(), kept.pairs[0].shot.x), (1, 0.3));
        let again: Path = serde_json::from_str(&serde_json::to_string(&path).unwrap()).unwrap();
        assert_eq!(again, path);
        assert!(read(pair(0.9, 0), json!(["a"])).unwrap_err().contains("outside"));
        assert!(read(pair(0.3, 1), json!(["a"])).unwrap_err().contains("outside"));
        assert!(read(pair(0.3, 0), json!(vec!["a"; 13])).unwrap_err().contains("too many"));
    }
}
