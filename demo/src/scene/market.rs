//! The lantern market at night: coloured lamps beyond any display gamut over wet stones, a puppet between them.

use crate::dice::Dice;
use crate::props::{FAR, NEAR, Puppet, lantern, plaster, puppet, srgb, warm, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, noise, splat, v};

/// Colours of the lanterns in linear AP1, at luminance 1 or so: most lie near the edge of AP1.
const GLOWS: [V3; 9] = [
    v(1.80, 0.78, 0.10),
    v(1.75, 0.10, 0.02),
    v(0.06, 1.30, 0.12),
    v(0.03, 1.05, 1.25),
    v(1.70, 0.85, 0.18),
    v(0.08, 0.14, 2.60),
    v(1.90, 0.60, 0.04),
    v(1.20, 0.07, 0.90),
    v(1.60, 0.95, 0.24),
];

/// Both puppets between the stalls.
pub fn wide(_: f32) -> Stage {
    stage(v(0.25, 1.62, 5.4), v(-0.05, 1.52, 0.0), 0.80, 4.0, 0.55)
}

/// The child close, from the other side.
pub fn close(_: f32) -> Stage {
    stage(v(0.05, 1.42, 3.5), v(0.66, 1.30, 0.85), 0.62, 2.65, 1.1)
}

fn stage(from: V3, to: V3, width: f32, focus: f32, exposure: f32) -> Stage {
    let mut s = Stage::new(Camera { from, to, width, lens: 0.055, focus, exposure });
    s.cast = 7.0;
    let night = srgb(0.16, 0.24, 0.42);
    s.sky = Box::new(move |d| night * (0.25 + 0.5 * (1.0 - d.0[1].abs()).powi(3)));
    s.haze = (0.006, srgb(0.16, 0.2, 0.3) * 0.08);
    ground(&mut s);
    houses(&mut s);
    stalls(&mut s);
    strings(&mut s);
    people(&mut s);
    s
}

fn ground(s: &mut Stage) {
    fn stones(p: V3) -> V3 {
        let (x, z) = (p.0[0] * 3.6, p.0[2] * 3.6);
        let row = z.floor();
        let (fx, fz) = ((x + row * 0.5).rem_euclid(1.0) - 0.5, z.rem_euclid(1.0) - 0.5);
        let joint = (fx.abs().max(fz.abs()) - 0.40).max(0.0) * 8.0;
        splat((1.0 + 0.3 * noise(v(x.floor(), 0.0, row) * 3.7)) * (1.0 - 0.6 * joint.min(1.0)))
    }
    let wet = s.material(
        Material::new(Finish::Coat(0.16), srgb(0.30, 0.29, 0.29)).textured(stones).bumpy(0.05, 4.6),
    );
    let q = [v(-30., 0., 12.), v(30., 0., 12.), v(30., 0., -40.), v(-30., 0., -40.)];
    s.pile.face(wet, Place::at(splat(0.0)), q, PLAIN);
}

fn houses(s: &mut Stage) {
    let wall = s.material(Material::new(Finish::Matte, srgb(0.42, 0.40, 0.43)).textured(plaster));
    let roof = s.material(Material::new(Finish::Matte, srgb(0.22, 0.24, 0.28)).bumpy(0.2, 6.0));
    let window = s.material(Material::new(Finish::Lamp, warm(2_600.0) * 1.6));
    let mut dice = Dice::new(4);
    for k in 0..9 {
        let x = -9.0 + 2.3 * k as f32;
        let (w, h, z) = (dice.between(0.95, 1.3), dice.between(2.2, 4.2), dice.between(-9.5, -7.0));
        let tint = splat(1.0).lerp(srgb(0.9, 0.75, 0.62), dice.roll());
        s.pile.block(wall, Place::at(v(x, h / 2.0, z)), v(w, h / 2.0, 1.0), tint);
        let (l, r, t) = (v(-w - 0.15, h, 1.15), v(w + 0.15, h, 1.15), h + dice.between(0.8, 1.5));
        let at = Place::at(v(x, 0.0, z));
        s.pile.face(roof, at, [l, r, v(0.9 * w, t, -0.4), v(-0.9 * w, t, -0.4)], PLAIN);
        for (i, j) in [(-1, 0), (1, 0), (-1, 1), (1, 1), (0, 2)] {
            if dice.roll() < 0.45 {
                let c = v(i as f32 * 0.45 * w, 0.9 + 1.05 * j as f32, 1.01);
                if c.0[1] + 0.3 < h {
                    let q = [(-0.17, -0.24), (0.17, -0.24), (0.17, 0.24), (-0.17, 0.24)];
                    s.pile.face(window, at, q.map(|(a, b)| c + v(a, b, 0.0)), splat(dice.between(0.4, 1.5)));
                }
            }
        }
    }
}

