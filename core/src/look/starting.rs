//! The starting looks that ship: ordinary paths of our own, on four shelves.

use super::Look;
use std::sync::OnceLock;

/// A look that ships.
#[derive(Debug)]
pub struct Starting {
    /// The shelf that it stands on.
    pub shelf: &'static str,
    /// The document; its notes are a line on what it does.
    pub look: Look,
}

/// Shelves and documents, in the order they are shown.
const FILES: &[(&str, &str)] = &[
    ("Colour film feel", include_str!("../../starting-looks/amber-reel.json")),
    ("Colour film feel", include_str!("../../starting-looks/cold-harbour-print.json")),
    ("Colour film feel", include_str!("../../starting-looks/noon-reversal.json")),
    ("Colour film feel", include_str!("../../starting-looks/soft-negative.json")),
    ("Colour film feel", include_str!("../../starting-looks/green-lamp-stock.json")),
    ("Colour film feel", include_str!("../../starting-looks/dusk-tungsten.json")),
    ("Colour film feel", include_str!("../../starting-looks/faded-matinee.json")),
    ("Black and white", include_str!("../../starting-looks/plain-silver.json")),
    ("Black and white", include_str!("../../starting-looks/red-filter.json")),
    ("Black and white", include_str!("../../starting-looks/green-filter.json")),
    ("Black and white", include_str!("../../starting-looks/high-key-paper.json")),
    ("Black and white", include_str!("../../starting-looks/coal-cellar.json")),
    ("Black and white", include_str!("../../starting-looks/sepia-ledger.json")),
    ("Stylised", include_str!("../../starting-looks/ember-and-tide.json")),
    ("Stylised", include_str!("../../starting-looks/one-red-thing.json")),
    ("Stylised", include_str!("../../starting-looks/drained-winter.json")),
    ("Stylised", include_str!("../../starting-looks/night-from-day.json")),
    ("Stylised", include_str!("../../starting-looks/sodium-street.json")),
    ("Stylised", include_str!("../../starting-looks/deep-kelp.json")),
    ("Mixed", include_str!("../../starting-looks/clean-delivery.json")),
    ("Mixed", include_str!("../../starting-looks/half-silver.json")),
    ("Mixed", include_str!("../../starting-looks/lifted-haze.json")),
    ("Mixed", include_str!("../../starting-looks/ink-well.json")),
    ("Mixed", include_str!("../../starting-looks/painted-pastel.json")),
];

/// All starting looks.
pub fn looks() -> &'static [Starting] {
    static LOOKS: OnceLock<Vec<Starting>> = OnceLock::new();
    // Each file is read by the test below: none can fail here.
    LOOKS.get_or_init(|| {
        let read = |(shelf, text): &(&'static str, &str)| {
            Some(Starting { shelf, look: Look::from_json(text).ok()? })
        };
        FILES.iter().filter_map(read).collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::film::stock::{negatives, prints};
    use crate::step::Values;

    #[test]
    fn every_starting_look_opens_and_has_a_name_of_its_own_a_line_and_tags() {
        assert_eq!(looks().len(), FILES.len());
        let names: std::collections::BTreeSet<&str> = looks().iter().map(|s| s.look.name.as_str()).collect();
        assert_eq!(names.len(), FILES.len());
        assert!(looks().iter().all(|s| s.look.notes.len() > 20 && !s.look.tags.is_empty()));
        let shelves: std::collections::BTreeSet<&str> = looks().iter().map(|s| s.shelf).collect();
        assert_eq!(shelves.len(), 4);
    }

    #[test]
    fn at_least_a_third_is_film_on_a_print_with_texture_and_their_stocks_are_those_that_ship() {
        let mut filmed = 0;
        for s in looks() {
            let steps = &s.look.path.steps;
            let textured = steps.iter().any(|s| !s.values.info().picture_only.is_empty());
            let (mut negative, mut print) = (false, false);
            for step in steps {
                match &step.values {
                    Values::Negative(v) => {
                        negative = true;
                        assert!(negatives().contains(&v.stock), "{}: {}", s.look.name, v.stock.name);
                    }
                    Values::Print(v) => {
                        print = true;
                        assert!(prints().contains(&v.stock), "{}: {}", s.look.name, v.stock.name);
                    }
                    _ => {}
                }
            }
            filmed += usize::from(negative && print && textured);
        }
        assert!(filmed * 3 >= looks().len(), "{filmed} of {}", looks().len());
    }
}
