//! A compiled path as nodes, and running it.

use super::Program;
use super::fill::{Bake, Before, bake};
use super::program::Op;
use crate::colour::{Encoding, fit::Cube, primaries::AP1};
use crate::numeric::lane::{self, N};
use crate::picture::codes::pack;
use crate::picture::{Codes, to_bytes};
use crate::table::{Domain, Table, TableError};
use crate::texture::buffer::{BufferPool, Precision, band};
use crate::texture::chain::{Point, RowSource, Window};
use crate::texture::mix::Mix;
use crate::texture::passes::{Item, Made, Slot, Work};
use crate::texture::scanline::Scanline;
use crate::texture::{FrameGeometry, Pixels, Texture};
use rayon::prelude::*;
use std::ops::Range;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// The quantity that values between two nodes stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Signal {
    /// Linear light.
    Light,
    /// Densities of film.
    Density,
}

/// A node of the graph; nodes run in order.
#[derive(Clone, Debug, PartialEq)]
pub enum Node {
    /// Colour work on each pixel by itself.
    Point {
        /// The work.
        program: Program,
        /// The quantity that it gives.
        gives: Signal,
    },
    /// Keeps the picture as it is here, for a later mix or the end.
    Keep(Slot),
    /// Makes the matte of a region, from the picture kept in a slot.
    Matte {
        /// The slot.
        slot: Slot,
        /// From the kept picture to the matte, in all three channels.
        program: Program,
    },
    /// Blends the picture with the one kept in a slot: how a group or a step counts in part.
    Mix(Slot, Mix),
    /// Work with a radius, or that depends on the pixel's place.
    Spatial(Texture),
}

/// A compiled path: its nodes in order, and the colour work after all of them.
#[derive(Clone, Debug, PartialEq)]
pub struct Graph {
    /// All nodes before [`Graph::last`]; empty where nothing is spatial.
    pub nodes: Vec<Node>,
    /// Colour work after all nodes, to delivered code values.
    pub last: Program,
    /// Width of the frame on the film in millimetres.
    pub gauge: f64,
}

/// Tables in place of the programs of points, for a live picture. A point that costs less than its table has none.
#[derive(Clone, Debug)]
pub struct GraphTables {
    points: Vec<Option<Arc<Table>>>,
    last: Option<Arc<Table>>,
}

/// The destination of a finished picture.
pub struct Target<'a, T, W> {
    /// The wanted part: left, top, width, height.
    pub inside: [usize; 4],
    /// Output values of that part, row by row.
    pub out: &'a mut [T],
    /// Output values of each pixel.
    pub per: usize,
    /// Writes pixels of a row as output values.
    pub write: W,
}

impl<'a> Target<'a, u8, fn(&Pixels, &mut [u8])> {
    /// Bytes for a screen, four for each pixel: see [`to_bytes`].
    pub fn bytes(inside: [usize; 4], out: &'a mut [u8]) -> Self {
        Self { inside, out, per: 4, write: to_bytes }
    }
}

impl<'a> Target<'a, [f32; 4], fn(&Pixels, &mut Pixels)> {
    /// The whole of a picture over its pixels, but for their alpha.
    pub fn over(size: [usize; 2], out: &'a mut Pixels) -> Self {
        Self::part([0, 0, size[0], size[1]], out)
    }

    /// A part of a picture over pixels of its size, but for their alpha.
    pub fn part(inside: [usize; 4], out: &'a mut Pixels) -> Self {
        Self { inside, out, per: 1, write: over }
    }
}

impl<'a> Target<'a, u16, ()> {
    /// The whole of a picture as whole numbers.
    pub fn codes(of: &'a mut Codes) -> Target<'a, u16, impl Fn(&Pixels, &mut [u16]) + Sync + use<>> {
        let ([width, height], most) = (of.size(), of.most());
        let write = move |pixels: &Pixels, out: &mut [u16]| pack(pixels, most, out);
        Target { inside: [0, 0, width, height], out: of.samples_mut(), per: 3, write }
    }
}

/// Points on a side of the tables between textures.
const POINTS: usize = 33;

/// Densities that tables between textures span.
const DENSITIES: [f32; 2] = [-0.4, 4.4];

/// Octaves of light about 1 that tables span: beyond them every film and every rendering has come to its end.
const OCTAVES: [f32; 2] = [-14.0, 10.0];

impl Graph {
    /// Whether any texture is put on.
    pub fn has_texture(&self) -> bool {
        !self.nodes.is_empty()
    }

    /// Its points in order: their work, and the quantity that they give.
    pub fn points(&self) -> impl Iterator<Item = (&Program, Signal)> {
        self.nodes.iter().filter_map(|n| match n {
            Node::Point { program, gives } => Some((program, *gives)),
            _ => None,
        })
    }

