//! Numbers that server and page both know, said once: `dusky-lantern describe constants` gives them to the page
//! (`cargo xtask types`).

use lantern_core::colour::{axis::SCREEN_GREY, plane::SKIN_DEGREES};
use lantern_core::field::MAX_POINTS;
use lantern_core::film::stock::MOST_BANDS;
use lantern_core::look::{LOOK_VERSION, MAX_NAME};
use lantern_core::scope::{LEVELS, VECTOR_SPAN};
use lantern_formats::registry::TABLES;
use std::fmt::Write;

/// They, as TypeScript.
pub fn typescript() -> String {
    let all: [(&str, &str, f64); 8] = [
        ("MAX_NAME", "The most characters of a name.", MAX_NAME as f64),
        ("LOOK_VERSION", "The version of look documents that is written.", f64::from(LOOK_VERSION)),
        ("MAX_POINTS", "The most points of a curve.", MAX_POINTS as f64),
        ("MAX_BANDS", "The most bands of a dye.", MOST_BANDS as f64),
        (
            "SCREEN_GREY",
            "Code value of middle grey in the Screen zone, in per cent; its tonal axis counts tenths of the range from there.",
            100.0 * f64::from(SCREEN_GREY),
        ),
        ("SKIN_DEGREES", "The skin line of the vectorscope, the I axis, in degrees.", SKIN_DEGREES),
        (
            "VECTOR_SPAN",
            "Half the side of the vectorscope, in colour-difference units.",
            f64::from(VECTOR_SPAN),
        ),
        (
            "LEVELS",
            "Levels of a waveform and of a histogram, and the side of the vectorscope.",
            LEVELS as f64,
        ),
    ];
    let mut text = String::from(
        "/** Numbers that server and page both know. Written by `cargo xtask types` from the server's `api::constants`. */\n",
    );
    for (name, says, value) in all {
        // Single precision has seven digits.
        let value = (value * 1e5).round() / 1e5;
        let _ = write!(text, "\n/** {says} */\nexport const {name} = {value};\n");
    }
    // Pictures may be tables too; they end as pictures do.
    let tables = TABLES.iter().rev().filter(|f| f.id != "hald").flat_map(|f| f.endings);
    let tables: Vec<String> = tables.map(|e| format!("\".{e}\"")).collect();
    let _ = write!(
        text,
        "\n/** What names of tables end with, beside PNG. */\nexport const TABLE_ENDINGS = [{}];\n",
        tables.join(", ")
    );
    text
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_page_has_these() {
        let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/src/data/constants.ts");
        assert_eq!(std::fs::read_to_string(file).unwrap(), super::typescript(), "run cargo xtask types");
    }
}
