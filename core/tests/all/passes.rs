//! Texture in few passes against its definitions: written out in full, pixel by pixel, in double precision.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::Bake;
use lantern_core::colour::Encoding;
use lantern_core::film::stock::negatives;
use lantern_core::graph::{Graph, GraphTables, Target};
use lantern_core::look::{Path, Step};
use lantern_core::step::{
    Bloom, Flicker, GateWeave, Grain, Halation, Negative, Print, Softness, Values, Vignette, Zone,
};
use lantern_core::texture::buffer::BufferPool;
use lantern_core::texture::chain::{RowSource, Window};
use lantern_core::texture::scanline::Scanline;
use lantern_core::texture::{FrameGeometry, Texture, taps};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

type Pixels = Vec<[f32; 4]>;

static NEVER: AtomicBool = AtomicBool::new(false);

/// Everything that there is, in the order of light; `part`: a film that is taken on in part.
fn everything(part: bool) -> Graph {
    let step = |values: Values| {
        let kind = values.info().kind;
        Step::new(kind, Zone::Film, values)
    };
    let share = if part { 0.7 } else { 1.0 };
    let steps = vec![
        step(Values::Bloom(Bloom::default())),
        step(Values::Vignette(Vignette { tint: 0.3, ..Default::default() })),
        step(Values::Halation(Halation { amount: 2.0, ..Default::default() })),
        step(Values::Negative(Negative::default())),
        step(Values::Softness(Softness { amount: 2.0, edges: 2.0 })),
        step(Values::Grain(Grain { colour: 0.4, ..Default::default() })),
        step(Values::Print(Print { tone: share, colour: share, ..Default::default() })),
        step(Values::Flicker(Flicker::default())),
        step(Values::GateWeave(GateWeave { across: 60.0, down: 60.0, ..Default::default() })),
    ];
    let mut path = Path::of(steps);
    let order: Vec<&str> = lantern_core::step::KINDS.iter().map(|k| k.kind).collect();
    path.steps.sort_by_key(|s| order.iter().position(|k| *k == s.values.info().kind));
    path.check().unwrap();
    let id = |id: &str| Encoding::find(id).unwrap();
    Graph::compile(&path, &id("acescct"), &id("rec709")).unwrap()
}

/// Everything, on a film that is taken on in full and in part, with its tables.
fn both() -> [(bool, Graph, GraphTables); 2] {
    let id = Encoding::find("acescct").unwrap();
    [false, true].map(|part| {
        let graph = everything(part);
        let tables = graph.tables(&Bake::quick(&id, 33), None).unwrap();
        (part, graph, tables)
    })
}

/// Waves of every size in ACEScct, with lamps.
fn picture(w: usize, h: usize) -> Pixels {
    let at = |i: usize| {
        let (x, y) = ((i % w) as f32, (i / w) as f32);
        let wave = |k: f32| 0.35 + 0.12 * (x * k * 0.11).sin() * (y * k * 0.07).cos();
        let lamp = if i % w % 53 < 3 && i / w % 41 < 3 { 0.35 } else { 0.0 };
        [wave(1.0) + lamp, wave(1.7) + lamp, wave(2.9), 0.25]
    };
    (0..w * h).map(at).collect()
}

#[test]
fn any_number_of_threads_gives_the_same_bits() {
    let (w, h) = (301, 167);
    let (source, geometry) = (picture(w, h), FrameGeometry::whole(w, h, 24.9, 4));
    for part in [false, true] {
        let graph = everything(part);
        let run = |threads: usize| {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
            let mut pixels = source.clone();
            pool.install(|| graph.run(&mut pixels, &geometry, &NEVER)).unwrap();
            pixels
        };
        let one = run(1);
        assert!(one.iter().all(|p| p[3] == 0.25 && p.iter().all(|v| v.is_finite())));
        for threads in [2, 3, 7] {
            assert!(run(threads) == one, "{threads} threads, in part: {part}");
        }
    }
}

