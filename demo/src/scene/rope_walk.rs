//! The rope walk under a white sky: the camera travels along a painted wall, a puppet stands before it, and a
//! handcart passes in front of both. How all of it moves in the picture is known (see `motion`).

use crate::props::{Puppet, plaster, puppet, srgb, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, noise, rough, splat, v};
use std::f32::consts::TAU;

/// The take, and its frames.
pub const NAME: &str = "rope-walk-012";
pub const FRAMES: usize = 8;
/// The wall's distance behind the middle: the plane that `motion` follows.
pub const WALL: f32 = -1.6;

/// How far the take has come at `seconds`, 0..1, with an easy beginning and end.
fn way(seconds: f32) -> f32 {
    let t = (seconds * crate::takes::RATE / (FRAMES - 1) as f32).clamp(0.0, 1.0);
    t + 0.35 * (t * t * (3.0 - 2.0 * t) - t)
}

/// The camera: travels to the right and a little in, and pans back toward the puppet.
pub fn camera(seconds: f32) -> Camera {
    let t = way(seconds);
    Camera {
        from: v(-0.55 + 0.85 * t, 1.62 + 0.04 * t, 5.3 - 0.40 * t),
        to: v(-0.18 + 0.34 * t, 1.46, 0.0),
        width: 0.84,
        lens: 0.02,
        focus: 4.1 - 0.36 * t,
        exposure: 1.9,
    }
}

/// Where the puppet's head is: it sways a little and turns after the cart.
pub fn head(seconds: f32) -> Place {
    let t = way(seconds);
    let sway = 0.03 * (t * TAU).sin();
    Place { at: v(0.10 + sway, 1.54, 0.9), scale: 0.40, turn: 14.0 - 30.0 * t, lean: 3.0 * (t * TAU).sin() }
}

/// The set at a time.
pub fn travel(seconds: f32) -> Stage {
    let mut s = Stage::new(camera(seconds));
    let (low, high) = (srgb(0.86, 0.88, 0.90), srgb(0.74, 0.78, 0.84));
    s.sky = Box::new(move |d| low.lerp(high, d.0[1].max(0.0)) * (1.05 + 0.45 * d.0[0] + 0.3 * d.0[2]));
    yard(&mut s);
    wall(&mut s);
    ropes(&mut s);
    let roper = Puppet {
        skin: srgb(0.74, 0.55, 0.43),
        blush: srgb(0.74, 0.33, 0.26),
        iris: srgb(0.24, 0.36, 0.44),
        hat: srgb(0.18, 0.34, 0.40),
        band: srgb(0.80, 0.50, 0.18),
        coat: srgb(0.56, 0.30, 0.16),
        scarf: srgb(0.76, 0.70, 0.56),
        gaze: -8.0,
    };
    puppet(&mut s, head(seconds), &roper);
    cart(&mut s, 1.75 - 3.1 * way(seconds));
    s
}

fn yard(s: &mut Stage) {
    let stone = s.material(
        Material::new(Finish::Coat(0.4), srgb(0.46, 0.44, 0.42)).textured(plaster).bumpy(0.04, 4.0),
    );
    let q = [v(-20., 0., 9.), v(20., 0., 9.), v(20., 0., WALL), v(-20., 0., WALL)];
    s.pile.face(stone, Place::at(splat(0.0)), q, PLAIN);
}

/// The wall: boards, and a painted sign of flags and rings that is easy to follow.
fn wall(s: &mut Stage) {
    fn boards(p: V3) -> V3 {
        let y = p.0[1] * 3.6;
        let joint = ((y.rem_euclid(1.0) - 0.5).abs() - 0.46).max(0.0) * 25.0;
        let own = 1.0 + 0.14 * noise(v(0.0, y.floor() * 3.3, 1.0));
        wood(v(p.0[0], p.0[1] * 0.6, 2.0)) * (own * (1.0 - 0.7 * joint.min(1.0)))
    }
    fn sign(p: V3) -> V3 {
        let (x, y) = (p.0[0], p.0[1] - 1.55);
        let ring = |cx: f32, cy: f32, r: f32| (((x - cx).powi(2) + (y - cy).powi(2)).sqrt() - r).abs();
        let flag = ((x * 2.2).floor() as i32 + (y * 3.0).floor() as i32).rem_euclid(4);
        let worn = 0.86 + 0.14 * rough(p * 4.0);
        let ground = [v(0.62, 0.60, 0.52), v(0.06, 0.15, 0.26), v(0.50, 0.09, 0.05), v(0.60, 0.42, 0.09)]
            [flag as usize];
        let marked = ring(-1.1, 0.1, 0.34).min(ring(1.25, 0.05, 0.42)) < 0.05;
        if marked { splat(0.75) * worn } else { ground * worn }
    }
    let timber = s.material(Material::new(Finish::Matte, srgb(0.54, 0.50, 0.46)).textured(boards));
    let paint = s.material(Material::new(Finish::Coat(0.5), PLAIN).textured(sign));
    let here = Place::at(splat(0.0));
    s.pile.face(
        timber,
        here,
        [v(-14., 0., WALL), v(14., 0., WALL), v(14., 4.5, WALL), v(-14., 4.5, WALL)],
        PLAIN,
    );
    let z = WALL + 0.004;
    s.pile.face(paint, here, [v(-2.1, 0.95, z), v(2.3, 0.95, z), v(2.3, 2.2, z), v(-2.1, 2.2, z)], PLAIN);
}

