//! The salt pans at noon: white crust, white clothes, and the sun on the water behind them, six stops over grey.

use crate::dice::Dice;
use crate::props::{Puppet, plaster, puppet, srgb, warm, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, noise, rough, splat, v};
use std::f32::consts::TAU;

/// The raker before the pans, against the light.
pub fn noon(_: f32) -> Stage {
    let mut s = Stage::new(Camera {
        from: v(0.25, 1.72, 5.2),
        to: v(0.05, 1.42, 0.0),
        width: 0.84,
        lens: 0.018,
        focus: 4.1,
        exposure: 0.28,
    });
    let (low, high, white) = (srgb(0.80, 0.86, 0.92), srgb(0.32, 0.52, 0.86), srgb(0.96, 0.96, 0.95));
    s.sky = Box::new(move |d| {
        let up = d.0[1].max(0.0);
        let veil = rough(v(d.0[0] * 2.0, up * 9.0, d.0[2] * 2.0)).max(0.0) * (-up * 2.0).exp();
        (low.lerp(high, up.powf(0.6)) * 3.0).lerp(white * 5.0, (0.8 * veil).min(1.0))
    });
    s.sun = Some((v(0.22, 0.52, -0.83).unit(), warm(5_600.0) * 22.0, 0.010));
    s.haze = (0.006, srgb(0.82, 0.87, 0.92) * 2.2);
    pans(&mut s);
    heaps(&mut s);
    tools(&mut s);
    let raker = Puppet {
        skin: srgb(0.70, 0.49, 0.37),
        blush: srgb(0.72, 0.30, 0.23),
        iris: srgb(0.26, 0.34, 0.30),
        hat: srgb(0.94, 0.93, 0.90),
        band: srgb(0.90, 0.86, 0.76),
        coat: srgb(0.93, 0.93, 0.91),
        scarf: srgb(0.88, 0.90, 0.92),
        gaze: 12.0,
    };
    puppet(&mut s, Place::at(v(-0.50, 1.56, 1.1)).scaled(0.40).turned(20.0), &raker);
    let other = Puppet {
        skin: srgb(0.40, 0.25, 0.17),
        blush: srgb(0.46, 0.17, 0.12),
        iris: srgb(0.16, 0.10, 0.06),
        hat: srgb(0.92, 0.90, 0.84),
        band: srgb(0.94, 0.94, 0.94),
        coat: srgb(0.90, 0.91, 0.93),
        scarf: srgb(0.93, 0.88, 0.80),
        gaze: -14.0,
    };
    puppet(&mut s, Place::at(v(0.98, 1.40, -0.5)).scaled(0.36).turned(-26.0), &other);
    s
}

/// The crust, the dams between the pans, brine in them, and the sea.
fn pans(s: &mut Stage) {
    fn crust(p: V3) -> V3 {
        plaster(p * 0.7) * (0.98 + 0.05 * noise(p * 9.0))
    }
    let salt =
        s.material(Material::new(Finish::Matte, srgb(0.965, 0.96, 0.95)).textured(crust).bumpy(0.03, 9.0));
    let brine = s.material(Material::new(Finish::Coat(0.10), srgb(0.50, 0.58, 0.60)).bumpy(0.012, 3.0));
    let sea = s.material(Material::new(Finish::Coat(0.46), srgb(0.10, 0.22, 0.28)));
    let here = Place::at(splat(0.0));
    let ground = |a: f32, b: f32| {
        let (x, z) = ((a - 0.5) * 24.0, 6.0 - 15.0 * b);
        v(x, -0.02 + 0.05 * rough(v(x * 1.3, 0.0, z * 1.3)), z)
    };
    s.pile.surface([200, 160], salt, here, ground, |_, _, _| PLAIN);
    for (x, z, w, d) in
        [(-2.9, -1.6, 1.9, 1.1), (2.3, -2.6, 2.2, 1.2), (-1.4, -4.9, 2.8, 1.3), (4.6, -5.6, 2.0, 1.4)]
    {
        let q = [v(x - w, 0.05, z - d), v(x + w, 0.05, z - d), v(x + w, 0.05, z + d), v(x - w, 0.05, z + d)];
        s.pile.face(brine, here, q, PLAIN);
        // A dam around each.
        for (cx, cz, lx, lz) in
            [(x, z - d, w, 0.12), (x, z + d, w, 0.12), (x - w, z, 0.12, d), (x + w, z, 0.12, d)]
        {
            let dam = |a: f32, b: f32| {
                let (s, c) = (a * TAU).sin_cos();
                let (px, pz) =
                    if lx > lz { ((b - 0.5) * 2.0 * lx, s * 0.13) } else { (s * 0.13, (b - 0.5) * 2.0 * lz) };
                let lump = 1.0 + 0.3 * rough(v(cx + px * 3.0, c, cz + pz * 3.0));
                v(cx + px, 0.02 + 0.13 * c * lump, cz + pz)
            };
            s.pile.surface([16, 60], salt, here, dam, |_, _, _| PLAIN);
        }
    }
    let wave = |a: f32, b: f32| {
        let (x, z) = ((a - 0.5) * 120.0, -8.8 - 70.0 * b * b);
        let y = 0.09 * rough(v(x * 0.9, 0.0, z * 0.9)) + 0.04 * (x * 1.7 + z * 0.6).sin();
        v(x, y - 0.30, z)
    };
    s.pile.surface([420, 260], sea, here, wave, |_, _, _| PLAIN);
}

