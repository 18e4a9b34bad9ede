//! The path tracer against the physics of light, worked out by hand.

use super::*;
use crate::frame::{Frame, plain};
use crate::shape::{PLAIN, Place};
use crate::vector::{noise, rough, v};

/// A camera on the depth axis that looks at the middle.
fn camera(from: V3) -> Camera {
    Camera { from, to: splat(0.0), width: 0.1, lens: 0.0, focus: from.length(), exposure: 1.0 }
}

/// The mean of a small picture of a stage.
fn seen(stage: Stage, samples: usize) -> [f64; 3] {
    let pixels = plain(&Frame::take(&Set::new(stage), [8, 8], samples, |_| {}));
    [0, 1, 2].map(|c| pixels.iter().map(|p| f64::from(p.0[c])).sum::<f64>() / pixels.len() as f64)
}

/// A ball in front of the camera, under an even sky.
fn ball(finish: Finish, colour: V3, sky: fn(V3) -> V3) -> Stage {
    let mut stage = Stage::new(camera(v(0.0, 0.0, 4.0)));
    let material = stage.material(Material::new(finish, colour));
    stage.pile.ball(material, Place::at(splat(0.0)), splat(1.0), PLAIN);
    stage.sky = Box::new(sky);
    stage
}

/// A wide floor that is looked at from above, aslant, and nothing else.
fn floor(colour: V3) -> Stage {
    let mut stage = Stage::new(camera(v(0.0, 3.0, 3.0)));
    let material = stage.material(Material::new(Finish::Matte, colour));
    let (a, b) = (20.0, -20.0);
    let corners = [v(b, 0.0, b), v(a, 0.0, b), v(a, 0.0, a), v(b, 0.0, a)];
    stage.pile.face(material, Place::at(splat(0.0)), corners, PLAIN);
    stage
}

/// The same under a square lamp of a side at a height, of radiance 5.
fn lamp_over_floor(side: f32, height: f32) -> Stage {
    let mut stage = floor(splat(0.5));
    let lamp = stage.material(Material::new(Finish::Lamp, splat(5.0)));
    let h = side / 2.0;
    let corners = [v(-h, height, -h), v(h, height, -h), v(h, height, h), v(-h, height, h)];
    stage.pile.face(lamp, Place::at(splat(0.0)), corners, PLAIN);
    stage
}

fn near(got: f64, want: f64, share: f64) {
    assert!((got / want - 1.0).abs() < share, "{got} for {want}");
}

#[test]
fn under_an_even_sky_a_round_thing_is_as_bright_as_its_reflectance() {
    // A convex body sees nothing but the sky: its radiance is that of the sky times its reflectance, whatever its
    // finish scatters (the white furnace).
    for reflectance in [1.0, 0.5, 0.18] {
        let got = seen(ball(Finish::Matte, splat(reflectance), |_| splat(1.0)), 64);
        near(got[1], f64::from(reflectance), 0.01);
    }
    let [r, g, b] = seen(ball(Finish::Metal(0.3), v(0.9, 0.6, 0.3), |_| splat(1.0)), 64);
    // Looked at square on; Schlick's rim is far.
    near(r, 0.9, 0.02);
    near(g, 0.6, 0.02);
    near(b, 0.3, 0.03);
    // A clear coat takes nothing away from a white ground.
    near(seen(ball(Finish::Coat(0.2), splat(1.0), |_| splat(1.0)), 64)[0], 1.0, 0.01);
    // Square on, a coat of index 1.5 mirrors ((1.5 - 1) / (1.5 + 1))^2 of the light (Fresnel).
    near(seen(ball(Finish::Coat(0.2), splat(0.0), |_| splat(1.0)), 4096)[0], 0.04, 0.06);
}

#[test]
fn a_small_lamp_lights_a_floor_by_the_inverse_square_of_its_distance() {
    // E = L A / d^2 straight below, and a matte floor of reflectance r shows r E / pi.
    for height in [2.0_f32, 4.0] {
        let got = seen(lamp_over_floor(0.2, height), 1024)[0];
        let want = 0.5 * 5.0 * 0.04 / f64::from(height * height) / std::f64::consts::PI;
        near(got, want, 0.03);
    }
}

