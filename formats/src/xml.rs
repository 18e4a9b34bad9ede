//! What files in XML are told by.

/// How far into a file the name of its first element is looked for: a declaration and comments may stand before it.
const HEAD: usize = 64 << 10;

/// Whether bytes begin like XML.
pub fn is_xml(bytes: &[u8]) -> bool {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    bytes.iter().find(|b| !b.is_ascii_whitespace()) == Some(&b'<')
}

/// Whether an element of this name, with or without a prefix, begins near the head of a file.
pub fn names(bytes: &[u8], element: &[u8]) -> bool {
    let head = &bytes[..bytes.len().min(HEAD)];
    head.windows(element.len() + 1).any(|w| matches!(w[0], b'<' | b':') && &w[1..] == element)
}
