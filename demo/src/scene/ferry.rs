//! The ferry's deck at blue hour: a lantern swings in the wind, the sea goes by, the lamps of the quay come on.

use crate::dice::Dice;
use crate::props::{NEAR, Puppet, lantern, puppet, srgb, warm, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, noise, rough, splat, v};
use std::f32::consts::TAU;

/// Seconds of one swing of the lantern, and of one roll of the boat.
const SWING: f32 = 1.0;
const ROLL: f32 = 4.0;

/// The deck at `seconds`: the wide view.
pub fn wide(seconds: f32) -> Stage {
    let roll = 0.012 * (seconds * TAU / ROLL).sin();
    let camera = Camera {
        from: v(0.35, 1.72, 4.9),
        to: v(-0.12 + 0.5 * roll, 1.50 + roll, 0.0),
        width: 0.86,
        lens: 0.03,
        focus: 3.9,
        exposure: 1.7,
    };
    stage(camera, seconds)
}

/// The ferryman close, at rest.
pub fn close(_: f32) -> Stage {
    let camera = Camera {
        from: v(-0.15, 1.66, 3.6),
        to: v(-0.62, 1.55, 0.9),
        width: 0.62,
        lens: 0.035,
        focus: 2.5,
        exposure: 1.7,
    };
    stage(camera, 0.6)
}

fn stage(camera: Camera, seconds: f32) -> Stage {
    let mut s = Stage::new(camera);
    s.cast = 10.0;
    let (low, high, rest) = (srgb(0.30, 0.46, 0.78), srgb(0.07, 0.13, 0.36), srgb(0.98, 0.55, 0.36));
    s.sky = Box::new(move |d| {
        let up = d.0[1].max(0.0);
        let blue = low.lerp(high, up.powf(0.4)) * 0.55;
        // What is left of the day, low behind the quay.
        let west = (-((d.0[0] - 0.35) / 0.5).powi(2) - (up / 0.10).powi(2)).exp();
        blue + rest * (0.75 * west)
    });
    s.haze = (0.010, srgb(0.22, 0.32, 0.52) * 0.18);
    sea(&mut s, seconds);
    quay(&mut s);
    deck(&mut s);
    ferryman(&mut s, seconds);
    let swing = 0.30 * (seconds * TAU / SWING).sin();
    let hook = v(0.92, 2.62, 1.2);
    let hung = hook + v(swing.sin(), -swing.cos(), 0.35 * swing) * 0.55;
    let cord = s.material(Material::new(Finish::Matte, splat(0.06)));
    s.pile.tube(cord, Place::at(splat(0.0)), &[hook, hook.lerp(hung, 0.5), hung], 0.008, PLAIN);
    lantern(&mut s, NEAR, hung - v(0.0, 0.16, 0.0), 0.13, warm(2_250.0) * 9.0, 1.15);
    s
}

fn sea(s: &mut Stage, seconds: f32) {
    let water = s.material(Material::new(Finish::Coat(0.07), srgb(0.07, 0.12, 0.17)).bumpy(0.10, 2.6));
    // The boat goes to the left: the waves come by.
    let wave = |a: f32, b: f32| {
        let (x, z) = ((a - 0.5) * 70.0, -2.4 - 46.0 * b * b);
        let run = x + 0.9 * seconds;
        let y = 0.10 * (run * 0.9 + z * 0.4).sin()
            + 0.06 * (run * 1.9 - z * 1.1 + seconds * 1.6).sin()
            + 0.05 * rough(v(run * 0.8, seconds * 0.5, z * 0.8));
        v(x, y - 0.75, z)
    };
    s.pile.surface([240, 120], water, Place::at(splat(0.0)), wave, |_, _, _| PLAIN);
}

fn quay(s: &mut Stage) {
    let wall = s.material(Material::new(Finish::Matte, srgb(0.30, 0.31, 0.36)));
    let mut dice = Dice::new(31);
    for k in 0..22 {
        let x = -24.0 + 2.4 * k as f32 + dice.between(-0.4, 0.4);
        let (w, h) = (dice.between(0.9, 1.5), dice.between(1.0, 3.0));
        s.pile.block(wall, Place::at(v(x, h - 0.8, -38.0)), v(w, h, 1.0), splat(dice.between(0.6, 1.1)));
        for _ in 0..3 {
            let at = v(x + dice.between(-w, w) * 0.7, dice.between(-0.2, 1.7 * h - 0.8), -36.9);
            let kelvin = f64::from(dice.between(2_000.0, 3_600.0));
            let lit = s.material(Material::new(Finish::Lamp, warm(kelvin) * dice.between(1.5, 7.0)));
            let q = [(-0.09, -0.12), (0.09, -0.12), (0.09, 0.12), (-0.09, 0.12)];
            s.pile.face(lit, Place::at(at), q.map(|(a, b)| v(a, b, 0.0)), PLAIN);
        }
    }
    s.pile.block(wall, Place::at(v(0.0, -0.6, -37.0)), v(40.0, 0.5, 0.6), PLAIN);
    // The harbour's green and red lights.
    for (x, glow) in [(-7.5, v(0.03, 1.2, 0.20)), (8.6, v(1.9, 0.08, 0.03))] {
        let post = s.material(Material::new(Finish::Matte, splat(0.2)));
        s.pile.block(post, Place::at(v(x, 0.1, -24.0)), v(0.12, 1.1, 0.12), PLAIN);
        let lit = s.material(Material::new(Finish::Lamp, glow * 14.0));
        s.pile.ball(lit, Place::at(v(x, 1.35, -24.0)), splat(0.17), PLAIN);
    }
}

