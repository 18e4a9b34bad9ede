//! Installing what a fresh machine lacks: Debian packages by apt, npm packages by `npm ci`, Python packages
//! into a folder of the project's own.

use crate::{Outcome, root, run};
use std::process::{Command, Stdio};

/// Whether a program is there.
fn has(program: &str) -> bool {
    let found = Command::new(program).arg("--version").stdout(Stdio::null()).stderr(Stdio::null()).status();
    found.is_ok_and(|s| s.success())
}

fn apt(packages: &[&str]) -> Outcome {
    let fail = |e: String| format!("{e}\nInstall {} by hand, then try again.", packages.join(" "));
    let admin = Command::new("id").arg("-u").output().is_ok_and(|o| o.stdout.starts_with(b"0"));
    let call = |arguments: &[&str]| {
        let mut all = vec!["apt-get"];
        all.extend(arguments);
        if admin { run("", all[0], &all[1..]) } else { run("", "sudo", &all) }
    };
    call(&["update", "-qq"]).map_err(fail)?;
    let mut install = vec!["install", "-y", "-qq", "--no-install-recommends"];
    install.extend(packages);
    call(&install).map_err(fail)
}

/// Node.js with npm.
pub fn node() -> Outcome {
    if has("npm") { Ok(()) } else { apt(&["nodejs", "npm"]) }
}

/// The page's packages, exactly as the lock file says. Left alone when they are those already.
pub fn node_modules() -> Outcome {
    let lock = root().join("web/package-lock.json");
    let have = root().join("web/node_modules/.lock-of-this");
    let same = std::fs::read(&lock).ok().zip(std::fs::read(&have).ok()).is_some_and(|(a, b)| a == b);
    if same {
        return Ok(());
    }
    run("web", "npm", &["ci", "--no-audit", "--no-fund"])?;
    std::fs::copy(&lock, &have).map(|_| ()).map_err(|e| format!("{}: {e}", have.display()))
}

/// Chromium with its driver, for the browser tests: the newest that the system has, so that what breaks in it is found
/// here first. Where the system's packages cannot be reached, the one that is here does.
pub fn browser() -> Outcome {
    const PACKAGES: [&str; 2] = ["chromium", "chromium-driver"];
    if let Err(e) = apt(&PACKAGES) {
        if !(has("chromium") && has("chromedriver")) {
            return Err(e);
        }
        eprintln!("xtask: the browser could not be brought up to date, the one that is here is taken: {e}");
    }
    for program in ["chromium", "chromedriver"] {
        let said = Command::new(program).arg("--version").output().map_err(|e| format!("{program}: {e}"))?;
        eprintln!("xtask: the browser tests drive {}", String::from_utf8_lossy(&said.stdout).trim());
    }
    Ok(())
}

/// ffmpeg, a yardstick for tables.
pub fn ffmpeg() -> Outcome {
    if Command::new("ffmpeg").arg("-version").stdout(Stdio::null()).status().is_ok() {
        Ok(())
    } else {
        apt(&["ffmpeg"])
    }
}

/// ImageMagick, a writer of pictures for the tests of the formats.
pub fn imagemagick() -> Outcome {
    if has("convert") { Ok(()) } else { apt(&["imagemagick"]) }
}

/// A Slurm of this machine, for the chore that tries one.
pub fn slurm() -> Outcome {
    ffmpeg()?;
    // The daemons do not say their version without a configuration.
    let there = "command -v slurmctld && command -v slurmd && command -v munged && command -v sbatch";
    let all =
        Command::new("sh").args(["-c", there]).stdout(Stdio::null()).status().is_ok_and(|s| s.success());
    if all { Ok(()) } else { apt(&["slurmctld", "slurmd", "slurm-client", "munge"]) }
}

/// Python packages that the tests compare with, as `xtask/requirements.txt` pins them.
pub fn python() -> Outcome {
    let list = root().join("xtask/requirements.txt");
    let have = root().join(".venv/requirements.txt");
    let same = std::fs::read(&list).ok().zip(std::fs::read(&have).ok()).is_some_and(|(a, b)| a == b);
    if same {
        return Ok(());
    }
    if !has("python3") {
        apt(&["python3", "python3-venv"])?;
    }
    if run("", "python3", &["-m", "venv", ".venv"]).is_err() {
        apt(&["python3-venv"])?;
        run("", "python3", &["-m", "venv", ".venv"])?;
    }
    run("", ".venv/bin/pip", &["install", "--quiet", "--requirement", "xtask/requirements.txt"])?;
    std::fs::copy(&list, &have).map(|_| ()).map_err(|e| format!("{}: {e}", have.display()))
}
