//! Pictures with texture, with what does not change kept between two frames.

use super::layout::Message;
use super::proxy::Proxy;
use super::request::Quality;
use crate::error::{ApiError, ApiResult};
use lantern_core::bake::Bake;
use lantern_core::colour::Encoding;
use lantern_core::graph::{Graph, GraphTables, Target};
use lantern_core::look::Path;
use lantern_core::step::{Values, Zone};
use lantern_core::texture::FrameGeometry;
use lantern_core::texture::buffer::BufferPool;
use lantern_core::texture::chain::Window;
use lantern_core::texture::passes::Made;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Points on a side of the table that a picture goes through before its texture.
const QUICK_SIZE: usize = 33;

/// A stage: a picture after all nodes of its graph, before the last colour work, with what it was made from.
struct Stage {
    viewer: u32,
    source: StageSource,
    graph: Graph,
    quality: Quality,
    made: Arc<Made>,
}

/// A graph's tables, with the graph and the encoding that they were filled for.
struct Tables {
    viewer: u32,
    encoding: String,
    graph: Graph,
    tables: GraphTables,
}

/// Identity of a stage's input: file, encoding, frame geometry.
#[derive(Clone, Debug, PartialEq)]
struct StageSource {
    hash: String,
    encoding: String,
    geometry: FrameGeometry,
}

/// Memory that stages may take together: those of some eight pages, and one at full size.
const MOST_STAGE_BYTES: usize = 256 << 20;
/// Sets of tables in the cache; enough for as many looks dragged at once.
const MOST_TABLES: usize = 12;
/// Buffer pools, one for each picture made at the same time.
const MOST_ROOMS: usize = 4;

/// The stages and tables that were made last, newest last, for pages that change one thing at a time. Apart, because exact
/// pictures and those that were stopped come between two that go through tables.
#[derive(Default)]
pub struct TexturedKept {
    stages: Mutex<Vec<Stage>>,
    tables: Mutex<Vec<Tables>>,
    pools: Mutex<Vec<BufferPool>>,
    made: AtomicUsize,
}

/// Locks a mutex whose contents are replaced whole, so that they are valid even after a panic.
fn locked<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// The part of a frame that is shown, with the halo that its textures need.
pub struct Cut {
    /// Geometry of what is computed: the part with its halo.
    pub geometry: FrameGeometry,
    /// The shown part inside of that: left, top, width, height.
    pub inside: [usize; 4],
}

impl Cut {
    /// The whole frame.
    pub fn whole(geometry: FrameGeometry) -> Self {
        Self { inside: [0, 0, geometry.size[0], geometry.size[1]], geometry }
    }

    /// A part of the whole frame.
    pub fn part(whole: FrameGeometry, [x, y, w, h]: [usize; 4], reach: usize) -> Self {
        // A wider halo would cost more than can be seen of it.
        const MOST_AROUND: usize = 400;
        let around = reach.min(MOST_AROUND);
        let (left, top) = (x.saturating_sub(around), y.saturating_sub(around));
        let right = (x + w + around).min(whole.size[0]);
        let bottom = (y + h + around).min(whole.size[1]);
        let geometry = whole.part([left, top], [right - left, bottom - top]);
        Self { geometry, inside: [x - left, y - top, w, h] }
    }
}

impl TexturedKept {
    /// Appends the RGBA bytes of the shown part. `false` when `stop` was set meanwhile. `viewer` identifies the page: its newest
    /// stage replaces its older one in the cache.
    #[expect(clippy::too_many_arguments, reason = "what a picture is made from, once")]
    pub fn render(
        &self,
        viewer: u32,
        proxy: &Proxy,
        graph: &Graph,
        cut: &Cut,
        quality: Quality,
        frame: &mut Message,
        stop: &AtomicBool,
    ) -> ApiResult<bool> {
        let tables = match quality {
            Quality::Drag if !proxy.encoding.is_linear() => Some(self.tables(viewer, proxy, graph)?),
            _ => None,
        };
        let Some(made) = self.stage(viewer, proxy, graph, cut, quality, tables.as_ref(), stop) else {
            return Ok(false);
        };
        graph.finish(tables.as_ref(), &made, Target::bytes(cut.inside, grown(frame, cut)));
        Ok(true)
    }

    /// A stage, from the cache or made. `None` when `stop` was set meanwhile.
    #[expect(clippy::too_many_arguments, reason = "what a picture is made from, once")]
    pub fn stage(
        &self,
        viewer: u32,
        proxy: &Proxy,
        graph: &Graph,
        cut: &Cut,
        quality: Quality,
        tables: Option<&GraphTables>,
        stop: &AtomicBool,
    ) -> Option<Arc<Made>> {
        let source = StageSource {
            hash: proxy.hash.clone(),
            encoding: proxy.encoding.id.clone(),
            geometry: cut.geometry,
        };
        let same = |s: &Stage| {
            // An exact picture serves a quick one, not the other way round.
            let good = s.quality == quality || s.quality == Quality::Rest;
            good && s.source == source && s.graph.nodes == graph.nodes
        };
        {
            let mut stages = locked(&self.stages);
            if let Some(at) = stages.iter().rposition(same) {
                let found = stages.remove(at);
                let made = found.made.clone();
                stages.push(found);
                return Some(made);
            }
        }
        self.made.fetch_add(1, Ordering::Relaxed);
        let pixels = window(proxy, &cut.geometry);
        let made = self.in_pool(|pool| graph.textured(tables, &pixels, &cut.geometry, pool, stop))?;
        let made = Arc::new(made);
        let new = Stage { viewer, source, graph: graph.clone(), quality, made: made.clone() };
        let gone = {
            let mut stages = locked(&self.stages);
            // A page needs its newest stage only: the one before it goes.
            let before = stages.iter().position(|s| s.viewer == viewer && s.quality == quality);
            let mut gone: Vec<Stage> = before.map(|at| stages.remove(at)).into_iter().collect();
            stages.push(new);
            let mut bytes: usize = stages.iter().map(|s| s.made.bytes()).sum();
            while bytes > MOST_STAGE_BYTES && stages.len() > 1 {
                let oldest = stages.remove(0);
                bytes -= oldest.made.bytes();
                gone.push(oldest);
            }
            gone
        };
        for stage in gone {
            if let Ok(made) = Arc::try_unwrap(stage.made) {
                self.in_pool(|pool| made.done(pool));
            }
        }
        Some(made)
    }

