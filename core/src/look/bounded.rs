//! Lists that are counted as they are read, so that a file cannot ask for more memory than its document may have.

use serde::de::{self, Deserialize, Deserializer, SeqAccess, Visitor};
use std::fmt;
use std::marker::PhantomData;

/// Reads a list of at most `MOST`; the next one ends the reading.
pub(super) fn at_most<'de, D, T, const MOST: usize>(deserializer: D) -> Result<Vec<T>, D::Error>
where
    D: Deserializer<'de>,
    T: Deserialize<'de>,
{
    struct Few<T, const MOST: usize>(PhantomData<T>);
    impl<'de, T: Deserialize<'de>, const MOST: usize> Visitor<'de> for Few<T, MOST> {
        type Value = Vec<T>;

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            write!(f, "a list of up to {MOST}")
        }

        fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Vec<T>, A::Error> {
            let mut all = Vec::new();
            while let Some(next) = list.next_element()? {
                if all.len() == MOST {
                    return Err(de::Error::custom(format_args!("a list of more than {MOST}")));
                }
                all.push(next);
            }
            Ok(all)
        }
    }
    deserializer.deserialize_seq(Few::<T, MOST>(PhantomData))
}