fn deck(s: &mut Stage) {
    fn planks(p: V3) -> V3 {
        let x = p.0[0] * 4.5;
        let joint = ((x.rem_euclid(1.0) - 0.5).abs() - 0.44).max(0.0) * 16.0;
        wood(v(p.0[2], p.0[1], p.0[0] * 0.3))
            * (1.0 + 0.2 * noise(v(x.floor() * 5.1, 0.0, 1.0)))
            * (1.0 - 0.8 * joint.min(1.0))
    }
    let timber = s.material(Material::new(Finish::Coat(0.22), srgb(0.44, 0.36, 0.29)).textured(planks));
    let paint = s.material(Material::new(Finish::Coat(0.2), srgb(0.86, 0.86, 0.83)));
    let cabin = s.material(Material::new(Finish::Coat(0.3), srgb(0.50, 0.16, 0.13)));
    let here = Place::at(splat(0.0));
    s.pile.block(timber, Place::at(v(0.0, -0.1, 1.5)), v(4.0, 0.1, 2.6), PLAIN);
    for y in [0.45, 0.80, 1.12] {
        s.pile.tube(paint, here, &[v(-4.0, y, -0.9), v(0.0, y, -0.95), v(4.0, y, -0.9)], 0.025, PLAIN);
    }
    for k in 0..9 {
        let x = -3.6 + 0.9 * k as f32;
        s.pile.tube(paint, here, &[v(x, 0.0, -0.92), v(x, 0.6, -0.93), v(x, 1.13, -0.93)], 0.028, PLAIN);
    }
    // A ring on the rail, in white and orange quarters.
    let ring = s.material(Material::new(Finish::Coat(0.3), PLAIN));
    for k in 0..8 {
        let arc: Vec<V3> = (0..=6)
            .map(|i| {
                let a = (k as f32 + i as f32 / 6.0) / 8.0 * TAU;
                v(-1.85 + 0.30 * a.sin(), 0.80 + 0.30 * a.cos(), -0.82)
            })
            .collect();
        let colour = if k % 2 == 0 { srgb(0.90, 0.35, 0.10) } else { srgb(0.88, 0.86, 0.80) };
        s.pile.tube(ring, here, &arc, 0.075, colour);
    }
    // The cabin's corner on the right, a lit pane in it, and the beam that the lantern hangs from.
    s.pile.block(cabin, Place::at(v(2.75, 1.5, 0.3)), v(0.75, 1.5, 0.9), PLAIN);
    s.pile.block(paint, Place::at(v(2.0, 2.66, 0.9)), v(1.2, 0.05, 0.06), PLAIN);
    let pane = s.material(Material::new(Finish::Lamp, warm(2_500.0) * 1.1));
    s.pile.face(
        pane,
        here,
        [v(2.2, 1.35, 1.21), v(2.75, 1.35, 1.21), v(2.75, 1.95, 1.21), v(2.2, 1.95, 1.21)],
        PLAIN,
    );
    s.pile.face(
        pane,
        here,
        [v(1.99, 1.35, 0.1), v(1.99, 1.35, 0.9), v(1.99, 1.95, 0.9), v(1.99, 1.95, 0.1)],
        PLAIN,
    );
    // Crates and a coil of rope.
    let crate_wood = s.material(Material::new(Finish::Matte, srgb(0.52, 0.40, 0.27)).textured(wood));
    s.pile.block(crate_wood, Place::at(v(1.05, 0.28, -0.2)).turned(12.0), v(0.34, 0.28, 0.3), PLAIN);
    s.pile.block(crate_wood, Place::at(v(1.15, 0.76, -0.2)).turned(-9.0), v(0.26, 0.2, 0.24), PLAIN);
    let rope = s.material(Material::new(Finish::Matte, srgb(0.66, 0.57, 0.40)));
    for k in 0..4 {
        let coil: Vec<V3> = (0..=20)
            .map(|i| {
                let a = i as f32 / 20.0 * TAU;
                v(0.25 + 0.24 * a.sin(), 0.04 + 0.06 * k as f32, 0.5 + 0.24 * a.cos())
            })
            .collect();
        s.pile.tube(rope, here, &coil, 0.034, PLAIN);
    }
}

fn ferryman(s: &mut Stage, seconds: f32) {
    let p = Puppet {
        skin: srgb(0.66, 0.45, 0.34),
        blush: srgb(0.66, 0.26, 0.20),
        iris: srgb(0.22, 0.34, 0.42),
        hat: srgb(0.80, 0.62, 0.12),
        band: srgb(0.70, 0.50, 0.08),
        coat: srgb(0.82, 0.64, 0.14),
        scarf: srgb(0.30, 0.32, 0.36),
        gaze: -14.0 + 10.0 * (seconds * TAU / ROLL).sin(),
    };
    let turn = 26.0 + 5.0 * (seconds * TAU / ROLL + 0.8).sin();
    puppet(s, Place::at(v(-0.62, 1.60, 1.1)).scaled(0.40).turned(turn), &p);
}
