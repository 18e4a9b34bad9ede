//! Things that stand in several sets: puppets, lanterns, boxes of paint.

use crate::shape::{PLAIN, Place, bend, globe};
use crate::stage::{Finish, Material, Stage};
use crate::vector::{V3, noise, rough, splat, v};
use lantern_core::colour::{Adaptation, adaptation::locus, chromaticity, primaries};

/// Reflectance or light given as display sRGB (0..1), as linear AP1.
pub fn srgb(r: f64, g: f64, b: f64) -> V3 {
    let linear = |x: f64| if x <= 0.04045 { x / 12.92 } else { ((x + 0.055) / 1.055).powf(2.4) };
    let m = primaries::BT709.to(&primaries::AP1, Adaptation::Bradford);
    to_f32(m.apply([linear(r), linear(g), linear(b)]))
}

/// Light of a temperature in kelvin with luminance 1, linear AP1.
pub fn warm(kelvin: f64) -> V3 {
    let m = primaries::AP1.from_xyz();
    to_f32(m.apply(chromaticity::xy_to_xyz(locus(kelvin, 0.0))))
}

fn to_f32(c: [f64; 3]) -> V3 {
    V3(c.map(|x| x.max(0.0) as f32))
}

/// How a puppet looks.
pub struct Puppet {
    pub skin: V3,
    pub blush: V3,
    pub iris: V3,
    pub hat: V3,
    pub band: V3,
    pub coat: V3,
    pub scarf: V3,
    /// Where it looks, degrees to its left.
    pub gaze: f32,
}

/// Cosines of how far the pupil and the iris reach from where an eye looks.
const PUPIL: f32 = 0.955;
const IRIS: f32 = 0.83;

fn bump(d: V3, at: V3, width: f32) -> f32 {
    let away = (d - at.unit()).length() / width;
    (-away * away).exp()
}

/// The head's surface in a direction.
fn head(d: V3) -> V3 {
    let mirrored = v(d.0[0].abs(), d.0[1], d.0[2]);
    let r = 1.0
        + 0.10 * bump(mirrored, v(0.52, -0.28, 0.80), 0.42)
        + 0.05 * bump(mirrored, v(0.3, 0.36, 0.9), 0.32)
        - 0.10 * bump(mirrored, v(0.37, 0.11, 0.92), 0.24)
        + 0.07 * bump(d, v(0.0, -0.82, 0.6), 0.35)
        - 0.035 * bump(d, v(0.0, -0.47, 0.88), 0.10 + 0.22 * d.0[0].abs())
        + 0.012 * rough(d * 3.0);
    let narrow = 1.0 - 0.16 * (-d.0[1]).max(0.0);
    v(d.0[0] * 0.88 * narrow, d.0[1] * 1.06, d.0[2] * 0.9) * r
}

/// The face's paint in a direction: brushed skin, blushed cheeks and nose, lips.
fn face(p: &Puppet, d: V3) -> V3 {
    let mirrored = v(d.0[0].abs(), d.0[1], d.0[2]);
    let brushed = 1.0 + 0.09 * rough(v(d.0[0] * 5.0, d.0[1] * 16.0, d.0[2] * 5.0)) + 0.03 * noise(d * 60.0);
    let blush =
        0.75 * bump(mirrored, v(0.55, -0.25, 0.78), 0.30) + 0.35 * bump(mirrored, v(0.95, 0.0, 0.2), 0.3);
    let smile = -0.40 - 0.06 + 0.16 * d.0[0] * d.0[0] * 2.0;
    let lips = (-((d.0[1] - smile) / 0.045).powi(2)).exp() * (1.0 - (d.0[0] / 0.27).powi(4)).max(0.0);
    let lips = if d.0[2] > 0.3 { lips } else { 0.0 };
    let shade = 1.0 - 0.3 * bump(mirrored, v(0.37, 0.14, 0.92), 0.25);
    let skin = (p.skin * brushed).lerp(p.blush, blush * 0.6);
    skin.lerp(p.blush * 0.55, lips * 0.9) * shade
}

