//! Hostile bytes into every reader. The environment variable `READER` says which ones: `pictures`, `tables`, `cdl` or `look`;
//! they may refuse, never panic.

#![no_main]

use lantern_formats::registry::{PICTURES, TABLES};
use libfuzzer_sys::fuzz_target;
use std::sync::OnceLock;

static READER: OnceLock<String> = OnceLock::new();

fuzz_target!(|data: &[u8]| {
    match READER.get_or_init(|| std::env::var("READER").unwrap_or_default()).as_str() {
        "pictures" => picture(data),
        "tables" => {
            for format in TABLES {
                let _ = (format.read)(data, "");
            }
        }
        "cdl" => drop(lantern_formats::cdl::read(data)),
        _ => {
            if let Ok(text) = std::str::from_utf8(data) {
                let _ = lantern_core::look::Look::from_json(text);
            }
        }
    }
});

/// Bytes that no format begins with are given to one that their first byte chooses, after what its files begin with: so
/// the fuzzer need not find that.
fn picture(data: &[u8]) {
    if PICTURES.iter().any(|f| f.knows(data)) {
        read(data);
    } else if let [choice, rest @ ..] = data {
        let beginnings: Vec<&[u8]> = PICTURES.iter().flat_map(|f| f.begins).copied().collect();
        read(&[beginnings[usize::from(*choice) % beginnings.len()], rest].concat());
    }
}

fn read(bytes: &[u8]) {
    let _ = lantern_formats::facts::read(bytes);
    let _ = lantern_formats::picture::read(bytes);
    for codes in PICTURES.iter().filter(|f| f.knows(bytes)).filter_map(|f| f.codes.as_ref()) {
        let _ = (codes.read)(bytes);
    }
}
