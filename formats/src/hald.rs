//! HaldCLUT pictures: a 3D table laid out as a square picture, red fastest, row after row. A picture of level L has
//! L^3 pixels on a side and holds a table of L^2 points on a side.

use crate::FormatError;
use crate::registry::TableFormat;
use lantern_core::picture::Picture;
use lantern_core::table::{Domain, SIZES, Table, Table3};

/// The format.
pub const FORMAT: TableFormat = TableFormat {
    id: "hald",
    name: "HaldCLUT",
    endings: &["png"],
    begins: is_png,
    read,
    write: Some(|table, _| write(table)),
    holds: "one 3D table over 0..1 with a square number of points on a side",
};

fn broken(why: impl std::fmt::Display) -> FormatError {
    FormatError::broken("HaldCLUT", why)
}

/// The level of a picture's size, where it is the size of one.
pub fn level(width: usize, height: usize) -> Option<usize> {
    (2..=16).find(|l| l * l * l == width && width == height)
}

/// Whether bytes are a PNG, which is what such tables are kept in.
pub fn is_png(bytes: &[u8]) -> bool {
    bytes.starts_with(b"\x89PNG\r\n\x1a\n")
}

/// Reads a table from a PNG of 8 or 16 bit.
pub fn read(bytes: &[u8], title: &str) -> Result<Table, FormatError> {
    // By its header: what has not the size of a table is not decoded at all.
    let facts = crate::facts::read(bytes)?;
    let (w, h) = (facts.width, facts.height);
    let level = level(w, h).ok_or_else(|| {
        broken(format!("a table's picture is square with 8, 27, 64, 125, 216, 343, 512, 729, 1000 or 1331 pixels on a side; this one has {w} x {h}"))
    })?;
    let size = level * level;
    if !SIZES.contains(&size) {
        return Err(broken(format!("{size} points on a side are more than {}", SIZES.end())));
    }
    let picture = crate::png::read(bytes)?;
    let nodes: Vec<[f32; 3]> = picture.pixels.iter().map(|p| [p[0], p[1], p[2]]).collect();
    let cube = Table3::new(size, Domain::UNIT, &nodes)?;
    Ok(Table::new(title.chars().take(200).collect(), None, Some(cube))?)
}

/// Writes a table as a PNG of 16 bit: values are held to 0..1 and rounded.
pub fn write(table: &Table) -> Result<Vec<u8>, FormatError> {
    let holds_not = || broken(format!("it holds {}; this is {}", FORMAT.holds, table.summary()));
    let (None, Some(cube)) = table.parts().ok_or_else(holds_not)? else { return Err(holds_not()) };
    let level = (2..=11).find(|l| l * l == cube.size()).ok_or_else(holds_not)?;
    if cube.domain() != Domain::UNIT {
        return Err(holds_not());
    }
    let pixels = cube.nodes().iter().map(|n| [n[0], n[1], n[2], 1.0]).collect();
    let side = level * cube.size();
    crate::png::write(&Picture::new(side, side, pixels)?, crate::Depth::Sixteen)
}

/// The points on a side of the smallest such table with at least as many points as another; at most 121.
pub fn points_for(size: usize) -> usize {
    (2..=11).map(|l| l * l).find(|n| *n >= size).unwrap_or(121)
}

/// The picture of the table of a level that changes nothing, for programs to be sent through.
pub fn identity(level: usize) -> Option<Picture> {
    let size = level * level;
    let side = level * size;
    let at = |i: usize| i as f32 / (size - 1) as f32;
    let pixels =
        (0..side * side).map(|i| [at(i % size), at(i / size % size), at(i / (size * size)), 1.0]).collect();
    Picture::new(side, side, pixels).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Depth;

    #[test]
    fn the_identity_of_a_level_is_read_as_a_table_that_changes_nothing() {
        let bytes = crate::png::write(&identity(3).unwrap(), Depth::Sixteen).unwrap();
        let table = read(&bytes, "identity").unwrap();
        assert_eq!(table.cube().unwrap().size(), 9);
        for rgb in [[0.0, 0.5, 1.0], [0.31, 0.2, 0.77]] {
            let mut p = [[rgb[0], rgb[1], rgb[2], 1.0]];
            table.apply(&mut p);
            assert!(p[0].iter().zip(rgb).all(|(v, want)| (v - want).abs() < 2e-5), "{p:?}");
        }
    }

    #[test]
    fn what_is_written_comes_back_within_half_a_code_and_what_does_not_fit_is_refused() {
        let nodes: Vec<[f32; 3]> =
            (0..16_usize.pow(3)).map(|i| [i as f32 / 4095.0, 0.25, (i % 16) as f32 / 15.0]).collect();
        let cube = Table3::new(16, Domain::UNIT, &nodes).unwrap();
        let table = Table::new("t".into(), None, Some(cube)).unwrap();
        let back = read(&write(&table).unwrap(), "t").unwrap();
        let apart = |(a, b): (&[f32; 4], &[f32; 4])| (0..3).map(|c| (a[c] - b[c]).abs()).fold(0.0, f32::max);
        let (a, b) = (table.cube().unwrap().nodes(), back.cube().unwrap().nodes());
        assert!(a.iter().zip(b).map(apart).fold(0.0, f32::max) <= 0.51 / 65_535.0);
        let odd = Table3::new(3, Domain::UNIT, &nodes[..27]).unwrap();
        assert!(
            write(&Table::new("t".into(), None, Some(odd)).unwrap())
                .unwrap_err()
                .to_string()
                .contains("square")
        );
        assert_eq!([17, 33, 65, 128].map(points_for), [25, 36, 81, 121]);
    }

    #[test]
    fn other_pictures_are_no_tables() {
        let odd = Picture::new(9, 9, vec![[0.5; 4]; 81]).unwrap();
        let bytes = crate::png::write(&odd, Depth::Eight).unwrap();
        assert!(read(&bytes, "").unwrap_err().to_string().contains("9 x 9"));
        assert!(read(b"\x89PNG\r\n\x1a\nnothing", "").is_err());
        // A header that promises 268 megapixels, with nothing behind it: refused for its size, not for what is missing.
        let mut huge = bytes.clone();
        huge[16..24].copy_from_slice(&[0, 0, 0x40, 0, 0, 0, 0x40, 0]);
        let sum = crate::png::crc(&huge[12..29]);
        huge[29..33].copy_from_slice(&sum.to_be_bytes());
        assert!(read(&huge, "").unwrap_err().to_string().contains("16384 x 16384"));
        assert_eq!((level(512, 512), level(512, 511), level(4096, 4096)), (Some(8), None, Some(16)));
    }
}
