//! The net loft: one window, a very dark and a very light face beside it, and corners that no light reaches.

use crate::dice::Dice;
use crate::props::{Puppet, plaster, puppet, srgb, warm, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, splat, v};
use std::f32::consts::TAU;

/// Where the wall with the window is.
const WALL: f32 = -1.75;

/// Both menders at the window.
pub fn menders(_: f32) -> Stage {
    let mut s = Stage::new(Camera {
        from: v(0.25, 1.62, 4.9),
        to: v(0.0, 1.42, 0.0),
        width: 0.80,
        lens: 0.022,
        focus: 3.9,
        exposure: 1.35,
    });
    s.sky = Box::new(|_| splat(0.0));
    room(&mut s);
    window(&mut s);
    nets(&mut s);
    stores(&mut s);
    let light = Puppet {
        skin: srgb(0.95, 0.81, 0.73),
        blush: srgb(0.90, 0.50, 0.44),
        iris: srgb(0.34, 0.50, 0.62),
        hat: srgb(0.52, 0.50, 0.46),
        band: srgb(0.64, 0.60, 0.52),
        coat: srgb(0.30, 0.34, 0.30),
        scarf: srgb(0.58, 0.22, 0.16),
        gaze: 18.0,
    };
    puppet(&mut s, Place::at(v(0.62, 1.46, 1.0)).scaled(0.39).turned(-42.0), &light);
    let dark = Puppet {
        skin: srgb(0.23, 0.145, 0.105),
        blush: srgb(0.30, 0.10, 0.08),
        iris: srgb(0.11, 0.07, 0.04),
        hat: srgb(0.30, 0.14, 0.11),
        band: srgb(0.58, 0.46, 0.22),
        coat: srgb(0.20, 0.24, 0.31),
        scarf: srgb(0.68, 0.60, 0.44),
        gaze: -10.0,
    };
    puppet(&mut s, Place::at(v(-0.46, 1.50, 0.7)).scaled(0.40).turned(-24.0), &dark);
    s
}

fn room(s: &mut Stage) {
    let floor = s.material(Material::new(Finish::Coat(0.4), srgb(0.34, 0.25, 0.18)).textured(wood));
    let wall = s.material(Material::new(Finish::Matte, srgb(0.44, 0.40, 0.36)).textured(plaster));
    let beam = s.material(Material::new(Finish::Coat(0.5), srgb(0.28, 0.20, 0.14)).textured(wood));
    let here = Place::at(splat(0.0));
    let (w, top, back, front) = (3.0, 3.1, -2.6, 6.5);
    let left = WALL;
    s.pile.face(floor, here, [v(-w, 0., front), v(w, 0., front), v(w, 0., back), v(-w, 0., back)], PLAIN);
    s.pile.face(wall, here, [v(-w, 0., back), v(w, 0., back), v(w, top, back), v(-w, top, back)], PLAIN);
    s.pile.face(wall, here, [v(w, 0., front), v(w, 0., back), v(w, top, back), v(w, top, front)], PLAIN);
    s.pile.face(beam, here, [v(-w, top, front), v(w, top, front), v(w, top, back), v(-w, top, back)], PLAIN);
    s.pile.face(wall, here, [v(-w, 0., front), v(w, 0., front), v(w, top, front), v(-w, top, front)], PLAIN);
    // The wall with the window: four parts around the hole.
    for [y0, y1, z0, z1] in
        [[0.0, 1.0, back, front], [2.5, top, back, front], [1.0, 2.5, back, -1.9], [1.0, 2.5, 2.7, front]]
    {
        s.pile.face(wall, here, [v(left, y0, z0), v(left, y0, z1), v(left, y1, z1), v(left, y1, z0)], PLAIN);
    }
    for k in 0..6 {
        let z = back + 0.3 + 1.5 * k as f32;
        s.pile.block(beam, Place::at(v(0.0, top - 0.12, z)), v(w, 0.12, 0.09), PLAIN);
    }
    for x in [-1.6_f32, 2.1] {
        s.pile.block(beam, Place::at(v(x, top / 2.0, back + 0.25)), v(0.10, top / 2.0, 0.10), PLAIN);
    }
}

/// The window in the left wall: a white day behind it, bars before it, a sill.
fn window(s: &mut Stage) {
    let day = s.material(Material::new(Finish::Lamp, warm(6_800.0) * 11.0));
    let bar = s.material(Material::new(Finish::Coat(0.4), srgb(0.62, 0.60, 0.55)));
    let here = Place::at(splat(0.0));
    let x = WALL - 0.12;
    s.pile.face(day, here, [v(x, 0.9, -2.0), v(x, 0.9, 2.8), v(x, 2.6, 2.8), v(x, 2.6, -2.0)], PLAIN);
    for z in [-1.9_f32, -0.75, 0.4, 1.55, 2.7] {
        s.pile.block(bar, Place::at(v(WALL, 1.75, z)), v(0.04, 0.75, 0.035), PLAIN);
    }
    for y in [1.0_f32, 1.75, 2.5] {
        s.pile.block(bar, Place::at(v(WALL, y, 0.4)), v(0.04, 0.035, 2.3), PLAIN);
    }
    s.pile.block(bar, Place::at(v(WALL + 0.12, 0.96, 0.4)), v(0.14, 0.03, 2.4), PLAIN);
}

