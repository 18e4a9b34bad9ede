//! Hostile bytes into the readers, by coverage-guided fuzzing (libFuzzer).

use crate::{Outcome, command, root};

/// The readers that have targets: every format of pictures and of tables is in one of them.
const READERS: [&str; 4] = ["pictures", "tables", "cdl", "look"];

/// Coverage counters for the code of all crates, which a stable compiler can put in too.
const FLAGS: &str = "-Cpasses=sancov-module -Cllvm-args=-sanitizer-coverage-level=4 \
    -Cllvm-args=-sanitizer-coverage-inline-8bit-counters -Cllvm-args=-sanitizer-coverage-pc-table \
    -Cllvm-args=-sanitizer-coverage-trace-compares -Ccodegen-units=1";

/// Fuzzes one reader or all, each for some seconds. A finding is left in `target/fuzz` and fails.
pub fn run(rest: &[String]) -> Outcome {
    let seconds = rest.iter().find_map(|r| r.parse::<u32>().ok()).unwrap_or(120);
    let chosen: Vec<&str> = READERS.into_iter().filter(|r| rest.iter().any(|a| a == r)).collect();
    let chosen = if chosen.is_empty() { READERS.to_vec() } else { chosen };
    let target = root().join("target/fuzz");
    // Named, so that build scripts, which run without the fuzzer, are built without its counters.
    let host = host()?;
    let built = command("formats/fuzz", "cargo", &["build", "--release", "--target", &host])
        .env("RUSTFLAGS", FLAGS)
        .env("CARGO_TARGET_DIR", &target)
        .status()
        .map_err(|e| e.to_string())?;
    if !built.success() {
        return Err("the fuzz targets did not build".into());
    }
    for reader in chosen {
        let corpus = target.join("corpus").join(reader);
        std::fs::create_dir_all(&corpus).map_err(|e| e.to_string())?;
        seeds(reader, &corpus)?;
        eprintln!("xtask: fuzzing {reader} for {seconds} s");
        let mut fuzzer = std::process::Command::new(target.join(&host).join("release/lantern-fuzz"));
        fuzzer
            .arg(&corpus)
            .arg(format!("-max_total_time={seconds}"))
            .args(["-rss_limit_mb=3000", "-max_len=16384"]);
        fuzzer.args(["-timeout=20", "-print_final_stats=1"]).env("READER", reader);
        fuzzer.arg(format!("-artifact_prefix={}/{reader}-", target.display()));
        if !fuzzer.status().map_err(|e| e.to_string())?.success() {
            return Err(format!("{reader}: a finding lies in {}", target.display()));
        }
    }
    Ok(())
}

/// The machine's target triple, as the compiler names it.
fn host() -> Result<String, String> {
    let said = std::process::Command::new("rustc").arg("-vV").output().map_err(|e| e.to_string())?;
    let text = String::from_utf8_lossy(&said.stdout).into_owned();
    let line = text.lines().find_map(|l| l.strip_prefix("host: "));
    line.map(str::to_owned).ok_or_else(|| "rustc does not say what it builds for".into())
}

/// Small whole files to begin with, where ffmpeg is there to make them.
fn seeds(reader: &str, corpus: &std::path::Path) -> Outcome {
    let kinds: &[(&str, &str)] = match reader {
        "cdl" => {
            let text = "<ColorCorrectionCollection><ColorCorrection id=\"a\"><SOPNode><Slope>1 1 1</Slope><Offset>0 0 0</Offset>\
                <Power>1 1 1</Power></SOPNode><SatNode><Saturation>1</Saturation></SatNode></ColorCorrection></ColorCorrectionCollection>";
            return std::fs::write(corpus.join("a.ccc"), text).map_err(|e| e.to_string());
        }
        "look" => {
            let kept = root().join("core/tests/looks/version-2.json");
            return std::fs::copy(kept, corpus.join("a.json")).map(|_| ()).map_err(|e| e.to_string());
        }
        "tables" => {
            let text = "TITLE \"a\"\nLUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 1\n";
            std::fs::write(corpus.join("a.cube"), text).map_err(|e| e.to_string())?;
            let nodes = "<Matrix inBitDepth=\"32f\" outBitDepth=\"10i\"><Array dim=\"3 3\">1 0 0 0 1 0 0 0 1</Array></Matrix>\
                <Log inBitDepth=\"10i\" outBitDepth=\"32f\" style=\"cameraLogToLin\"><LogParams base=\"2\" linSideBreak=\"0.1\"/></Log>\
                <LUT1D inBitDepth=\"32f\" outBitDepth=\"32f\"><Array dim=\"2 1\">0 1</Array></LUT1D>";
            let list = format!("<ProcessList id=\"a\" compCLFversion=\"3\">{nodes}</ProcessList>");
            std::fs::write(corpus.join("a.clf"), list).map_err(|e| e.to_string())?;
            let curve = "Version 1\nFrom 0 1\nLength 2\nComponents 1\n{\n0\n1\n}\n";
            std::fs::write(corpus.join("a.spi1d"), curve).map_err(|e| e.to_string())?;
            let cube: String =
                (0..8).map(|i| format!("{} {} {} 0 0.5 1\n", i / 4, i / 2 % 2, i % 2)).collect();
            let cube = format!("SPILUT 1.0\n3 3\n2 2 2\n{cube}");
            std::fs::write(corpus.join("a.spi3d"), cube).map_err(|e| e.to_string())?;
            &[("rgb24", "a.png"), ("rgb48be", "b.png")]
        }
        _ => &[
            ("rgb24", "a.png"),
            ("rgb48be", "b.png"),
            ("pal8", "c.png"),
            ("gray", "d.png"),
            ("rgb24", "a.tiff"),
            ("rgb48le", "b.tiff"),
            ("gbrpf32le", "a.exr"),
            ("gbrapf32le", "b.exr"),
            ("yuvj420p", "a.jpg"),
            ("yuvj444p", "b.jpg"),
            ("gbrp10be", "a.dpx"),
            ("rgb24", "b.dpx"),
            ("rgb48le", "c.dpx"),
            ("gbrp12le", "d.dpx"),
        ],
    };
    for (format, name) in kinds {
        let file = corpus.join(name);
        let made = std::process::Command::new("ffmpeg")
            .args([
                "-v",
                "error",
                "-y",
                "-f",
                "lavfi",
                "-i",
                "testsrc2=s=24x14",
                "-frames:v",
                "1",
                "-pix_fmt",
                format,
            ])
            .arg(file)
            .status();
        if made.is_err() {
            return Ok(());
        }
    }
    Ok(())
}
