//! ICC profiles of our display encodings (ISO 15076-1, version 4.4): matrix and curve, and the code points beside them.
//!
//! Written here because libraries put the time of writing into them: the same picture would be another file each time.

use lantern_core::colour::{Adaptation, Encoding, Reference, chromaticity::xyz_to_xy, transfer::Transfer};

/// The profile connection space's white: D50 as the standard rounds it (7.2.16).
pub(crate) const D50: [f64; 3] = [0.9642, 1.0, 0.8249];
/// Entries of a curve that has no formula in the standard.
const ENTRIES: u16 = 4096;

/// Primaries and transfer of ITU-T H.273, tables 2 and 3, of an encoding. `None` where there are none: scene encodings, and
/// the power of 2.6 with D65.
pub fn code_points(encoding: &Encoding) -> Option<[u8; 2]> {
    Some(match (encoding.id.as_str(), &encoding.transfer) {
        ("rec709", _) => [1, 1],
        ("srgb", _) => [1, 13],
        ("display-p3", _) => [12, 13],
        ("rec2020", _) => [9, 14],
        (_, Transfer::Pq) => [9, 16],
        (_, Transfer::Hlg) => [9, 18],
        ("linear-rec709", _) => [1, 8],
        ("linear-p3-d65", _) => [12, 8],
        ("linear-rec2020", _) => [9, 8],
        _ => return None,
    })
}

/// The profile of a display encoding, the same bytes each time. `None` for scene encodings: a profile's light ends at white.
pub fn profile(encoding: &Encoding) -> Option<Vec<u8>> {
    if encoding.reference != Reference::Display {
        return None;
    }
    let to_xyz = encoding.primaries.to_xyz();
    let chad = Adaptation::Bradford.between(encoding.primaries.white, xyz_to_xy(D50));
    let colorants = chad.after(&to_xyz).0;
    let xyz = |v: [f64; 3]| tag(b"XYZ ", v.iter().flat_map(|v| fixed(*v)).collect());
    let colorant = |c: usize| xyz([0, 1, 2].map(|row: usize| colorants[row][c]));
    let mut tags: Vec<(&[u8; 4], Vec<u8>)> = vec![
        (b"desc", text(&encoding.title)),
        (b"cprt", text("no rights reserved")),
        (b"wtpt", xyz(D50)),
        (b"chad", tag(b"sf32", chad.0.iter().flatten().flat_map(|v| fixed(*v)).collect())),
        (b"rXYZ", colorant(0)),
        (b"gXYZ", colorant(1)),
        (b"bXYZ", colorant(2)),
        (b"rTRC", curve(encoding)),
        (b"gTRC", curve(encoding)),
        (b"bTRC", curve(encoding)),
    ];
    if let Some([primaries, transfer]) = code_points(encoding) {
        tags.push((b"cicp", tag(b"cicp", vec![primaries, transfer, 0, 1])));
    }
    let mut table = (tags.len() as u32).to_be_bytes().to_vec();
    let mut data: Vec<u8> = Vec::new();
    let begin = 128 + 4 + 12 * tags.len();
    for (name, mut bytes) in tags {
        table.extend_from_slice(name);
        // Tags begin at multiples of four; what is there already is pointed to again.
        let at = match data.windows(bytes.len()).step_by(4).position(|w| w == bytes) {
            Some(words) => 4 * words,
            None => data.len(),
        };
        table.extend_from_slice(&((begin + at) as u32).to_be_bytes());
        table.extend_from_slice(&(bytes.len() as u32).to_be_bytes());
        if at == data.len() {
            bytes.resize(bytes.len().next_multiple_of(4), 0);
            data.append(&mut bytes);
        }
    }
    let mut out = header((begin + data.len()) as u32);
    out.append(&mut table);
    out.append(&mut data);
    Some(out)
}

