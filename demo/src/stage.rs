//! What stands in front of the camera: materials, lamps, sky, haze, and the camera itself.

use crate::shape::{Pile, Place};
use crate::vector::{V3, splat, v};

/// Radiance of the sky in a direction.
pub type Sky = Box<dyn Fn(V3) -> V3 + Send + Sync>;

/// What a surface does with light. Reflectances are linear AP1.
#[derive(Clone, Copy)]
pub enum Finish {
    /// Matte.
    Matte,
    /// Matte under a clear coat of index 1.5 with a roughness.
    Coat(f32),
    /// Metal with a roughness.
    Metal(f32),
    /// A thin pane: passes light straight through, tinted, and mirrors a little.
    Pane,
    /// A thin leaf: half of what is not absorbed goes through, diffused and tinted by the triple.
    Leaf(V3),
    /// A lamp: its paint is its radiance.
    Lamp,
}

/// A material.
#[derive(Clone, Copy)]
pub struct Material {
    pub finish: Finish,
    pub colour: V3,
    /// Paint that changes over space; multiplies `colour`.
    pub texture: Option<fn(V3) -> V3>,
    /// Height of its bumps over their size, and bumps a unit.
    pub bumps: [f32; 2],
    /// Where the thing stands that it is on: its paint and bumps move and turn with it.
    pub on: Place,
}

impl Material {
    pub fn new(finish: Finish, colour: V3) -> Self {
        Self { finish, colour, texture: None, bumps: [0.0, 1.0], on: Place::at(splat(0.0)) }
    }

    pub fn textured(self, texture: fn(V3) -> V3) -> Self {
        Self { texture: Some(texture), ..self }
    }

    pub fn on(self, on: Place) -> Self {
        Self { on, ..self }
    }

    pub fn bumpy(self, height: f32, frequency: f32) -> Self {
        Self { bumps: [height, frequency], ..self }
    }
}

/// Everything in front of the camera, before the tree is built.
pub struct Stage {
    pub pile: Pile,
    pub materials: Vec<Material>,
    pub camera: Camera,
    /// Radiance of the sky in a direction.
    pub sky: Sky,
    /// A distant lamp: direction toward it, irradiance square on, and its angular radius.
    pub sun: Option<(V3, V3, f32)>,
    /// Density of haze, a unit of length, and the light it scatters.
    pub haze: (f32, V3),
    /// How much more light lamps cast than they show: the dimmed practical with a film lamp hidden in it.
    pub cast: f32,
}

/// A thin-lens camera.
#[derive(Clone, Copy)]
pub struct Camera {
    pub from: V3,
    pub to: V3,
    /// Width of what is seen at distance 1.
    pub width: f32,
    /// Radius of the lens, and the distance in focus.
    pub lens: f32,
    pub focus: f32,
    /// Gain from radiance to scene-linear picture values.
    pub exposure: f32,
}

impl Camera {
    /// To the right of the picture, up in it, and ahead.
    pub fn axes(&self) -> [V3; 3] {
        let ahead = (self.to - self.from).unit();
        let right = ahead.cross(v(0.0, 1.0, 0.0)).unit();
        [right, right.cross(ahead), ahead]
    }
}

impl Stage {
    pub fn new(camera: Camera) -> Self {
        Self {
            pile: Pile::default(),
            materials: Vec::new(),
            camera,
            sky: Box::new(|_| splat(0.0)),
            sun: None,
            haze: (0.0, splat(0.0)),
            cast: 1.0,
        }
    }

    /// Adds a material and gives its number.
    pub fn material(&mut self, m: Material) -> u16 {
        self.materials.push(m);
        (self.materials.len() - 1) as u16
    }
}