#[test]
fn a_wide_lamp_lights_by_the_solid_angle_that_it_fills() {
    // Straight below a square of half side a at height h: E = 4 L a / sqrt(a^2 + h^2) atan(a / sqrt(a^2 + h^2)) for the
    // whole square (a handbook's view factor of a parallel plate over a small one at its middle).
    let (a, h) = (1.5_f64, 2.0);
    let s = (a * a + h * h).sqrt();
    let e = 4.0 * 5.0 * (a / s) * (a / s).atan();
    near(seen(lamp_over_floor(3.0, 2.0), 1024)[0], 0.5 * e / std::f64::consts::PI, 0.03);
}

#[test]
fn the_sun_falls_by_the_cosine_of_its_angle() {
    let under = |degrees: f32| {
        let mut stage = floor(splat(0.5));
        let (s, c) = degrees.to_radians().sin_cos();
        stage.sun = Some((v(s, c, 0.0), splat(2.0), 0.005));
        seen(stage, 64)[2]
    };
    near(under(0.0), 0.5 * 2.0 / std::f64::consts::PI, 0.01);
    near(under(60.0) / under(0.0), 0.5, 0.01);
    assert_eq!(under(120.0), 0.0);
}

#[test]
fn panes_tint_what_passes_and_solid_things_cast_shadows() {
    let with = |finish: Finish| {
        let mut stage = floor(splat(0.5));
        stage.sun = Some((v(0.0, 1.0, 0.0), splat(2.0), 0.001));
        let material = stage.material(Material::new(finish, v(0.8, 0.4, 0.2)));
        // Over what is seen, and beside the way from there to the camera.
        let corners = [v(-0.6, 1.0, -0.6), v(0.6, 1.0, -0.6), v(0.6, 1.0, 0.6), v(-0.6, 1.0, 0.6)];
        stage.pile.face(material, Place::at(splat(0.0)), corners, PLAIN);
        seen(stage, 256)
    };
    let open = 0.5 * 2.0 / std::f64::consts::PI;
    let [r, g, b] = with(Finish::Pane);
    near(r / g, 2.0, 0.05);
    near(g / b, 2.0, 0.08);
    assert!(r < open * 0.85, "{r}");
    // What is left came round by way of the floor beside.
    assert!(with(Finish::Matte)[0] < 0.15 * open);
}

#[test]
fn haze_takes_light_away_exponentially_and_adds_its_own() {
    let mut stage = Stage::new(camera(v(0.0, 0.0, 4.0)));
    let lamp = stage.material(Material::new(Finish::Lamp, splat(1.0)));
    let corners = [v(-2.0, -2.0, 0.0), v(2.0, -2.0, 0.0), v(2.0, 2.0, 0.0), v(-2.0, 2.0, 0.0)];
    stage.pile.face(lamp, Place::at(splat(0.0)), corners, PLAIN);
    stage.haze = (0.25, v(0.2, 0.0, 0.0));
    let clear = (-0.25_f64 * 4.0).exp();
    let [r, g, _] = seen(stage, 16);
    near(g, clear, 0.002);
    near(r, clear + 0.2 * (1.0 - clear), 0.002);
}

#[test]
fn directions_are_spread_as_their_laws_say() {
    let (n, mut dice) = (v(0.6, 0.0, 0.8), Dice::new(4));
    const COUNT: usize = 200_000;
    // Lambert: density cos / pi, so that the mean cosine is 2/3 and the mean direction is along the normal.
    let mut mean = splat(0.0);
    for _ in 0..COUNT {
        let d = cosine(n, dice.pair());
        assert!(d.dot(n) >= 0.0 && (d.length() - 1.0).abs() < 1e-4);
        mean += d * (1.0 / COUNT as f32);
    }
    assert!((mean - n * (2.0 / 3.0)).length() < 0.005, "{mean:?}");
    // Trowbridge and Reitz 1975: D = a^2 / (pi (cos^2 (a^2 - 1) + 1)^2) for half vectors, weighted by their cosine.
    let rough = 0.6_f32;
    let a2 = f64::from(rough).powi(4);
    let share = |from: f64, to: f64| -> f64 {
        let (steps, from, to) = (20_000, from.to_radians(), to.to_radians());
        let step = (to - from) / f64::from(steps);
        let at = |i: i32| {
            let t = from + (f64::from(i) + 0.5) * step;
            let d = a2 / (std::f64::consts::PI * (t.cos().powi(2) * (a2 - 1.0) + 1.0).powi(2));
            std::f64::consts::TAU * d * t.cos() * t.sin() * step
        };
        (0..steps).map(at).sum()
    };
    assert!((share(0.0, 90.0) - 1.0).abs() < 1e-6);
    let dir = -n;
    // Square on, a half vector lies half way to the mirrored direction. Those that lean beyond 45 degrees would mirror
    // into the surface and are turned up again.
    let inside = (0..COUNT)
        .filter(|_| f64::from(mirror(dir, n, rough, dice.pair()).dot(n).min(1.0).acos().to_degrees()) < 50.0)
        .count();
    let want = share(0.0, 25.0) + share(65.0, 90.0);
    assert!((inside as f64 / COUNT as f64 - want).abs() < 0.005, "{inside} of {COUNT}, {want}");
    // A smooth mirror: as far out as in, in one plane with the normal.
    let out = mirror(v(0.0, 0.0, -1.0), n, 0.0, dice.pair());
    let want = v(0.0, 0.0, -1.0) - n * (2.0 * v(0.0, 0.0, -1.0).dot(n));
    assert!((out - want).length() < 1e-6);
}