    /// Whether a picture is kept for the end.
    fn keeps(&self) -> bool {
        self.nodes.contains(&Node::Keep(Slot::End))
    }

    /// The quantity after all nodes; `None` for a graph without nodes.
    fn given(&self) -> Option<Signal> {
        self.points().last().map(|(_, gives)| gives)
    }

    /// The same without the gamut fit at its end: what a display with no limits would be given.
    pub fn unfitted(&self) -> Self {
        Self { last: self.last.unfitted(), ..self.clone() }
    }

    /// The largest radius of its textures in pixels: the halo that a part of the picture needs.
    pub fn halo(&self, geometry: &FrameGeometry) -> usize {
        let reach = |n: &Node| if let Node::Spatial(t) = n { t.radius(geometry) } else { 0.0 };
        self.nodes.iter().map(reach).fold(0.0, f64::max).ceil() as usize
    }

    /// Runs everything on a picture, exactly, on all threads of the current pool. Alpha stays.
    /// `None` when `stop` was set meanwhile: then the picture is no longer what it was, nor what it should become.
    pub fn run(&self, pixels: &mut Pixels, geometry: &FrameGeometry, stop: &AtomicBool) -> Option<()> {
        self.run_in(pixels, geometry, &mut BufferPool::default(), stop)
    }

    /// As [`Graph::run`], with buffers of a pool: for frame after frame.
    pub fn run_in(
        &self,
        pixels: &mut Pixels,
        geometry: &FrameGeometry,
        pool: &mut BufferPool,
        stop: &AtomicBool,
    ) -> Option<()> {
        if self.nodes.is_empty() {
            let band = band(geometry.size[1]) * geometry.size[0];
            pixels.par_chunks_mut(band.max(1)).for_each(|band| {
                if !stop.load(Ordering::Relaxed) {
                    self.last.run(band);
                }
            });
            return (!stop.load(Ordering::Relaxed)).then_some(());
        }
        if self.keeps() {
            let source = Window { pixels, width: geometry.size[0], at: [0, 0] };
            let made = self.textured(None, &source, geometry, pool, stop)?;
            self.finish(None, &made, Target::over(geometry.size, pixels));
            made.done(pool);
            return Some(());
        }
        let works = self.works(None);
        let work = Work { geometry, precision: Precision::Single, pool, stop };
        let last = self.last_work(None);
        work.run_over(&items(&self.nodes, &works), pixels, |line, part, row, out| {
            last.write(line, part, row, out, over)
        })
    }

    /// Only what halation adds, in code values of a display, four times brighter than it is. Without halation `target` is left
    /// unchanged. `None` when `stop` was set meanwhile.
    pub fn halation_alone<T: Send>(
        &self,
        source: &dyn RowSource,
        geometry: &FrameGeometry,
        display: &Encoding,
        stop: &AtomicBool,
        target: Target<'_, T, impl Fn(&Pixels, &mut [T]) + Sync>,
    ) -> Option<()> {
        const BRIGHTER: f32 = 4.0;
        let works = self.works(None);
        let mut items = items(&self.nodes, &works);
        let halation = items.iter().enumerate().find_map(|(i, item)| match item {
            Item::Texture(Texture::Halation(k)) => Some((i, k)),
            _ => None,
        });
        let Some((at, kernel)) = halation else { return Some(()) };
        items.truncate(at);
        items.push(Item::Alone(kernel));
        let mut to_display = AP1.to(&display.primaries, Default::default()).to_f32();
        to_display.0.as_flattened_mut().iter_mut().for_each(|v| *v *= BRIGHTER);
        let cube = Cube::of(&display.display());
        let ops = vec![Op::Matrix(to_display), Op::Fit(cube), Op::Encode(display.transfer)];
        let shown = Program { ops, left_out: Vec::new() };
        let mut pool = BufferPool::default();
        let work = Work { geometry, precision: Precision::Single, pool: &mut pool, stop };
        into(work, &items, source, Colour::Exact(&shown), target)
    }

    /// Runs all nodes: exactly in single precision, or through tables in half precision. `None` when `stop` was set
    /// meanwhile.
    pub fn textured(
        &self,
        tables: Option<&GraphTables>,
        source: &dyn RowSource,
        geometry: &FrameGeometry,
        pool: &mut BufferPool,
        stop: &AtomicBool,
    ) -> Option<Made> {
        let works = self.works(tables);
        Work { geometry, precision: precision(tables), pool, stop }.run(&items(&self.nodes, &works), source)
    }

