//! Twenty tables by mathematics that the steps do not use: code values of screens and logs bent by formulas of their own.

use lantern_core::step::TableEncoding;
use lantern_core::table::{Domain, Table, Table1, Table3};

/// A hidden table.
pub struct Hidden {
    pub name: &'static str,
    pub table: Table,
    pub from: &'static str,
    pub to: &'static str,
}

impl Hidden {
    /// Its encodings as steps say them.
    pub fn way(&self) -> [TableEncoding; 2] {
        [self.from, self.to].map(|id| TableEncoding::Shipped(id.into()))
    }
}

/// Numbers from 0 to 1 (a linear congruential generator; the constants are those of Knuth's MMIX).
pub struct Random(pub u64);

impl Random {
    pub fn next(&mut self) -> f32 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 40) as f32) / (1 << 24) as f32
    }
}

/// A table of a function of code values.
pub fn of(size: usize, f: impl Fn([f64; 3]) -> [f64; 3]) -> Table {
    let at = |i: usize| i as f64 / (size - 1) as f64;
    let nodes: Vec<[f32; 3]> = (0..size.pow(3))
        .map(|i| {
            f([at(i % size), at(i / size % size), at(i / size / size)]).map(|v| v.clamp(0.0, 1.0) as f32)
        })
        .collect();
    Table::new(String::new(), None, Some(Table3::new(size, Domain::UNIT, &nodes).unwrap())).unwrap()
}

fn luma(c: [f64; 3]) -> f64 {
    0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2]
}

fn mix(a: [f64; 3], b: [f64; 3], t: f64) -> [f64; 3] {
    [0, 1, 2].map(|i| a[i] + t * (b[i] - a[i]))
}

fn sigmoid(x: f64, k: f64, middle: f64) -> f64 {
    let s = |x: f64| 1.0 / (1.0 + (-k * (x - middle)).exp());
    (s(x) - s(0.0)) / (s(1.0) - s(0.0))
}

/// Hue (0..6), saturation and value of a hexcone.
fn hsv([r, g, b]: [f64; 3]) -> [f64; 3] {
    let (high, low) = (r.max(g).max(b), r.min(g).min(b));
    let c = high - low;
    let h = if c == 0.0 {
        0.0
    } else if high == r {
        ((g - b) / c).rem_euclid(6.0)
    } else if high == g {
        (b - r) / c + 2.0
    } else {
        (r - g) / c + 4.0
    };
    [h, if high == 0.0 { 0.0 } else { c / high }, high]
}

fn rgb([h, s, v]: [f64; 3]) -> [f64; 3] {
    let f = |n: f64| {
        let k = (n + h).rem_euclid(6.0);
        v - v * s * k.min(4.0 - k).clamp(0.0, 1.0)
    };
    [f(5.0), f(3.0), f(1.0)]
}

/// Light of a log code (a plain base-2 log of 14 stops about grey at 0.39).
fn light(code: f64) -> f64 {
    0.18 * ((code - 0.39) * 14.0).exp2()
}

/// A screen's code of light through a rational shoulder.
fn shoulder(x: f64, power: f64) -> f64 {
    let y = x.max(0.0).powf(power);
    (y / (y + 0.6_f64.powf(power))).powf(1.0 / 2.2)
}

