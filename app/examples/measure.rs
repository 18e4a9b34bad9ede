use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::look::{Look, Path, Program, starting};
use lantern_core::table::{self, fidelity::{Meter, percentile}, bake::Bake};
use std::sync::atomic::AtomicBool;
fn enc(id: &str) -> Encoding {
    Encoding::find(id).unwrap_or_else(|| {
        let p: CameraProfile = serde_json::from_str(&std::fs::read_to_string(id).unwrap()).unwrap();
        p.encoding().unwrap()
    })
}
fn shipped() -> Vec<Look> {
    let mut looks: Vec<Look> = starting::looks().iter().map(|s| s.look.clone()).collect();
    let mut files: Vec<_> = std::fs::read_dir("demo/data/looks").unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    looks.extend(files.iter().map(|f| Look::from_json(&std::fs::read_to_string(f).unwrap()).unwrap()));
    if let Ok(only) = std::env::var("ONLY") { looks.retain(|l| l.name.contains(&only)); }
    looks
}
type Px = Vec<[f32; 4]>;
fn thin(p: Px) -> Px { let k = (p.len() / 15000).max(1); p.into_iter().step_by(k).collect() }
fn read(f: &str) -> Px { thin(lantern_formats::picture::read(&std::fs::read(f).unwrap()).unwrap().pixels) }
fn run(p: &Program, a: &Px) -> Px { let mut o = a.clone(); p.run_parallel(&mut o); o }
fn demo() -> Vec<Px> {
    let cam = enc("demo/data/harrier.camera.json");
    let to = Program::compile(&Path::default(), &cam, &enc("acescg")).unwrap();
    ["workbench.png","lantern-market.png","kelp-greenhouse.png","lamp-room-lamp.png","mole-morning.png","lamp-room-keeper.png"].iter().map(|f| run(&to, &read(&format!("demo/data/{f}")))).collect()
}
fn photos() -> Vec<Px> {
    let mut f: Vec<_> = std::fs::read_dir("/tmp/w/photos").unwrap().map(|f| f.unwrap().path().display().to_string()).collect();
    f.sort();
    f.iter().map(|f| read(f)).collect()
}
fn stats(mut d: Vec<f64>) -> (f64, f64, f64) {
    let m = d.iter().sum::<f64>() / d.len() as f64;
    let w = d.iter().cloned().fold(0.0, f64::max);
    (m, percentile(&mut d, 0.99), w)
}
fn main() {
    let a: Vec<String> = std::env::args().collect();
    let looks = shipped();
    match a[1].as_str() {
        "pair" => {
            let disp = enc(&a[2]);
            let meter = Meter::new(&disp);
            let lin = enc("acescg");
            let mut all = vec![];
            let l709 = Program::compile(&Path::default(), &enc("linear-rec709"), &lin).unwrap();
            let unsrgb: Vec<Px> = photos().into_iter().map(|p| { let p: Px = p.into_iter().map(|v| [0,1,2,3].map(|c| if c==3 {1.0} else { 1.6*v[c].powf(2.2) })).collect(); run(&l709, &p) }).collect();
            let show = Program::compile(&Path::default(), &lin, &disp).unwrap();
            for (name, set) in [("demo", demo()), ("photo", unsrgb)] {
                for look in &looks {
                    let (direct, through) = (Program::compile(&look.path, &lin, &disp).unwrap(), Program::compile(&look.path, &disp, &disp).unwrap());
                    let mut d = vec![];
                    for p in &set { d.extend(meter.differences(&run(&direct, p), &run(&through, &run(&show, p)))); }
                    let s = stats(d);
                    if a.len() > 3 { println!("{name} {} {:.3} {:.2} {:.2}", look.name, s.0, s.1, s.2); }
                    all.push(s);
                }
                println!("{name}: mean of means {:.3}, worst mean {:.3}, median p99 {:.2}", all.iter().map(|s| s.0).sum::<f64>()/all.len() as f64, all.iter().map(|s| s.0).fold(0.0,f64::max), percentile(&mut all.iter().map(|s| s.1).collect::<Vec<_>>(), 0.5));
                all.clear();
            }
        }
        "table" => {
            let (from, to) = (enc(&a[2]), enc(&a[3]));
            let meter = Meter::new(&to);
            let lin = enc("acescg");
            let into = Program::compile(&Path::default(), &lin, &from).unwrap();
            let mut sets = vec![("demo", demo().iter().map(|p| run(&into, p)).collect::<Vec<_>>())];
            if from.reference == lantern_core::colour::Reference::Display { sets.push(("photo", photos())); }
            for size in [33, 65] {
                for look in &looks {
                    let program = Program::compile(&look.path, &from, &to).unwrap();
                    let table = table::bake(&program, &Bake::plan(&from, size), "t", &AtomicBool::new(false)).unwrap().unwrap();
                    let mut line = format!("{size} {:22}", look.name);
                    for (name, set) in &sets {
                        let mut d = vec![];
                        for p in set { let mut t = p.clone(); table.apply_parallel(&mut t); d.extend(meter.differences(&run(&program, p), &t)); }
                        let s = stats(d);
                        line += &format!(" {name} {:.3} {:.2} {:.1}", s.0, s.1, s.2);
                    }
                    println!("{line}");
                }
            }
        }
        _ => {}
    }
}
