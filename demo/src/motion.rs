//! How things move in the rope walk's picture, from its geometry: what work on motion is held against.

use crate::scene::rope_walk::{FRAMES, WALL, camera, head};
use crate::stage::Camera;
use crate::takes::RATE;
use crate::vector::{V3, v};
use serde_json::{Value, json};

/// What the numbers mean, for whoever reads the file.
const CONVENTION: &str = "Picture coordinates are pixels of a 1920x1080 frame: x to the right, y down, 0,0 at the upper left corner \
of the upper left pixel, so that the middle of that pixel is 0.5,0.5. Matrices are rows, for columns x,y,1; divide \
by the third number. from_first takes a place in the first frame to its place in this one. The set is without lens \
distortion and without motion blur. frame counts from 1 as in the file names.";

/// Rows of a matrix that takes places of a plane, or of a picture, to a picture.
type Rows = [[f64; 3]; 3];

fn dot(a: V3, b: V3) -> f64 {
    (0..3).map(|k| f64::from(a.0[k]) * f64::from(b.0[k])).sum()
}

/// Where the camera sees places of the plane `origin + a * along + b * up`, for columns a,b,1.
fn plane(c: &Camera, [width, height]: [f64; 2], origin: V3, along: V3, up: V3) -> Rows {
    let columns = [along, up, origin - c.from];
    let [x, y, z] = c.axes().map(|axis| columns.map(|column| dot(column, axis)));
    let scale = width / f64::from(c.width);
    [
        [0, 1, 2].map(|k| x[k] * scale + z[k] * width / 2.0),
        [0, 1, 2].map(|k| z[k] * height / 2.0 - y[k] * scale),
        z,
    ]
}

fn inverse(m: &Rows) -> Option<Rows> {
    lantern_core::colour::Mat3(*m).inverse().map(|m| m.0)
}

fn times(a: &Rows, b: &Rows) -> Rows {
    a.map(|row| [0, 1, 2].map(|k| (0..3).map(|j| row[j] * b[j][k]).sum()))
}

fn scaled(m: Rows) -> Rows {
    m.map(|row| row.map(|x| x / m[2][2]))
}

/// A place through a matrix.
fn through(m: &Rows, p: [f64; 2]) -> [f64; 2] {
    let [x, y, z] = m.map(|row| row[0] * p[0] + row[1] * p[1] + row[2]);
    [x / z, y / z]
}

/// The wall's plane and the plane through the head's middle that faces as the head does, in one frame.
fn planes(frame: usize, size: [f64; 2]) -> [Rows; 2] {
    let seconds = frame as f32 / RATE;
    let (camera, head) = (camera(seconds), head(seconds));
    let wall = plane(&camera, size, v(0.0, 0.0, WALL), v(1.0, 0.0, 0.0), v(0.0, 1.0, 0.0));
    let (along, up) = (head.face(v(1.0, 0.0, 0.0)) * head.scale, head.face(v(0.0, 1.0, 0.0)) * head.scale);
    [wall, plane(&camera, size, head.at, along, up)]
}

