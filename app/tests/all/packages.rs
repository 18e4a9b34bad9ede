//! Packages from the command line: made twice they are the same bytes, what is altered is found, and what comes back is known.

#![allow(clippy::unwrap_used)]

use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

fn demo(file: &str) -> String {
    root().join("demo/data").join(file).display().to_string()
}

fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_dusky-lantern")).args(arguments).output().unwrap()
}

fn lantern(arguments: &[&str]) -> String {
    let done = run(arguments);
    assert!(done.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stdout).unwrap()
}

fn fails(arguments: &[&str]) -> String {
    let done = run(arguments);
    assert_eq!(done.status.code(), Some(1), "{arguments:?}");
    String::from_utf8(done.stderr).unwrap() + &String::from_utf8(done.stdout).unwrap()
}

fn table(format: &str, from: &str, to: &str, range: &str) -> Value {
    json!({ "kind": "table", "format": format, "from": from, "to": to, "size": 17, "range": range })
}

/// A plan of four receivers in a folder, with a small odd picture of own and a trim.
fn plan(dir: &Path) -> String {
    let pixels = (0..70 * 110).map(|i| [(i % 70) as f32 / 69.0, (i / 70) as f32 / 109.0, 0.4, 1.0]).collect();
    let picture = lantern_core::picture::Picture::new(70, 110, pixels).unwrap();
    let png = lantern_formats::png::write(&picture, lantern_formats::Depth::Eight).unwrap();
    std::fs::write(dir.join("tall & <odd>.png"), png).unwrap();
    let trim = json!({ "version": 2, "name": "t", "path": { "steps": [{ "id": "a", "name": "Warmer", "zone": "scene", "on": true,
        "strength": 1.0, "kind": "balance", "values": { "exposure": 0.5, "temperature": 7200.0, "tint": 0.0 } }], "groups": [] } });
    std::fs::write(dir.join("trim.json"), trim.to_string()).unwrap();
    let plan = json!({
        "version": 1,
        "name": "Everybody",
        "look": demo("looks/harbour-dusk.look.json"),
        "camera": demo("harrier.camera.json"),
        "pictures": [
            { "path": "tall & <odd>.png", "encoding": "srgb", "trim": "trim.json" },
            { "path": demo("workbench.png"), "encoding": "camera", "name": "Workbench" },
        ],
        "receivers": [
            { "name": "On-set monitors", "deliveries": [table("cube", "camera", "rec709", "full"), table("cube", "camera", "rec709", "legal")] },
            { "name": "Visual effects", "deliveries": [table("clf", "acescct", "rec709", "full"), table("spi3d", "acescct", "rec709", "full")] },
            { "name": "Finishing", "deliveries": [{ "kind": "look" }, table("clf", "acescct", "rec709", "full"), table("hald", "acescct", "p3-d65", "full")] },
            { "name": "Dailies", "deliveries": [{ "kind": "stills", "format": "tiff", "to": "rec709" }, { "kind": "corrections", "form": "ccc" }] },
        ],
    });
    let at = dir.join("plan.json");
    std::fs::write(&at, plan.to_string()).unwrap();
    at.display().to_string()
}

#[test]
fn a_package_is_whole_reproducible_and_proven() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let plan = plan(dir.path());
    lantern(&["deliver", "--plan", &plan, "-o", &at("folder")]);
    for zip in ["one.zip", "two.zip"] {
        lantern(&["deliver", "--plan", &plan, "-o", &at(zip)]);
    }
    assert_eq!(std::fs::read(at("one.zip")).unwrap(), std::fs::read(at("two.zip")).unwrap(), "byte for byte");
    assert!(lantern(&["verify", &at("folder")]).contains("Harbour Dusk: 12 files"));
    assert!(lantern(&["verify", &at("one.zip")]).contains("12 files"));
    let manifest: Value =
        serde_json::from_slice(&std::fs::read(dir.path().join("folder/manifest.json")).unwrap()).unwrap();
    let paths: Vec<&str> =
        manifest["files"].as_array().unwrap().iter().map(|f| f["path"].as_str().unwrap()).collect();
    for want in [
        "on-set-monitors/harbour-dusk_camera_to_rec709_17_legal.cube",
        "visual-effects/harbour-dusk_acescct_to_rec709_17.spi3d",
        "finishing/harbour-dusk.look.json",
        "dailies/corrections/harbour-dusk.ccc",
        "dailies/stills-rec709/01-tall-odd.tiff",
        "report.html",
    ] {
        assert!(paths.contains(&want), "{want} in {paths:?}");
    }
    let html = std::fs::read_to_string(dir.path().join("folder/report.html")).unwrap();
    assert!(html.contains("Not in any table") || manifest["left_out"].as_array().unwrap().is_empty());
    assert!(html.contains("tall &amp; &lt;odd&gt;") && !html.contains("<odd>") && !html.contains("http"));
    // The still of the package is what render gives.
    let look = demo("looks/harbour-dusk.look.json");
    let (camera, picture) = (demo("harrier.camera.json"), demo("workbench.png"));
    lantern(&["render", "--look", &look, "--from", &camera, "--to", "rec709", &picture, "-o", &at("w.tiff")]);
    let still = std::fs::read(dir.path().join("folder/dailies/stills-rec709/02-workbench.tiff")).unwrap();
    assert_eq!(still, std::fs::read(at("w.tiff")).unwrap());
}

