//! The project's own chores. No dependencies, so that it builds in a moment on a fresh machine.
//!
//! * `cargo xtask demo` — installs what is missing, builds page and server, serves the demo production.
//! * `cargo xtask test` — installs what is missing and runs every check.
//! * `cargo xtask bench` — prints the speed figures, beside the yardsticks run in the same minute; `bench matching` the bars of
//!   matching, Unpick and stocks over all hidden looks, tables and films, `bench handoff` packages and sequences.
//! * `cargo xtask fuzz` — hostile bytes into every reader, `[READER] [SECONDS]`.
//! * `cargo xtask cluster` — a sequence as a Slurm array on this machine, compared with one run.
//! * `cargo xtask shots` — remakes the pictures in docs/screenshots.
//! * `cargo xtask sheets OUT [PICTURE...]` — contact sheets of the starting looks on all demo shots, and on own pictures.
//! * `cargo xtask types` — remakes the page's types and the look file's schema from the code.
//! * `cargo xtask train` — trains what infers a look from a picture that wears it, from the demo's shots and packaged photographs.
//! * `cargo xtask fixtures` — remakes the reference values in the tests' folders from colour-science.

mod bench;
mod cluster;
mod fuzz;
mod install;

use std::path::PathBuf;
use std::process::{Command, ExitCode};

/// Short for results here.
type Outcome<T = ()> = Result<T, String>;

fn main() -> ExitCode {
    let mut arguments = std::env::args().skip(1);
    let chore = arguments.next().unwrap_or_default();
    let rest: Vec<String> = arguments.collect();
    let done = match chore.as_str() {
        "demo" => demo(&rest),
        "test" => test(),
        "bench" if rest.first().is_some_and(|r| r == "matching") => bench::matching(),
        "bench" if rest.first().is_some_and(|r| r == "handoff") => bench::handoff(),
        "bench" => bench::run_all(),
        "fuzz" => fuzz::run(&rest),
        "shots" => shots(),
        "cluster" => cluster::run_array(),
        "sheets" => sheets(&rest),
        "types" => types(),
        "train" => train(),
        "fixtures" => fixtures(),
        "fmt" => format(false),
        _ => {
            Err("say one of: demo, test, bench, fuzz, cluster, shots, sheets, types, train, fixtures, fmt"
                .into())
        }
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("xtask: {e}");
            ExitCode::FAILURE
        }
    }
}

/// The workspace's folder.
fn root() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).parent().map(PathBuf::from).unwrap_or_default()
}

/// A command in a folder of the workspace.
fn command(folder: &str, program: &str, arguments: &[&str]) -> Command {
    let mut c = Command::new(program);
    c.args(arguments).current_dir(root().join(folder));
    // What is built once and thrown away needs no second build made fast, and no lines for a debugger.
    if program == "cargo" && std::env::var_os("CI").is_some() {
        c.env("CARGO_INCREMENTAL", "0").env("CARGO_PROFILE_DEV_DEBUG", "0");
    }
    c
}

/// Runs a command and says which one failed.
fn run(folder: &str, program: &str, arguments: &[&str]) -> Outcome {
    eprintln!("xtask: {program} {}", arguments.join(" "));
    let status = command(folder, program, arguments).status().map_err(|e| format!("{program}: {e}"))?;
    if status.success() { Ok(()) } else { Err(format!("{program} {} failed", arguments.join(" "))) }
}

fn page() -> Outcome {
    install::node_modules()?;
    run("web", "npm", &["run", "--silent", "build"])
}

fn demo(rest: &[String]) -> Outcome {
    install::node()?;
    page()?;
    run("", "cargo", &["build", "--release", "--package", "dusky-lantern"])?;
    let mut serve = command("", "target/release/dusky-lantern", &["serve", "--demo", "--data", "data"]);
    let status = serve.args(rest).status().map_err(|e| e.to_string())?;
    if status.success() { Ok(()) } else { Err("the server stopped".into()) }
}

fn test() -> Outcome {
    install::node()?;
    install::browser()?;
    install::ffmpeg()?;
    install::imagemagick()?;
    install::python()?;
    format(true)?;
    page()?;
    // Builds leave a core idle where one crate waits for another: what only reads the code goes on beside them.
    std::thread::scope(|s| {
        let reading = s.spawn(read_code);
        let built = tests(&["--no-run"]);
        let read = reading.join().unwrap_or_else(|_| Err("a check came to an end by a panic".into()));
        built.and(read)
    })?;
    tests(&[])
}