#[test]
fn the_tree_finds_what_looking_at_every_triangle_finds() {
    let mut stage = Stage::new(camera(v(0.0, 0.0, 4.0)));
    let material = stage.material(Material::new(Finish::Matte, splat(0.5)));
    let mut dice = Dice::new(11);
    for _ in 0..60 {
        let at =
            splat(0.0).map(|_| 0.0) + v(dice.between(-2., 2.), dice.between(-2., 2.), dice.between(-2., 2.));
        stage.pile.block(material, Place::at(at).turned(dice.between(0., 90.)), splat(0.2), PLAIN);
    }
    let tree = Tree::new(stage.pile.triangles);
    let one_by_one: Vec<Tree> = tree.triangles.iter().map(|t| Tree::new(vec![*t])).collect();
    let mut met = 0;
    for _ in 0..600 {
        let from = v(dice.between(-3., 3.), dice.between(-3., 3.), 4.0);
        let aim = v(dice.between(-1., 1.), dice.between(-1., 1.), dice.between(-1., 1.));
        let dir = (aim - from).unit();
        let all = one_by_one.iter().filter_map(|t| t.nearest(from, dir, 1e-4, f32::INFINITY));
        let want = all.map(|h| h.distance).min_by(f32::total_cmp);
        let got = tree.nearest(from, dir, 1e-4, f32::INFINITY).map(|h| h.distance);
        assert_eq!(got, want);
        met += usize::from(got.is_some());
    }
    assert!((100..500).contains(&met), "{met}");
}

#[test]
fn a_ball_is_met_where_a_sphere_is() {
    let tree = Tree::new(ball(Finish::Matte, splat(0.5), |_| splat(0.0)).pile.triangles);
    let mut dice = Dice::new(3);
    for _ in 0..400 {
        let target = v(dice.between(-0.9, 0.9), dice.between(-0.9, 0.9), 0.0);
        if target.length() > 0.9 {
            continue;
        }
        let from = v(0.0, 0.0, 4.0);
        let dir = (target - from).unit();
        let hit = tree.nearest(from, dir, 1e-4, f32::INFINITY).map(|h| h.distance);
        let (b, c) = (from.dot(dir), from.dot(from) - 1.0);
        let want = -b - (b * b - c).sqrt();
        // Thirty-two flat sides around: a chord lies inside by less than half a per cent, more at the rim.
        assert!(hit.is_some_and(|d| (d - want).abs() < 0.03), "{hit:?} for {want}");
    }
}

#[test]
fn dice_are_even_and_noise_is_smooth_and_repeats_itself() {
    let (mut sum, mut squares) = (0.0, 0.0);
    for seed in 0..500_u64 {
        let mut dice = Dice::new(seed << 16);
        for _ in 0..100 {
            let r = f64::from(dice.roll());
            assert!((0.0..1.0).contains(&r));
            (sum, squares) = (sum + r, squares + r * r);
        }
    }
    let mean = sum / 50_000.0;
    assert!((mean - 0.5).abs() < 0.005 && (squares / 50_000.0 - mean * mean - 1.0 / 12.0).abs() < 0.002);
    for i in 0..2000 {
        let p = v(i as f32 * 0.37 - 300.0, (i % 13) as f32 * 0.71, (i % 7) as f32 * -1.3);
        let (here, beside) = (noise(p), noise(p + splat(1e-3)));
        assert!((-1.0..=1.0).contains(&here) && (here - beside).abs() < 0.02);
        assert_eq!(here, noise(p));
        assert!(rough(p).abs() <= 1.0);
    }
}

