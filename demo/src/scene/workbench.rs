//! The workbench: a 24-patch chart, a grey wedge over ten stops on a light panel, four painted heads.

use crate::props::{Puppet, plaster, puppet, srgb, warm, wood};
use crate::shape::{PLAIN, Place};
use crate::stage::{Camera, Finish, Material, Stage};
use crate::vector::{V3, splat, v};
use lantern_core::colour::chart::patches_ap1;

/// Radiance of a white square under the set's light over the picture's 1.0, found by rendering the chart:
/// it puts the chart's fourth grey (19.77 %) where 19.77 % belongs.
const EXPOSURE: f32 = 3.15;

/// The whole bench under windows of the working white.
pub fn wide(_: f32) -> Stage {
    let camera = Camera {
        from: v(0.0, 1.55, 5.2),
        to: v(0.0, 0.92, 0.0),
        width: 0.93,
        lens: 0.012,
        focus: 4.75,
        exposure: EXPOSURE,
    };
    let mut s = Stage::new(camera);
    s.sky = Box::new(|_| splat(0.02));
    room(&mut s);
    windows(&mut s, splat(1.0));
    chart(&mut s);
    wedge(&mut s);
    heads(&mut s);
    tools(&mut s);
    desk_lamp(&mut s);
    s
}

fn room(s: &mut Stage) {
    let wall = s.material(Material::new(Finish::Matte, srgb(0.42, 0.45, 0.46)).textured(plaster));
    let table = s.material(Material::new(Finish::Coat(0.35), srgb(0.55, 0.40, 0.27)).textured(wood));
    let shelf = s.material(Material::new(Finish::Coat(0.45), srgb(0.40, 0.28, 0.19)).textured(wood));
    let here = Place::at(splat(0.0));
    s.pile.face(wall, here, [v(-6., -1., -1.7), v(6., -1., -1.7), v(6., 5., -1.7), v(-6., 5., -1.7)], PLAIN);
    s.pile.block(table, Place::at(v(0., -0.08, 0.2)), v(3.2, 0.08, 1.7), PLAIN);
    s.pile.block(shelf, Place::at(v(0., 1.98, -1.45)), v(3.0, 0.035, 0.24), PLAIN);
}

/// A wide soft window to the left, weak ones to the right and above, all of one light.
fn windows(s: &mut Stage, lamp: V3) {
    let here = Place::at(splat(0.0));
    let window = s.material(Material::new(Finish::Lamp, lamp * 3.2));
    let fill = s.material(Material::new(Finish::Lamp, lamp * 0.62));
    s.pile.face(
        window,
        here,
        [v(-4.2, 0.9, 0.2), v(-4.2, 0.9, 4.2), v(-3.6, 3.9, 4.2), v(-3.6, 3.9, 0.2)],
        PLAIN,
    );
    s.pile.face(fill, here, [v(4.2, 0.6, 0.6), v(4.2, 0.6, 4.4), v(4.0, 3.4, 4.4), v(4.0, 3.4, 0.6)], PLAIN);
    s.pile.face(
        fill,
        here,
        [v(-1.8, 4.2, 0.4), v(1.8, 4.2, 0.4), v(1.8, 4.0, 4.0), v(-1.8, 4.0, 4.0)],
        splat(1.8),
    );
}

fn chart(s: &mut Stage) {
    let black = s.material(Material::new(Finish::Matte, splat(0.028)));
    let patch = s.material(Material::new(Finish::Matte, PLAIN));
    let board = Place { at: v(-1.02, 0.66, 0.34), scale: 1.0, turn: 12.0, lean: 0.0 };
    // Leaning back a little: built in a sheared frame, so that the front stays in view of the window.
    let tilt = |x: f32, y: f32, z: f32| v(x, y * 0.985, z - y * 0.17);
    let face = |s: &mut Stage, m: u16, [x0, y0, x1, y1]: [f32; 4], z: f32, c: V3| {
        s.pile.face(m, board, [tilt(x0, y0, z), tilt(x1, y0, z), tilt(x1, y1, z), tilt(x0, y1, z)], c);
    };
    face(s, black, [-0.86, -0.60, 0.86, 0.60], 0.0, PLAIN);
    for (k, c) in patches_ap1().iter().enumerate() {
        let (x, y) = (-0.80 + 0.268 * (k % 6) as f32, 0.54 - 0.275 * (k / 6) as f32);
        face(s, patch, [x, y - 0.235, x + 0.235, y], 0.004, V3(c.map(|q| q as f32)));
    }
    let wood_foot = s.material(Material::new(Finish::Coat(0.4), srgb(0.32, 0.22, 0.15)));
    s.pile.block(wood_foot, Place { at: v(-1.02, 0.03, 0.44), ..board }, v(0.7, 0.03, 0.12), PLAIN);
}