/// Raked heaps in rows.
fn heaps(s: &mut Stage) {
    let salt = s.material(Material::new(Finish::Matte, srgb(0.975, 0.975, 0.97)).bumpy(0.05, 14.0));
    let mut dice = Dice::new(61);
    for (row, z) in [(0, -0.9_f32), (1, -3.4), (2, -6.6)] {
        for k in 0..6 {
            let x = -5.4 + 2.1 * k as f32 + 0.7 * row as f32 + dice.between(-0.25, 0.25);
            if row == 0 && x.abs() < 0.9 {
                continue;
            }
            let (r, h) = (dice.between(0.45, 0.62), dice.between(0.55, 0.85));
            let heap = |a: f32, b: f32| {
                let (sin, cos) = (a * TAU).sin_cos();
                let rim = r * b * (1.0 + 0.06 * rough(v(sin * 2.0, b * 3.0, cos * 2.0 + x)));
                v(rim * cos, h * (1.0 - b.powf(0.85)), -rim * sin)
            };
            s.pile.surface([90, 40], salt, Place::at(v(x, 0.0, z)), heap, |_, _, _| PLAIN);
        }
    }
}

/// Rakes, a barrow, a white cloth on poles.
fn tools(s: &mut Stage) {
    let timber = s.material(Material::new(Finish::Coat(0.45), srgb(0.74, 0.66, 0.55)).textured(wood));
    let cloth = s.material(Material::new(Finish::Leaf(splat(0.95)), srgb(0.95, 0.95, 0.93)).bumpy(0.03, 7.0));
    let here = Place::at(splat(0.0));
    let stick = [v(0.15, 0.0, 0.9), v(0.28, 0.9, 0.75), v(0.40, 1.75, 0.62)];
    s.pile.tube(timber, here, &stick, 0.022, PLAIN);
    s.pile.block(timber, Place::at(v(0.15, 0.05, 0.9)).turned(14.0), v(0.26, 0.05, 0.02), PLAIN);
    for x in [-3.1_f32, -1.5] {
        s.pile.tube(timber, here, &[v(x, 0.0, -1.9), v(x, 1.2, -1.9), v(x, 2.35, -1.9)], 0.035, PLAIN);
    }
    let hung = |a: f32, b: f32| {
        let wind = 0.13 * b * (a * 9.0 + b * 2.0).sin();
        v(-3.1 + 1.6 * a, 2.3 - 1.35 * b - 0.08 * (a * TAU * 0.5).sin(), -1.9 + wind)
    };
    s.pile.surface([70, 40], cloth, here, hung, |_, _, _| PLAIN);
    // A barrow with a load of salt.
    let barrow = Place::at(v(1.75, 0.0, 0.6)).turned(-24.0);
    let salt = s.material(Material::new(Finish::Matte, srgb(0.97, 0.97, 0.96)).bumpy(0.05, 16.0));
    s.pile.block(timber, Place { at: barrow.put(v(0.0, 0.42, 0.0)), ..barrow }, v(0.42, 0.14, 0.28), PLAIN);
    s.pile.ball(salt, Place { at: barrow.put(v(0.0, 0.52, 0.0)), ..barrow }, v(0.40, 0.24, 0.26), PLAIN);
    for z in [-0.24_f32, 0.24] {
        let handle = [v(0.35, 0.36, z), v(0.8, 0.44, z), v(1.1, 0.52, z)].map(|p| barrow.put(p));
        s.pile.tube(timber, here, &handle, 0.024, PLAIN);
    }
    let wheel: Vec<V3> = (0..=20)
        .map(|k| {
            let a = k as f32 / 20.0 * TAU;
            barrow.put(v(-0.48 + 0.2 * a.sin(), 0.2 + 0.2 * a.cos(), 0.0))
        })
        .collect();
    s.pile.tube(timber, here, &wheel, 0.03, PLAIN);
}