#[test]
fn frame_after_frame_with_one_pool_gives_the_bits_of_each_alone() {
    let ends = ["acescct", "rec709"].map(|id| Encoding::find(id).unwrap());
    let of = |steps| Graph::compile(&Path::of(steps), &ends[0], &ends[1]).unwrap();
    let grain = Step::new("grain", Zone::Film, Values::Grain(Grain::default()));
    let graphs = [everything(false), everything(true), of(Vec::new()), of(vec![grain])];
    let (mut pool, mut frame) = (BufferPool::default(), 0);
    // Sizes go up and down, so that buffers hold what other frames left in them; some frames are stopped.
    for (w, h) in [(97, 61), (1, 1), (300, 170), (64, 200), (97, 61)] {
        for graph in &graphs {
            frame += 1;
            let geometry = FrameGeometry::whole(w, h, 24.9, frame);
            let (mut alone, mut pooled, mut stopped) = (picture(w, h), picture(w, h), picture(w, h));
            assert!(graph.run_in(&mut stopped, &geometry, &mut pool, &AtomicBool::new(true)).is_none());
            graph.run(&mut alone, &geometry, &NEVER).unwrap();
            graph.run_in(&mut pooled, &geometry, &mut pool, &NEVER).unwrap();
            assert!(alone == pooled, "{w} x {h}, frame {frame}");
            assert!(pooled.iter().all(|p| p[3] == 0.25));
        }
    }
}

#[test]
fn in_one_go_in_two_and_cut_out_a_picture_is_the_same() {
    let (w, h) = (200, 120);
    let (source, geometry) = (picture(w, h), FrameGeometry::whole(w, h, 24.9, 4));
    let window = Window { pixels: &source, width: w, at: [0, 0] };
    for (part, graph, tables) in both() {
        for tables in [None, Some(&tables)] {
            // Buffers that come back with other sizes and other things in them.
            let mut pool = BufferPool::default();
            let made = graph.textured(tables, &window, &geometry, &mut pool, &NEVER).unwrap();
            let mut whole = vec![0; w * h * 4];
            graph.finish(tables, &made, Target::bytes([0, 0, w, h], &mut whole));
            made.done(&mut pool);
            for inside in [[0, 0, w, h], [37, 50, 90, 33], [199, 119, 1, 1]] {
                let [x, y, cw, ch] = inside;
                let mut out = vec![0; cw * ch * 4];
                let target = Target::bytes(inside, &mut out);
                let done = graph.render(tables, &window, &geometry, &mut pool, &NEVER, target);
                assert!(done.is_some());
                for (k, row) in out.chunks_exact(cw * 4).enumerate() {
                    let first = ((y + k) * w + x) * 4;
                    let off = row.iter().zip(&whole[first..]).map(|(a, b)| a.abs_diff(*b)).max().unwrap();
                    // A picture that is kept has gone through halves once more: densities to one part in 2048.
                    let most = u8::from(tables.is_some() && !part);
                    assert!(off <= most, "{inside:?}, row {k}, in part: {part}: {off}");
                }
            }
        }
    }
    let stopped = AtomicBool::new(true);
    let mut out = vec![0; w * h * 4];
    let graph = everything(false);
    let mut pool = BufferPool::default();
    let all = [0, 0, w, h];
    assert!(
        graph.render(None, &window, &geometry, &mut pool, &stopped, Target::bytes(all, &mut out)).is_none()
    );
    let display = Encoding::find("rec709").unwrap();
    assert!(
        graph.halation_alone(&window, &geometry, &display, &stopped, Target::bytes(all, &mut out)).is_none()
    );
}

/// A source that nobody needs any more after some of its rows.
struct Until<'a> {
    of: Window<'a>,
    left: AtomicUsize,
    stop: &'a AtomicBool,
}

impl RowSource for Until<'_> {
    fn row(&self, y: usize, first: usize, line: &mut Scanline) {
        if self.left.fetch_sub(1, Ordering::Relaxed) == 1 {
            self.stop.store(true, Ordering::Relaxed);
        }
        self.of.row(y, first, line);
    }
}