/// Clause 7.2: a display's profile of RGB over XYZ, for relative colorimetry.
fn header(size: u32) -> Vec<u8> {
    let mut h = vec![0; 128];
    h[..4].copy_from_slice(&size.to_be_bytes());
    h[8..12].copy_from_slice(&[4, 0x40, 0, 0]);
    h[12..24].copy_from_slice(b"mntrRGB XYZ ");
    // A day that is none: what a profile says has no date.
    for (at, v) in [(24, 2000_u16), (26, 1), (28, 1)] {
        h[at..at + 2].copy_from_slice(&v.to_be_bytes());
    }
    h[36..40].copy_from_slice(b"acsp");
    h[67] = 1;
    for (c, v) in D50.iter().enumerate() {
        h[68 + 4 * c..72 + 4 * c].copy_from_slice(&fixed(*v));
    }
    h
}

/// A number as s15Fixed16.
fn fixed(v: f64) -> [u8; 4] {
    ((v * 65536.0).round() as i32).to_be_bytes()
}

fn tag(kind: &[u8; 4], mut body: Vec<u8>) -> Vec<u8> {
    let mut out = kind.to_vec();
    out.extend_from_slice(&[0; 4]);
    out.append(&mut body);
    out
}

/// A text in English (clause 10.15).
fn text(words: &str) -> Vec<u8> {
    let units: Vec<u8> = words.encode_utf16().flat_map(u16::to_be_bytes).collect();
    let mut body = [1_u32, 12].map(u32::to_be_bytes).concat();
    body.extend_from_slice(b"enUS");
    body.extend([units.len() as u32, 28].map(u32::to_be_bytes).concat());
    body.extend(units);
    tag(b"mluc", body)
}

/// Code value to light, 1 at the display's peak.
fn curve(encoding: &Encoding) -> Vec<u8> {
    match encoding.transfer {
        Transfer::Power(power) => {
            // Clause 10.18, function type 0: Y = X^g.
            let body = [&[0, 0, 0, 0][..], &fixed(power.into())].concat();
            tag(b"para", body)
        }
        Transfer::Srgb => {
            // Function type 3: Y = (aX + b)^g from d on, cX below (IEC 61966-2-1).
            let numbers = [2.4, 1.0 / 1.055, 0.055 / 1.055, 1.0 / 12.92, 0.040_45];
            let body: Vec<u8> = [0, 3, 0, 0].into_iter().chain(numbers.into_iter().flat_map(fixed)).collect();
            tag(b"para", body)
        }
        _ => {
            let peak = encoding.display().headroom as f32;
            let most = f32::from(ENTRIES - 1);
            let light = |i: u16| encoding.transfer.decoded([f32::from(i) / most; 3])[0] / peak;
            let entries = (0..ENTRIES).map(light).map(|v| (v.clamp(0.0, 1.0) * 65535.0).round() as u16);
            let mut body = u32::from(ENTRIES).to_be_bytes().to_vec();
            body.extend(entries.flat_map(u16::to_be_bytes));
            tag(b"curv", body)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_profile_has_one_curve_for_three_channels_and_the_same_bytes_each_time() {
        let srgb = Encoding::find("srgb").unwrap();
        let bytes = profile(&srgb).unwrap();
        assert_eq!(bytes, profile(&srgb).unwrap());
        assert_eq!(u32::from_be_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]) as usize, bytes.len());
        assert_eq!(bytes.windows(4).filter(|w| *w == b"para").count(), 1);
        // IEC 61966-2-1 with the Bradford adaptation to D50, as published with the standard's own profile: red
        // 0.4361, 0.2225, 0.0139.
        let at = |tag: &[u8; 4]| {
            let i = (0..20).find(|i| &bytes[132 + 12 * i..136 + 12 * i] == tag).unwrap();
            let b = &bytes[136 + 12 * i..140 + 12 * i];
            u32::from_be_bytes([b[0], b[1], b[2], b[3]]) as usize
        };
        let number = |at: usize| {
            f64::from(i32::from_be_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]])) / 65536.0
        };
        for (c, want) in [0.4361, 0.2225, 0.0139].into_iter().enumerate() {
            let found = number(at(b"rXYZ") + 8 + 4 * c);
            assert!((found - want).abs() < 2e-4, "{found}, not {want}");
        }
        assert_eq!(at(b"rTRC"), at(b"bTRC"));
    }

    #[test]
    fn scene_encodings_have_none() {
        assert!(profile(&Encoding::find("acescct").unwrap()).is_none());
        assert!(code_points(&Encoding::find("acescct").unwrap()).is_none());
    }
}