/// A puppet: the head at the place's origin, about two units high, looking along +z.
pub fn puppet(stage: &mut Stage, place: Place, p: &Puppet) {
    let skin = stage.material(Material::new(Finish::Coat(0.42), PLAIN).bumpy(0.006, 38.0).on(place));
    let gloss = stage.material(Material::new(Finish::Coat(0.06), PLAIN));
    let wool = stage.material(Material::new(Finish::Matte, PLAIN).bumpy(0.05, 16.0).on(place));
    let brass = stage.material(Material::new(Finish::Metal(0.3), srgb(0.82, 0.62, 0.32)));
    let pile = &mut stage.pile;
    let round = |a: f32, b: f32| globe(a + 0.5, b);
    pile.surface([160, 110], skin, place, |a, b| head(round(a, b)), |a, b, _| face(p, round(a, b)));

    let part = |at: V3| Place { at: place.put(at), ..place };
    let nose = p.skin.lerp(p.blush, 0.55);
    pile.ball(skin, part(v(0.0, -0.12, 0.93)), v(0.13, 0.15, 0.16), nose);
    for side in [-1.0_f32, 1.0] {
        pile.ball(skin, part(v(side * 0.86, -0.02, 0.02)), v(0.12, 0.23, 0.17), p.skin.lerp(p.blush, 0.3));
        let look = v(0.0, 0.0, 1.0).turned(p.gaze);
        let eye = part(v(side * 0.32, 0.11, 0.735));
        // Rings about where it looks, so that the pupil's and the iris' rims are round.
        let (across, up) = look.frame();
        let ball = |a: f32, b: f32| {
            let [x, ahead, y] = globe(a, b).0;
            across * x + look * ahead + up * y
        };
        let [pupil, iris] = [PUPIL, IRIS].map(|cos| cos.acos() / std::f32::consts::PI);
        for (from, to, rings, paint) in
            [(0.0, pupil, 6, splat(0.01)), (pupil, iris, 8, p.iris), (iris, 1.0, 40, srgb(0.93, 0.91, 0.88))]
        {
            let ring = |a: f32, b: f32| ball(a, from + (to - from) * b) * 0.185;
            pile.surface([64, rings], gloss, eye, ring, |_, _, _| paint);
        }
        // Lids: shells that cover the upper and the lowest part of the eye.
        let lid = p.skin.lerp(p.blush, 0.3);
        pile.surface([40, 16], skin, eye, |a, b| round(a, b * 0.36) * 0.203, |_, _, _| lid);
        pile.surface([40, 12], skin, eye, |a, b| round(a, 1.0 - b * 0.27) * 0.2, |_, _, _| lid);
        let brow: Vec<V3> = (0..5)
            .map(|k| {
                let t = k as f32 / 4.0;
                head(v(side * (0.16 + 0.36 * t), 0.37 + 0.07 * (t * 3.1).sin(), 0.86).unit()) * 1.03
            })
            .collect();
        pile.tube(wool, place, &brow, 0.042, p.band * 0.35);
    }

    // A knitted cap with a turned-up band.
    let knit = |a: f32, b: f32, swell: f32| {
        let d = globe(a, b);
        let rib = 1.0 + 0.014 * (a * 280.0).sin() * (b * 6.0).min(1.0);
        let q = v(d.0[0] * 0.96, d.0[1] * 1.12, d.0[2] * 1.0) * (swell * rib);
        v(q.0[0], q.0[1] + 0.06, q.0[2] - 0.05)
    };
    pile.surface(
        [300, 40],
        wool,
        place,
        |a, b| knit(a, b * 0.40, 1.06),
        |_, b, _| p.hat * (0.85 + 0.15 * (b * 40.0).sin()),
    );
    pile.surface([300, 14], wool, place, |a, b| knit(a, 0.345 + b * 0.085, 1.12), |_, _, _| p.band);
    pile.ball(wool, part(v(0.0, 1.30, -0.05)), v(0.17, 0.15, 0.17), p.band);

    // Neck, coat, scarf and buttons.
    pile.lathe(skin, place, &[(0.30, -0.8), (0.30, -1.5)], p.skin);
    let coat = |a: f32, b: f32| {
        let d = globe(a, 0.12 + 0.55 * b);
        let fold = 1.0 + 0.03 * (a * 44.0 + b * 5.0).sin() + 0.03 * rough(v(a * 9.0, b * 4.0, 1.0));
        v(d.0[0] * 1.25 * fold, -1.15 - 2.9 * b.powf(0.8), d.0[2] * 0.95 * fold)
    };
    pile.surface([120, 60], wool, place, coat, |_, b, q| p.coat * (0.92 + 0.1 * rough(q * 5.0) - 0.1 * b));
    for turn in 0..3 {
        let ring: Vec<V3> = (0..=24)
            .map(|k| {
                // Its ends meet behind the neck.
                let a = (k as f32 / 24.0 + 0.5) * std::f32::consts::TAU;
                let wave = 0.05 * (a * 3.0 + turn as f32).sin();
                v(a.sin() * (0.46 + 0.05 * turn as f32), -1.0 - 0.13 * turn as f32 + wave, a.cos() * 0.46)
            })
            .collect();
        pile.tube(wool, place, &ring, 0.12, p.scarf * (1.0 - 0.1 * turn as f32));
    }
    for k in 0..3 {
        let t = 0.3 + 0.22 * k as f32;
        let at = coat(0.02, t);
        pile.ball(brass, part(v(0.02, at.0[1], at.0[2] + 0.03)), v(0.075, 0.075, 0.04), PLAIN);
    }
}