#[test]
fn a_rough_mirror_sends_light_as_densely_as_it_says() {
    // Directions drawn fall into a cap as often as the density, summed over the cap, says.
    let (n, dir) = (v(0.0, 1.0, 0.0), v(0.5, -0.8, 0.1).unit());
    let mut dice = Dice::new(12);
    for rough in [0.2_f32, 0.3, 0.4] {
        let aim = mirror(dir, n, 0.0, [0.0, 0.0]);
        let inside = |d: V3| d.dot(aim) > 0.96;
        const COUNT: usize = 100_000;
        let met =
            (0..COUNT).filter(|_| inside(mirror(dir, n, rough, dice.pair()))).count() as f64 / COUNT as f64;
        // Places spread evenly over the sphere's cap.
        let (t, u) = aim.frame();
        let mean = (0..COUNT)
            .map(|_| {
                let [r, a] = dice.pair();
                let cos = 1.0 - 0.04 * r;
                let (sin, a) = ((1.0 - cos * cos).sqrt(), TAU * a);
                f64::from(mirror_density(
                    dir,
                    n,
                    rough,
                    aim * cos + t * (sin * a.cos()) + u * (sin * a.sin()),
                ))
            })
            .sum::<f64>()
            / COUNT as f64;
        near(met, mean * f64::from(TAU * 0.04), 0.03);
    }
}

#[test]
fn what_mirrors_is_as_bright_among_lamps_as_under_a_sky() {
    // The white furnace again, of lamps: drawn and met by chance, each direction counts once.
    for (finish, want) in [
        (Finish::Metal(0.15), 0.6),
        (Finish::Metal(0.4), 0.6),
        (Finish::Metal(0.0), 0.6),
        (Finish::Coat(0.3), 0.04),
        (Finish::Matte, 0.6),
    ] {
        let colour = if matches!(finish, Finish::Coat(_)) { splat(0.0) } else { splat(0.6) };
        let mut stage = ball(finish, colour, |_| splat(0.0));
        let lamp = stage.material(Material::new(Finish::Lamp, splat(1.0)));
        stage.pile.block(lamp, Place::at(splat(0.0)), splat(6.0), PLAIN);
        near(seen(stage, 1024)[1], want, 0.06);
    }
}

#[test]
fn a_lamp_behind_clear_panes_is_mirrored_once() {
    // The same furnace with a box of panes that tint nothing around the ball. Light drawn through a pane is not dimmed by
    // what the pane mirrors, so that it is a few per cent brighter than without; counted twice it would be far more.
    for finish in [Finish::Metal(0.3), Finish::Metal(0.0)] {
        let mut stage = ball(finish, splat(0.6), |_| splat(0.0));
        let lamp = stage.material(Material::new(Finish::Lamp, splat(1.0)));
        stage.pile.block(lamp, Place::at(splat(0.0)), splat(6.0), PLAIN);
        let pane = stage.material(Material::new(Finish::Pane, splat(1.0)));
        stage.pile.block(pane, Place::at(splat(0.0)), splat(2.0), PLAIN);
        let got = seen(stage, 1024)[1];
        assert!((0.55..0.70).contains(&got), "{got}");
    }
}

#[test]
fn the_suns_mirror_image_carries_the_suns_light() {
    // A rough floor under a sun of irradiance E along a direction, looked at in the mirrored one: the integral of what
    // it mirrors over all directions of view is E cos times the mirrored share; by reciprocity of the law of mirroring,
    // what one view shows is E times the density toward the sun.
    let to = v(0.0, 1.0, -1.0).unit();
    let mut stage = Stage::new(Camera { width: 0.01, ..camera(v(0.0, 3.0, 3.0)) });
    let floor = stage.material(Material::new(Finish::Metal(0.5), splat(1.0)));
    let q = [v(-20., 0., -20.), v(20., 0., -20.), v(20., 0., 20.), v(-20., 0., 20.)];
    stage.pile.face(floor, Place::at(splat(0.0)), q, PLAIN);
    stage.sun = Some((to, splat(2.0), 0.01));
    // Half way between lies the normal: D = 1 / (pi a^2), over 4 times the cosine of 45 degrees (Trowbridge and Reitz).
    let a2 = 0.5_f64.powi(4);
    near(seen(stage, 64)[0], 2.0 / (std::f64::consts::PI * a2) / (4.0 * 0.5_f64.sqrt()), 0.02);
}
