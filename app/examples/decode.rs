//! How long decoding pictures takes and nothing else, on two threads: the yardstick for bringing them in. Prints milliseconds.

use rayon::prelude::*;
use std::time::Instant;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let files: Vec<String> = std::env::args().skip(1).collect();
    let pool = rayon::ThreadPoolBuilder::new().num_threads(2).build()?;
    let begun = Instant::now();
    let pixels: usize = pool.install(|| {
        let decoded = files.par_iter().map(|f| {
            let bytes = std::fs::read(f).unwrap_or_default();
            lantern_formats::picture::read(&bytes).map_or(0, |p| p.pixels.len())
        });
        decoded.sum()
    });
    println!("{} {pixels}", begun.elapsed().as_millis());
    Ok(())
}
