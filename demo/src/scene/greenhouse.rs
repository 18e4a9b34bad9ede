//! The kelp greenhouse by day: fronds in tanks under a glass roof, sun and sky through the panes.

use crate::dice::Dice;
use crate::props::{Puppet, leaf, plaster, puppet, srgb, warm, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, noise, splat, v};

/// The gardener at the bench.
pub fn wide(_: f32) -> Stage {
    stage(v(0.5, 1.75, 5.6), v(-0.1, 1.55, 0.0), 0.86, 4.7)
}

/// Along the tanks, the gardener near.
pub fn close(_: f32) -> Stage {
    stage(v(-0.75, 1.80, 3.9), v(0.35, 1.68, 0.9), 0.80, 3.0)
}

fn stage(from: V3, to: V3, width: f32, focus: f32) -> Stage {
    let mut s = Stage::new(Camera { from, to, width, lens: 0.02, focus, exposure: 0.42 });
    let (low, high, white, sea) =
        (srgb(0.70, 0.80, 0.92), srgb(0.30, 0.50, 0.85), srgb(0.95, 0.95, 0.95), srgb(0.22, 0.36, 0.42));
    s.sky = Box::new(move |d| {
        let up = d.0[1].max(0.0);
        let cloud = crate::vector::rough(v(d.0[0] * 2.2, d.0[1] * 6.0 + 3.0, d.0[2] * 2.2)).max(0.0)
            * (1.0 - up).powi(2);
        let blue = low.lerp(high, up.sqrt()) * 2.6;
        let air = blue.lerp(white * 3.6, cloud * 0.9);
        if d.0[1] < 0.0 { sea * (1.2 + 0.5 * noise(v(d.0[0] * 8.0, d.0[1] * 90.0, 0.0))) } else { air }
    });
    s.sun = Some((v(-0.62, 0.80, 0.28).unit(), warm(5_300.0) * 20.0, 0.012));
    s.haze = (0.004, srgb(0.7, 0.78, 0.82) * 1.2);
    house(&mut s);
    tanks(&mut s);
    fronds(&mut s);
    bench(&mut s);
    let gardener = Puppet {
        skin: srgb(0.58, 0.36, 0.25),
        blush: srgb(0.60, 0.22, 0.16),
        iris: srgb(0.14, 0.24, 0.18),
        hat: srgb(0.78, 0.66, 0.40),
        band: srgb(0.55, 0.22, 0.14),
        coat: srgb(0.24, 0.36, 0.52),
        scarf: srgb(0.80, 0.74, 0.62),
        gaze: -10.0,
    };
    puppet(&mut s, Place::at(v(0.62, 1.78, 1.2)).scaled(0.42).turned(-16.0), &gardener);
    s
}

