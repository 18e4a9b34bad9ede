//! The JSON Schema of the look document: shapes from the types, ranges from the catalogue.

use super::Look;
use crate::region::ColourRange;
use crate::step::{Bump, KINDS, KindInfo, field::Field, field::FieldKind};
use serde_json::{Value, json};

/// The schema of version 2, JSON Schema 2020-12.
pub fn look_schema() -> Value {
    let mut schema = serde_json::to_value(schemars::schema_for!(Look)).unwrap_or_default();
    for info in KINDS {
        with_ranges(&mut schema, &type_name(info), info.fields);
    }
    with_ranges(&mut schema, "Bump", Bump::FIELDS);
    with_ranges(&mut schema, "ColourRange", ColourRange::FIELDS);
    schema
}

/// The name of a kind's type, which definitions carry: its title without what stands between the words.
fn type_name(info: &KindInfo) -> String {
    match info.kind {
        // `Table` is the type of a single table's numbers.
        "table" => "Tables".into(),
        _ => info.title.split([' ', '/']).map(capitalised).collect(),
    }
}

fn with_ranges(schema: &mut Value, name: &str, fields: &[Field]) {
    for field in fields {
        let property = &mut schema["$defs"][name]["properties"][field.id];
        if let (FieldKind::Number { min, max, .. }, Some(property)) = (field.kind, property.as_object_mut()) {
            property.insert("minimum".into(), json!(min));
            property.insert("maximum".into(), json!(max));
        }
    }
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
        for info in KINDS {
            let name = type_name(info);
            let properties = schema["$defs"][&name]["properties"].as_object();
            let properties = properties.unwrap_or_else(|| panic!("{name} is not in the schema"));
            assert!(info.fields.iter().all(|f| properties.contains_key(f.id)), "{name}");
        }
        assert_eq!(schema["$defs"]["ColourRange"]["properties"]["hue"]["maximum"].as_f64(), Some(360.0));
    }
}
