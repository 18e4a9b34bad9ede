//! What tables of a package are proven on, and the small pictures of its report.

use super::{Order, Shot};
use crate::report::Thumb;
use lantern_core::bake::Probe;
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::picture::Picture;

/// The widest picture that tables are proven on; larger ones are thinned out, not blurred.
pub(super) const PROOF_WIDTH: usize = 640;
/// Width of the small pictures of a report.
const THUMB_WIDTH: usize = 240;

/// Every n-th pixel of every n-th row, so that it is no wider than `most`: its colours are those of the picture.
pub(super) fn thinned(picture: &Picture, most: usize) -> Picture {
    let every = picture.width().div_ceil(most).max(1);
    if every == 1 {
        return picture.clone();
    }
    let (w, h) = (picture.width().div_ceil(every), picture.height().div_ceil(every));
    let at = |i: usize| picture.pixels[i / w * every * picture.width() + i % w * every];
    let pixels = (0..w * h).map(at).collect();
    Picture::new(w, h, pixels).unwrap_or_else(|_| picture.clone())
}

/// A shot's colours in the input encoding of a table. One for a display is proven on what the shot looks like there.
pub(super) fn probe(shot: &Shot<'_>, thin: &Picture, from: &Encoding) -> Result<Probe, String> {
    let mut pixels = thin.pixels.clone();
    if shot.encoding != *from {
        let way = Program::compile(&Path::default(), &shot.encoding, from).map_err(|e| e.to_string())?;
        way.run_parallel(&mut pixels);
    }
    Ok(Probe { name: shot.name.clone(), picture: true, width: thin.width(), pixels })
}

/// A small picture of a shot as it leaves, for the report.
pub(super) fn thumb(order: &Order<'_>, shot: &Shot<'_>, picture: &Picture) -> Result<Thumb, String> {
    let mut small = thinned(picture, THUMB_WIDTH);
    let srgb = Encoding::find("srgb").ok_or("there is no sRGB")?;
    let path = order.look.path.over(&shot.trim);
    Program::compile(&path, &shot.encoding, &srgb)
        .map_err(|e| e.to_string())?
        .run_parallel(&mut small.pixels);
    let png =
        lantern_formats::png::write(&small, lantern_formats::Depth::Eight).map_err(|e| e.to_string())?;
    Ok(Thumb { name: shot.name.clone(), png })
}
