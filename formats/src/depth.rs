//! How precisely the samples of a picture file stand in it.

use crate::FormatError;
use crate::registry::PictureFormat;

/// Depth of a sample.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum SampleDepth {
    /// Whole numbers of 8 bit.
    Eight,
    /// Whole numbers of 10 bit.
    Ten,
    /// Whole numbers of 12 bit.
    Twelve,
    /// Whole numbers of 16 bit.
    Sixteen,
    /// Floats of 16 bit.
    Half,
    /// Floats of 32 bit.
    Float,
}

impl SampleDepth {
    /// All, from coarse to fine. A half holds 11 bits below 1.
    pub const ALL: [Self; 6] = [Self::Eight, Self::Ten, Self::Half, Self::Twelve, Self::Sixteen, Self::Float];

    /// The word that it is asked for by.
    pub fn id(self) -> &'static str {
        match self {
            Self::Eight => "8",
            Self::Ten => "10",
            Self::Twelve => "12",
            Self::Sixteen => "16",
            Self::Half => "half",
            Self::Float => "float",
        }
    }

    /// What people call it.
    pub fn title(self) -> String {
        if self.is_whole() { format!("{} bit", self.id()) } else { self.id().into() }
    }

    /// Whether samples are whole numbers, which hold 0 to 1 and nothing beyond.
    pub fn is_whole(self) -> bool {
        !matches!(self, Self::Half | Self::Float)
    }

    /// The largest whole number; `None` for floats.
    pub fn most(self) -> Option<u32> {
        match self {
            Self::Eight => Some(255),
            Self::Ten => Some(1023),
            Self::Twelve => Some(4095),
            Self::Sixteen => Some(65_535),
            Self::Half | Self::Float => None,
        }
    }

    fn rank(self) -> usize {
        Self::ALL.iter().position(|d| *d == self).unwrap_or(0)
    }

    /// The depth of a picture's file; `None` where it is none that is told apart here.
    pub fn of_file(bytes: &[u8]) -> Result<Option<Self>, FormatError> {
        let said = crate::facts::read(bytes)?.depth;
        Ok(Self::ALL.into_iter().find(|d| d.title() == said))
    }

    /// Whether it holds all that another does.
    pub fn holds(self, other: Self) -> bool {
        self.rank() >= other.rank() && (other.is_whole() || !self.is_whole())
    }

    /// The depth that keeps this one in a format: the coarsest of the format's that holds it, else its finest. `None` for a format
    /// that is only read.
    pub fn kept_in(self, format: &PictureFormat) -> Option<Self> {
        let of_format = || format.depths.iter().copied();
        let coarsest = of_format().filter(|d| d.holds(self)).min_by_key(|d| d.rank());
        of_format().find(|d| *d == self).or(coarsest).or_else(|| of_format().max_by_key(|d| d.rank()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::registry;

    #[test]
    fn a_depth_is_kept_or_what_holds_as_much_is_taken() {
        use SampleDepth::*;
        let wanted = [
            ("png", [Eight, Sixteen, Sixteen, Sixteen, Sixteen, Sixteen]),
            ("tif", [Eight, Sixteen, Float, Sixteen, Sixteen, Float]),
            ("dpx", [Eight, Ten, Sixteen, Twelve, Sixteen, Sixteen]),
            ("exr", [Half, Half, Half, Float, Float, Float]),
        ];
        for (ending, wanted) in wanted {
            let format = registry::of_ending(ending).unwrap();
            for (depth, want) in SampleDepth::ALL.into_iter().zip(wanted) {
                assert_eq!(depth.kept_in(format), Some(want), "{ending} {depth:?}");
            }
        }
        assert_eq!(Eight.kept_in(registry::of_ending("jpg").unwrap()), None);
    }
}
