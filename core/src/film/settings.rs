//! How a negative is exposed and developed, and how it is printed and shown: what a film is solved from.

use crate::field::{FieldKind, parameters};
use crate::film::{NegativeStock, PrintStock};

parameters! {
    /// A negative or reversal: stock, exposure, development.
    Negative {
        /// The film stock.
        stock: "Stock", Plain, holds(NegativeStock, FieldKind::NegativeStock);
        /// Light more or less on the film than normal.
        exposure: "Exposure", Stops, number(-4.0, 4.0, 0.0, 0.1);
        /// Development longer (push) or shorter (pull) than normal, exposed for less or more.
        push: "Push/pull", Stops, number(-2.0, 3.0, 0.0, 0.1);
        /// The printer gives middle grey its density again, however the negative was exposed and developed.
        compensate: "Printer makes up for it", Plain, switch(true);
        /// Even light before the picture is taken, as a share of middle grey: lifts shadows and calms them.
        flash: "Pre-flash", Percent, number(0.0, 0.3, 0.0, 0.005);
        /// Silver that stays in the negative: contrast up, colours down.
        silver: "Silver retention", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// How far the scene's range is brought into what the stock holds.
        range_fit: "Fit scene range", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// The scene's black for the range fit, from middle grey.
        scene_black: "Scene black", Stops, number(-12.0, -3.0, -8.0, 0.1);
        /// The scene's white for the range fit, from middle grey.
        scene_white: "Scene white", Stops, number(3.0, 12.0, 9.0, 0.1);
        /// How much of the stock's curve counts; without it light lies on a long straight one.
        tone: "Tone", Percent, number(0.0, 1.0, 1.0, 0.01);
        /// How much of the stock's colour counts: its capture, the layers' restraint, the crossing of its curves.
        colour: "Colour", Percent, number(0.0, 1.3, 1.0, 0.01);
        /// Width of the frame on the film, which gives grain, halation and softness their size.
        gauge: "Frame width", Millimetres, number(5.0, 60.0, 24.9, 0.1);
    }
}

parameters! {
    /// A print: stock, printer points, projection.
    Print {
        /// The film stock.
        stock: "Stock", Plain, holds(PrintStock, FieldKind::PrintStock);
        /// Red printer light: one point more is 0.025 of log exposure, darker and toward cyan.
        red: "Red light", Points, number(0.0, 50.0, 25.0, 1.0);
        /// Green printer light: one point more is darker and toward magenta.
        green: "Green light", Points, number(0.0, 50.0, 25.0, 1.0);
        /// Blue printer light: one point more is darker and toward yellow.
        blue: "Blue light", Points, number(0.0, 50.0, 25.0, 1.0);
        /// Silver that stays in the print: deeper blacks, more contrast, less colour; middle grey stays.
        silver: "Silver retention", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// How far the print's own black is brought down to the screen's.
        black: "Screen black", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// How far neutrals lose the tint that the stock gives them.
        lock: "Neutral lock", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// Colour temperature of the projector's light.
        projector: "Projector", Kelvin, number(4000.0, 8000.0, 5400.0, 50.0);
        /// How far eyes are used to the projector's white; the rest shows as a tint.
        adapted: "Adapt to this white", Percent, number(0.0, 1.0, 1.0, 0.01);
        /// On HDR displays, how far lights go above paper white; without it the print ends at its white, as projected.
        lights: "Lights above white", Percent, number(0.0, 1.0, 1.0, 0.01);
        /// How much of the film's tones counts; without them those of the plain rendering.
        tone: "Tone", Percent, number(0.0, 1.0, 1.0, 0.01);
        /// How much of the film's colours counts.
        colour: "Colour", Percent, number(0.0, 1.3, 1.0, 0.01);
    }
}