fn stalls(s: &mut Stage) {
    let timber = s.material(Material::new(Finish::Coat(0.5), srgb(0.45, 0.32, 0.22)).textured(wood));
    let cloth = s.material(Material::new(Finish::Leaf(splat(0.8)), PLAIN).bumpy(0.04, 9.0));
    let fruit = s.material(Material::new(Finish::Coat(0.2), PLAIN));
    let cloths =
        [srgb(0.62, 0.16, 0.14), srgb(0.16, 0.33, 0.36), srgb(0.75, 0.62, 0.36), srgb(0.30, 0.22, 0.40)];
    let fruits = [srgb(0.85, 0.45, 0.1), srgb(0.7, 0.12, 0.1), srgb(0.5, 0.6, 0.15), srgb(0.8, 0.7, 0.3)];
    let mut dice = Dice::new(11);
    for (k, (x, z, turn)) in
        [(-2.9, -0.6, 24.0), (3.0, -0.9, -26.0), (-3.4, -3.6, 12.0), (3.3, -4.0, -10.0), (0.4, -5.6, 0.0)]
            .iter()
            .enumerate()
    {
        let at = Place::at(v(*x, 0.0, *z)).turned(*turn);
        for (px, pz) in [(-1.1, 0.55), (1.1, 0.55), (-1.1, -0.55), (1.1, -0.55)] {
            s.pile.block(timber, Place { at: at.put(v(px, 1.05, pz)), ..at }, v(0.045, 1.05, 0.045), PLAIN);
        }
        s.pile.block(timber, Place { at: at.put(v(0.0, 0.75, 0.0)), ..at }, v(1.2, 0.04, 0.62), PLAIN);
        s.pile.block(timber, Place { at: at.put(v(0.0, 0.38, 0.6)), ..at }, v(1.18, 0.36, 0.02), PLAIN);
        let (own, pale) = (cloths[k % 4], srgb(0.80, 0.76, 0.66));
        let awning = |a: f32, b: f32| {
            let sag = 0.10 * (a * std::f32::consts::PI).sin() * b;
            v(a * 2.6 - 1.3, 2.28 - 0.5 * b - sag * 0.6 + 0.03 * (a * 50.0).sin() * b, b * 1.7 - 0.7)
        };
        s.pile.surface(
            [80, 14],
            cloth,
            at,
            awning,
            |a, _, _| if (a * 9.0) as i32 % 2 == 0 { own } else { pale },
        );
        for _ in 0..70 {
            let p = v(dice.between(-1.05, 1.05), 0.0, dice.between(-0.45, 0.5));
            let crate_of = ((p.0[0] + 1.1) / 0.55) as usize % 4;
            let ball = Place { at: at.put(v(p.0[0], 0.84 + 0.07 * dice.roll(), p.0[2])), ..at };
            let colour = fruits[crate_of] * dice.between(0.75, 1.1);
            s.pile.surface([14, 9], fruit, ball, |a, b| crate::shape::globe(a, b) * 0.075, |_, _, _| colour);
        }
        let glow = GLOWS[[0, 3, 4, 7, 6][k]];
        for side in [-0.7_f32, 0.65] {
            lantern(s, FAR, at.put(v(side, 1.62, 0.62)), 0.13, glow * dice.between(8.0, 13.0), 1.15);
        }
    }
}

fn strings(s: &mut Stage) {
    let cord = s.material(Material::new(Finish::Matte, srgb(0.1, 0.1, 0.1)));
    let mut dice = Dice::new(23);
    let spans = [
        (v(-4.5, 3.1, 0.9), v(4.2, 3.35, -1.2)),
        (v(-4.8, 3.3, -2.2), v(4.6, 3.0, -2.6)),
        (v(-5.2, 3.2, -4.8), v(5.2, 3.5, -4.4)),
        (v(-6.0, 3.5, -6.6), v(6.0, 3.2, -6.8)),
    ];
    for (row, (a, b)) in spans.iter().enumerate() {
        let hang = |t: f32| a.lerp(*b, t) - v(0.0, 0.75 * 4.0 * t * (1.0 - t) * 0.9, 0.0);
        let line: Vec<V3> = (0..=16).map(|k| hang(k as f32 / 16.0)).collect();
        s.pile.tube(cord, Place::at(splat(0.0)), &line, 0.008, PLAIN);
        let count = 7 + row;
        for k in 0..count {
            let t = (k as f32 + 0.5 + dice.between(-0.2, 0.2)) / count as f32;
            let glow = GLOWS[(k * 3 + row * 2 + 1) % GLOWS.len()];
            let radius = dice.between(0.10, 0.19);
            lantern(
                s,
                FAR,
                hang(t) - v(0.0, radius * 1.3, 0.0),
                radius,
                glow * dice.between(6.0, 16.0),
                dice.between(0.8, 1.4),
            );
        }
    }
}

fn people(s: &mut Stage) {
    let keeper = Puppet {
        skin: srgb(0.76, 0.53, 0.40),
        blush: srgb(0.75, 0.28, 0.22),
        iris: srgb(0.30, 0.20, 0.10),
        hat: srgb(0.16, 0.28, 0.34),
        band: srgb(0.45, 0.16, 0.12),
        coat: srgb(0.26, 0.27, 0.36),
        scarf: srgb(0.70, 0.55, 0.28),
        gaze: 16.0,
    };
    puppet(s, Place::at(v(-0.62, 1.60, 1.35)).scaled(0.40).turned(24.0), &keeper);
    let child = Puppet {
        skin: srgb(0.36, 0.22, 0.15),
        blush: srgb(0.42, 0.14, 0.10),
        iris: srgb(0.16, 0.10, 0.06),
        hat: srgb(0.62, 0.42, 0.14),
        band: srgb(0.20, 0.30, 0.26),
        coat: srgb(0.42, 0.18, 0.16),
        scarf: srgb(0.25, 0.38, 0.42),
        gaze: -18.0,
    };
    puppet(s, Place::at(v(0.72, 1.30, 0.85)).scaled(0.33).turned(-30.0), &child);
    // What they carry: one warm lamp low between them, which models their faces.
    lantern(s, NEAR, v(0.06, 1.08, 1.95), 0.10, warm(2_300.0) * 24.0, 1.1);
    // One below the frame, for the child's face.
    lantern(s, FAR, v(1.35, 0.72, 2.3), 0.12, GLOWS[6] * 14.0, 1.0);
    lantern(s, FAR, v(-1.75, 1.95, 2.05), 0.13, GLOWS[3] * 16.0, 1.2);
    lantern(s, FAR, v(1.78, 2.02, 1.75), 0.13, GLOWS[7] * 13.0, 1.0);
}