    /// Colour work of all points and mattes, in order.
    fn works<'a>(&'a self, tables: Option<&'a GraphTables>) -> Vec<Colour<'a>> {
        let mut given = None;
        let mut works = Vec::new();
        let mut i = 0;
        for node in &self.nodes {
            match node {
                Node::Point { program, gives } => {
                    let table = tables.and_then(|t| t.points.get(i)?.as_deref());
                    works.push(Colour::of(program, table, given, Some(*gives)));
                    given = Some(*gives);
                    i += 1;
                }
                Node::Matte { program, .. } => works.push(Colour::Exact(program)),
                Node::Keep(_) | Node::Mix(..) | Node::Spatial(_) => {}
            }
        }
        works
    }

    fn last_work<'a>(&'a self, tables: Option<&'a GraphTables>) -> Colour<'a> {
        let table = tables.and_then(|t| t.last.as_deref());
        Colour::of(&self.last, table, self.given(), None)
    }

    /// Runs the whole graph, exactly or through tables, into `target`; nothing stays but buffers in `pool`. `None` when `stop`
    /// was set meanwhile.
    pub fn render<T: Send>(
        &self,
        tables: Option<&GraphTables>,
        source: &dyn RowSource,
        geometry: &FrameGeometry,
        pool: &mut BufferPool,
        stop: &AtomicBool,
        target: Target<'_, T, impl Fn(&Pixels, &mut [T]) + Sync>,
    ) -> Option<()> {
        if self.keeps() {
            let made = self.textured(tables, source, geometry, pool, stop)?;
            self.finish(tables, &made, target);
            made.done(pool);
            return Some(());
        }
        let works = self.works(tables);
        let work = Work { geometry, precision: precision(tables), pool, stop };
        into(work, &items(&self.nodes, &works), source, self.last_work(tables), target)
    }

    /// Runs the last colour work on a stage, exactly or through its table where it has one.
    pub fn finish<T: Send>(
        &self,
        tables: Option<&GraphTables>,
        made: &Made,
        target: Target<'_, T, impl Fn(&Pixels, &mut [T]) + Sync>,
    ) {
        let Target { inside: [left, top, width, height], out, per, write } = target;
        let colour = self.last_work(tables);
        let rows = band(height);
        out.par_chunks_mut(width * per * rows).enumerate().for_each(|(k, out)| {
            let whole = made.picture.size()[0];
            let (mut line, mut beside) =
                (Scanline::new(whole), made.aside.as_ref().map(|_| Scanline::new(whole)));
            let mut row = vec![[0.0; 4]; line.blocks() * N];
            for (y, out) in (top + k * rows..).zip(out.chunks_mut(width * per)) {
                made.picture.row(y, 0, &mut line);
                if let (Some(aside), Some(beside)) = (&made.aside, &mut beside) {
                    aside.row(y, 0, beside);
                }
                colour.pixels(&mut line, beside.as_ref(), &mut row);
                write(&row[left..left + width], out);
            }
        });
    }

    /// Tables for all points; tables of `before` are reused for points that are equal. The first point reads code values by
    /// `plan`. The last colour work has no table where it needs the picture kept for the end.
    pub fn tables(
        &self,
        plan: &Bake,
        before: Option<(&Self, &GraphTables)>,
    ) -> Result<GraphTables, TableError> {
        let old: Vec<_> = before.iter().flat_map(|(graph, _)| graph.points()).collect();
        let mut given = None;
        let mut points = Vec::new();
        for (i, (program, gives)) in self.points().enumerate() {
            let kept = before.filter(|_| old.get(i) == Some(&(program, gives)));
            let kept = kept.and_then(|(_, tables)| tables.points.get(i).cloned().flatten());
            points.push(match kept {
                _ if program.is_quick() => None,
                Some(kept) => Some(kept),
                None => Some(Arc::new(made(program, given, Some(gives), plan)?)),
            });
            given = Some(gives);
        }
        let last = if self.keeps() {
            None
        } else {
            let kept = before.and_then(|(graph, tables)| {
                let same = graph.last.ops == self.last.ops && old.len() == points.len();
                if same { tables.last.clone() } else { None }
            });
            Some(match kept {
                Some(kept) => kept,
                None => Arc::new(made(&self.last, given, None, plan)?),
            })
        };
        Ok(GraphTables { points, last })
    }
}

/// Half precision is enough between two passes through tables.
fn precision(tables: Option<&GraphTables>) -> Precision {
    if tables.is_some() { Precision::Half } else { Precision::Single }
}

/// Nodes as items of a run.
fn items<'a>(nodes: &'a [Node], works: &'a [Colour<'a>]) -> Vec<Item<'a>> {
    let mut works = works.iter();
    let item = |node: &'a Node| match node {
        Node::Point { .. } => works.next().map(|work| Item::Colour(work)),
        Node::Keep(slot) => Some(Item::Keep(*slot)),
        Node::Matte { slot, .. } => works.next().map(|work| Item::Matte(*slot, work)),
        Node::Mix(slot, mix) => Some(Item::Mix(*slot, *mix)),
        Node::Spatial(texture) => Some(Item::Texture(texture)),
    };
    nodes.iter().filter_map(item).collect()
}