#[test]
fn what_is_altered_missing_or_foreign_in_a_package_is_found() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    lantern(&["deliver", "--plan", &plan(dir.path()), "-o", &at("p")]);
    let file = dir.path().join("p/visual-effects/harbour-dusk_acescct_to_rec709_17.clf");
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, text.replacen("0.1", "0.2", 1)).unwrap();
    std::fs::remove_file(dir.path().join("p/finishing/harbour-dusk.look.json")).unwrap();
    std::fs::write(dir.path().join("p/stray.txt"), "x").unwrap();
    let said = fails(&["verify", &at("p")]);
    for want in [".clf was altered", "look.json is missing", "stray.txt does not belong", "3 of its files"] {
        assert!(said.contains(want), "{want}: {said}");
    }
    std::fs::write(dir.path().join("no.zip"), "nothing").unwrap();
    assert!(fails(&["verify", &at("no.zip")]).contains("archive"));
    std::fs::create_dir(dir.path().join("empty")).unwrap();
    assert!(fails(&["verify", &at("empty")]).contains("manifest.json"));
    assert!(fails(&["deliver", "--plan", &at("plan.json"), "-o", &at("p")]).contains("give an empty one"));
}

#[test]
fn a_table_that_comes_back_is_told() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    lantern(&["deliver", "--plan", &plan(dir.path()), "-o", &at("p.zip")]);
    let look = demo("looks/harbour-dusk.look.json");
    let among = at("p.zip");
    let says = |name: &str, more: &[&str]| {
        let back = at(name);
        lantern(
            &[&["bake", "--look", &look, "--from", "acescct", "--to", "rec709", "-o", &back], more].concat(),
        );
        lantern(&["identify", &back, "--among", &among])
    };
    assert!(says("same.spi3d", &["--size", "17", "--format", "spi3d"]).contains("bit for bit"));
    assert!(says("cube.cube", &["--size", "17"]).contains("the numbers are the same"));
    assert!(says("fine.cube", &["--size", "65"]).contains("resampled: 65 points in place of 17"));
    assert!(says("legal.cube", &["--size", "17", "--range", "legal"]).contains("legal range"));
    let other = at("other.cube");
    lantern(&[
        "bake",
        "--look",
        &demo("looks/salt-and-ember.look.json"),
        "--from",
        "acescct",
        "--to",
        "rec709",
        "-o",
        &other,
    ]);
    let told = run(&["identify", &other, "--among", &among, "--json"]);
    let json: Value = serde_json::from_slice(&told.stdout).unwrap();
    assert_eq!(told.status.code(), Some(if json["kinship"] == "near" { 3 } else { 4 }));
    assert!(json["kinship"] == "near" || json["kinship"] == "foreign", "{json}");
    assert!(json["mean"].as_f64().unwrap() > 1.0);
    assert!(fails(&["identify", &demo("workbench.png")]).contains("HaldCLUT"));
}