fn house(s: &mut Stage) {
    let pane = s.material(Material::new(Finish::Pane, v(0.90, 0.95, 0.93)));
    let frame = s.material(Material::new(Finish::Coat(0.35), srgb(0.86, 0.87, 0.84)));
    let floor = s.material(
        Material::new(Finish::Coat(0.3), srgb(0.50, 0.42, 0.36)).textured(plaster).bumpy(0.02, 7.0),
    );
    let low = s.material(Material::new(Finish::Matte, srgb(0.66, 0.62, 0.56)).textured(plaster));
    let here = Place::at(splat(0.0));
    s.pile.face(floor, here, [v(-9., 0., 8.), v(9., 0., 8.), v(9., 0., -12.), v(-9., 0., -12.)], PLAIN);
    let (w, eave, ridge, back) = (4.6, 3.3, 5.0, -6.0);
    for side in [-1.0_f32, 1.0] {
        let (x, n) = (side * w, 12);
        s.pile.block(low, Place::at(v(x, 0.35, 0.0)), v(0.12, 0.35, 7.0), PLAIN);
        for k in 0..n {
            let (z0, z1) = (back + k as f32 * 1.05, back + (k + 1) as f32 * 1.05);
            s.pile.face(pane, here, [v(x, 0.7, z0), v(x, eave, z0), v(x, eave, z1), v(x, 0.7, z1)], PLAIN);
            s.pile.face(
                pane,
                here,
                [v(x, eave, z0), v(0., ridge, z0), v(0., ridge, z1), v(x, eave, z1)],
                PLAIN,
            );
            s.pile.tube(frame, here, &[v(x, 0.7, z0), v(x, eave * 0.7, z0), v(x, eave, z0)], 0.045, PLAIN);
            s.pile.tube(
                frame,
                here,
                &[v(x, eave, z0), v(x * 0.5, (eave + ridge) / 2.0, z0), v(0., ridge, z0)],
                0.045,
                PLAIN,
            );
        }
        for y in [0.7, 2.0, eave] {
            s.pile.tube(frame, here, &[v(x, y, back), v(x, y, 0.0), v(x, y, 6.6)], 0.05, PLAIN);
        }
        s.pile.block(low, Place::at(v(side * 2.6, 0.35, back)), v(2.0, 0.35, 0.1), PLAIN);
    }
    s.pile.tube(frame, here, &[v(0., ridge, back), v(0., ridge, 0.), v(0., ridge, 6.6)], 0.07, PLAIN);
    // The end wall: panes from the low wall to the gable, with a door's width of bars.
    for k in 0..8 {
        let (x0, x1) = (-w + k as f32 * 1.15, -w + (k + 1) as f32 * 1.15);
        let top = |x: f32| ridge - (ridge - eave) * (x.abs() / w);
        s.pile.face(
            pane,
            here,
            [v(x0, 0.7, back), v(x0, top(x0), back), v(x1, top(x1), back), v(x1, 0.7, back)],
            PLAIN,
        );
        s.pile.tube(
            frame,
            here,
            &[v(x0, 0., back), v(x0, top(x0) * 0.5, back), v(x0, top(x0), back)],
            0.045,
            PLAIN,
        );
    }
    for y in [0.7, 2.0, eave] {
        s.pile.tube(frame, here, &[v(-w, y, back), v(0., y, back), v(w, y, back)], 0.045, PLAIN);
    }
}

fn tanks(s: &mut Stage) {
    let slate = s.material(Material::new(Finish::Coat(0.25), srgb(0.30, 0.33, 0.36)).textured(plaster));
    let water = s.material(Material::new(Finish::Coat(0.02), srgb(0.08, 0.16, 0.14)).bumpy(0.03, 5.0));
    for (x, z, half) in [(-2.5, -0.2, 1.5), (2.7, -1.4, 1.5), (-2.4, -3.9, 1.6), (2.5, -4.6, 1.2)] {
        let at = v(x, 0.42, z);
        s.pile.block(slate, Place::at(at), v(1.15, 0.42, half), PLAIN);
        s.pile.block(water, Place::at(at + v(0., 0.01, 0.)), v(1.05, 0.42, half - 0.1), PLAIN);
    }
}

fn fronds(s: &mut Stage) {
    let kelp = s.material(Material::new(Finish::Leaf(v(1.0, 0.95, 0.35)), PLAIN).bumpy(0.03, 14.0));
    let float = s.material(Material::new(Finish::Coat(0.25), srgb(0.55, 0.50, 0.20)));
    let mut dice = Dice::new(77);
    let greens = [
        srgb(0.42, 0.50, 0.14),
        srgb(0.56, 0.58, 0.18),
        srgb(0.30, 0.42, 0.15),
        srgb(0.52, 0.44, 0.14),
        srgb(0.25, 0.36, 0.20),
    ];
    let beds = [(-2.5, -0.2, 1.3, 26), (2.7, -1.4, 1.3, 26), (-2.4, -3.9, 1.4, 22), (2.5, -4.6, 1.0, 16)];
    for (bx, bz, half, count) in beds {
        for _ in 0..count {
            let root = v(bx + dice.between(-0.9, 0.9), 0.82, bz + dice.between(-half, half));
            let height = dice.between(1.1, 2.5);
            let (sway, droop) = (dice.between(-0.5, 0.5), dice.between(0.2, 0.7));
            let toward = dice.between(-0.4, 0.5);
            let spine = [
                root,
                root + v(sway * 0.25, height * 0.38, toward * 0.2),
                root + v(sway * 0.6, height * 0.78, toward * 0.5),
                root + v(sway * 1.1, height, toward * 0.9),
                root + v(sway * 1.7, height * (1.0 - droop * 0.35), toward * 1.5),
            ];
            let colour = greens[(dice.roll() * 5.0) as usize % 5] * dice.between(0.7, 1.15);
            let tip = srgb(0.62, 0.52, 0.16);
            let width = dice.between(0.09, 0.21);
            leaf(s, kelp, &spine, width, dice.between(0.0, 180.0), |a, b| {
                let vein = 1.0 - 0.25 * (-((a - 0.5) / 0.06).powi(2)).exp();
                colour.lerp(tip, (b * b * 0.5).min(1.0))
                    * vein
                    * (0.9 + 0.2 * noise(v(a * 6.0, b * 30.0, width * 99.0)))
            });
            s.pile.surface(
                [14, 10],
                float,
                Place::at(spine[1]),
                |a, b| crate::shape::globe(a, b) * 0.05,
                |_, _, _| PLAIN,
            );
        }
    }
}