#[test]
fn a_picture_that_is_stopped_gives_nothing_and_loses_no_buffer() {
    let (w, h) = (160, 400);
    let (source, geometry) = (picture(w, h), FrameGeometry::whole(w, h, 24.9, 4));
    let window = Window { pixels: &source, width: w, at: [0, 0] };
    for (part, graph, tables) in both() {
        let mut pool = BufferPool::default();
        let mut out = vec![0; w * h * 4];
        let mut render = |source: &dyn RowSource, pool: &mut BufferPool, stop: &AtomicBool| {
            graph.render(Some(&tables), source, &geometry, pool, stop, Target::bytes([0, 0, w, h], &mut out))
        };
        render(&window, &mut pool, &NEVER).unwrap();
        let kept = pool.kept();
        assert!(kept > 3, "{kept}");
        let threads = rayon::ThreadPoolBuilder::new().num_threads(2).build().unwrap();
        for rows in [1, 60, h / 2] {
            let stop = AtomicBool::new(false);
            let until = Until { of: window, left: AtomicUsize::new(rows), stop: &stop };
            assert_eq!(threads.install(|| render(&until, &mut pool, &stop)), None, "after {rows} rows");
            assert_eq!(pool.kept(), kept, "after {rows} rows, in part: {part}");
        }
        // The next one finds them.
        render(&window, &mut pool, &NEVER).unwrap();
        assert_eq!(pool.kept(), kept);
    }
}

#[test]
fn a_wide_picture_done_in_columns_is_the_same_to_the_bit() {
    let (w, h) = (3301, 24);
    let (source, geometry) = (picture(w, h), FrameGeometry::whole(w, h, 24.9, 4));
    let window = Window { pixels: &source, width: w, at: [0, 0] };
    let (graph, mut pool) = (everything(false), BufferPool::default());
    let mut run = |inside: [usize; 4]| {
        let mut out = vec![[0.0_f32; 4]; inside[2] * inside[3]];
        let write = |from: &[[f32; 4]], to: &mut [[f32; 4]]| to.copy_from_slice(from);
        let target = Target { inside, out: &mut out, per: 1, write };
        graph.render(None, &window, &geometry, &mut pool, &NEVER, target).unwrap();
        out
    };
    let whole = run([0, 0, w, h]);
    // Parts that are narrow enough to be done at once, over the places where the whole is cut, and off them.
    for left in [0, 900, 1040, 1111, 2201, 2301] {
        let part = run([left, 3, 1000, 18]);
        for (k, row) in part.chunks_exact(1000).enumerate() {
            let first = (k + 3) * w + left;
            assert!(row == &whole[first..first + 1000], "row {k} from column {left}");
        }
    }
}

/// A value of a channel beyond whose edges the picture goes on as it ends.
fn at(pixels: &[[f32; 4]], [w, h]: [usize; 2], x: isize, y: isize, c: usize) -> f64 {
    let held = |v: isize, n: usize| v.clamp(0, n as isize - 1) as usize;
    f64::from(pixels[held(y, h) * w + held(x, w)][c])
}

/// A round filter by its taps on one side, the middle one first.
fn filtered(pixels: &[[f32; 4]], [w, h]: [usize; 2], taps: &[f64], c: usize) -> Vec<f64> {
    let side = taps.len() as isize - 1;
    let tap = |d: isize| taps[d.unsigned_abs()];
    let one = |i: usize| {
        let (x, y) = ((i % w) as isize, (i / w) as isize);
        (-side..=side)
            .flat_map(|dy| (-side..=side).map(move |dx| (dx, dy)))
            .map(|(dx, dy)| tap(dx) * tap(dy) * at(pixels, [w, h], x + dx, y + dy, c))
            .sum()
    };
    (0..w * h).map(one).collect()
}