fn wedge(s: &mut Stage) {
    let frame = s.material(Material::new(Finish::Matte, splat(0.02)));
    let panel = Place::at(v(0.0, 0.11, 1.0)).turned(0.0);
    s.pile.block(frame, panel, v(1.55, 0.10, 0.03), PLAIN);
    for k in 0..11 {
        // A light panel behind the wedge: -5 to +5 stops about middle grey, whatever else lights the set.
        let light = s.material(Material::new(Finish::Lamp, splat(0.18 * (k as f32 - 5.0).exp2() / EXPOSURE)));
        let x = -1.50 + 0.273 * k as f32;
        s.pile.face(
            light,
            panel,
            [
                v(x, -0.075, 0.032),
                v(x + 0.262, -0.075, 0.032),
                v(x + 0.262, 0.075, 0.032),
                v(x, 0.075, 0.032),
            ],
            PLAIN,
        );
    }
}

fn heads(s: &mut Stage) {
    let tones = [
        (srgb(0.93, 0.77, 0.68), srgb(0.88, 0.45, 0.40), srgb(0.30, 0.45, 0.60), srgb(0.55, 0.20, 0.18)),
        (srgb(0.80, 0.59, 0.45), srgb(0.76, 0.34, 0.26), srgb(0.25, 0.30, 0.16), srgb(0.20, 0.32, 0.40)),
        (srgb(0.56, 0.36, 0.24), srgb(0.58, 0.22, 0.15), srgb(0.22, 0.13, 0.07), srgb(0.72, 0.55, 0.22)),
        (srgb(0.29, 0.18, 0.125), srgb(0.36, 0.12, 0.09), srgb(0.12, 0.08, 0.05), srgb(0.34, 0.42, 0.34)),
    ];
    for (k, (skin, blush, iris, hat)) in tones.into_iter().enumerate() {
        let x = 0.34 + 0.60 * k as f32 - if k > 1 { 0.02 } else { 0.0 };
        let p = Puppet {
            skin,
            blush,
            iris,
            hat,
            band: hat.lerp(srgb(0.85, 0.80, 0.70), 0.55),
            coat: srgb(0.36, 0.37, 0.38),
            scarf: hat.lerp(srgb(0.3, 0.3, 0.3), 0.4),
            gaze: -6.0,
        };
        let (y, z) = if k % 2 == 0 { (0.86, 0.25) } else { (0.94, -0.12) };
        puppet(s, Place::at(v(x, y, z)).scaled(0.325).turned(-14.0 - 4.0 * k as f32), &p);
    }
}

fn tools(s: &mut Stage) {
    let clay = s.material(Material::new(Finish::Coat(0.15), PLAIN));
    let jars = [
        srgb(0.75, 0.18, 0.14),
        srgb(0.85, 0.62, 0.15),
        srgb(0.20, 0.42, 0.24),
        srgb(0.16, 0.30, 0.55),
        srgb(0.60, 0.25, 0.45),
        srgb(0.85, 0.82, 0.76),
        srgb(0.15, 0.14, 0.14),
        srgb(0.25, 0.55, 0.58),
    ];
    let jar = [
        (0.0, 0.0),
        (0.13, 0.0),
        (0.14, 0.04),
        (0.14, 0.22),
        (0.10, 0.27),
        (0.10, 0.31),
        (0.115, 0.31),
        (0.115, 0.36),
        (0.0, 0.36),
    ];
    for (k, c) in jars.iter().enumerate() {
        let x = -2.05 + 0.42 * k as f32 + 0.06 * (k as f32 * 2.3).sin();
        let at = Place::at(v(x, 2.015, -1.42)).scaled(0.8 + 0.22 * (k as f32 * 1.7).sin().abs());
        s.pile.lathe(clay, at, &jar, *c);
    }
    // Brushes in a pot.
    let pot = v(2.35, 0.0, 0.75);
    let stick = s.material(Material::new(Finish::Coat(0.2), PLAIN));
    s.pile.lathe(
        clay,
        Place::at(pot),
        &[(0.0, 0.0), (0.15, 0.0), (0.16, 0.32), (0.14, 0.32), (0.13, 0.04)],
        srgb(0.55, 0.62, 0.62),
    );
    for k in 0..7 {
        let a = k as f32 * 0.9;
        let d = v(a.sin() * 0.11, 0.0, a.cos() * 0.09);
        let top = pot + d * 2.1 + v(0.0, 0.72 + 0.06 * (a * 2.0).sin(), 0.0);
        s.pile.tube(
            stick,
            Place::at(splat(0.0)),
            &[pot + d + v(0., 0.1, 0.), (pot + d).lerp(top, 0.6), top],
            0.012,
            jars[k % 8],
        );
        s.pile.ball(stick, Place::at(top), v(0.024, 0.06, 0.024), srgb(0.25, 0.2, 0.16));
    }
}