fn bench(s: &mut Stage) {
    let timber = s.material(Material::new(Finish::Coat(0.4), srgb(0.62, 0.47, 0.32)).textured(wood));
    let clay = s.material(Material::new(Finish::Matte, srgb(0.70, 0.38, 0.26)).textured(plaster));
    let brass = s.material(Material::new(Finish::Metal(0.22), srgb(0.86, 0.66, 0.34)));
    let glass = s.material(Material::new(Finish::Coat(0.03), srgb(0.12, 0.30, 0.34)));
    s.pile.block(timber, Place::at(v(-0.55, 0.92, 1.75)), v(1.35, 0.05, 0.38), PLAIN);
    for x in [-1.75_f32, 0.65] {
        s.pile.block(timber, Place::at(v(x, 0.44, 1.75)), v(0.06, 0.44, 0.3), PLAIN);
    }
    let pot = [
        (0.0, 0.0),
        (0.13, 0.0),
        (0.17, 0.26),
        (0.20, 0.27),
        (0.20, 0.33),
        (0.16, 0.33),
        (0.15, 0.27),
        (0.0, 0.26),
    ];
    for (x, z, k) in [(-1.55, 1.72, 1.0), (-1.12, 1.88, 0.8), (-0.02, 1.96, 0.6)] {
        s.pile.lathe(clay, Place::at(v(x, 0.97, z)).scaled(k), &pot, PLAIN);
    }
    let kelp = s.material(Material::new(Finish::Leaf(v(1.0, 0.95, 0.35)), PLAIN));
    let mut dice = Dice::new(5);
    for (x, z, count) in [(-1.55, 1.72, 11), (-1.12, 1.88, 8), (-0.02, 1.96, 6)] {
        for _ in 0..count {
            let (a, h) = (dice.between(0.0, std::f32::consts::TAU), dice.between(0.25, 0.55));
            let d = v(a.sin(), 0.0, a.cos());
            let root = v(x, 1.24, z);
            let spine = [
                root,
                root + d * 0.06 + v(0., h * 0.6, 0.),
                root + d * 0.18 + v(0., h, 0.),
                root + d * 0.34 + v(0., h * 0.85, 0.),
            ];
            let colour = srgb(0.36, 0.52, 0.16) * dice.between(0.7, 1.2);
            leaf(s, kelp, &spine, 0.05, dice.between(0.0, 90.0), |_, _| colour);
        }
    }
    // A watering can: body, spout, handle.
    let can = Place::at(v(-0.55, 0.97, 1.7)).scaled(0.9).turned(20.0);
    s.pile.lathe(
        brass,
        can,
        &[(0.0, 0.0), (0.19, 0.0), (0.20, 0.06), (0.17, 0.30), (0.12, 0.36), (0.13, 0.40)],
        PLAIN,
    );
    s.pile.tube(
        brass,
        can,
        &[v(0.15, 0.1, 0.), v(0.3, 0.22, 0.), v(0.42, 0.42, 0.), v(0.5, 0.47, 0.)],
        0.028,
        PLAIN,
    );
    s.pile.tube(
        brass,
        can,
        &[v(-0.12, 0.38, 0.), v(-0.3, 0.42, 0.), v(-0.34, 0.22, 0.), v(-0.19, 0.08, 0.)],
        0.018,
        PLAIN,
    );
    s.pile.lathe(
        glass,
        Place::at(v(0.36, 0.97, 1.75)),
        &[(0.0, 0.0), (0.08, 0.0), (0.085, 0.2), (0.03, 0.27), (0.032, 0.36)],
        PLAIN,
    );
}
