//! Frames from file to file: whole numbers stay what they are, where the files on both sides hold such.

use lantern_core::colour::Encoding;
use lantern_core::graph::{Graph, Target};
use lantern_core::picture::Codes;
use lantern_core::texture::FrameGeometry;
use lantern_core::texture::buffer::BufferPool;
use lantern_core::texture::chain::Window;
use lantern_formats::FormatError;
use lantern_formats::depth::SampleDepth;
use lantern_formats::frame::{Beside, Frame};
use lantern_formats::registry::{self, PictureFormat};
use std::sync::atomic::AtomicBool;

/// A frame on its way, in the form that its file has it or will have it.
#[derive(Clone, Debug, PartialEq)]
pub enum Carried {
    /// Whole numbers, and what lies beside them.
    Codes(Codes, Beside),
    /// Floats.
    Frame(Frame),
}

impl From<Frame> for Carried {
    fn from(frame: Frame) -> Self {
        Self::Frame(frame)
    }
}

impl Carried {
    /// Reads a frame of any format that is read here.
    pub fn read(bytes: &[u8]) -> Result<Self, FormatError> {
        let format = registry::of_bytes(bytes)?;
        if let Some(codes) = &format.codes
            && let Some((codes, beside)) = (codes.read)(bytes)?
        {
            return Ok(Self::Codes(codes, beside));
        }
        (format.read)(bytes).map(Self::Frame)
    }

    /// Replaces what is no number, and gives how many values that were.
    pub fn sanitise(&mut self) -> usize {
        match self {
            Self::Codes(..) => 0,
            Self::Frame(frame) => frame.picture.sanitise(),
        }
    }

    /// What lies beside the pixels.
    pub fn beside(&self) -> &Beside {
        match self {
            Self::Codes(_, beside) => beside,
            Self::Frame(frame) => &frame.beside,
        }
    }

    /// Pixels in a row, and rows.
    pub fn size(&self) -> [usize; 2] {
        match self {
            Self::Codes(codes, _) => codes.size(),
            Self::Frame(frame) => [frame.picture.width(), frame.picture.height()],
        }
    }

    /// The same as floats.
    pub fn into_frame(self) -> Frame {
        match self {
            Self::Codes(codes, beside) => Frame { picture: codes.picture(), beside },
            Self::Frame(frame) => frame,
        }
    }

    /// The frame of a number through a graph, for a file of a format: what that file will hold is the same whichever form it
    /// came in. `None` when `stop` was set meanwhile.
    pub fn graded(
        self,
        graph: &Graph,
        number: u32,
        format: Option<&PictureFormat>,
        pool: &mut BufferPool,
        stop: &AtomicBool,
    ) -> Option<Self> {
        let size = self.size();
        let geometry = FrameGeometry::whole(size[0], size[1], graph.gauge, number);
        let codes = format.and_then(|f| f.codes.as_ref()).filter(|_| !self.beside().alpha);
        let made = codes.and_then(|codes| Codes::black(size, codes.most).ok());
        let Some(mut made) = made else {
            let mut frame = self.into_frame();
            frame.work(|pixels| graph.run_in(pixels, &geometry, pool, stop))?;
            return Some(Self::Frame(frame));
        };
        match &self {
            Self::Codes(codes, _) => {
                graph.render(None, codes, &geometry, pool, stop, Target::codes(&mut made))
            }
            Self::Frame(frame) => {
                let source = Window { pixels: &frame.picture.pixels, width: size[0], at: [0, 0] };
                graph.render(None, &source, &geometry, pool, stop, Target::codes(&mut made))
            }
        }?;
        Some(Self::Codes(made, self.beside().clone()))
    }

    /// A file of a format that holds it; one that is only read gives an empty one.
    pub fn encoded(
        &self,
        format: &PictureFormat,
        encoding: Option<&Encoding>,
    ) -> Result<Vec<u8>, FormatError> {
        match (self, &format.codes) {
            _ if self.is_turned_for(format) => {
                Self::Frame(self.clone().into_frame().upright_for(format)).encoded(format, encoding)
            }
            (Self::Codes(codes, beside), Some(format)) if format.most == codes.most() => {
                (format.write)(codes, beside, encoding)
            }
            (Self::Frame(frame), _) => format.write.map_or(Ok(Vec::new()), |write| write(frame, encoding)),
            (Self::Codes(..), _) => Self::Frame(self.clone().into_frame()).encoded(format, encoding),
        }
    }

