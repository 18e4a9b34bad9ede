//! Blending a picture with one that was kept before: how a group or a step counts in part where something in it has a radius.

use super::buffer::PlanarBuffer;
use super::chain::{Before, RowSource, Stage, Wide};
use super::columns::Columns;
use super::scanline::Scanline;
use crate::colour::transfer::Transfer;
use crate::numeric::lane::{self, Channel, N, Planes};
use std::sync::Arc;

/// out = kept + matte * strength * (picture - kept).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mix {
    /// How much of the picture counts, 0..1.
    pub strength: f32,
    /// Whether a matte was made of what was kept; without one it is 1 everywhere.
    pub matted: bool,
    /// The code values that are blended; light itself where there are none.
    pub coded: Option<Transfer>,
}

/// A [`Mix`] with what it blends.
pub(super) struct Mixing {
    pub(super) mix: Mix,
    pub(super) kept: Arc<PlanarBuffer>,
    pub(super) matte: Option<Arc<PlanarBuffer>>,
}

struct Band<'a> {
    of: &'a Mixing,
    first: usize,
    kept: Scanline,
    matte: Option<Scanline>,
}

impl Wide for Mixing {
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_> {
        let line = || Scanline::new(columns.count);
        Box::new(Band {
            of: self,
            first: columns.first,
            kept: line(),
            matte: self.matte.as_ref().map(|_| line()),
        })
    }

    fn halo(&self) -> usize {
        0
    }
}

impl Stage for Band<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        before(y, out);
        self.of.kept.row(y, self.first, &mut self.kept);
        if let (Some(line), Some(matte)) = (&mut self.matte, &self.of.matte) {
            matte.row(y, self.first, line);
        }
        lane::vectorised(Blend { mix: self.of.mix, kept: &self.kept, matte: self.matte.as_ref(), out });
    }
}

/// One row.
struct Blend<'a> {
    mix: Mix,
    kept: &'a Scanline,
    matte: Option<&'a Scanline>,
    out: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Blend<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { mix: Mix { strength, coded, .. }, kept, matte, out } = self;
        let mut planes: [Planes; 3] = [[Channel::of(1.0); 3]; 3];
        let [a, b, m] = &mut planes;
        for block in 0..out.blocks() {
            kept.load(block, a);
            out.load(block, b);
            if let Some(matte) = matte {
                matte.load(block, m);
            }
            if let Some(transfer) = coded {
                transfer.encode(a);
                transfer.encode(b);
            }
            for c in 0..3 {
                for i in 0..N {
                    b[c][i] = a[c][i] + strength * m[c][i] * (b[c][i] - a[c][i]);
                }
            }
            if let Some(transfer) = coded {
                transfer.decode(b);
            }
            out.store(block, b);
        }
    }
}