/// Nets from the beams, with floats.
fn nets(s: &mut Stage) {
    let cord = s.material(Material::new(Finish::Matte, srgb(0.46, 0.38, 0.26)));
    let cork = s.material(Material::new(Finish::Coat(0.5), PLAIN));
    let here = Place::at(splat(0.0));
    let hang = |a: f32, b: f32| {
        let (x, fold) = (-1.6 + 4.1 * a, 0.22 * (a * 17.0).sin() * (0.3 + b));
        v(x, 2.95 - 1.75 * b - 0.35 * (a * std::f32::consts::PI).sin() * b, -1.7 + fold)
    };
    let steps = 24;
    for k in 0..=steps {
        let along = |f: &dyn Fn(f32) -> V3| (0..=12).map(|i| f(i as f32 / 12.0)).collect::<Vec<V3>>();
        let t = k as f32 / steps as f32;
        // Two families of slanting cords.
        let one = along(&|u| hang((t * 1.3 - 0.3 * u).clamp(0.0, 1.0), u));
        let two = along(&|u| hang((t * 1.3 - 0.3 + 0.3 * u).clamp(0.0, 1.0), u));
        s.pile.tube(cord, here, &one, 0.008, PLAIN);
        s.pile.tube(cord, here, &two, 0.008, PLAIN);
    }
    for k in 0..14 {
        let t = (k as f32 + 0.5) / 14.0;
        let colour = [srgb(0.66, 0.48, 0.30), srgb(0.60, 0.18, 0.12), srgb(0.70, 0.62, 0.36)][k % 3];
        s.pile.ball(cork, Place::at(hang(t, 1.0)), v(0.075, 0.06, 0.06), colour);
    }
    // The one they mend, over the table's edge.
    let lap = |a: f32, b: f32| v(-0.95 + 2.1 * a, 0.95 - 0.55 * b + 0.04 * (a * 21.0).sin(), 1.62 + 0.28 * b);
    for k in 0..=26 {
        let t = k as f32 / 26.0;
        let one: Vec<V3> = (0..=8).map(|i| lap(t, i as f32 / 8.0)).collect();
        s.pile.tube(cord, here, &one, 0.007, PLAIN);
    }
    for k in 0..=7 {
        let t = k as f32 / 7.0;
        let one: Vec<V3> = (0..=24).map(|i| lap(i as f32 / 24.0, t)).collect();
        s.pile.tube(cord, here, &one, 0.007, PLAIN);
    }
}

/// A table, barrels, crates, glass floats on a shelf in the dark.
fn stores(s: &mut Stage) {
    let timber = s.material(Material::new(Finish::Coat(0.4), srgb(0.42, 0.30, 0.20)).textured(wood));
    let iron = s.material(Material::new(Finish::Metal(0.35), srgb(0.40, 0.38, 0.36)));
    let glass = s.material(Material::new(Finish::Coat(0.05), PLAIN));
    let brass = s.material(Material::new(Finish::Metal(0.24), srgb(0.86, 0.66, 0.34)));
    s.pile.block(timber, Place::at(v(0.1, 0.90, 1.35)), v(1.25, 0.04, 0.30), PLAIN);
    for x in [-1.05_f32, 1.25] {
        s.pile.block(timber, Place::at(v(x, 0.43, 1.35)), v(0.05, 0.43, 0.25), PLAIN);
    }
    let barrel = [(0.0, 0.0), (0.28, 0.0), (0.34, 0.25), (0.35, 0.45), (0.34, 0.65), (0.28, 0.9), (0.0, 0.9)];
    for (x, z, k) in [(1.9, -0.6, 1.0), (2.4, 0.3, 0.9), (-1.2, -1.9, 1.05)] {
        s.pile.lathe(timber, Place::at(v(x, 0.0, z)).scaled(k), &barrel, PLAIN);
        for y in [0.2_f32, 0.7] {
            let hoop: Vec<V3> = (0..=24)
                .map(|i| {
                    let a = i as f32 / 24.0 * TAU;
                    v(x + 0.345 * k * a.sin(), y * k, z + 0.345 * k * a.cos())
                })
                .collect();
            s.pile.tube(iron, Place::at(splat(0.0)), &hoop, 0.018, PLAIN);
        }
    }
    s.pile.block(timber, Place::at(v(1.6, 1.75, -2.45)), v(1.1, 0.03, 0.16), PLAIN);
    let mut dice = Dice::new(8);
    for k in 0..6 {
        let tint = [srgb(0.10, 0.34, 0.30), srgb(0.12, 0.26, 0.40), srgb(0.40, 0.30, 0.10)][k % 3];
        let r = dice.between(0.10, 0.15);
        s.pile.ball(glass, Place::at(v(0.75 + 0.34 * k as f32, 1.78 + r, -2.42)), splat(r), tint);
    }
    // A lamp that is not lit, on the table.
    let lamp = [
        (0.0, 0.0),
        (0.11, 0.0),
        (0.12, 0.03),
        (0.05, 0.08),
        (0.09, 0.14),
        (0.10, 0.22),
        (0.05, 0.27),
        (0.0, 0.27),
    ];
    s.pile.lathe(brass, Place::at(v(-0.98, 0.94, 1.30)), &lamp, PLAIN);
}
