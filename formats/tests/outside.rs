//! Every picture format against an outside reader and writer: ffmpeg, which `cargo xtask test` installs.
//!
//! Integers have to come back to the code, floats to the bit; a lossy format within what its decoders may differ by.

#![allow(clippy::unwrap_used)]

use lantern_core::picture::Picture;
use lantern_formats::{Depth, dpx, exr, facts, picture, png, tiff};
use std::io::Write;
use std::process::{Command, Stdio};

const W: usize = 37;
const H: usize = 11;

/// Runs ffmpeg on bytes and gives what it writes.
fn ffmpeg(arguments: &[&str], input: &[u8]) -> Vec<u8> {
    let mut child = Command::new("ffmpeg")
        .args(["-hide_banner", "-loglevel", "error", "-nostdin"])
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut stdin = child.stdin.take().unwrap();
    let input = input.to_vec();
    let feed = std::thread::spawn(move || stdin.write_all(&input));
    let done = child.wait_with_output().unwrap();
    let _ = feed.join();
    assert!(done.status.success(), "ffmpeg {arguments:?}");
    done.stdout
}

/// Raw samples of a pixel format to a picture file of a codec.
fn encoded(format: &str, codec: &[&str], raw: &[u8]) -> Vec<u8> {
    let size = format!("{W}x{H}");
    let mut arguments = vec!["-f", "rawvideo", "-pix_fmt", format, "-s", &size, "-i", "-", "-frames:v", "1"];
    arguments.extend(codec);
    arguments.extend(["-f", "image2pipe", "-"]);
    ffmpeg(&arguments, raw)
}

/// A picture file to raw samples of a pixel format.
fn decoded(ending: &str, format: &str, file: &[u8]) -> Vec<u8> {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join(format!("picture.{ending}"));
    std::fs::write(&path, file).unwrap();
    ffmpeg(&["-i", &path.display().to_string(), "-f", "rawvideo", "-pix_fmt", format, "-"], &[])
}

/// Codes 0..=most that use every bit, three for each pixel.
fn codes(most: u32) -> Vec<[u32; 3]> {
    let mut state = 7_u32;
    let mut next = || {
        // A linear congruential generator (Numerical Recipes): any spread of codes will do.
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) % (most + 1)
    };
    let mut all: Vec<[u32; 3]> = (0..W * H).map(|_| [next(), next(), next()]).collect();
    (all[0], all[1]) = ([0; 3], [most; 3]);
    all
}

/// Raw bytes of codes: interleaved RGB, or planar in the order G, B, R that ffmpeg's gbr formats have.
fn raw(codes: &[[u32; 3]], format: &str) -> Vec<u8> {
    let big = format.ends_with("be");
    let bytes = |v: u32| match format {
        "rgb24" => vec![v as u8],
        _ if big => (v as u16).to_be_bytes().to_vec(),
        _ => (v as u16).to_le_bytes().to_vec(),
    };
    if format.starts_with("gbr") {
        [1, 2, 0].iter().flat_map(|c| codes.iter().flat_map(|p| bytes(p[*c])).collect::<Vec<_>>()).collect()
    } else {
        codes.iter().flatten().flat_map(|v| bytes(*v)).collect()
    }
}

fn picture_of(codes: &[[u32; 3]], most: u32) -> Picture {
    let pixels = codes.iter().map(|p| p.map(|v| v as f32 / most as f32)).map(|[r, g, b]| [r, g, b, 1.0]);
    Picture::new(W, H, pixels.collect()).unwrap()
}

fn assert_codes(got: &Picture, want: &[[u32; 3]], most: u32, what: &str) {
    assert_eq!((got.width(), got.height()), (W, H), "{what}");
    for (i, (p, want)) in got.pixels.iter().zip(want).enumerate() {
        let codes = [p[0], p[1], p[2]].map(|v| (v * most as f32).round() as u32);
        assert_eq!(codes, *want, "{what}, pixel {i}");
    }
}

#[test]
fn a_dpx_of_ffmpeg_is_read_to_the_code_in_every_depth_and_both_byte_orders() {
    for (format, most) in [
        ("rgb24", 255),
        ("gbrp10be", 1023),
        ("gbrp10le", 1023),
        ("gbrp12be", 4095),
        ("gbrp12le", 4095),
        ("rgb48be", 65535),
        ("rgb48le", 65535),
    ] {
        let codes = codes(most);
        let file = encoded(format, &["-c:v", "dpx"], &raw(&codes, format));
        let header = dpx::header(&file).unwrap();
        assert_eq!((1_u32 << header.bits) - 1, most, "{format}");
        if format != "rgb24" {
            assert_eq!(header.big, format.ends_with("be"), "{format}");
        }
        assert_codes(&picture::read(&file).unwrap(), &codes, most, format);
    }
}