#[test]
fn wrong_plans_are_refused_before_anything_is_written() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let plan = plan(dir.path());
    let text = std::fs::read_to_string(&plan).unwrap();
    for (from, to, want) in [
        ("\"acescct\"", "\"nothing\"", "no encoding “nothing”"),
        ("\"spi3d\"", "\"spi1d\"", "Visual effects: an spi1d holds one curve"),
        ("\"size\":17", "\"size\":18", "17, 33 or 65"),
        ("harbour-dusk.look.json", "none.look.json", "No such file"),
        ("workbench.png", "harrier.camera.json", "no picture"),
        ("\"tiff\"", "\"gif\"", "not written as “gif”"),
        ("{\"kind\":\"look\"}", "{\"kind\":\"configuration\",\"displays\":[\"acescct\"]}", "is no display"),
    ] {
        std::fs::write(at("wrong.json"), text.replace(from, to)).unwrap();
        let said = fails(&["deliver", "--plan", &at("wrong.json"), "-o", &at("out.zip")]);
        assert!(said.contains(want), "{from} to {to}: {said}");
        let left = std::fs::read_dir(dir.path()).unwrap().map(|e| e.unwrap().file_name());
        let left: Vec<_> = left.filter(|n| n.to_string_lossy().contains("out.zip")).collect();
        assert!(left.is_empty(), "{left:?}");
    }
}

#[test]
fn opencolorio_shows_a_configurations_views_as_we_render_them() {
    let python = root().join(".venv/bin/python");
    assert!(python.is_file(), "OpenColorIO is installed by `cargo xtask test`");
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let displays = json!(["rec709", "pq"]);
    let plan = json!({
        "version": 1, "name": "Visual effects", "look": demo("looks/harbour-dusk.look.json"), "camera": demo("harrier.camera.json"),
        "receivers": [{ "name": "Visual effects", "deliveries": [{ "kind": "configuration", "displays": displays }] }],
    });
    std::fs::write(at("plan.json"), plan.to_string()).unwrap();
    lantern(&["deliver", "--plan", &at("plan.json"), "-o", &at("out")]);
    let config = at("out/visual-effects/configuration/config.ocio");
    let (camera, look) = (demo("harrier.camera.json"), demo("looks/harbour-dusk.look.json"));
    let plain = at("plain.json");
    std::fs::write(&plain, lantern_core::look::Look::new("Plain").to_json()).unwrap();
    let camera_name = serde_json::from_slice::<Value>(&std::fs::read(&camera).unwrap()).unwrap()["name"]
        .as_str()
        .unwrap()
        .to_owned();
    for (display, view, look) in
        [("rec709", "Harbour Dusk", &look), ("pq", "Harbour Dusk", &look), ("rec709", "Plain", &plain)]
    {
        let encoding = lantern_core::colour::Encoding::find(display).unwrap();
        let meter = lantern_core::bake::Meter::new(&encoding);
        for picture in ["workbench.png", "lantern-market.png"] {
            // Small: colours enough.
            let whole = std::fs::read(demo(picture)).unwrap();
            let small = lantern_formats::picture::read(&whole).unwrap().fit_within(480, 480);
            let picture = at("small.png");
            std::fs::write(
                &picture,
                lantern_formats::png::write(&small, lantern_formats::Depth::Sixteen).unwrap(),
            )
            .unwrap();
            lantern(&[
                "render",
                "--look",
                look,
                "--from",
                &camera,
                "--to",
                display,
                "--colour-only",
                "--overwrite",
                &picture,
                "-o",
                &at("ours.exr"),
            ]);
            let read = |p: &str| lantern_formats::picture::read(&std::fs::read(p).unwrap()).unwrap();
            let bytes: Vec<u8> =
                read(&picture).pixels.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
            std::fs::write(at("in.raw"), bytes).unwrap();
            let done = Command::new(&python)
                .arg(root().join("xtask/outside.py"))
                .args(["view", &config, &camera_name, &encoding.name, view, &at("in.raw"), &at("out.raw")])
                .output()
                .unwrap();
            assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
            let theirs = std::fs::read(at("out.raw")).unwrap();
            let theirs: Vec<f32> =
                theirs.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
            let theirs: Vec<[f32; 4]> = theirs.chunks_exact(4).map(|p| [p[0], p[1], p[2], p[3]]).collect();
            let apart = meter.differences(&read(&at("ours.exr")).pixels, &theirs);
            let mean = apart.iter().sum::<f64>() / apart.len() as f64;
            println!("{display} {view} {picture}: {mean:.3}");
            assert!(mean < 0.1, "{display} {view} {picture}: {mean}");
        }
    }
}

