//! What happens at the borders of pictures and sequences: alpha, missing frames, depths and ranges, times, files that are there
//! already. Held to OpenImageIO and OpenColorIO, which `cargo xtask test` installs, and to ffmpeg.

#![allow(clippy::unwrap_used)]

use lantern_core::picture::Picture;
use lantern_formats::depth::SampleDepth;
use lantern_formats::frame::{self, Beside, Frame};
use lantern_formats::{Depth, png, registry};
use std::ffi::OsStr;
use std::fmt::Debug;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn root() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

fn lantern<S: AsRef<OsStr>>(arguments: &[S]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_dusky-lantern")).args(arguments).output().unwrap()
}

fn said(done: &Output) -> String {
    String::from_utf8_lossy(&done.stderr).into_owned()
}

fn runs<S: AsRef<OsStr> + Debug>(arguments: &[S]) -> String {
    let done = lantern(arguments);
    assert!(done.status.success(), "{arguments:?}: {}", said(&done));
    said(&done)
}

fn fails<S: AsRef<OsStr> + Debug>(arguments: &[S]) -> String {
    let done = lantern(arguments);
    assert_eq!(done.status.code(), Some(1), "{arguments:?}: {}", said(&done));
    said(&done)
}

/// Runs a Python script with arguments, and gives what it prints.
fn python(script: &str, arguments: &[&str]) -> String {
    let python = root().join(".venv/bin/python");
    assert!(python.is_file(), "OpenImageIO is installed by `cargo xtask test`");
    let done = Command::new(python).args(["-c", script]).args(arguments).output().unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stdout).unwrap()
}

fn flat(w: usize, h: usize, colour: [f32; 3]) -> Picture {
    Picture::new(w, h, vec![[colour[0], colour[1], colour[2], 1.0]; w * h]).unwrap()
}

fn read(path: &str) -> Frame {
    frame::read(&std::fs::read(path).unwrap()).unwrap()
}

fn depth(path: &str) -> Option<SampleDepth> {
    SampleDepth::of_file(&std::fs::read(path).unwrap()).unwrap()
}

/// An anti-aliased edge of a colour over nothing, a light that covers nothing, and nothing at all, written by OpenImageIO as its
/// format has it: OpenEXR and TIFF multiplied by alpha, PNG straight.
const EDGE: &str = r#"
import sys, numpy as np, OpenImageIO as oiio
for path in sys.argv[1:]:
    alpha = np.concatenate([np.linspace(0.02, 1, 30), [1, 0, 0]]).astype(np.float32)
    straight = np.tile(np.array([0.62, 0.41, 0.22], np.float32), (33, 1))
    pixels = np.concatenate([straight * alpha[:, None], alpha[:, None]], 1)
    pixels[31, :3] = [0.3, 0.2, 0.1]
    pixels[32, :3] = 0
    rows = np.tile(pixels[None], (4, 1, 1)).astype(np.float32)
    spec = oiio.ImageSpec(33, 4, 4, oiio.UINT16 if path.endswith('tif') else oiio.FLOAT)
    out = oiio.ImageOutput.create(path)
    out.open(path, spec)
    out.write_image(rows)
    out.close()
"#;

/// What OpenColorIO makes of the straight colours, multiplied again by OpenImageIO's own `repremult`: the largest difference.
const GRADED: &str = r#"
import sys, numpy as np, OpenImageIO as oiio, PyOpenColorIO as ocio
source, result, table = sys.argv[1:4]
buf = oiio.ImageBuf(source)
buf = oiio.ImageBufAlgo.unpremult(buf)
px = np.ascontiguousarray(buf.get_pixels(oiio.FLOAT))
config = ocio.Config.CreateRaw()
transform = ocio.FileTransform(table, interpolation=ocio.INTERP_TETRAHEDRAL)
cpu = config.getProcessor(transform).getDefaultCPUProcessor()
rgb = np.ascontiguousarray(px[..., :3].reshape(-1, 3))
cpu.applyRGB(rgb)
px[..., :3] = rgb.reshape(px[..., :3].shape)
want = oiio.ImageBuf(buf.spec())
want.set_pixels(want.roi, px)
want = oiio.ImageBufAlgo.repremult(want).get_pixels(oiio.FLOAT)
want[:, 32, :3] = 0
got = oiio.ImageBuf(result).get_pixels(oiio.FLOAT)
assert got.shape == want.shape, (got.shape, want.shape)
print(np.abs(got - want).max())
"#;