/// The page's types, rules and tests, and what the compiler's rules say of all code; with artefacts of its own, so that
/// no build waits for it.
fn read_code() -> Outcome {
    run("web", "npm", &["run", "--silent", "check"])?;
    run("web", "npm", &["run", "--silent", "test"])?;
    let lints = [
        "clippy",
        "--workspace",
        "--all-targets",
        "--target-dir",
        "target/lints",
        // Nothing of it runs.
        "--config",
        "profile.dev.package.libsqlite3-sys.opt-level=0",
        "--config",
        "profile.dev.package.libmimalloc-sys.opt-level=0",
        "--",
        "--deny",
        "warnings",
    ];
    run("", "cargo", &lints)
}

/// All tests, and with those of its package the program itself, which the browser tests drive. Examples and programs that
/// nothing here runs are compiled by [`read_code`] only; there are no tests in documentation.
fn tests(more: &[&str]) -> Outcome {
    let all = ["test", "--workspace", "--tests"];
    run("", "cargo", &all.iter().chain(more).copied().collect::<Vec<_>>())
}

/// Lays out every Rust file: also those whose modules the list of step kinds names, which `cargo fmt` does not find.
fn format(check: bool) -> Outcome {
    let mut files = Vec::new();
    for folder in ["core", "formats", "handoff", "server", "app", "demo", "browser-tests", "xtask"] {
        sources(&root().join(folder), &mut files).map_err(|e| format!("{folder}: {e}"))?;
    }
    let mut rustfmt = command("", "rustfmt", &["--edition", "2024"]);
    if check {
        rustfmt.arg("--check");
    }
    let status = rustfmt.args(files).status().map_err(|e| format!("rustfmt: {e}"))?;
    if status.success() {
        Ok(())
    } else {
        Err("some files are laid out otherwise: run cargo xtask fmt".into())
    }
}

fn sources(folder: &std::path::Path, into: &mut Vec<PathBuf>) -> std::io::Result<()> {
    for entry in std::fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() && !path.ends_with("target") {
            sources(&path, into)?;
        } else if path.extension().is_some_and(|e| e == "rs") {
            into.push(path);
        }
    }
    Ok(())
}

fn shots() -> Outcome {
    install::node()?;
    install::browser()?;
    page()?;
    run("", "cargo", &["build", "--workspace"])?;
    run("", "cargo", &["run", "--package", "lantern-browser-tests", "--bin", "shots"])
}

fn sheets(rest: &[String]) -> Outcome {
    let out = rest.first().map_or("target/sheets", String::as_str);
    let made = ["run", "--release", "--quiet", "--package", "dusky-lantern", "--example", "sheet", "--", out];
    let pictures = rest.iter().skip(1).map(String::as_str);
    run("", "cargo", &made.into_iter().chain(pictures).collect::<Vec<_>>())
}

fn types() -> Outcome {
    for (what, file) in [
        ("openapi", "web/openapi.json"),
        ("look", "docs/look.schema.json"),
        ("socket", "web/src/preview/layout.ts"),
        ("constants", "web/src/data/constants.ts"),
    ] {
        let mut describe =
            command("", "cargo", &["run", "--quiet", "--package", "dusky-lantern", "--", "describe", what]);
        let made = describe.output().map_err(|e| e.to_string())?;
        if !made.status.success() {
            return Err(String::from_utf8_lossy(&made.stderr).into_owned());
        }
        std::fs::write(root().join(file), made.stdout).map_err(|e| format!("{file}: {e}"))?;
    }
    install::node_modules()?;
    run("web", "npm", &["run", "--silent", "types"])
}

/// Photographs that only the training looks at come by a package of their own.
fn train() -> Outcome {
    install::python()?;
    run("", ".venv/bin/pip", &["install", "--quiet", "scikit-learn==1.9.1"])?;
    run("", "cargo", &["run", "--release", "--package", "lantern-formats", "--example", "train"])
}

fn fixtures() -> Outcome {
    install::python()?;
    run("", ".venv/bin/python", &["xtask/fixtures.py"])
}