/// A desk lamp that is on: a small warm source over the table's back.
fn desk_lamp(s: &mut Stage) {
    let brass = s.material(Material::new(Finish::Metal(0.2), srgb(0.85, 0.65, 0.33)));
    let bulb = s.material(Material::new(Finish::Lamp, warm(2_700.0) * 26.0));
    let at = v(-2.25, 0.0, -0.75);
    s.pile.lathe(
        brass,
        Place::at(at),
        &[(0.0, 0.0), (0.22, 0.0), (0.23, 0.03), (0.05, 0.06), (0.03, 0.10)],
        PLAIN,
    );
    s.pile.tube(
        brass,
        Place::at(at),
        &[v(0., 0.08, 0.), v(-0.1, 0.6, 0.), v(0.05, 1.05, 0.1), v(0.35, 1.22, 0.2)],
        0.022,
        PLAIN,
    );
    let head = Place::at(at + v(0.45, 1.12, 0.24)).leaning(28.0);
    s.pile.lathe(brass, head, &[(0.03, 0.16), (0.08, 0.13), (0.21, -0.08), (0.215, -0.09)], PLAIN);
    s.pile.ball(bulb, Place::at(at + v(0.46, 1.06, 0.24)), splat(0.055), PLAIN);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, plain};
    use crate::light::Set;
    use lantern_core::colour::adaptation::locus;
    use lantern_core::colour::difference::{LabOf, ciede2000};
    use lantern_core::colour::{chromaticity::xy_to_xyz, primaries::AP1};
    use lantern_core::step::Balance;

    /// The chart alone, lit by one kind of lamp.
    fn under(lamp: V3) -> Stage {
        let camera = Camera {
            from: v(-0.9, 1.1, 3.2),
            to: v(-1.02, 0.66, 0.34),
            width: 0.62,
            lens: 0.0,
            focus: 2.9,
            exposure: EXPOSURE,
        };
        let mut s = Stage::new(camera);
        s.sky = Box::new(|_| splat(0.0));
        // No table and no wall, which would throw light of another colour back at the chart.
        windows(&mut s, lamp);
        chart(&mut s);
        s
    }

    const WIDTH: usize = 96;
    const HEIGHT: usize = 54;

    /// Where the camera sees a place, in pixels: the inverse of how it sends its rays.
    fn pixel(c: &Camera, p: V3) -> (usize, usize) {
        let [right, up, ahead] = c.axes();
        let d = p - c.from;
        let (x, y) = (d.dot(right) / d.dot(ahead) / c.width, d.dot(up) / d.dot(ahead) / c.width);
        let w = WIDTH as f32;
        (((x + 0.5) * w) as usize, (0.5 * HEIGHT as f32 - y * w) as usize)
    }

    /// The six greys of the chart's lowest row, as means of 3 x 3 pixels of a render.
    fn greys(lamp: V3) -> Vec<[f64; 3]> {
        let stage = under(lamp);
        let camera = stage.camera;
        let pixels = &plain(&Frame::take(&Set::new(stage), [WIDTH, HEIGHT], 64, |_| {}));
        (18..24)
            .map(|k| {
                let (x, y) = (-0.80 + 0.268 * (k % 6) as f32 + 0.117, 0.54 - 0.275 * (k / 6) as f32 - 0.117);
                let board = Place { at: v(-1.02, 0.66, 0.34), scale: 1.0, turn: 12.0, lean: 0.0 };
                let (px, py) = pixel(&camera, board.put(v(x, y * 0.985, -y * 0.17)));
                let near =
                    (py - 1..=py + 1).flat_map(|y| (px - 1..=px + 1).map(move |x| pixels[y * WIDTH + x]));
                let all: Vec<V3> = near.collect();
                [0, 1, 2].map(|c| all.iter().map(|p| f64::from(p.0[c])).sum::<f64>() / all.len() as f64)
            })
            .collect()
    }

    #[test]
    fn the_dropper_finds_four_known_lamps_and_makes_the_charts_greys_neutral() {
        let from_xyz = AP1.to_xyz().inverse().unwrap();
        // Three lamps on the locus (CIE 015: daylight above 4000 K, Planck below) and one a good deal green of it.
        for (kelvin, duv) in [(2_800.0, 0.0), (4_300.0, 0.0), (9_300.0, 0.0), (4_000.0, 0.010)] {
            let lamp = from_xyz.apply(xy_to_xyz(locus(kelvin, duv)));
            let greys = greys(V3(lamp.map(|v| v.max(0.0) as f32)));
            // The light grey, as a person would choose: neither clipped nor dark.
            let found = Balance::default().neutralising(greys[2]).unwrap();
            assert!((found.temperature / kelvin - 1.0).abs() < 0.03, "{kelvin} K, {duv}: {found:?}");
            let kernel = found.kernel();
            let white = kernel.apply(greys[0].map(|v| v as f32))[1];
            for grey in &greys {
                // As bright as a chart under full light: white at 90 %.
                let rgb = kernel.apply(grey.map(|v| v as f32)).map(|v| f64::from(v / white) * 0.9);
                let [l, a, b] = LabOf::new(&AP1).lab(rgb);
                let away = ciede2000([l, a, b], [l, 0.0, 0.0]);
                assert!(away < 0.5, "{kelvin} K, {duv}: {away} at L* {l}");
            }
        }
    }
}