    /// Whether it lies otherwise than the format can say.
    fn is_turned_for(&self, format: &PictureFormat) -> bool {
        self.beside().orientation != 1 && !format.keeps.orientation
    }

    /// The same in a depth that the format has.
    pub fn encoded_at(
        &self,
        format: &PictureFormat,
        encoding: Option<&Encoding>,
        depth: SampleDepth,
    ) -> Result<Vec<u8>, FormatError> {
        if self.is_turned_for(format) {
            let upright = Self::Frame(self.clone().into_frame().upright_for(format));
            return upright.encoded_at(format, encoding, depth);
        }
        if let (Self::Codes(codes, beside), Some(own)) = (self, &format.codes)
            && u32::from(own.most) == u32::from(codes.most())
            && depth.most() == Some(u32::from(own.most))
        {
            return (own.write)(codes, beside, encoding);
        }
        let Some(write) = format.write_at else { return Ok(Vec::new()) };
        match self {
            Self::Frame(frame) => write(frame, encoding, depth),
            Self::Codes(..) => write(&self.clone().into_frame(), encoding, depth),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::look::{Path, Step};
    use lantern_core::picture::Picture;
    use lantern_core::step::{Values, Zone};

    /// A grade of film and one of colour alone.
    fn graphs() -> Vec<Graph> {
        let encodings = ["acescct", "rec709"].map(|id| Encoding::find(id).unwrap());
        let step = |kind: &&str| Step::new(kind, Zone::Film, Values::neutral(kind).unwrap());
        [vec![], vec!["halation", "negative", "grain", "print", "gate-weave"]]
            .map(|kinds| {
                let path = Path::of(kinds.iter().map(step).collect());
                Graph::compile(&path, &encodings[0], &encodings[1]).unwrap()
            })
            .into()
    }

    fn frame(alpha: bool) -> Frame {
        let value = |i: usize| ((i * 7919) % 1009) as f32 / 1008.0;
        let pixels = (0..45 * 31).map(|i| [value(i), value(i + 77), value(i + 500), value(i + 9)]).collect();
        let beside = Beside { alpha, aspect: 2.0, ..Beside::default() };
        Frame { picture: Picture::new(45, 31, pixels).unwrap(), beside }
    }

    /// What a graph makes of a file for a format, by way of floats alone.
    fn by_floats(graph: &Graph, bytes: &[u8], to: &PictureFormat) -> Vec<u8> {
        let mut frame = lantern_formats::frame::read(bytes).unwrap();
        let geometry = FrameGeometry::whole(45, 31, graph.gauge, 12);
        frame.work(|pixels| graph.run(pixels, &geometry, &AtomicBool::new(false))).unwrap();
        to.write.unwrap()(&frame, None).unwrap()
    }

    #[test]
    fn every_format_into_every_other_gives_the_file_that_floats_give() {
        let formats = || registry::PICTURES.iter().filter(|f| f.write.is_some());
        let (mut pool, never) = (BufferPool::default(), AtomicBool::new(false));
        for graph in graphs() {
            for alpha in [false, true] {
                for from in formats() {
                    let bytes = from.write.unwrap()(&frame(alpha), None).unwrap();
                    for to in formats() {
                        let read = Carried::read(&bytes).unwrap();
                        assert_eq!(read.beside().alpha, alpha);
                        let made = read.graded(&graph, 12, Some(to), &mut pool, &never).unwrap();
                        let same = made.encoded(to, None).unwrap() == by_floats(&graph, &bytes, to);
                        assert!(same, "{} to {}, {alpha}", from.name, to.name);
                    }
                }
            }
        }
    }

    #[test]
    fn a_grade_that_is_stopped_gives_nothing_and_what_is_no_number_is_replaced() {
        let (mut pool, graph) = (BufferPool::default(), graphs().remove(1));
        let tiff = registry::of_ending("tiff");
        let stopped = Carried::from(frame(false)).graded(&graph, 1, tiff, &mut pool, &AtomicBool::new(true));
        assert_eq!(stopped, None);
        let mut broken = frame(false);
        broken.picture.pixels[3][1] = f32::NAN;
        let mut carried = Carried::from(broken);
        assert_eq!((carried.sanitise(), carried.sanitise()), (1, 0));
        assert_eq!(carried.into_frame().picture.pixels[3][1], 0.0);
    }
}