    /// Appends the RGBA bytes of a picture, computed exactly and not cached. `false` when `stop` was set.
    pub fn once(
        &self,
        proxy: &Proxy,
        graph: &Graph,
        cut: &Cut,
        frame: &mut Message,
        stop: &AtomicBool,
    ) -> bool {
        let target = Target::bytes(cut.inside, grown(frame, cut));
        let pixels = window(proxy, &cut.geometry);
        self.in_pool(|pool| graph.render(None, &pixels, &cut.geometry, pool, stop, target)).is_some()
    }

    /// Runs work with a buffer pool, a used one where one is free.
    fn in_pool<T>(&self, work: impl FnOnce(&mut BufferPool) -> T) -> T {
        let mut pool = locked(&self.pools).pop().unwrap_or_default();
        let done = work(&mut pool);
        let mut pools = locked(&self.pools);
        if pools.len() < MOST_ROOMS {
            pools.push(pool);
        }
        done
    }

    /// Tables for all points of a graph; tables of the page's previous set are reused for points that did not change. A page
    /// without one starts from the set that has most points in common.
    fn tables(&self, viewer: u32, proxy: &Proxy, graph: &Graph) -> ApiResult<GraphTables> {
        let encoding = &proxy.encoding.id;
        let in_common = |t: &Tables| t.graph.points().zip(graph.points()).filter(|(a, b)| a == b).count();
        let before = {
            let all = locked(&self.tables);
            let fit = || all.iter().filter(|t| t.encoding == *encoding);
            let found = fit().find(|t| t.viewer == viewer).or_else(|| fit().max_by_key(|t| in_common(t)));
            found.map(|t| (t.graph.clone(), t.tables.clone()))
        };
        let plan = Bake::quick(&proxy.encoding, QUICK_SIZE);
        let tables = graph.tables(&plan, before.as_ref().map(|(graph, tables)| (graph, tables)));
        let tables = tables.map_err(ApiError::internal)?;
        let (encoding, graph) = (encoding.clone(), graph.clone());
        let mut all = locked(&self.tables);
        all.retain(|t| t.viewer != viewer || t.encoding != encoding);
        all.push(Tables { viewer, encoding, graph, tables: tables.clone() });
        let more = all.len().saturating_sub(MOST_TABLES);
        all.drain(..more);
        Ok(tables)
    }

    /// Stages made so far, for tests.
    pub fn made(&self) -> usize {
        self.made.load(Ordering::Relaxed)
    }

    /// Size of all cached stages in bytes.
    pub fn bytes(&self) -> usize {
        locked(&self.stages).iter().map(|s| s.made.bytes()).sum()
    }
}

/// Appends the bytes of what halation adds and nothing else. `false` when `stop` was set meanwhile.
pub fn halation_alone(
    proxy: &Proxy,
    graph: &Graph,
    cut: &Cut,
    display: &Encoding,
    frame: &mut Message,
    stop: &AtomicBool,
) -> bool {
    // Black, where there is none.
    let out = grown(frame, cut);
    out.chunks_exact_mut(4).for_each(|p| p[3] = 255);
    let target = Target::bytes(cut.inside, out);
    graph.halation_alone(&window(proxy, &cut.geometry), &cut.geometry, display, stop, target).is_some()
}

/// The path that shows grain and nothing else: its film, without other steps.
pub fn grain_alone(path: &Path) -> Path {
    let shows = |v: &Values| {
        matches!(v, Values::Grain(_) | Values::Negative(_) | Values::Print(_) | Values::PlainRendering(_))
    };
    Path::of(path.steps.iter().filter(|s| s.zone == Zone::Film && shows(&s.values)).cloned().collect())
}

/// The proxy's pixels inside of a geometry.
pub(super) fn window<'a>(proxy: &'a Proxy, geometry: &FrameGeometry) -> Window<'a> {
    Window { pixels: &proxy.picture.pixels, width: proxy.picture.width(), at: geometry.origin }
}

/// Extends the message by room for the shown part's RGBA bytes and gives that room.
fn grown<'a>(frame: &'a mut Message, cut: &Cut) -> &'a mut [u8] {
    let start = frame.len();
    frame.resize(start + cut.inside[2] * cut.inside[3] * 4, 0);
    &mut frame[start..]
}
