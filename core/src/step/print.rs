//! Print: the film in the projector, and the printer's light.

use super::field::parameters;

parameters! {
    /// A print: stock, printer points, projection.
    Print {
        /// The film stock.
        stock: "Stock", Plain, print_stock();
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