/// Runs items, then the last colour work on each row, into the target.
fn into<T: Send>(
    work: Work<'_>,
    items: &[Item<'_>],
    source: &dyn RowSource,
    last: Colour<'_>,
    target: Target<'_, T, impl Fn(&Pixels, &mut [T]) + Sync>,
) -> Option<()> {
    let Target { inside, out, per, write } = target;
    work.run_into(items, source, inside, out, per, |line, part, row, out| {
        last.write(line, part, row, out, &write)
    })
}

/// Copies pixels without their alpha.
fn over(from: &Pixels, to: &mut Pixels) {
    for (to, from) in to.iter_mut().zip(from) {
        to[..3].copy_from_slice(&from[..3]);
    }
}

/// Fills a point's table. Light goes in and comes out in a form that a table holds well: see [`lane::octaves`].
fn made(
    program: &Program,
    given: Option<Signal>,
    gives: Option<Signal>,
    plan: &Bake,
) -> Result<Table, TableError> {
    let mut ops = Vec::with_capacity(program.ops.len() + 2);
    if given == Some(Signal::Light) {
        ops.push(Op::UndoOctaves);
    }
    ops.extend(program.ops.iter().cloned());
    if gives == Some(Signal::Light) {
        ops.push(Op::UndoPowers);
    }
    let span = |[a, b]: [f32; 2]| Domain { min: [a; 3], max: [b; 3] };
    let plan = match given {
        None => plan.clone(),
        Some(Signal::Light) => Bake {
            size: POINTS,
            domain: span(OCTAVES),
            before: Before::Nothing,
            settled: false,
            legal: false,
        },
        Some(Signal::Density) => Bake {
            size: POINTS,
            domain: span(DENSITIES),
            before: Before::Nothing,
            settled: false,
            legal: false,
        },
    };
    let never = AtomicBool::new(false);
    bake(&Program { ops, left_out: Vec::new() }, &plan, "", &never)?.ok_or(TableError::Empty)
}

/// A point's colour work on rows.
#[derive(Clone, Copy)]
enum Colour<'a> {
    /// Its program.
    Exact(&'a Program),
    /// Its table: light goes in as [`lane::octaves`] and comes out for [`lane::powers`].
    Table { table: &'a Table, light_in: bool, light_out: bool },
}

impl<'a> Colour<'a> {
    fn of(
        program: &'a Program,
        table: Option<&'a Table>,
        given: Option<Signal>,
        gives: Option<Signal>,
    ) -> Self {
        let light = Some(Signal::Light);
        match table {
            None => Self::Exact(program),
            Some(table) => Self::Table { table, light_in: given == light, light_out: gives == light },
        }
    }

    /// The pixels `part` of a row, by `write` into `out`; `row` is room for all of them.
    fn write<T>(
        &self,
        line: &mut Scanline,
        part: Range<usize>,
        row: &mut Vec<[f32; 4]>,
        out: &mut [T],
        write: impl Fn(&Pixels, &mut [T]),
    ) {
        row.resize(line.blocks() * N, [0.0; 4]);
        self.pixels(line, None, row);
        write(&row[part], out);
    }

    /// A row as pixels; `beside` is the row of the picture kept for the end. `line` is overwritten.
    fn pixels(&self, line: &mut Scanline, beside: Option<&Scanline>, out: &mut Pixels) {
        lane::vectorised(Row { colour: *self, line, beside, out });
    }
}

impl Point for Colour<'_> {
    fn row(&self, _: usize, _: usize, line: &mut Scanline) {
        lane::vectorised(Row { colour: *self, line, beside: None, out: &mut [] });
    }
}

/// A row of colour work.
struct Row<'a> {
    colour: Colour<'a>,
    line: &'a mut Scanline,
    beside: Option<&'a Scanline>,
    /// Destination in whole blocks; empty to write back into the row.
    out: &'a mut Pixels,
}

impl pulp::NullaryFnOnce for Row<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { colour, line, beside, out } = self;
        match colour {
            Colour::Exact(program) => program.run_row(line, beside, out),
            Colour::Table { table, light_in, light_out } => {
                if light_in {
                    for plane in line.blocks_mut() {
                        plane.iter_mut().for_each(|v| *v = lane::octaves(*v));
                    }
                }
                if !out.is_empty() {
                    return table.to_pixels(line.blocks_mut(), out);
                }
                table.apply_planes(line.blocks_mut());
                if light_out {
                    for plane in line.blocks_mut() {
                        plane.iter_mut().for_each(|v| *v = lane::powers(*v));
                    }
                }
            }
        }
    }
}
