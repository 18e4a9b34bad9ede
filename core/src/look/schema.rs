//! The JSON Schema of the look document: shapes from the types, ranges from the catalogue.

use super::Look;
use crate::step::{KINDS, field::FieldKind};
use serde_json::{Value, json};

/// The schema of version 1, JSON Schema 2020-12.
pub fn look_schema() -> Value {
    let mut schema = serde_json::to_value(schemars::schema_for!(Look)).unwrap_or_default();
    for info in KINDS {
        // Definitions carry the type's name, which is the title without its spaces.
        let name: String = info.title.split(' ').map(capitalised).collect();
        for field in info.fields {
            let property = &mut schema["$defs"][&name]["properties"][field.id];
            if let (FieldKind::Number { min, max, .. }, Some(property)) =
                (field.kind, property.as_object_mut())
            {
                property.insert("minimum".into(), json!(min));
                property.insert("maximum".into(), json!(max));
            }
        }
    }
    schema
}

fn capitalised(word: &str) -> String {
    let mut chars = word.chars();
    chars.next().map(|c| c.to_uppercase().collect::<String>() + chars.as_str()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_number_of_every_kind_has_its_range_in_the_schema() {
        let schema = look_schema();
        let tint = &schema["$defs"]["ToneTint"]["properties"]["darks_hue"];
        assert_eq!((tint["minimum"].as_f64(), tint["maximum"].as_f64()), (Some(0.0), Some(360.0)));
        let rendering = &schema["$defs"]["PlainRendering"]["properties"]["contrast"];
        assert_eq!(rendering["maximum"].as_f64(), Some(2.2));
    }
}
