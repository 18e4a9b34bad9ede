//! A picture made small for looking at while it is taken in: it is read once, and the whole of it is never in memory.

use super::proxy::{FrameSource, MIDDLING, MOST_ROWS, Proxy, named};
use crate::error::ApiResult;
use crate::media::MediaFolder;
use crate::store::ids::SceneId;
use crate::store::productions::Production;
use crate::store::scenes::Scene;
use diesel::SqliteConnection;
use lantern_core::colour::{Encoding, Reference};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::picture::Shrink;
use lantern_formats::facts::Facts;
use lantern_formats::frame::{Beside, Frame, Rows};
use lantern_formats::picture::put_pixels;

/// The middling proxy of a source while its rows come.
pub struct Looking {
    source: FrameSource,
    encoding: Encoding,
    /// To linear light, which is what is averaged, and from there to what is shown; nothing for pictures of displays, which
    /// are averaged as they are.
    linear: Option<[Program; 2]>,
    /// Whether its own encoding is the one that is shown.
    own: bool,
    making: Option<Making>,
}

/// What a file that was taken in is looked at by.
pub struct Seen {
    pub(super) source: FrameSource,
    /// Its middling proxy.
    pub(super) made: Proxy,
    /// Whether that is on disk.
    pub(super) on_disk: bool,
}

struct Making {
    small: Shrink,
    /// Whether rows go through linear light.
    converted: bool,
    row: Vec<[f32; 4]>,
    /// Pixels in a row of the file once it is upright.
    width: usize,
    orientation: u8,
}

impl Looking {
    /// At a file that comes into a scene and says this of itself.
    pub fn into_scene(c: &mut SqliteConnection, scene: &SceneId, facts: &Facts) -> ApiResult<Self> {
        let scene = Scene::find(c, scene)?;
        let production = Production::find(c, &scene.production_id)?;
        // It has no hash yet.
        let encoding = facts.guess.encoding.unwrap_or_default();
        Self::at(FrameSource::of_file(c, String::new(), &production, encoding)?)
    }

    /// At a file of a source, whose hash nobody knows yet.
    pub(super) fn at(source: FrameSource) -> ApiResult<Self> {
        let from = source.encoding()?;
        let encoding = FrameSource::shown_as(&from)?;
        let linear = match from.reference {
            Reference::Scene => {
                let (none, light) = (Path::default(), named("acescg")?);
                Some([Program::compile(&none, &from, &light)?, Program::compile(&none, &light, &encoding)?])
            }
            Reference::Display => None,
        };
        Ok(Self { own: encoding == from, source, encoding, linear, making: None })
    }

    /// Gives what was made of the rows of a file that has this hash now, and its source. Where the picture is larger, it is on
    /// disk too, and need not be in memory: many of them would push out of it what somebody looks at. `whole` is the picture
    /// as it stands in its file, where it was not read row by row.
    pub fn keep(self, media: &MediaFolder, hash: &str, whole: Option<Frame>) -> ApiResult<Option<Seen>> {
        let source = self.source.of_frame(hash.into());
        if let Some(Frame { picture, beside }) = whole {
            let width = if beside.orientation > 4 { picture.height() } else { picture.width() };
            let made = source.seen(media, picture, beside.orientation, MIDDLING)?.0;
            return Ok(Some(Seen { source, made, on_disk: width > MIDDLING }));
        }
        let Some(made) = self.making else { return Ok(None) };
        let mut picture = made.small.picture();
        if let (Some([_, back]), true) = (&self.linear, made.converted) {
            back.run_parallel(&mut picture.pixels);
        }
        let mut picture = picture.upright(made.orientation);
        let on_disk = made.width > MIDDLING;
        if on_disk {
            source.keep(media, &mut picture);
        }
        let made = Proxy::of(&source, picture, self.encoding);
        Ok(Some(Seen { source, made, on_disk }))
    }
}

impl Rows for Looking {
    fn begin(&mut self, size: [usize; 2], beside: &Beside) {
        // Code values that go through a technical table before they mean anything: all of them at once, when it is looked at.
        if self.source.has_table() {
            return;
        }
        let turned = beside.orientation > 4;
        let most = if turned { [MOST_ROWS, MIDDLING] } else { [MIDDLING, MOST_ROWS] };
        let small = Shrink::new(size, most);
        self.making = Some(Making {
            converted: small.shrinks() || !self.own,
            small,
            row: Vec::new(),
            width: size[usize::from(turned)],
            orientation: beside.orientation,
        });
    }

    fn samples(&mut self, channels: usize, row: &[f32]) {
        let Some(making) = &mut self.making else { return };
        match &self.linear {
            Some([to_light, _]) if making.converted => {
                making.row.clear();
                put_pixels(&mut making.row, channels, row);
                to_light.run(&mut making.row);
                making.small.row(&making.row);
            }
            _ => making.small.samples(channels, row),
        }
    }
}