#[test]
fn an_edge_is_graded_straight_and_written_as_its_format_has_it() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let look = root().join("demo/data/looks/harbour-dusk.look.json").display().to_string();
    let table = at("look.cube");
    runs(&["bake", "--look", &look, "--from", "acescct", "--to", "rec709", "-o", &table]);
    for (name, most) in [("edge.exr", 2e-4), ("edge.tif", 1e-3)] {
        let (source, result) = (at(name), at(&format!("graded-{name}")));
        python(EDGE, &[&source]);
        assert!(read(&source).beside.premultiplied, "{name}");
        runs(&[
            "apply",
            "--table",
            &table,
            &source,
            "-o",
            &result,
            "--depth",
            if name == "edge.exr" { "float" } else { "16" },
        ]);
        let apart: f64 = python(GRADED, &[&source, &result, &table]).trim().parse().unwrap();
        assert!(apart < most, "{name}: {apart}");
        // The light that covers nothing is still there, and nothing is still nothing.
        let light = read(&result).picture.pixels[31];
        assert!(light[3] == 0.0 && light[0] > 0.01, "{light:?}");
        assert_eq!(read(&result).picture.pixels[32], [0.0; 4]);
        // Straight in a PNG: the colour of the edge is the same at every alpha.
        let straight = at("straight.png");
        runs(&["apply", "--table", &table, &source, "-o", &straight, "--overwrite"]);
        let pixels = read(&straight).picture.pixels;
        let (thin, whole) = (pixels[8], pixels[29]);
        assert!((0..3).all(|c| (thin[c] - whole[c]).abs() < 2e-3), "{thin:?} {whole:?}");
    }
}

/// A folder with a sequence of which the frames 3 and 6 to 7 are missing.
fn gapped() -> (tempfile::TempDir, String) {
    let dir = tempfile::tempdir().unwrap();
    std::fs::create_dir(dir.path().join("in")).unwrap();
    for i in [1, 2, 4, 5, 8, 9, 10, 11] {
        let bytes = png::write(&flat(32, 18, [i as f32 * 0.05, 0.4, 0.3]), Depth::Sixteen).unwrap();
        std::fs::write(dir.path().join(format!("in/sea.{i:04}.png")), bytes).unwrap();
    }
    let pattern = dir.path().join("in/sea.####.png").display().to_string();
    (dir, pattern)
}

/// A delivery plan of a look for one receiver, with one shot.
fn plan(dir: &Path, look: &str, picture: &str) -> String {
    let plan = serde_json::json!({
        "version": 1,
        "name": "One",
        "look": look,
        "pictures": [{ "path": picture, "encoding": "rec709" }],
        "receivers": [{ "name": "Dailies", "deliveries": [{ "kind": "look" }, { "kind": "frames", "format": "png", "to": "rec709" }] }],
    });
    let at = dir.join("plan.json");
    std::fs::write(&at, plan.to_string()).unwrap();
    at.display().to_string()
}

fn count(folder: &Path) -> usize {
    std::fs::read_dir(folder).unwrap().count()
}

