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

    /// Keeps what was made of the rows of a file that has this hash now: on disk where the picture is larger, so that many of
    /// them do not push out of memory what somebody looks at. What is not worth that is given, with its source. `whole` is the
    /// picture as it stands in its file, where it was not read row by row.
    pub fn keep(
        self,
        media: &MediaFolder,
        hash: &str,
        whole: Option<Frame>,
    ) -> ApiResult<Option<(FrameSource, Proxy)>> {
        let source = self.source.of_frame(hash.into());
        if let Some(Frame { picture, beside }) = whole {
            let width = if beside.orientation > 4 { picture.height() } else { picture.width() };
            let made = source.seen(media, picture, beside.orientation, MIDDLING)?.0;
            return Ok((width <= MIDDLING).then_some((source, made)));
        }
        let Some(made) = self.making else { return Ok(None) };
        let mut picture = made.small.picture();
        if let (Some([_, back]), true) = (&self.linear, made.converted) {
            back.run_parallel(&mut picture.pixels);
        }
        let mut picture = picture.upright(made.orientation);
        if made.width > MIDDLING {
            source.keep(media, &mut picture);
            return Ok(None);
        }
        let proxy = Proxy::of(&source, picture, self.encoding);
        Ok(Some((source, proxy)))
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

    fn row(&mut self, pixels: &[[f32; 4]]) {
        let Some(making) = &mut self.making else { return };
        match &self.linear {
            Some([to_light, _]) if making.converted => {
                making.row.clear();
                making.row.extend_from_slice(pixels);
                to_light.run(&mut making.row);
                making.small.row(&making.row);
            }
            _ => making.small.row(pixels),
        }
    }
}