#[test]
fn texture_and_a_table_of_its_own_go_with_a_look_and_what_no_table_holds_is_said() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let read = |name: &str| -> Value {
        serde_json::from_slice(&std::fs::read(dir.path().join(name)).unwrap()).unwrap()
    };
    // A look that a CLF was taken apart into, which stays beneath its steps as a table, and texture.
    let brine = demo("looks/brine-light.look.json");
    let baked =
        ["bake", "--look", &brine, "--from", "rec709", "--to", "rec709", "--format", "clf", "--size", "17"];
    lantern(&[&baked[..], &["-o", &at("brine.clf")]].concat());
    lantern(&["unpick", &at("brine.clf"), "--from", "rec709", "--to", "rec709", "-o", &at("apart.json")]);
    let mut look = read("apart.json");
    let film: Value =
        serde_json::from_slice(&std::fs::read(root().join("core/starting-looks/amber-reel.json")).unwrap())
            .unwrap();
    let steps = look["path"]["steps"].as_array_mut().unwrap();
    assert!(steps.iter().any(|s| s["kind"] == "table"));
    let textures = ["halation", "grain"];
    let (mut zone, late): (Vec<Value>, Vec<Value>) = steps.drain(..).partition(|s| s["zone"] == "scene");
    zone.extend(
        film["path"]["steps"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|s| textures.contains(&s["kind"].as_str().unwrap()))
            .cloned(),
    );
    steps.extend(zone.into_iter().chain(late));
    std::fs::write(dir.path().join("look.json"), look.to_string()).unwrap();

    let plan = json!({
        "version": 1, "name": "All of it", "look": "look.json", "camera": demo("harrier.camera.json"),
        "pictures": [{ "path": demo("foggy-mole-002.png"), "encoding": "rec709", "name": "Mole" }],
        "receivers": [{ "name": "Finishing", "deliveries": [
            { "kind": "look" }, table("cube", "rec709", "rec709", "full"), { "kind": "stills", "format": "tiff", "to": "rec709" },
        ] }],
    });
    std::fs::write(dir.path().join("plan.json"), plan.to_string()).unwrap();
    lantern(&["deliver", "--plan", &at("plan.json"), "-o", &at("p")]);
    lantern(&["verify", &at("p")]);

    // Each texture once, by its name, in the manifest and for people.
    let manifest = read("p/manifest.json");
    let left: Vec<&str> =
        manifest["left_out"].as_array().unwrap().iter().map(|l| l["step"].as_str().unwrap()).collect();
    assert_eq!(left, ["Halation", "Grain"]);
    let html = std::fs::read_to_string(dir.path().join("p/report.html")).unwrap();
    assert!(html.contains("Not in any table") && html.contains("<b>Halation</b>: picture only"));

    // The look that was handed off is the look: its table, and its picture with texture, are those of the package.
    let find = |ending: &str| -> String {
        let mut files = manifest["files"].as_array().unwrap().iter().map(|f| f["path"].as_str().unwrap());
        at(&format!("p/{}", files.find(|p| p.ends_with(ending)).unwrap()))
    };
    let handed = find(".look.json");
    let again = [
        "bake",
        "--look",
        &handed,
        "--from",
        "rec709",
        "--to",
        "rec709",
        "--size",
        "17",
        "-o",
        &at("again.cube"),
    ];
    lantern(&again);
    let (a, b) = (numbers(&find(".cube")), numbers(&at("again.cube")));
    assert_eq!(a.len(), 17_usize.pow(3));
    assert!(a == b, "the table of the look that was handed off is another one");
    let picture = demo("foggy-mole-002.png");
    let render = ["render", "--look", &handed, "--from", "rec709", "--to", "rec709", &picture];
    lantern(&[&render[..], &["-o", &at("whole.tiff")]].concat());
    lantern(&[&render[..], &["--colour-only", "-o", &at("colour.tiff")]].concat());
    let still = std::fs::read(find(".tiff")).unwrap();
    assert!(still == std::fs::read(at("whole.tiff")).unwrap(), "the still has the look's texture");
    assert!(still != std::fs::read(at("colour.tiff")).unwrap(), "there is texture");
}

/// The numbers of a .cube, without its comments.
fn numbers(file: &str) -> Vec<String> {
    let text = std::fs::read_to_string(file).unwrap();
    text.lines()
        .filter(|l| l.starts_with(|c: char| c.is_ascii_digit() || c == '-'))
        .map(String::from)
        .collect()
}
