//! The graph's output for a picture, readable at any place: with regions and texture, as it is shown. Limits, marks and readouts
//! take their values from here and nowhere else.

use super::proxy::Proxy;
use lantern_core::graph::{Graph, Program, Target};
use lantern_core::texture::passes::Made;
use std::sync::Arc;

/// A place of a picture: left, top, width, height in pixels.
pub type Rect = [usize; 4];

/// A picture under a path.
pub struct Output<'a> {
    /// The source pixels.
    shown: &'a Proxy,
    graph: &'a Graph,
    /// For graphs with texture: the stage, and the shown part inside of it.
    textured: Option<(Arc<Made>, Rect)>,
}

/// The named point of the graph that is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Point {
    /// Delivered code values.
    Delivered,
    /// The same before they are fitted into the display: what a display with no limits would be given.
    Unfitted,
}

impl<'a> Output<'a> {
    /// Of a graph without texture.
    pub fn plain(shown: &'a Proxy, graph: &'a Graph) -> Self {
        Self { shown, graph, textured: None }
    }

    /// Of a graph with texture whose stage is made; the shown part is `inside` of it.
    pub fn textured(shown: &'a Proxy, graph: &'a Graph, made: Arc<Made>, inside: Rect) -> Self {
        Self { shown, graph, textured: Some((made, inside)) }
    }

    /// Pixels in a row, and rows.
    pub fn size(&self) -> [usize; 2] {
        [self.shown.picture.width(), self.shown.picture.height()]
    }

    /// Values of a rectangle, row by row.
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

    /// Values of the whole picture, row by row.
    pub fn all(&self, point: Point) -> Vec<[f32; 4]> {
        let [w, h] = self.size();
        self.read(point, [0, 0, w, h])
    }

    /// Values that single source pixels become; `None` where texture makes them depend on their neighbours.
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
