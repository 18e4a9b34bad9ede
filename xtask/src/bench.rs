//! Speed figures, printed beside their yardsticks, all in one run. Quote them from an otherwise idle machine.

use crate::{Outcome, command, install, page, root, run};

/// Prints how matches, tables taken apart and stocks from measurements stand to their bars, over all that the tests hide.
pub fn matching() -> Outcome {
    for (package, test) in
        [("dusky-lantern", "matches::"), ("lantern-core", "unpick::"), ("lantern-core", "stock::")]
    {
        let arguments = ["test", "--package", package, "--test", "all", test, "--", "--nocapture"];
        let mut all = command("", "cargo", &arguments);
        let status = all.env("LANTERN_ALL_LOOKS", "1").status().map_err(|e| e.to_string())?;
        if !status.success() {
            return Err(format!("{test} falls short"));
        }
    }
    Ok(())
}

/// Prints how fast packages and sequences are made, and how much memory that takes.
pub fn handoff() -> Outcome {
    run(
        "",
        "cargo",
        &[
            "build",
            "--release",
            "--package",
            "dusky-lantern",
            "--example",
            "handoffs",
            "--bin",
            "dusky-lantern",
        ],
    )?;
    run("", "target/release/examples/handoffs", &["target/release/dusky-lantern", "demo/data"])
}

/// Runs every benchmark.
pub fn run_all() -> Outcome {
    install::node()?;
    install::browser()?;
    install::python()?;
    page()?;
    run(
        "",
        "cargo",
        &[
            "build",
            "--release",
            "--package",
            "dusky-lantern",
            "--example",
            "speed",
            "--example",
            "film",
            "--example",
            "decode",
            "--bin",
            "dusky-lantern",
        ],
    )?;
    run("", "cargo", &["build", "--package", "lantern-browser-tests"])?;
    run(
        "",
        "target/release/examples/speed",
        &[
            ".venv/bin/python",
            "xtask/outside.py",
            "demo/data/lantern-market.png",
            "demo/data/looks/harbour-dusk.look.json",
            "demo/data/harrier.camera.json",
        ],
    )?;
    run(
        "",
        "target/release/examples/film",
        &[
            "demo/data/lantern-market.png",
            "demo/data/looks/harbour-dusk.look.json",
            "demo/data/harrier.camera.json",
        ],
    )?;
    let status = command("", "target/debug/latency", &[])
        .env("LANTERN_PROGRAM", root().join("target/release/dusky-lantern"))
        .env("LANTERN_DECODE", root().join("target/release/examples/decode"))
        .env("LANTERN_PYTHON", root().join(".venv/bin/python"))
        .status()
        .map_err(|e| e.to_string())?;
    if !status.success() {
        return Err("the browser's figures failed".into());
    }
    let status = command("", "target/debug/clients", &[])
        .env("LANTERN_PROGRAM", root().join("target/release/dusky-lantern"))
        .status()
        .map_err(|e| e.to_string())?;
    if status.success() { Ok(()) } else { Err("the figures of many at once failed".into()) }
}
