//! The mole: a stone arm into the sea with a striped light at its end, in fog or under an evening sky.

use crate::dice::Dice;
use crate::props::{Puppet, plaster, puppet, srgb, warm};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, noise, rough, splat, v};

/// Thick fog by day.
pub fn fog(_: f32) -> Stage {
    let mut s = Stage::new(camera(0.9));
    let fog = srgb(0.80, 0.83, 0.86);
    s.sky = Box::new(move |d| fog * (0.62 + 0.3 * d.0[1].max(0.0)));
    s.haze = (0.085, srgb(0.80, 0.83, 0.86) * 0.66);
    build(&mut s);
    s
}

/// A clear evening, the sun low over the sea.
pub fn evening(_: f32) -> Stage {
    let mut s = Stage::new(Camera { from: v(0.9, 1.25, 5.6), to: v(0.25, 1.75, 0.0), ..camera(0.60) });
    let (low, high, glow) = (srgb(0.98, 0.62, 0.34), srgb(0.36, 0.46, 0.70), srgb(0.98, 0.50, 0.42));
    s.sky = Box::new(move |d| {
        let up = d.0[1].max(0.0);
        let cloud = rough(v(d.0[0] * 3.0, d.0[1] * 14.0, d.0[2] * 3.0)).max(0.0) * (-up * 3.0).exp();
        let air = low.lerp(high, (up * 2.6).min(1.0).powf(0.6));
        air * 0.9 + glow * (1.1 * cloud)
    });
    s.sun = Some((v(0.86, 0.24, 0.30).unit(), warm(2_700.0) * 5.0, 0.02));
    s.haze = (0.010, srgb(0.90, 0.60, 0.45) * 0.5);
    build(&mut s);
    s
}

/// A pale morning, the haze going off.
pub fn morning(_: f32) -> Stage {
    let mut s = Stage::new(Camera { from: v(-1.1, 1.9, 4.9), to: v(0.35, 1.42, 0.0), ..camera(0.66) });
    let (pale, blue) = (srgb(0.93, 0.90, 0.84), srgb(0.46, 0.66, 0.84));
    s.sky = Box::new(move |d| {
        let up = d.0[1].max(0.0);
        pale.lerp(blue, (up * 1.6).min(1.0).powf(0.7)) * 0.95
    });
    s.sun = Some((v(-0.70, 0.50, 0.50).unit(), warm(4_600.0) * 3.4, 0.02));
    s.haze = (0.022, srgb(0.84, 0.85, 0.84) * 0.8);
    build(&mut s);
    s
}

fn camera(exposure: f32) -> Camera {
    Camera { from: v(0.2, 1.70, 5.4), to: v(0.05, 1.45, 0.0), width: 0.84, lens: 0.02, focus: 4.2, exposure }
}

