//! A picture made small for looking at while it is taken in: it is read once, and the whole of it is never in memory.

use super::proxy::{FrameSource, MIDDLING, MOST_ROWS, Proxy};
use super::smaller::{Gathered, Light, Smaller};
use crate::error::ApiResult;
use crate::media::MediaFolder;
use crate::media::proxies::Keeping;
use crate::store::ids::SceneId;
use crate::store::productions::Production;
use crate::store::scenes::Scene;
use diesel::SqliteConnection;
use lantern_core::colour::Encoding;
use lantern_formats::facts::Facts;
use lantern_formats::frame::{Beside, Frame, Rows};

/// The middling proxy of a source while its rows come, and from its rows the small one that pages ask for.
pub struct Looking {
    source: FrameSource,
    encoding: Encoding,
    /// How wide the small one is.
    width: usize,
    /// From the file's code values to those that are shown, and from these to the same in a smaller picture; until rows come.
    ways: Option<[Light; 2]>,
    making: Option<Making>,
}

/// What a file that was taken in is looked at by.
pub struct Seen {
    pub(super) source: FrameSource,
    /// A proxy, and the width that it was made for: the middling one where the file is no larger, else the small one; the
    /// middling one is on disk then.
    pub(super) made: (usize, Proxy),
}

enum Making {
    /// The middling one as a whole: it is as large as its file, or has to be turned.
    Whole {
        rows: Gathered,
        /// Pixels in a row of the file once it is upright.
        width: usize,
        orientation: u8,
    },
    /// Row by row to what is kept of it, and on to the small one.
    Rows { middling: Smaller, kept: Keeping, small: Box<Gathered> },
}

impl Looking {
    /// At a file that comes into a scene and says this of itself, to be shown at a width.
    pub(super) fn into_scene(
        c: &mut SqliteConnection,
        scene: &SceneId,
        facts: &Facts,
        width: usize,
    ) -> ApiResult<Self> {
        let scene = Scene::find(c, scene)?;
        let production = Production::find(c, &scene.production_id)?;
        // It has no hash yet.
        let encoding = facts.guess.encoding.unwrap_or_default();
        Self::at(FrameSource::of_file(c, String::new(), &production, encoding)?, width)
    }

    /// At a file of a source, whose hash nobody knows yet.
    pub(super) fn at(source: FrameSource, width: usize) -> ApiResult<Self> {
        let own = source.encoding()?;
        let encoding = FrameSource::shown_as(&own)?;
        let ways = [Light::between(&own, &encoding)?, Light::between(&encoding, &encoding)?];
        Ok(Self { source, encoding, width, ways: Some(ways), making: None })
    }

    /// Whether nobody knows what its code values mean.
    pub(super) fn is_unknown(&self) -> bool {
        self.source.is_unknown()
    }

    /// Gives what was made of the rows of a file that has this hash now, and its source. Where the picture is larger, the
    /// middling one goes to disk, and need not be in memory: many of them would push out of it what somebody looks at. `whole` is
    /// the picture as it stands in its file, where it was not read row by row.
    pub(super) fn keep(
        self,
        media: &MediaFolder,
        hash: &str,
        whole: Option<Frame>,
    ) -> ApiResult<Option<Seen>> {
        let Self { source, encoding, width: small, making, .. } = self;
        let source = source.of_frame(hash.into());
        let (middling, width) = match (whole, making) {
            (Some(frame), _) => {
                let turned = frame.beside.orientation > 4;
                let width = if turned { frame.picture.height() } else { frame.picture.width() };
                (source.seen(media, frame, MIDDLING)?.0, width)
            }
            (None, Some(Making::Whole { rows, width, orientation })) => {
                let mut picture = rows.picture()?.upright(orientation);
                if width > MIDDLING {
                    source.keep(media, Keeping::of(&mut picture));
                }
                (Proxy::of(&source, picture, encoding), width)
            }
            (None, Some(Making::Rows { kept, small: rows, .. })) => {
                source.keep(media, kept);
                let made = (small, Proxy::of(&source, rows.picture()?, encoding));
                return Ok(Some(Seen { source, made }));
            }
            (None, None) => return Ok(None),
        };
        let made = if width > MIDDLING { (small, middling.shrunk(small)?) } else { (MIDDLING, middling) };
        Ok(Some(Seen { source, made }))
    }
}

impl Rows for Looking {
    fn begin(&mut self, size: [usize; 2], beside: &Beside) {
        // Code values that go through a technical table before they mean anything: all of them at once, when it is looked at.
        if self.source.has_table() {
            return;
        }
        let Some([shown, again]) = self.ways.take() else { return };
        let turned = beside.orientation > 4;
        let most = if turned { [MOST_ROWS, MIDDLING] } else { [MIDDLING, MOST_ROWS] };
        let middling = Smaller::new(shown, size, most);
        let (width, orientation) = (size[usize::from(turned)], beside.orientation);
        self.making = Some(if width <= MIDDLING || orientation != 1 {
            Making::Whole { rows: Gathered::new(middling), width, orientation }
        } else {
            let size = middling.size();
            let small = Smaller::new(again, size, [self.width, MOST_ROWS]);
            Making::Rows { middling, kept: Keeping::new(size), small: Box::new(Gathered::new(small)) }
        });
    }

    fn samples(&mut self, channels: usize, row: &[f32]) {
        match &mut self.making {
            Some(Making::Whole { rows, .. }) => rows.samples(channels, row),
            Some(Making::Rows { middling, kept, small }) => middling.samples(channels, row, |row| {
                kept.row(row);
                small.samples(4, row.as_flattened());
            }),
            None => {}
        }
    }
}
