//! Names as they are kept: what is not seen in them, or turns round how the rest is read, is left out.

/// The most characters of a name: of a look, a step, a version, a shot, a scene, a production.
pub const MAX_NAME: usize = 200;

/// Whether a character is not seen, or changes how those around it are read: control characters, those without width, and those
/// that set the direction of writing (Unicode 16, categories Cc and Cf where they stand in text; UAX 9, 2.1-2.4).
pub fn is_unseen(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{ad}' | '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{2069}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}')
}

/// A name as it is kept: what is seen of it, without spaces at its ends, as long as names may be. Empty where nothing is.
pub fn clean_name(name: &str) -> String {
    let seen: String = name.chars().filter(|c| !is_unseen(*c)).collect();
    seen.trim().chars().take(MAX_NAME).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_is_not_seen_is_no_part_of_a_name() {
        for (name, kept) in [
            ("  Ferry deck ", "Ferry deck"),
            ("Fer\u{200b}ry\u{202e}kced", "Ferrykced"),
            ("a\tb\u{0}\u{7f}\u{feff}c", "abc"),
            ("\u{2066}\u{200d}\n", ""),
            ("Überfahrt 渡し é", "Überfahrt 渡し é"),
        ] {
            assert_eq!(clean_name(name), kept, "{name:?}");
        }
    }

    proptest! {
        #[test]
        fn a_kept_name_is_kept_as_it_is(name in "\\PC*|.*") {
            let kept = clean_name(&name);
            prop_assert!(kept.chars().count() <= MAX_NAME && !kept.chars().any(is_unseen));
            prop_assert_eq!(clean_name(kept.trim()), kept.trim());
        }
    }
}