#[test]
fn missing_frames_are_said_and_become_what_somebody_asked_for() {
    let (dir, pattern) = gapped();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let render = |more: &[&str]| -> Vec<String> {
        let own = ["render", "--from", "rec709", "--to", "rec709", pattern.as_str()];
        own.iter().chain(more).map(|s| s.to_string()).collect()
    };
    for folder in ["none", "skip", "hold", "black", "plain"] {
        std::fs::create_dir(dir.path().join(folder)).unwrap();
    }
    let words = fails(&render(&["-o", &at("none/a.$F4.png")]));
    assert!(words.contains("3 frames are missing (3, 6-7)") && words.contains("--gaps"), "{words}");
    assert_eq!(count(&dir.path().join("none")), 8, "the others are made");
    // The folder itself is a sequence, too.
    assert!(
        fails(&["render", "--from", "rec709", "--to", "rec709", &at("in"), "-o", &at("plain")])
            .contains("3, 6-7")
    );
    let words = runs(&render(&["-o", &at("skip/a.%04d.png"), "--gaps", "skip"]));
    assert!(words.contains("left out"), "{words}");
    assert_eq!(count(&dir.path().join("skip")), 8);
    runs(&render(&["-o", &at("hold/a.@@@@.png"), "--gaps", "hold"]));
    assert_eq!(read(&at("hold/a.0007.png")).picture, read(&at("hold/a.0005.png")).picture);
    runs(&render(&["-o", &at("black"), "--gaps", "black"]));
    assert_eq!(read(&at("black/sea.0003.png")).picture.pixels[7][..3], [0.0; 3]);
    assert_eq!([count(&dir.path().join("hold")), count(&dir.path().join("black"))], [11, 11]);
    // Only what was asked for counts, at its ends as well.
    runs(&render(&["-o", &at("skip/b.%04d.png"), "--frames", "8-11"]));
    assert!(
        fails(&render(&["-o", &at("skip/c.%04d.png"), "--frames", "8-12"]))
            .contains("1 frame is missing (12)")
    );
    // In a package, too.
    let look = root().join("demo/data/looks/harbour-dusk.look.json").display().to_string();
    let plan = plan(dir.path(), &look, "in/sea.####.png");
    assert!(fails(&["deliver", "--plan", &plan, "-o", &at("open")]).contains("3, 6-7"));
    let manifest = std::fs::read_to_string(at("open/manifest.json")).unwrap();
    assert!(
        manifest.contains("frames 3, 6-7 of sea") && manifest.contains("missing in its sequence"),
        "{manifest}"
    );
    runs(&["deliver", "--plan", &plan, "-o", &at("held"), "--gaps", "hold"]);
    let manifest = std::fs::read_to_string(at("held/manifest.json")).unwrap();
    assert!(!manifest.contains("missing in") && manifest.contains("0007"), "{manifest}");
    // A movie keeps its length or is not begun.
    let frames_of = |name: &str| -> usize {
        let probe = [
            "-v",
            "error",
            "-count_frames",
            "-select_streams",
            "v",
            "-show_entries",
            "stream=nb_read_frames,r_frame_rate",
        ];
        let done = Command::new("ffprobe").args(probe).args(["-of", "csv=p=0", &at(name)]).output().unwrap();
        let text = String::from_utf8(done.stdout).unwrap();
        assert!(text.starts_with("24000/1001,"), "{text}");
        text.trim().rsplit(',').next().unwrap().parse().unwrap()
    };
    assert!(fails(&render(&["-o", &at("none.mp4")])).contains("nothing was written"));
    assert!(!dir.path().join("none.mp4").exists());
    runs(&render(&["-o", &at("hold.mp4"), "--gaps", "hold", "--rate", "24000/1001"]));
    runs(&render(&["-o", &at("black.mp4"), "--gaps", "black", "--rate", "23.976"]));
    assert_eq!([frames_of("hold.mp4"), frames_of("black.mp4")], [11, 11]);
}

