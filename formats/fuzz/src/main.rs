//! Hostile bytes into every reader. The environment variable `READER` says which one; it may refuse, never panic.

#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::OnceLock;

static READER: OnceLock<String> = OnceLock::new();

/// What a file of each format begins with, so that the fuzzer need not find it.
fn magic(reader: &str) -> &'static [u8] {
    match reader {
        "png" | "hald" => &[0x89, b'P', b'N', b'G', 13, 10, 26, 10],
        "tiff" => &[b'I', b'I', 42, 0],
        "exr" => &[0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0],
        "jpeg" => &[0xff, 0xd8, 0xff],
        "dpx" => b"SDPX",
        _ => &[],
    }
}

fuzz_target!(|data: &[u8]| {
    let reader = READER.get_or_init(|| std::env::var("READER").unwrap_or_default());
    match reader.as_str() {
        "cube" => {
            let _ = lantern_formats::cube::read(data);
            return;
        }
        "cdl" => {
            let _ = lantern_formats::cdl::read(data);
            return;
        }
        "look" => {
            if let Ok(text) = std::str::from_utf8(data) {
                let _ = lantern_core::look::Look::from_json(text);
            }
            return;
        }
        _ => {}
    }
    let mut bytes = magic(reader).to_vec();
    if data.starts_with(&bytes) {
        bytes.clear();
    }
    bytes.extend_from_slice(data);
    if reader == "hald" {
        let _ = lantern_formats::hald::read(&bytes, "");
        return;
    }
    let _ = lantern_formats::facts::read(&bytes);
    let _ = lantern_formats::picture::read(&bytes);
});