fn build(s: &mut Stage) {
    fn blocks(p: V3) -> V3 {
        let (z, y) = (p.0[2] * 0.9, p.0[1] * 1.6);
        let (x, row) = (p.0[0] * 0.9 + 0.5 * z.floor(), z.floor() + 7.0 * y.floor());
        let joint =
            ((x.rem_euclid(1.0) - 0.5).abs().max((z.rem_euclid(1.0) - 0.5).abs()) - 0.46).max(0.0) * 22.0;
        plaster(p) * (1.0 + 0.22 * noise(v(x.floor(), 1.0, row) * 3.3)) * (1.0 - 0.55 * joint.min(1.0))
    }
    let stone = s.material(
        Material::new(Finish::Coat(0.35), srgb(0.50, 0.48, 0.45)).textured(blocks).bumpy(0.05, 5.0),
    );
    let water = s.material(Material::new(Finish::Coat(0.09), srgb(0.10, 0.16, 0.17)));
    let iron = s.material(Material::new(Finish::Coat(0.3), srgb(0.14, 0.14, 0.15)).bumpy(0.05, 14.0));
    let here = Place::at(splat(0.0));
    let wave = |a: f32, b: f32| {
        let (x, z) = ((a - 0.5) * 90.0, 6.0 - 80.0 * b);
        v(x, -1.1 + 0.12 * rough(v(x * 0.6, 0.0, z * 0.6)) + 0.04 * (x * 2.1 + z).sin(), z)
    };
    s.pile.surface([220, 160], water, here, wave, |_, _, _| PLAIN);
    // Bends to the left on its way out.
    let bend = |z: f32| -0.028 * (z - 4.0) * (z - 4.0) * if z < 4.0 { 0.5 } else { 0.0 };
    for k in 0..17 {
        let z = 6.0 - 1.6 * k as f32;
        s.pile.block(stone, Place::at(v(bend(z), -0.75, z)), v(1.75, 0.75, 0.81), PLAIN);
        if z < 2.0 {
            s.pile.block(stone, Place::at(v(bend(z) + 1.95, -0.15, z)), v(0.28, 0.85, 0.81), PLAIN);
        }
    }
    let mut dice = Dice::new(9);
    for k in 0..5 {
        let z = 2.6 - 3.4 * k as f32;
        let at = Place::at(v(bend(z) - 1.38, 0.0, z)).scaled(dice.between(0.9, 1.1));
        s.pile.lathe(
            iron,
            at,
            &[(0.18, 0.0), (0.14, 0.1), (0.12, 0.34), (0.19, 0.40), (0.19, 0.48), (0.0, 0.54)],
            PLAIN,
        );
    }
    light(s, v(bend(-14.0) - 0.2, 0.0, -14.0));
    let walker = Puppet {
        skin: srgb(0.86, 0.69, 0.60),
        blush: srgb(0.84, 0.40, 0.35),
        iris: srgb(0.26, 0.38, 0.34),
        hat: srgb(0.62, 0.14, 0.12),
        band: srgb(0.80, 0.74, 0.62),
        coat: srgb(0.60, 0.15, 0.13),
        scarf: srgb(0.20, 0.30, 0.34),
        gaze: 20.0,
    };
    puppet(s, Place::at(v(-0.55, 1.52, 1.1)).scaled(0.39).turned(18.0), &walker);
    let friend = Puppet {
        skin: srgb(0.26, 0.16, 0.11),
        blush: srgb(0.32, 0.11, 0.08),
        iris: srgb(0.12, 0.08, 0.05),
        hat: srgb(0.24, 0.36, 0.40),
        band: srgb(0.78, 0.60, 0.26),
        coat: srgb(0.25, 0.33, 0.42),
        scarf: srgb(0.78, 0.60, 0.26),
        gaze: -12.0,
    };
    puppet(s, Place::at(v(0.75, 1.40, -0.2)).scaled(0.36).turned(-22.0), &friend);
}

/// The light at the end: a striped tower with a gallery and a lit lamp house.
fn light(s: &mut Stage, at: V3) {
    let coat = s.material(Material::new(Finish::Coat(0.3), PLAIN));
    let glass = s.material(Material::new(Finish::Lamp, warm(2_900.0) * 6.0));
    for k in 0..6 {
        let (y, r) = (0.85 * k as f32, 0.95 - 0.07 * k as f32);
        let colour = if k % 2 == 0 { srgb(0.84, 0.83, 0.78) } else { srgb(0.62, 0.14, 0.12) };
        s.pile.lathe(coat, Place::at(at), &[(r, y), (r - 0.03, y + 0.43), (r - 0.07, y + 0.85)], colour);
    }
    let top = 5.1;
    s.pile.lathe(
        coat,
        Place::at(at),
        &[(0.5, top), (0.85, top + 0.05), (0.85, top + 0.15), (0.4, top + 0.2)],
        srgb(0.2, 0.2, 0.2),
    );
    s.pile.lathe(glass, Place::at(at), &[(0.34, top + 0.2), (0.36, top + 0.6), (0.34, top + 0.95)], PLAIN);
    s.pile.lathe(
        coat,
        Place::at(at),
        &[(0.5, top + 0.95), (0.36, top + 1.2), (0.0, top + 1.5)],
        srgb(0.2, 0.2, 0.2),
    );
}