/// Posts with coils and a rope on trestles.
fn ropes(s: &mut Stage) {
    let timber = s.material(Material::new(Finish::Coat(0.5), srgb(0.36, 0.28, 0.20)).textured(wood));
    let hemp = s.material(Material::new(Finish::Matte, srgb(0.68, 0.56, 0.36)).bumpy(0.04, 20.0));
    let here = Place::at(splat(0.0));
    for x in [-2.9_f32, -1.55, 1.75, 3.2] {
        s.pile.block(timber, Place::at(v(x, 1.3, -1.0)), v(0.07, 1.3, 0.07), PLAIN);
        for k in 0..4 {
            let coil: Vec<V3> = (0..=24)
                .map(|i| {
                    let a = i as f32 / 24.0 * TAU;
                    v(x + 0.02 * k as f32 + 0.19 * a.sin(), 1.15 + 0.29 * a.cos(), -0.90 + 0.045 * k as f32)
                })
                .collect();
            s.pile.tube(hemp, here, &coil, 0.028, PLAIN);
        }
    }
    let line: Vec<V3> =
        (0..=12).map(|k| v(-6.0 + k as f32, 0.72 + 0.03 * (k as f32 * 1.3).sin(), 0.1)).collect();
    s.pile.tube(hemp, here, &line, 0.045, PLAIN);
}

/// The handcart, at `x` across the picture, nearer than the puppet: a barrel, a crate and a lantern pole on it.
fn cart(s: &mut Stage, x: f32) {
    let on = Place::at(v(x, 0.0, 0.0));
    let timber = s.material(Material::new(Finish::Coat(0.4), srgb(0.50, 0.22, 0.14)).textured(wood).on(on));
    let pale = s.material(
        Material::new(Finish::Coat(0.4), srgb(0.70, 0.60, 0.44)).textured(|p| wood(p * 1.7)).on(on),
    );
    let iron = s.material(Material::new(Finish::Metal(0.35), srgb(0.40, 0.38, 0.36)));
    let cloth = s.material(Material::new(Finish::Matte, srgb(0.20, 0.42, 0.40)).bumpy(0.05, 12.0).on(on));
    let (y, z) = (0.98, 2.35);
    let at = |dx: f32, dy: f32| v(x + dx, y + dy, z);
    s.pile.block(timber, Place::at(at(0.0, 0.0)), v(0.46, 0.05, 0.22), PLAIN);
    let barrel = [(0.0, 0.0), (0.14, 0.0), (0.17, 0.14), (0.17, 0.30), (0.14, 0.44), (0.0, 0.44)];
    s.pile.lathe(cloth, Place::at(at(-0.24, 0.05)), &barrel, PLAIN);
    s.pile.block(pale, Place::at(at(0.16, 0.19)), v(0.18, 0.14, 0.15), srgb(0.9, 0.85, 0.7));
    s.pile.tube(iron, Place::at(splat(0.0)), &[at(0.40, 0.0), at(0.40, 0.5), at(0.40, 1.05)], 0.02, PLAIN);
    s.pile.ball(cloth, Place::at(at(0.40, 1.08)), v(0.10, 0.13, 0.10), srgb(1.0, 0.75, 0.4));
    for dx in [-0.28_f32, 0.28] {
        let roll = -x / 0.27;
        let rim: Vec<V3> = (0..=24)
            .map(|k| {
                let a = k as f32 / 24.0 * TAU;
                at(dx + 0.27 * a.sin(), -0.30 + 0.27 * a.cos()) + v(0.0, 0.0, 0.25)
            })
            .collect();
        s.pile.tube(timber, Place::at(splat(0.0)), &rim, 0.03, PLAIN);
        for k in 0..4 {
            let a = roll + k as f32 * TAU / 8.0;
            let d = v(0.26 * a.sin(), 0.26 * a.cos(), 0.0);
            let hub = at(dx, -0.30) + v(0.0, 0.0, 0.25);
            s.pile.tube(timber, Place::at(splat(0.0)), &[hub - d, hub, hub + d], 0.016, PLAIN);
        }
    }
}
