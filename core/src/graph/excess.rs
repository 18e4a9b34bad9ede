//! What the bound takes from scene light, laid aside while steps work on the rest.

use crate::colour::bound::bound;
use crate::numeric::lane::{Channel, N, Planes, each_value, select};

/// What the bound took away: as light, and as a share of the largest channel that was left.
///
/// Blended as light alone, a lamp's excess would outweigh the dark that a step makes of it; as a share alone, that of a dark
/// pixel's noise would be multiplied by the light that a step makes of it. The lesser of the two stays small in both.
#[derive(Clone, Copy)]
pub(super) struct Excess {
    light: Planes,
    share: Planes,
}

/// Light beyond this is none: steps that bend codes below zero can make any.
const MOST: f32 = 1e30;

/// Bounds linear AP1 ([`bound`]) and gives what that took away.
#[inline(always)]
pub(super) fn part(planes: &mut Planes) -> Excess {
    each_value!(planes, v => v.max(-MOST).min(MOST));
    let mut excess = Excess { light: *planes, share: *planes };
    bound(planes);
    let most = most(planes);
    for c in 0..3 {
        for i in 0..N {
            let light = excess.light[c][i] - planes[c][i];
            excess.light[c][i] = light;
            excess.share[c][i] = light / most[i];
        }
    }
    excess
}

impl Excess {
    /// Nothing.
    #[inline(always)]
    pub(super) fn none() -> Self {
        let nothing = [Channel::of(0.0); 3];
        Self { light: nothing, share: nothing }
    }

    /// From this to another by a strength and a matte.
    #[inline(always)]
    pub(super) fn towards(&self, other: &Self, strength: f32, matte: &Channel) -> Self {
        let mut made = *self;
        for c in 0..3 {
            for i in 0..N {
                let by = strength * matte[i];
                made.light[c][i] += by * (other.light[c][i] - self.light[c][i]);
                made.share[c][i] += by * (other.share[c][i] - self.share[c][i]);
            }
        }
        made
    }

    /// Gives it back to bounded linear AP1.
    #[inline(always)]
    pub(super) fn join(&self, planes: &mut Planes) {
        let most = most(planes);
        for c in 0..3 {
            for i in 0..N {
                let (light, share) = (self.light[c][i], self.share[c][i] * most[i]);
                planes[c][i] += select(light.abs() < share.abs(), light, share);
            }
        }
    }
}

/// The size of the largest channel, never zero.
#[inline(always)]
fn most(planes: &Planes) -> Channel {
    let mut most = Channel::of(0.0);
    for i in 0..N {
        most[i] = planes[0][i].max(planes[1][i]).max(planes[2][i]).abs().max(1e-30);
    }
    most
}
