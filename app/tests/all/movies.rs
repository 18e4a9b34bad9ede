//! Review movies: their tags, their frames and their colours, as ffprobe and ffmpeg read them.

#![allow(clippy::unwrap_used)]

use lantern_core::picture::Picture;
use std::path::Path;
use std::process::{Command, Output};

fn program(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_dusky-lantern")).args(arguments).output().unwrap()
}

/// Frames of two flat halves, of odd size, the second half of another colour in each.
fn frames(dir: &Path) -> String {
    for k in 0..5_usize {
        let second = [0.1 + 0.1 * k as f32, 0.5, 0.3, 1.0];
        let pixels = (0..65 * 35).map(|i| if i % 65 < 32 { [0.6, 0.25, 0.4, 1.0] } else { second }).collect();
        let png = lantern_formats::png::write(
            &Picture::new(65, 35, pixels).unwrap(),
            lantern_formats::Depth::Sixteen,
        );
        std::fs::write(dir.join(format!("a.{:03}.png", 10 + k)), png.unwrap()).unwrap();
    }
    dir.join("a.%03d.png").display().to_string()
}

fn probed(movie: &str, field: &str) -> String {
    let done = Command::new("ffprobe")
        .args(["-v", "error", "-count_frames", "-select_streams", "v:0", "-of", "default=nw=1:nk=1"])
        .args(["-show_entries", &format!("stream={field}"), movie])
        .output()
        .unwrap();
    String::from_utf8(done.stdout).unwrap().trim().to_owned()
}

#[test]
fn a_movie_has_its_frames_its_tags_and_its_colours() {
    let dir = tempfile::tempdir().unwrap();
    let input = frames(dir.path());
    for (to, name, tags) in [
        ("rec709", "m.mp4", ["bt709", "bt709", "bt709"]),
        ("srgb", "m.mov", ["bt709", "iec61966-2-1", "bt709"]),
        ("pq", "h.mp4", ["bt2020", "smpte2084", "bt2020nc"]),
        ("hlg", "h.mkv", ["bt2020", "arib-std-b67", "bt2020nc"]),
    ] {
        let out = dir.path().join(name).display().to_string();
        let done = program(&["render", "--from", to, "--to", to, "--rate", "25", &input, "-o", &out]);
        assert!(done.status.success(), "{to}: {}", String::from_utf8_lossy(&done.stderr));
        assert_eq!(probed(&out, "nb_read_frames"), "5", "{to}");
        assert_eq!(probed(&out, "r_frame_rate"), "25/1", "{to}");
        for (field, want) in ["color_primaries", "color_transfer", "color_space"].into_iter().zip(tags) {
            assert_eq!(probed(&out, field), want, "{to} {field}");
        }
        assert_eq!(probed(&out, "color_range"), "tv", "{to}");
        // Back to pictures: the colours that went in, but for what 8 bit and halves of colour take.
        let back = dir.path().join("back.%d.png").display().to_string();
        let done = Command::new("ffmpeg")
            .args(["-v", "error", "-y", "-i", &out, "-pix_fmt", "rgb48be", &back])
            .output()
            .unwrap();
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        for k in 0..5_usize {
            let read = std::fs::read(dir.path().join(format!("back.{}.png", k + 1))).unwrap();
            let picture = lantern_formats::picture::read(&read).unwrap();
            let at = |x: usize| picture.pixels[17 * picture.width() + x];
            let second = [0.1 + 0.1 * k as f32, 0.5, 0.3];
            for (got, want) in [(at(10), [0.6, 0.25, 0.4]), (at(50), second)] {
                for c in 0..3 {
                    assert!((got[c] - want[c]).abs() < 0.016, "{to}, frame {k}: {got:?} for {want:?}");
                }
            }
        }
    }
}

#[test]
fn what_makes_no_movie_is_said_and_leaves_nothing_behind() {
    let dir = tempfile::tempdir().unwrap();
    let input = frames(dir.path());
    let out = dir.path().join("m.mp4").display().to_string();
    let fails = |more: &[&str], want: &str| {
        let done = program(&[&["render", "--from", "rec709", &input, "-o", &out], more].concat());
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && said.contains(want), "{said}");
        assert!(!Path::new(&out).exists());
    };
    fails(&["--to", "p3-d65"], "no tags for p3-d65");
    fails(&["--to", "rec709", "--part", "1/2"], "in one part");
    fails(&["--to", "rec709", "--frames", "50-60"], "no frame");
    fails(&["--to", "rec709", "--rate", "0"], "no rate");
    // One frame of another size.
    let other = Picture::new(8, 8, vec![[0.5; 4]; 64]).unwrap();
    let png = lantern_formats::png::write(&other, lantern_formats::Depth::Eight).unwrap();
    std::fs::write(dir.path().join("a.014.png"), png).unwrap();
    fails(&["--to", "rec709"], "a movie has one size");
    let left = std::fs::read_dir(dir.path())
        .unwrap()
        .filter(|e| !e.as_ref().unwrap().path().display().to_string().ends_with(".png"));
    assert_eq!(left.count(), 0, "nothing half-written");
}