#[test]
fn each_result_has_its_sources_depth_and_what_is_lost_is_said() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let wide = Frame::from(flat(8, 8, [-0.5, 0.4, 60.0]));
    for format in registry::PICTURES.iter().filter(|f| f.write_at.is_some()) {
        for depth_of in format.depths {
            let name = at(&format!("a.{}", format.endings[0]));
            std::fs::write(&name, format.write_at.unwrap()(&wide, None, *depth_of).unwrap()).unwrap();
            assert_eq!(depth(&name), Some(*depth_of), "{}", format.name);
            let out = at(&format!("b.{}", format.endings[0]));
            let words =
                runs(&["render", "--from", "acescct", "--to", "acescct", &name, "-o", &out, "--overwrite"]);
            assert_eq!((depth(&out), words.as_str()), (Some(*depth_of), ""), "{}", format.name);
        }
    }
    let float = at("wide.tif");
    let tiff = registry::of_ending("tif").unwrap();
    std::fs::write(&float, tiff.write_at.unwrap()(&wide, None, SampleDepth::Float).unwrap()).unwrap();
    let render = |out: &str, more: &[&str]| {
        let out = at(out);
        runs(&[&["render", "--from", "acescct", "--to", "acescct", &float, "-o", &out][..], more].concat())
    };
    // Floats stay floats, and what lies beyond 0 to 1 stays there.
    assert_eq!(render("kept.tif", &[]), "");
    assert_eq!(read(&at("kept.tif")).picture.pixels[0][..3], [-0.5, 0.4, 60.0]);
    let words = render("kept.png", &[]);
    assert!(
        words.contains("float become 16 bit") && words.contains("128 values lie beyond 0 to 1"),
        "{words}"
    );
    for (word, want) in
        [("8", SampleDepth::Eight), ("16", SampleDepth::Sixteen), ("float", SampleDepth::Float)]
    {
        render(&format!("{word}.tif"), &["--depth", word]);
        assert_eq!(depth(&at(&format!("{word}.tif"))), Some(want));
    }
    assert!(render("ten.tif", &["--depth", "10"]).contains("TIFF holds no 10 bit: 16 bit in its place"));
    render("half.exr", &["--depth", "half"]);
    assert_eq!(depth(&at("half.exr")), Some(SampleDepth::Half));
    let linear =
        runs(&["render", "--from", "acescct", "--to", "acescg", &at("8.tif"), "-o", &at("light.png")]);
    assert!(linear.contains("linear light in whole numbers"), "{linear}");
}

#[test]
fn legal_range_is_taken_and_given() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    // BT.709-6, 5.6: 64 and 940 of 10 bits are black and white.
    for (code, want) in [(64.0, 64.0), (940.0, 940.0)] {
        let bytes = png::write(&flat(4, 4, [code / 1023.0; 3]), Depth::Sixteen).unwrap();
        std::fs::write(at("a.png"), bytes).unwrap();
        let ways = ["render", "--from", "rec709", "--to", "p3-d65", "--range", "legal", "--overwrite"];
        runs(&[&ways[..], &[&at("a.png"), "-o", &at("b.png")]].concat());
        let got = read(&at("b.png")).picture.pixels[0][1] * 1023.0;
        assert!((got - want).abs() < 0.6, "{code}: {got}");
    }
    assert!(
        fails(&[
            "render",
            "--from",
            "acescg",
            "--to",
            "rec709",
            "--range",
            "legal",
            &at("a.png"),
            "-o",
            &at("c.png")
        ])
        .contains("linear light")
    );
}