/// All of them, as cubes of `size` points.
pub fn all(size: usize) -> Vec<Hidden> {
    let screen = |name, f: &dyn Fn([f64; 3]) -> [f64; 3]| Hidden {
        name,
        table: of(size, f),
        from: "rec709",
        to: "rec709",
    };
    let log = |name, f: &dyn Fn([f64; 3]) -> [f64; 3]| Hidden {
        name,
        table: of(size, f),
        from: "acescct",
        to: "rec709",
    };
    let rotate = |c: [f64; 3], degrees: f64| {
        // Rotation about the grey axis (Rodrigues).
        let (s, k) = degrees.to_radians().sin_cos();
        let m = (c[0] + c[1] + c[2]) / 3.0;
        let d = [0, 1, 2].map(|i| (c[(i + 2) % 3] - c[(i + 1) % 3]) / 3.0_f64.sqrt());
        [0, 1, 2].map(|i| m + (c[i] - m) * k + d[i] * s)
    };
    vec![
        screen("brighter", &|c| c.map(|v| v.powf(0.8))),
        screen("s-curve", &|c| c.map(|v| sigmoid(v, 6.0, 0.5))),
        screen("split tones", &|c| {
            let y = luma(c);
            let tint = mix([-0.03, 0.0, 0.06], [0.06, 0.02, -0.05], y);
            [0, 1, 2].map(|i| c[i] + tint[i])
        }),
        screen("sepia", &|c| mix([0.05, 0.03, 0.02], [1.0, 0.93, 0.8], luma(c).powf(0.9))),
        screen("black and white", &|c| [0.5 * c[0] + 0.4 * c[1] + 0.1 * c[2]; 3]),
        screen("cold and warm", &|c| {
            let warm = ((c[0] - c[2]) * 2.0).tanh();
            [c[0] + 0.06 * warm, c[1] + 0.01 * warm, c[2] - 0.06 * warm + 0.02]
        }),
        screen("silver kept", &|c| {
            let y = luma(c);
            let over = |v: f64| if y < 0.5 { 2.0 * v * y } else { 1.0 - 2.0 * (1.0 - v) * (1.0 - y) };
            mix(c, c.map(over), 0.7)
        }),
        screen("stronger", &|c| {
            let [h, s, v] = hsv(c);
            rgb([h, (1.4 * s).min(1.0), v])
        }),
        screen("turned", &|c| rotate(c, 18.0)),
        screen("mixed channels", &|c| {
            [0.8 * c[0] + 0.2 * c[1], 0.1 * c[0] + 0.8 * c[1] + 0.1 * c[2], 0.15 * c[1] + 0.85 * c[2]]
        }),
        screen("crossed", &|c| [sigmoid(c[0], 7.0, 0.5), sigmoid(c[1], 5.0, 0.45), 0.12 + 0.7 * c[2]]),
        screen("faded", &|c| c.map(|v| 0.08 + 0.84 * v.powf(1.1))),
        log("log to screen", &|c| c.map(|v| shoulder(light(v), 1.1))),
        log("log with a mix", &|c| {
            let l = c.map(light);
            let m = [
                1.25 * l[0] - 0.2 * l[1] - 0.05 * l[2],
                -0.08 * l[0] + 1.16 * l[1] - 0.08 * l[2],
                -0.02 * l[0] - 0.18 * l[1] + 1.2 * l[2],
            ];
            m.map(|v| shoulder(v, 1.0))
        }),
        log("dyes", &|c| {
            // Three block dyes that overlap, their amounts an S over log exposure.
            let amount = c.map(|v| 2.2 * (1.0 - sigmoid(v, 9.0, 0.42)));
            let over = [[1.0, 0.12, 0.03], [0.15, 1.0, 0.1], [0.05, 0.2, 1.0]];
            over.map(|row| {
                let density: f64 = row.iter().zip(amount).map(|(w, a)| w * a).sum();
                10.0_f64.powf(-density / 2.4)
            })
        }),
        Hidden {
            name: "log to log",
            table: of(size, |c| {
                let y = luma(c);
                [0, 1, 2].map(|i| 0.41 + 1.2 * (y + 0.9 * (c[i] - y) - 0.41))
            }),
            from: "acescct",
            to: "acescct",
        },
        screen("dense colours", &|c| {
            let [h, s, v] = hsv(c);
            rgb([h, s, v * (1.0 - 0.25 * s)])
        }),
        screen("greens away", &|c| {
            let [h, s, v] = hsv(c);
            let green = (-((h - 2.0) / 0.7).powi(2)).exp();
            rgb([h - 0.3 * green, s * (1.0 - 0.6 * green), v])
        }),
        screen("soft colours", &|c| {
            let [h, s, v] = hsv(c);
            rgb([h, s / (1.0 + 0.6 * s * s), v])
        }),
        screen("old print", &|c| {
            let y = luma(c);
            let t = mix(c, [y, y, y], 0.35);
            let e = [sigmoid(t[0], 4.0, 0.48), sigmoid(t[1], 4.0, 0.5), sigmoid(t[2], 3.0, 0.52)];
            [0.06 + 0.9 * e[0], 0.05 + 0.88 * e[1], 0.09 + 0.78 * e[2]]
        }),
    ]
}

/// One for each channel alone.
pub fn channels(entries: usize) -> Hidden {
    let at = |i: usize| i as f64 / (entries - 1) as f64;
    let rows = (0..entries)
        .map(|i| [sigmoid(at(i), 5.0, 0.5), at(i).powf(0.9), 0.1 + 0.8 * at(i)].map(|v| v as f32));
    let part = Table1::new(Domain::UNIT, rows.collect()).unwrap();
    Hidden {
        name: "channels",
        table: Table::new(String::new(), Some(part), None).unwrap(),
        from: "rec709",
        to: "rec709",
    }
}
