//! Triples for places, directions and light.

use crate::dice::Dice;
use std::ops::{Add, AddAssign, Mul, Neg, Sub};

/// Three f32: a place, a direction, or light in linear AP1.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct V3(pub [f32; 3]);

/// Short for [`V3`].
pub const fn v(x: f32, y: f32, z: f32) -> V3 {
    V3([x, y, z])
}

/// The same value three times.
pub const fn splat(x: f32) -> V3 {
    V3([x, x, x])
}

impl V3 {
    pub fn dot(self, o: Self) -> f32 {
        self.0[0] * o.0[0] + self.0[1] * o.0[1] + self.0[2] * o.0[2]
    }

    pub fn cross(self, o: Self) -> Self {
        let ([a, b, c], [d, e, f]) = (self.0, o.0);
        v(b * f - c * e, c * d - a * f, a * e - b * d)
    }

    pub fn length(self) -> f32 {
        self.dot(self).sqrt()
    }

    /// The direction; straight up where there is none.
    pub fn unit(self) -> Self {
        let l = self.length();
        if l > 1e-12 { self * (1.0 / l) } else { v(0.0, 1.0, 0.0) }
    }

    pub fn map(self, f: impl Fn(f32) -> f32) -> Self {
        Self(self.0.map(f))
    }

    pub fn max(self) -> f32 {
        self.0[0].max(self.0[1]).max(self.0[2])
    }

    pub fn lerp(self, o: Self, t: f32) -> Self {
        self + (o - self) * t
    }

    /// Two directions that stand square on this one and on each other.
    pub fn frame(self) -> (Self, Self) {
        let a = if self.0[0].abs() > 0.9 { v(0.0, 1.0, 0.0) } else { v(1.0, 0.0, 0.0) };
        let t = self.cross(a).unit();
        (t, self.cross(t))
    }

    /// Turned about the vertical axis by `degrees`.
    pub fn turned(self, degrees: f32) -> Self {
        let (s, c) = degrees.to_radians().sin_cos();
        v(self.0[0] * c + self.0[2] * s, self.0[1], self.0[2] * c - self.0[0] * s)
    }
}

impl Add for V3 {
    type Output = Self;
    fn add(self, o: Self) -> Self {
        v(self.0[0] + o.0[0], self.0[1] + o.0[1], self.0[2] + o.0[2])
    }
}

impl AddAssign for V3 {
    fn add_assign(&mut self, o: Self) {
        *self = *self + o;
    }
}

impl Sub for V3 {
    type Output = Self;
    fn sub(self, o: Self) -> Self {
        v(self.0[0] - o.0[0], self.0[1] - o.0[1], self.0[2] - o.0[2])
    }
}

impl Mul<f32> for V3 {
    type Output = Self;
    fn mul(self, s: f32) -> Self {
        self.map(|x| x * s)
    }
}

impl Mul for V3 {
    type Output = Self;
    fn mul(self, o: Self) -> Self {
        v(self.0[0] * o.0[0], self.0[1] * o.0[1], self.0[2] * o.0[2])
    }
}

impl Neg for V3 {
    type Output = Self;
    fn neg(self) -> Self {
        self * -1.0
    }
}

/// Smooth noise over space, -1..1, cell size 1.
pub fn noise(p: V3) -> f32 {
    let cell = p.map(f32::floor);
    let f = (p - cell).map(|t| t * t * (3.0 - 2.0 * t));
    let corner = |x: f32, y: f32, z: f32| {
        let [a, b, c] = (cell + v(x, y, z)).0.map(|k| k as i32 as u64);
        let key = a.wrapping_mul(0x8da6_b343) ^ b.wrapping_mul(0xd816_3841) ^ c.wrapping_mul(0xcb1a_b31f);
        Dice::new(key).roll() * 2.0 - 1.0
    };
    let mix = |a: f32, b: f32, t: f32| a + (b - a) * t;
    let face = |z: f32| {
        mix(
            mix(corner(0.0, 0.0, z), corner(1.0, 0.0, z), f.0[0]),
            mix(corner(0.0, 1.0, z), corner(1.0, 1.0, z), f.0[0]),
            f.0[1],
        )
    };
    mix(face(0.0), face(1.0), f.0[2])
}

/// Four octaves of [`noise`].
pub fn rough(p: V3) -> f32 {
    (0..4).map(|k| noise(p * (1 << k) as f32 + splat(17.3 * k as f32)) / (1 << k) as f32).sum::<f32>() / 1.9
}