#[test]
fn nothing_that_is_there_is_written_over_unasked_and_a_name_says_its_format() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let look = root().join("demo/data/looks/harbour-dusk.look.json").display().to_string();
    let bake = ["bake", "--look", &look, "--from", "acescct", "--to", "rec709", "--size", "17"];
    std::fs::write(at("a.png"), png::write(&flat(8, 8, [0.3; 3]), Depth::Sixteen).unwrap()).unwrap();
    for name in ["there.cube", "there.png", "there.mp4", "there.zip"] {
        std::fs::write(at(name), "mine").unwrap();
    }
    let plan = plan(dir.path(), &look, "a.png");
    let deliver = ["deliver", "--plan", &plan].map(String::from);
    let deliver: Vec<&str> = deliver.iter().map(String::as_str).collect();
    for command in [
        [&bake[..], &["-o", &at("there.cube")]].concat(),
        [&["render", "--from", "rec709", "--to", "rec709", &at("a.png"), "-o", &at("there.png")][..]]
            .concat(),
        [&["render", "--from", "rec709", "--to", "rec709", &at("a.png"), "-o", &at("there.mp4")][..]]
            .concat(),
        [&deliver[..], &["-o", &at("there.zip")]].concat(),
    ] {
        let words = fails(&command);
        assert!(words.contains("--overwrite"), "{command:?}: {words}");
    }
    for name in ["there.cube", "there.png", "there.mp4", "there.zip"] {
        assert_eq!(std::fs::read(at(name)).unwrap(), b"mine", "{name}");
    }
    runs(&[&bake[..], &["-o", &at("there.cube"), "--overwrite"]].concat());
    // The ending says the format.
    runs(&[&bake[..], &["-o", &at("a.clf")]].concat());
    assert!(std::fs::read_to_string(at("a.clf")).unwrap().contains("<ProcessList"));
    assert!(
        fails(&[&bake[..], &["-o", &at("b.clf"), "--format", "cube"]].concat()).contains("give one of them")
    );
    assert!(fails(&[&bake[..], &["-o", &at("b.lut")]].concat()).contains("--format"));
    runs(&[&bake[..], &["-o", &at("b.lut"), "--format", "cube"]].concat());
}

/// A picture with a timecode, a rate and words, written by OpenImageIO.
const TIMED: &str = r#"
import sys, numpy as np, OpenImageIO as oiio
for path in sys.argv[1:]:
    spec = oiio.ImageSpec(8, 4, 3, oiio.UINT10 if False else (oiio.UINT16 if path.endswith('dpx') else oiio.HALF))
    # SMPTE ST 12-1: 01:02:03:04, a decimal digit in each four bits.
    spec.attribute('smpte:TimeCode', oiio.TypeDesc('timecode'), (0x01020304, 0))
    spec.attribute('FramesPerSecond', oiio.TypeDesc('rational'), (24000, 1001))
    spec.attribute('Copyright', 'Salt Line')
    spec.attribute('DocumentName', 'ferry deck')
    out = oiio.ImageOutput.create(path)
    out.open(path, spec)
    out.write_image(np.full((4, 8, 3), 0.25, np.float32))
    out.close()
"#;

/// What OpenImageIO finds of them.
const TIMES: &str = r#"
import sys, OpenImageIO as oiio
for path in sys.argv[1:]:
    spec = oiio.ImageInput.open(path).spec()
    code = spec.getattribute('smpte:TimeCode')
    rate = spec.getattribute('FramesPerSecond')
    rate = rate[0] / rate[1] if isinstance(rate, tuple) else rate
    print(code[0] if isinstance(code, tuple) else code, round(float(rate or 0), 3), spec.getattribute('Copyright'))
"#;

#[test]
fn times_and_words_survive_between_files_that_hold_them() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    python(TIMED, &[&at("a.exr"), &at("a.dpx")]);
    for (from, to) in [("a.exr", "b.exr"), ("a.dpx", "c.dpx"), ("a.exr", "d.dpx"), ("a.dpx", "e.exr")] {
        let found = python(TIMES, &[&at(from)]);
        runs(&["render", "--from", "acescct", "--to", "acescct", &at(from), "-o", &at(to)]);
        let (code, rate) = (read(&at(to)).beside.timecode, read(&at(to)).beside.rate);
        let code = code.map(|c| [c.hours, c.minutes, c.seconds, c.frames]);
        assert_eq!(code, Some([1, 2, 3, 4]), "{from} to {to}");
        if let Some(own) = read(&at(from)).beside.rate {
            assert!((rate.unwrap() - own).abs() < 1e-3, "{from} to {to}");
        }
        let after = python(TIMES, &[&at(to)]);
        assert_eq!(after.split_whitespace().next(), found.split_whitespace().next(), "{from} to {to}");
        if from.rsplit('.').next() == to.rsplit('.').next() {
            assert_eq!(after, found, "{from} to {to}");
        }
    }
    let words = runs(&["render", "--from", "acescct", "--to", "acescct", &at("a.exr"), "-o", &at("f.png")]);
    assert!(words.contains("no place for its timecode"), "{words}");
    // What nobody filled in is empty: texts are, not rows of signs.
    let plain = Frame { picture: flat(4, 4, [0.5; 3]), beside: Beside::default() };
    let bytes = registry::of_ending("dpx").unwrap().write.unwrap()(&plain, None).unwrap();
    for at in [36, 160, 460, 820, 1432, 1556, 1664, 1764] {
        assert_eq!(bytes[at], 0, "the text at {at}");
    }
    assert_eq!(bytes[1920..1924], [0xff; 4], "no timecode");
}

