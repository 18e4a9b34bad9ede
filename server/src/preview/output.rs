//! What a path makes of a picture, to be read anywhere in it: as it is shown, with its regions and its texture. Limits, marks
//! and readouts read it here and nowhere else.

use super::proxy::Proxy;
use lantern_core::graph::{Graph, Program, Target};
use lantern_core::texture::passes::Made;
use std::sync::Arc;

/// A place of a picture: left, top, width, height in pixels.
pub type Rect = [usize; 4];

/// A picture under a path.
pub struct Output<'a> {
    /// The pixels that are shown, before the path.
    shown: &'a Proxy,
    graph: &'a Graph,
    /// Where there is texture: the picture as far as all of it, and where in it lies what is shown.
    textured: Option<(Arc<Made>, Rect)>,
}

/// Where the path is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Point {
    /// Code values as they are delivered.
    Delivered,
    /// The same before they are fitted into the display: what a display with no limits would be given.
    Unfitted,
}

impl<'a> Output<'a> {
    /// Of a path without texture.
    pub fn plain(shown: &'a Proxy, graph: &'a Graph) -> Self {
        Self { shown, graph, textured: None }
    }

    /// Of a path with texture that is made; what is shown lies at `inside` in it.
    pub fn textured(shown: &'a Proxy, graph: &'a Graph, made: Arc<Made>, inside: Rect) -> Self {
        Self { shown, graph, textured: Some((made, inside)) }
    }

    /// Pixels in a row, and rows.
    pub fn size(&self) -> [usize; 2] {
        [self.shown.picture.width(), self.shown.picture.height()]
    }

    /// What lies in a rectangle of it, row by row.
    pub fn read(&self, point: Point, rect: Rect) -> Vec<[f32; 4]> {
        let [x, y, w, h] = rect;
        let Some((made, [left, top, ..])) = &self.textured else {
            let width = self.shown.picture.width();
            let rows = self.shown.picture.pixels.chunks_exact(width).skip(y).take(h);
            let mut pixels: Vec<[f32; 4]> = rows.flat_map(|row| row[x..x + w].iter().copied()).collect();
            self.last(point).run_parallel(&mut pixels);
            return pixels;
        };
        let mut pixels = vec![[0.0, 0.0, 0.0, 1.0]; w * h];
        let target = Target::part([left + x, top + y, w, h], &mut pixels);
        match point {
            Point::Delivered => self.graph.finish(None, made, target),
            Point::Unfitted => self.graph.unfitted().finish(None, made, target),
        }
        pixels
    }

    /// All of it.
    pub fn all(&self, point: Point) -> Vec<[f32; 4]> {
        let [w, h] = self.size();
        self.read(point, [0, 0, w, h])
    }

    /// What these source pixels become, where no texture makes that depend on their neighbours.
    pub fn of_pixels(&self, point: Point, pixels: &[[f32; 4]]) -> Option<Vec<[f32; 4]>> {
        if self.textured.is_some() {
            return None;
        }
        let mut pixels = pixels.to_vec();
        self.last(point).run_parallel(&mut pixels);
        Some(pixels)
    }

    fn last(&self, point: Point) -> Program {
        match point {
            Point::Delivered => self.graph.last.clone(),
            Point::Unfitted => self.graph.last.unfitted(),
        }
    }
}
