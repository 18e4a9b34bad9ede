//! The brass lamp room: rings of glass around the great lamp, brass and red lead, dusk behind the panes.

use crate::props::{Puppet, plaster, puppet, srgb, warm, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, rough, splat, v};
use std::f32::consts::TAU;

/// The keeper beside the lamp.
pub fn keeper(_: f32) -> Stage {
    stage(Camera {
        from: v(0.0, 1.65, 3.1),
        to: v(-0.1, 1.52, 0.0),
        width: 1.12,
        lens: 0.02,
        focus: 3.0,
        exposure: 0.40,
    })
}

/// The lamp close.
pub fn lamp(_: f32) -> Stage {
    stage(Camera {
        from: v(1.15, 1.85, 2.75),
        to: v(0.25, 1.50, 0.0),
        width: 0.86,
        lens: 0.03,
        focus: 2.5,
        exposure: 0.30,
    })
}

fn stage(camera: Camera) -> Stage {
    let mut s = Stage::new(camera);
    s.cast = 14.0;
    let (low, high) = (srgb(0.62, 0.52, 0.60), srgb(0.16, 0.24, 0.46));
    s.sky = Box::new(move |d| {
        let up = d.0[1].max(0.0);
        low.lerp(high, up.powf(0.5)) * (0.75 + 0.25 * rough(d * 4.0))
    });
    room(&mut s);
    great_lamp(&mut s, v(0.60, 0.0, 0.40));
    let p = Puppet {
        skin: srgb(0.50, 0.32, 0.22),
        blush: srgb(0.52, 0.20, 0.14),
        iris: srgb(0.20, 0.13, 0.07),
        hat: srgb(0.22, 0.26, 0.36),
        band: srgb(0.72, 0.60, 0.34),
        coat: srgb(0.20, 0.24, 0.32),
        scarf: srgb(0.66, 0.24, 0.16),
        gaze: 24.0,
    };
    puppet(&mut s, Place::at(v(-0.78, 1.55, -0.10)).scaled(0.40).turned(44.0), &p);
    s
}

fn room(s: &mut Stage) {
    let floor = s.material(Material::new(Finish::Coat(0.25), srgb(0.42, 0.30, 0.20)).textured(wood));
    let lead = s.material(Material::new(Finish::Coat(0.3), srgb(0.46, 0.13, 0.10)).textured(plaster));
    let brass = s.material(Material::new(Finish::Metal(0.24), srgb(0.86, 0.66, 0.34)));
    let pane = s.material(Material::new(Finish::Pane, v(0.90, 0.93, 0.94)));
    let here = Place::at(splat(0.0));
    s.pile.face(floor, here, [v(-6., 0., 6.), v(6., 0., 6.), v(6., 0., -6.), v(-6., 0., -6.)], PLAIN);
    s.pile.lathe(lead, here, &[(3.4, 0.0), (3.4, 0.45), (3.4, 0.9)], PLAIN);
    s.pile.lathe(lead, here, &[(3.4, 2.95), (2.4, 3.5), (0.0, 4.0)], splat(0.8));
    let (sides, r) = (16, 3.4);
    let at = |k: usize, y: f32| {
        let a = k as f32 / sides as f32 * TAU;
        v(r * a.sin(), y, r * a.cos())
    };
    for k in 0..sides {
        s.pile.face(pane, here, [at(k, 0.9), at(k + 1, 0.9), at(k + 1, 2.95), at(k, 2.95)], PLAIN);
        s.pile.tube(brass, here, &[at(k, 0.88), at(k, 1.9), at(k, 2.97)], 0.045, PLAIN);
    }
    for y in [0.9, 2.0, 2.95] {
        let ring: Vec<V3> = (0..=32).map(|k| at(0, 0.0).turned(k as f32 * 11.25) + v(0.0, y, 0.0)).collect();
        s.pile.tube(brass, here, &ring, 0.04, PLAIN);
    }
    // A can of oil, a cloth, a ledge of tools on the wall's foot.
    let can = s.material(Material::new(Finish::Coat(0.2), PLAIN));
    for (k, c) in
        [srgb(0.20, 0.36, 0.26), srgb(0.74, 0.62, 0.24), srgb(0.20, 0.28, 0.48)].into_iter().enumerate()
    {
        let foot = Place::at(v(-2.2 + 0.42 * k as f32, 0.92, -2.35)).scaled(0.9 + 0.12 * k as f32);
        s.pile.lathe(can, foot, &[(0.16, 0.0), (0.16, 0.30), (0.05, 0.40), (0.05, 0.50), (0.0, 0.5)], c);
    }
    s.pile.block(lead, Place::at(v(-1.7, 0.86, -2.4)), v(0.9, 0.05, 0.25), splat(0.7));
    // Weak light of the room behind the camera.
    let fill = s.material(Material::new(Finish::Lamp, warm(3_600.0) * 0.40));
    s.pile.face(
        fill,
        here,
        [v(-2.4, 1.6, 3.2), v(-0.6, 1.6, 3.6), v(-0.6, 2.8, 3.6), v(-2.4, 2.8, 3.2)],
        PLAIN,
    );
}

fn great_lamp(s: &mut Stage, foot: V3) {
    let brass = s.material(Material::new(Finish::Metal(0.16), srgb(0.87, 0.67, 0.34)));
    let glass = s.material(Material::new(Finish::Pane, v(0.88, 0.94, 0.90)));
    let flame = s.material(Material::new(Finish::Lamp, warm(2_150.0) * 12.0));
    let here = Place::at(foot);
    s.pile.lathe(
        brass,
        here,
        &[(0.62, 0.0), (0.60, 0.08), (0.34, 0.16), (0.30, 0.62), (0.44, 0.74), (0.56, 0.78), (0.56, 0.86)],
        PLAIN,
    );
    // Rings of glass, each a ridge, narrower above and below.
    for k in 0..9 {
        let t = (k as f32 - 4.0) / 4.0;
        let (y, r) = (1.48 + 0.56 * t, 0.55 * (1.0 - 0.38 * t * t));
        s.pile.lathe(glass, here, &[(r - 0.02, y - 0.055), (r + 0.035, y), (r - 0.02, y + 0.055)], PLAIN);
        if k % 2 == 0 {
            let ring: Vec<V3> =
                (0..=24).map(|i| foot + v(0.0, y + 0.068, r + 0.01).turned(i as f32 * 15.0)).collect();
            s.pile.tube(brass, Place::at(splat(0.0)), &ring, 0.014, PLAIN);
        }
    }
    for k in 0..6 {
        let rib: Vec<V3> = (0..=8)
            .map(|i| {
                let t = i as f32 / 4.0 - 1.0;
                foot + v(0.0, 1.48 + 0.62 * t, 0.59 * (1.0 - 0.38 * t * t)).turned(k as f32 * 60.0 + 14.0)
            })
            .collect();
        s.pile.tube(brass, Place::at(splat(0.0)), &rib, 0.022, PLAIN);
    }
    s.pile.lathe(brass, here, &[(0.36, 2.08), (0.40, 2.14), (0.20, 2.26), (0.10, 2.44), (0.0, 2.5)], PLAIN);
    s.pile.ball(flame, Place::at(foot + v(0.0, 1.46, 0.0)), v(0.11, 0.19, 0.11), PLAIN);
}