/// The motion of every frame, as it is kept beside the take.
pub fn known() -> Option<Value> {
    let size = [1920.0, 1080.0];
    let first = planes(0, size).map(|m| inverse(&m));
    let [wall_first, head_first] = [first[0]?, first[1]?];
    let frames: Vec<Value> = (0..FRAMES)
        .map(|frame| {
            let [wall, head] = planes(frame, size);
            json!({
                "frame": frame + 1,
                "wall": { "from_first": scaled(times(&wall, &wall_first)) },
                "head": {
                    "from_first": scaled(times(&head, &head_first)),
                    "middle": through(&head, [0.0, 0.0]),
                    "left_ear_side": through(&head, [1.0, 0.0]),
                    "crown_side": through(&head, [0.0, 1.0]),
                },
            })
        })
        .collect();
    Some(json!({
        "convention": CONVENTION,
        "rate": RATE,
        "wall": "the boards behind the puppet: a plane that stands still while the camera travels",
        "head": "the plane through the middle of the puppet's head, facing as the head does; middle, left_ear_side and \
    crown_side are the places of its middle and of one head's radius to its own left (to the right in the picture) and up",
        "frames": frames,
    }))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dice::Dice;
    use crate::light::Set;

    #[test]
    fn a_place_of_the_wall_is_seen_where_its_transform_says() {
        // Pin-hole pictures of a white square on the wall: the mean place of what is white.
        let (w, h) = (384_usize, 216_usize);
        let spot = |frame: usize| -> [f64; 2] {
            let seconds = frame as f32 / RATE;
            let mut stage = crate::stage::Stage::new(Camera { lens: 0.0, exposure: 1.0, ..camera(seconds) });
            let lamp =
                stage.material(crate::stage::Material::new(crate::stage::Finish::Lamp, v(1.0, 1.0, 1.0)));
            let q = [(-0.1, 1.4), (0.1, 1.4), (0.1, 1.6), (-0.1, 1.6)].map(|(x, y)| v(x, y, WALL));
            stage.pile.face(lamp, crate::shape::Place::at(v(0.0, 0.0, 0.0)), q, crate::shape::PLAIN);
            let set = Set::new(stage);
            let mut sums = [0.0_f64; 3];
            for y in 0..h {
                for x in 0..w {
                    for k in 0..16 {
                        let seen = set.path([x, y], [w, h], false, &mut Dice::nth((y * w + x) as u64, k));
                        let light = f64::from(seen.shine.0[1]);
                        let add = [light, light * (x as f64 + 0.5), light * (y as f64 + 0.5)];
                        sums.iter_mut().zip(add).for_each(|(s, a)| *s += a);
                    }
                }
            }
            [sums[1] / sums[0], sums[2] / sums[0]]
        };
        let size = [w as f64, h as f64];
        for frame in [0, 3, 7] {
            let middle = |m: &Rows| {
                // The mean of a square's corners, near enough to the mean of its face for so small a one.
                let all = [[-0.1, 1.4], [0.1, 1.4], [0.1, 1.6], [-0.1, 1.6]].map(|p| through(m, p));
                [0, 1].map(|k| all.iter().map(|p| p[k]).sum::<f64>() / 4.0)
            };
            let (want, got) = (middle(&planes(frame, size)[0]), spot(frame));
            assert!((want[0] - got[0]).hypot(want[1] - got[1]) < 0.1, "{frame}: {got:?} for {want:?}");
        }
    }

    #[test]
    fn the_first_frame_stays_and_the_head_goes_with_its_middle() {
        let size = [1920.0, 1080.0];
        let known = known().unwrap_or_default();
        let first = &known["frames"][0]["wall"]["from_first"];
        for (r, c) in (0..3).flat_map(|r| (0..3).map(move |c| (r, c))) {
            let want = if r == c { 1.0 } else { 0.0 };
            assert!((first[r][c].as_f64().unwrap_or(9.0) - want).abs() < 1e-9);
        }
        let at = |frame: usize| through(&planes(frame, size)[1], [0.0, 0.0]);
        for frame in 0..FRAMES {
            let entry = &known["frames"][frame]["head"];
            let m: Rows = [0, 1, 2].map(|r: usize| {
                [0, 1, 2].map(|c: usize| entry["from_first"][r][c].as_f64().unwrap_or(f64::NAN))
            });
            let (moved, there) = (through(&m, at(0)), at(frame));
            assert!((moved[0] - there[0]).hypot(moved[1] - there[1]) < 1e-6);
        }
        // It travels far enough to be worth following.
        let (a, b) = (at(0), at(FRAMES - 1));
        assert!((a[0] - b[0]).abs() > 60.0, "{a:?} {b:?}");
    }
}