/// How finely a lantern's paper is drawn, around and down: one that is out of focus or small, and one that is seen sharp.
pub const FAR: [usize; 2] = [20, 20];
pub const NEAR: [usize; 2] = [48, 90];

/// A paper lantern of a radius: ribs of wire, glowing paper, a cap; hung from above.
pub fn lantern(stage: &mut Stage, fine: [usize; 2], at: V3, radius: f32, light: V3, tall: f32) {
    let glow = stage.material(Material::new(Finish::Lamp, light));
    let wire = stage.material(Material::new(Finish::Metal(0.4), srgb(0.25, 0.22, 0.2)));
    let place = Place::at(at).scaled(radius);
    let paper = |a: f32, b: f32| {
        let d = globe(a, 0.08 + 0.84 * b);
        let rib = 1.0 - 0.05 * (b * 9.0 * std::f32::consts::PI).sin().abs().powi(6);
        v(d.0[0] * rib, d.0[1] * tall, d.0[2] * rib)
    };
    // Brighter around the flame inside than at its ends.
    stage.pile.surface(fine, glow, place, paper, |_, b, _| {
        splat(0.55 + 0.75 * (-((b - 0.6) / 0.28).powi(2)).exp())
    });
    stage.pile.lathe(wire, place, &[(0.1, tall + 0.2), (0.32, tall + 0.1), (0.34, tall * 0.93)], PLAIN);
    stage.pile.lathe(wire, place, &[(0.3, -tall * 0.93), (0.28, -tall - 0.08), (0.05, -tall - 0.1)], PLAIN);
}

/// A leaf along a bent line: `width` at its widest, wavy at its rims, its upper side turned by `twist` degrees.
pub fn leaf(
    stage: &mut Stage,
    material: u16,
    spine: &[V3],
    width: f32,
    twist: f32,
    paint: impl Fn(f32, f32) -> V3,
) {
    let shape = |a: f32, b: f32| {
        let (at, dir) = bend(spine, b);
        let (t, u) = dir.frame();
        let (s, c) = (twist.to_radians() + b * 1.6).sin_cos();
        let across = t * c + u * s;
        let normal = t * -s + u * c;
        let x = a * 2.0 - 1.0;
        let w = width * (b * 3.3 + 0.12).min(1.0) * (1.0 - b.powi(3) * 0.97);
        let ruffle = 0.28 * w * x * x * ((b * 34.0 + x * 2.0).sin() + 0.5 * (b * 61.0).sin());
        at + across * (x * w) + normal * (ruffle + 0.25 * w * x * x)
    };
    stage.pile.surface([8, 60], material, Place::at(v(0., 0., 0.)), shape, |a, b, _| paint(a, b));
}

/// Wood grain along x.
pub fn wood(p: V3) -> V3 {
    let ring = ((p.0[1] * 5.0 + p.0[2] * 7.0 + rough(v(p.0[0] * 0.5, p.0[1] * 3.0, p.0[2] * 3.0)) * 2.2)
        * 4.0)
        .sin();
    let fibre = noise(v(p.0[0] * 3.0, p.0[1] * 60.0, p.0[2] * 60.0));
    splat(0.80 + 0.13 * ring + 0.10 * fibre)
}

/// Uneven plaster or stone.
pub fn plaster(p: V3) -> V3 {
    splat(0.85 + 0.16 * rough(p * 1.7) + 0.05 * noise(p * 23.0))
}