#[test]
fn softness_is_the_sum_over_its_taps() {
    let size @ [w, h] = [61, 47];
    let stock = &negatives()[0];
    let geometry = FrameGeometry::whole(w, h, 0.006 * w as f64, 0);
    let source = picture(w, h);
    let mut got = source.clone();
    Texture::Softness(Softness { amount: 1.0, edges: 0.0 }.kernel(1.0, stock)).run(&mut got, &geometry);
    for c in 0..3 {
        let taps = taps::taps(taps::radius(stock.softness[c]) / geometry.pitch);
        assert!(taps.len() > 1);
        for (p, want) in got.iter().zip(filtered(&source, size, &taps, c)) {
            assert!((f64::from(p[c]) - want).abs() < 1e-5, "{c}: {} {want}", p[c]);
        }
    }
}

#[test]
fn edges_move_light_from_its_neighbourhood_at_every_scale() {
    let size @ [w, h] = [151, 97];
    let source = picture(w, h);
    let stock = &negatives()[0];
    let share = stock.adjacency.share * 2.0;
    // Neighbourhoods made as they are, and at half the size.
    for (sigma, near) in [(0.8, 1e-5), (1.4, 1e-5), (1.6, 0.01), (2.5, 0.01), (4.0, 0.01)] {
        let pitch = stock.adjacency.reach / sigma;
        let geometry = FrameGeometry::whole(w, h, pitch * w as f64 / 1000.0, 0);
        let mut got = source.clone();
        Texture::Softness(Softness { amount: 0.0, edges: 2.0 }.kernel(1.0, stock)).run(&mut got, &geometry);
        let around = filtered(&source, size, &taps::bell(sigma), 1);
        let mut most = 0.0_f64;
        for ((p, s), n) in got.iter().zip(&source).zip(around) {
            let e = f64::from(s[1]);
            let want = e * ((1.0 + share) * e + (1.0 - share) * n) / ((1.0 - share) * e + (1.0 + share) * n);
            most = most.max((f64::from(p[1]) / want - 1.0).abs());
        }
        assert!(most < near, "{sigma} pixels: {most}");
        // And it is there at all.
        assert!(got.iter().zip(&source).any(|(a, b)| (a[1] / b[1] - 1.0).abs() > 0.03));
    }
}

#[test]
fn a_frame_that_moves_by_whole_pixels_is_the_frame_elsewhere() {
    let size @ [w, h] = [90, 70];
    let source = picture(w, h);
    let step = GateWeave { across: 150.0, down: 150.0, slowness: 1.0, seed: 3.0 };
    let kernel = step.kernel(1.0);
    for frame in 0..12 {
        // A pitch that makes the way across a whole number of pixels, up to more than the picture is wide.
        let [across, down] = kernel.place(frame);
        for pixels in [1.0, 7.0, 120.0] {
            let geometry =
                FrameGeometry { pitch: across.abs() / pixels, frame, ..FrameGeometry::whole(w, h, 1.0, 0) };
            let mut got = source.clone();
            Texture::GateWeave(kernel.clone()).run(&mut got, &geometry);
            // The column's weighted rows, by the cubic through four of them.
            let by = -down / geometry.pitch;
            let (whole, t) = (by.floor(), by - by.floor());
            let (t2, t3) = (t * t, t * t * t);
            let taps = [
                0.5 * (-t3 + 2.0 * t2 - t),
                0.5 * (3.0 * t3 - 5.0 * t2 + 2.0),
                0.5 * (-3.0 * t3 + 4.0 * t2 + t),
                0.5 * (t3 - t2),
            ];
            for (x, y) in [(0, 0), (45, 35), (89, 69), (12, 60)] {
                let from = x - (across / geometry.pitch).round() as isize;
                let row = |k: isize| at(&source, size, from, y + whole as isize - 1 + k, 0);
                let want: f64 = (0..4).zip(taps).map(|(k, t)| t * row(k)).sum();
                let off = f64::from(got[y as usize * w + x as usize][0]) - want;
                assert!(off.abs() < 2e-3, "frame {frame}, {pixels} pixels, at {x} {y}: {off}");
            }
        }
    }
}
