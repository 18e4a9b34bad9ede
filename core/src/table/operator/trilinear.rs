//! A 3D table read straight along each axis: what the Common LUT Format means where a file says nothing else.

use crate::table::Table3;

/// Looks up planes of one length in place.
pub(super) fn run(table: &Table3, planes: [&mut [f32]; 3]) {
    let (n, domain) = (table.size(), table.domain());
    let scale = domain.scale(n);
    let nodes = table.nodes();
    let [red, green, blue] = planes;
    for ((r, g), b) in red.iter_mut().zip(green).zip(blue) {
        let rgb = [*r, *g, *b];
        let mut base = [0; 3];
        let mut share = [0.0_f32; 3];
        for c in 0..3 {
            // In this order a NaN becomes 0.
            let t = ((rgb[c] - domain.min[c]) * scale[c]).max(0.0).min((n - 1) as f32);
            base[c] = (t as usize).min(n - 2);
            share[c] = t - base[c] as f32;
        }
        let first = base[0] + n * (base[1] + n * base[2]);
        let mix = |a: [f32; 4], b: [f32; 4], t: f32| [0, 1, 2, 3].map(|i| a[i] + t * (b[i] - a[i]));
        let along = |at: usize| mix(nodes[at], nodes[at + 1], share[0]);
        let near = mix(along(first), along(first + n), share[1]);
        let far = mix(along(first + n * n), along(first + n * n + n), share[1]);
        let out = mix(near, far, share[2]);
        (*r, *g, *b) = (out[0], out[1], out[2]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::Domain;

    #[test]
    fn the_middle_of_a_cell_is_the_mean_of_its_corners_and_beyond_the_ends_it_is_held() {
        let nodes: Vec<[f32; 3]> = (0..8).map(|i| [(i * i) as f32, i as f32, 1.0]).collect();
        let table = Table3::new(2, Domain::UNIT, &nodes).unwrap();
        let mut planes = [[0.5, 7.0], [0.5, 7.0], [0.5, 7.0]];
        run(&table, planes.each_mut().map(|p| &mut p[..]));
        // 0 + 1 + 4 + 9 + 16 + 25 + 36 + 49 is 140.
        assert_eq!((planes[0][0], planes[1][0], planes[0][1]), (17.5, 3.5, 49.0));
    }
}