#[test]
fn ffmpeg_reads_our_dpx_png_and_tiff_to_the_code() {
    let ten = codes(1023);
    let file = dpx::write(&picture_of(&ten, 1023), 3);
    assert!(decoded("dpx", "gbrp10le", &file) == raw(&ten, "gbrp10le"));
    let sixteen = codes(65535);
    let file = png::write(&picture_of(&sixteen, 65535), Depth::Sixteen).unwrap();
    assert!(decoded("png", "rgb48le", &file) == raw(&sixteen, "rgb48le"));
    let file = tiff::write(&picture_of(&sixteen, 65535), Depth::Sixteen).unwrap();
    assert!(decoded("tiff", "rgb48le", &file) == raw(&sixteen, "rgb48le"));
}

#[test]
fn a_png_and_a_tiff_of_ffmpeg_are_read_to_the_code() {
    for (codec, format, most) in
        [("png", "rgb24", 255), ("png", "rgb48be", 65535), ("tiff", "rgb24", 255), ("tiff", "rgb48le", 65535)]
    {
        let codes = codes(most);
        let file = encoded(format, &["-c:v", codec], &raw(&codes, format));
        assert_codes(&picture::read(&file).unwrap(), &codes, most, codec);
    }
}

/// Scene light from far below zero to far above one.
fn lights() -> Vec<[f32; 3]> {
    codes(4095).iter().map(|p| p.map(|v| (v as f32 / 4095.0 * 20.0 - 12.0).exp2() - 0.01)).collect()
}

fn raw_floats(lights: &[[f32; 3]]) -> Vec<u8> {
    [1, 2, 0]
        .iter()
        .flat_map(|c| lights.iter().flat_map(|p| p[*c].to_le_bytes()).collect::<Vec<_>>())
        .collect()
}

#[test]
fn an_openexr_goes_both_ways_to_the_bit() {
    let lights = lights();
    for compression in ["none", "rle", "zip1", "zip16"] {
        let file = encoded(
            "gbrpf32le",
            &["-c:v", "exr", "-format", "float", "-compression", compression],
            &raw_floats(&lights),
        );
        let back = picture::read(&file).unwrap();
        for (p, want) in back.pixels.iter().zip(&lights) {
            assert_eq!([p[0], p[1], p[2]], *want, "{compression}");
        }
    }
    let pixels = lights.iter().map(|p| [p[0], p[1], p[2], 1.0]).collect();
    let ours = exr::write(&Picture::new(W, H, pixels).unwrap(), None).unwrap();
    // With alpha, as the file has it: ffmpeg would clip floats while it converts them.
    let mut want = raw_floats(&lights);
    want.extend((0..W * H).flat_map(|_| 1.0_f32.to_le_bytes()));
    assert!(decoded("exr", "gbrapf32le", &ours) == want);
}

#[test]
fn a_half_openexr_is_read_within_a_unit_of_its_last_place() {
    let lights = lights();
    let file = encoded("gbrpf32le", &["-c:v", "exr", "-format", "half"], &raw_floats(&lights));
    assert_eq!(facts::read(&file).unwrap().depth, "half");
    for (p, want) in picture::read(&file).unwrap().pixels.iter().zip(&lights) {
        for c in 0..3 {
            // IEEE 754 binary16: eleven bits of significand, smallest step 2^-24. ffmpeg cuts instead of rounding.
            let step = (want[c].abs() * 2.0_f32.powi(-10)).max(2.0_f32.powi(-24));
            assert!((p[c] - want[c]).abs() <= step, "{} became {}", want[c], p[c]);
        }
    }
}

#[test]
fn a_jpeg_is_read_as_ffmpeg_reads_it() {
    // Smooth content: what is compared is the two decoders, which T.81 lets differ by a code or two.
    let smooth: Vec<[u32; 3]> = (0..W * H).map(|i| [(i % W * 6) as u32, (i / W * 20) as u32, 128]).collect();
    let file =
        encoded("rgb24", &["-c:v", "mjpeg", "-pix_fmt", "yuvj444p", "-q:v", "2"], &raw(&smooth, "rgb24"));
    let want = decoded("jpg", "rgb24", &file);
    let got = picture::read(&file).unwrap();
    assert_eq!(facts::read(&file).unwrap().guess.encoding, None, "a bare JPEG does not say");
    for (p, want) in got.pixels.iter().zip(want.chunks(3)) {
        for c in 0..3 {
            assert!((p[c] * 255.0 - f32::from(want[c])).abs() <= 3.0, "{p:?} {want:?}");
        }
    }
}

#[test]
fn what_ffmpeg_tags_is_what_is_guessed() {
    let codes = codes(65535);
    // ffmpeg's names of H.273 code points; a PNG carries them as cICP.
    for (primaries, transfer, want) in
        [("bt2020", "smpte2084", "pq"), ("bt2020", "arib-std-b67", "hlg"), ("bt709", "bt709", "rec709")]
    {
        let tags = format!("setparams=color_primaries={primaries}:color_trc={transfer}");
        let file = encoded("rgb48be", &["-vf", &tags, "-c:v", "png"], &raw(&codes, "rgb48be"));
        let facts = facts::read(&file).unwrap();
        // Older releases of ffmpeg leave the chunk out; then nothing may be guessed.
        assert!(facts.guess.encoding == Some(want) || !file.windows(4).any(|w| w == b"cICP"), "{facts:?}");
    }
}