#[test]
fn a_picture_that_lies_on_its_side_is_turned_where_the_format_cannot_say_so() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let mut frame = Frame::from(flat(6, 2, [0.2; 3]));
    frame.picture.pixels[0] = [0.9, 0.1, 0.1, 1.0];
    frame.beside.orientation = 6;
    std::fs::write(at("a.png"), png::write_frame(&frame, Depth::Sixteen, None).unwrap()).unwrap();
    let way = ["render", "--from", "acescct", "--to", "acescct", &at("a.png"), "-o"].map(String::from);
    let way: Vec<&str> = way.iter().map(String::as_str).collect();
    for name in ["a.exr", "a.dpx"] {
        runs(&[&way[..], &[&at(name)]].concat());
        let made = read(&at(name));
        assert_eq!(
            (made.picture.width(), made.picture.height(), made.beside.orientation),
            (2, 6, 1),
            "{name}"
        );
        // TIFF 6.0, orientation 6: the first row is the right side, the first column the top.
        assert!((made.picture.pixels[1][0] - 0.9).abs() < 2e-3, "{name}");
    }
    runs(&[&way[..], &[&at("a.tif")]].concat());
    assert_eq!(read(&at("a.tif")).beside.orientation, 6);
}

#[test]
fn a_clip_is_rendered_frame_by_frame_and_as_a_movie_of_its_own_rate() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    // Six greys, losslessly, at 25 frames a second.
    let source = "color=black:s=32x18:r=25:d=0.24,geq=lum=40+30*N:cb=128:cr=128,format=yuv444p10le";
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", source, "-c:v", "ffv1"])
        .args(["-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709", &at("a.mkv")])
        .status();
    assert!(made.unwrap().success());
    std::fs::create_dir(dir.path().join("out")).unwrap();
    let render = ["render", "--from", "rec709", "--to", "rec709", &at("a.mkv"), "-o"].map(String::from);
    let to = |out: String, more: &[&str]| -> Vec<String> {
        render.iter().cloned().chain([out]).chain(more.iter().map(|s| s.to_string())).collect()
    };
    runs(&to(at("out/b.%04d.png"), &[]));
    assert_eq!(count(&dir.path().join("out")), 6, "and nothing stays of what was unpacked");
    let greys: Vec<f32> =
        (0..6).map(|i| read(&at(&format!("out/b.{i:04}.png"))).picture.pixels[5][1]).collect();
    assert!(greys.windows(2).all(|w| w[1] > w[0] + 0.02), "{greys:?}");
    runs(&to(at("out/c.%04d.png"), &["--frames", "2-3"]));
    assert_eq!(count(&dir.path().join("out")), 8);
    runs(&to(at("b.mp4"), &[]));
    let probe = ["-v", "error", "-show_entries", "stream=r_frame_rate", "-of", "csv=p=0", &at("b.mp4")]
        .map(String::from);
    let rate = Command::new("ffprobe").args(probe).output().unwrap();
    assert_eq!(String::from_utf8(rate.stdout).unwrap().trim(), "25/1");
    std::fs::write(at("no.mov"), "no clip").unwrap();
    assert!(
        fails(&["render", "--from", "rec709", "--to", "rec709", &at("no.mov"), "-o", &at("d.png")])
            .contains("no clip")
    );
}
