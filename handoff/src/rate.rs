//! Frames a second, as movies count them: whole numbers, or these by 1000/1001 (SMPTE ST 12-1, 4.2).

/// Frames a second, as a fraction.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Rate {
    /// Frames in [`Rate::seconds`].
    pub frames: u32,
    /// Seconds.
    pub seconds: u32,
}

/// How far a decimal may lie from a fraction by 1001 to be taken for it: 23.976 and 23.98 are 24000/1001.
const NEAR: f64 = 0.006;

impl Rate {
    /// Of a decimal: the fraction by 1001 where it is one, as files and people round them.
    pub fn of(rate: f64) -> Self {
        let whole = rate.round();
        let by_1001 = rate.ceil();
        let near = (by_1001 * 1000.0 / 1001.0 - rate).abs() < NEAR && (whole - rate).abs() > 1e-9;
        if near {
            return Self { frames: by_1001 as u32 * 1000, seconds: 1001 };
        }
        if (whole - rate).abs() < 1e-9 {
            return Self { frames: whole as u32, seconds: 1 };
        }
        Self { frames: (rate * 1000.0).round() as u32, seconds: 1000 }
    }

    /// Of a text, as 24, 23.976 or 24000/1001. `None` for what is none from 1 to 1000.
    pub fn parse(text: &str) -> Option<Self> {
        let rate = match text.split_once('/') {
            Some((frames, seconds)) => {
                let (frames, seconds) = (frames.trim().parse().ok()?, seconds.trim().parse().ok()?);
                (seconds > 0).then_some(Self { frames, seconds })?
            }
            None => Self::of(text.parse::<f64>().ok().filter(|r| (1.0..=1000.0).contains(r))?),
        };
        (1.0..=1000.0).contains(&rate.decimal()).then_some(rate)
    }

    /// Frames a second.
    pub fn decimal(self) -> f64 {
        f64::from(self.frames) / f64::from(self.seconds)
    }

    /// As programs take it.
    pub fn text(self) -> String {
        format!("{}/{}", self.frames, self.seconds)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn decimals_are_the_fractions_that_they_stand_for() {
        let by = |frames| Rate { frames, seconds: 1001 };
        for (text, want) in [
            ("24", Rate { frames: 24, seconds: 1 }),
            ("25.0", Rate { frames: 25, seconds: 1 }),
            ("23.976", by(24_000)),
            ("23.98", by(24_000)),
            ("29.97", by(30_000)),
            ("47.952", by(48_000)),
            ("59.94", by(60_000)),
            ("119.88", by(120_000)),
            ("24000/1001", by(24_000)),
            ("12.5", Rate { frames: 12_500, seconds: 1000 }),
        ] {
            assert_eq!(Rate::parse(text), Some(want), "{text}");
        }
        for wrong in ["0", "0.5", "1001", "24/0", "a", "24/1001", "-24", "NaN", "inf", "24000/"] {
            assert_eq!(Rate::parse(wrong), None, "{wrong}");
        }
    }
}
