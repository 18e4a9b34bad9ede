//! Proxies on disk: a large picture is decoded and made small once, not at every start of the program.
//!
//! They can be made again at any time: nothing here is synced, what is damaged is left out, and the oldest go where they
//! grow too many.

use super::MediaFolder;
use crate::error::ApiResult;
use lantern_core::numeric::lane;
use lantern_core::picture::Picture;
use std::collections::HashSet;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::SystemTime;

/// The folder of proxies in the media folder.
const FOLDER: &str = "proxies";
const ENDING: &str = "proxy";
/// Goes up whenever the code makes another proxy of the same file: how it is decoded, made smaller, or encoded.
const FORM: &str = "4";
/// What they may take on disk: some thousand pictures. Above it the oldest go, down to three quarters.
const MOST_BYTES: u64 = 4 << 30;

/// Hash of what follows, width and height, what the samples are.
const HEAD: usize = 32 + 4 + 4 + 1;
/// Red, green and blue in 16 bits of 0..1, without alpha.
const CODES: u8 = 0;
/// Red, green, blue and alpha as floats.
const FLOATS: u8 = 1;

/// How many bytes of proxies there are.
#[derive(Clone, Debug, Default)]
pub struct Taken(Arc<AtomicU64>);

/// 2^23, from where on floats are whole numbers: added to a value below 2^16, it leaves that rounded in the lowest sixteen bits.
const WHOLE: f32 = 8_388_608.0;

/// What is kept of a picture, while its rows come.
pub struct Keeping {
    /// Pixels in a row.
    width: usize,
    bytes: Vec<u8>,
    /// Whether all that came was plain; see [`is_plain`].
    plain: bool,
}

impl Keeping {
    /// Of a picture of this width and height.
    pub fn new([width, height]: [usize; 2]) -> Self {
        let mut bytes = Vec::with_capacity(HEAD + width * height * 6);
        bytes.extend([0; 32]);
        bytes.extend((width as u32).to_le_bytes());
        bytes.extend((height as u32).to_le_bytes());
        bytes.push(CODES);
        Self { width, bytes, plain: true }
    }

    /// Takes the next row, and leaves of it what will be read again: colours in 0..1 are rounded to 16 bits where the whole
    /// row is made of such. Rows are of one width, and as many as the picture has.
    pub fn row(&mut self, row: &mut [[f32; 4]]) {
        let plain = is_plain(row);
        if self.plain && !plain {
            self.give_up_codes();
        }
        let begins = self.bytes.len();
        if self.plain {
            self.bytes.resize(begins + row.len() * 6, 0);
            lane::vectorised(Rounded { pixels: row, out: &mut self.bytes[begins..] });
            return;
        }
        if plain {
            let mut codes = vec![0; row.len() * 6];
            lane::vectorised(Rounded { pixels: row, out: &mut codes });
        }
        self.bytes.extend(row.as_flattened().iter().flat_map(|v| v.to_le_bytes()));
    }

    /// Makes floats of all codes so far: the values that these stand for.
    fn give_up_codes(&mut self) {
        let so_far = pixels(CODES, &self.bytes[HEAD..]);
        self.bytes.truncate(HEAD - 1);
        self.bytes.push(FLOATS);
        self.bytes.extend(so_far.as_flattened().iter().flat_map(|v| v.to_le_bytes()));
        self.plain = false;
    }

    /// A whole picture, rounded as it is kept.
    pub fn of(picture: &mut Picture) -> Self {
        let mut keeping = Self::new([picture.width(), picture.height()]);
        let width = keeping.width.max(1);
        picture.pixels.chunks_exact_mut(width).for_each(|row| keeping.row(row));
        keeping
    }

    /// The bytes of the file.
    fn file(mut self) -> Vec<u8> {
        let hash = blake3::hash(&self.bytes[32..]);
        self.bytes[..32].copy_from_slice(hash.as_bytes());
        self.bytes
    }
}

/// Whether all colours lie in 0..1 and nothing is transparent. A value that is no number is in no range.
fn is_plain(row: &[[f32; 4]]) -> bool {
    lane::vectorised(Plain(row))
}

struct Plain<'a>(&'a [[f32; 4]]);

impl pulp::NullaryFnOnce for Plain<'_> {
    type Output = bool;

    #[inline(always)]
    fn call(self) -> bool {
        // Told without a branch for each value.
        let mut all = [true; 4];
        for pixel in self.0 {
            for (all, (v, least)) in all.iter_mut().zip(pixel.iter().zip([0.0, 0.0, 0.0, 1.0])) {
                *all &= (*v >= least) & (*v <= 1.0);
            }
        }
        all == [true; 4]
    }
}

/// Rounds colours to 16 bits, and writes these.
struct Rounded<'a> {
    pixels: &'a mut [[f32; 4]],
    out: &'a mut [u8],
}

impl pulp::NullaryFnOnce for Rounded<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for (pixel, out) in self.pixels.iter_mut().zip(self.out.as_chunks_mut::<6>().0) {
            let mut codes = [0; 4];
            for (v, code) in pixel.iter_mut().zip(&mut codes) {
                // All lie in 0..1. A cast would hold at its ends, which the compiler does not vectorise.
                *code = (*v * 65_535.0 + WHOLE).to_bits() & 0xffff;
                *v = *code as f32 / 65_535.0;
            }
            let [r, g, b, _] = codes.map(|code| (code as u16).to_le_bytes());
            *out = [r[0], r[1], g[0], g[1], b[0], b[1]];
        }
    }
}

/// The pixels that samples of a kind stand for.
fn pixels(kind: u8, samples: &[u8]) -> Vec<[f32; 4]> {
    if kind == CODES {
        let code = |c: &[u8; 6], k: usize| f32::from(u16::from_le_bytes([c[k], c[k + 1]])) / 65_535.0;
        let codes = samples.as_chunks().0.iter();
        return codes.map(|c| [code(c, 0), code(c, 2), code(c, 4), 1.0]).collect();
    }
    let float = |c: &[u8; 16], k: usize| f32::from_le_bytes([c[k], c[k + 1], c[k + 2], c[k + 3]]);
    samples.as_chunks().0.iter().map(|c| [0, 4, 8, 12].map(|k| float(c, k))).collect()
}

/// The picture that bytes hold; `None` where they are not whole.
fn read(bytes: &[u8]) -> Option<Picture> {
    let (head, samples) = bytes.split_at_checked(HEAD)?;
    if blake3::hash(&bytes[32..]).as_bytes() != &head[..32] {
        return None;
    }
    let number =
        |at: usize| u32::from_le_bytes([head[at], head[at + 1], head[at + 2], head[at + 3]]) as usize;
    let (width, height) = (number(32), number(36));
    Picture::new(width, height, pixels(head[40], samples)).ok()
}

impl MediaFolder {
    /// Where the proxy of a file lies that was made in a way: its name says which file it is of.
    fn proxy_file(&self, media: &str, way: &str) -> ApiResult<PathBuf> {
        self.path(media)?;
        let way = blake3::hash(format!("{FORM}|{way}").as_bytes()).to_hex();
        Ok(self.root.join(FOLDER).join(format!("{media}-{}.{ENDING}", &way[..16])))
    }

    /// The proxy of a file that was made in a way, if it is here and whole.
    pub fn proxy(&self, media: &str, way: &str) -> Option<Picture> {
        let path = self.proxy_file(media, way).ok()?;
        let bytes = std::fs::read(&path).ok()?;
        let found = read(&bytes);
        if found.is_none() {
            tracing::warn!("{}: a damaged proxy is made again", path.display());
        }
        found
    }

    /// Keeps the proxy of a file. A disk that takes none is no reason to show no picture.
    pub fn keep_proxy(&self, media: &str, way: &str, proxy: Keeping) {
        let bytes = proxy.file();
        let kept = || -> ApiResult<()> {
            let path = self.proxy_file(media, way)?;
            let folder = self.root.join(FOLDER);
            std::fs::create_dir_all(&folder)?;
            let mut file = tempfile::NamedTempFile::new_in(&folder)?;
            file.write_all(&bytes)?;
            file.persist(path).map_err(|e| e.error)?;
            Ok(())
        };
        if let Err(e) = kept() {
            tracing::warn!("a proxy was not kept: {e}");
        }
        let length = bytes.len() as u64;
        if self.proxies.0.fetch_add(length, Ordering::Relaxed) + length > MOST_BYTES
            && let Err(e) = self.thin_proxies(MOST_BYTES / 4 * 3)
        {
            tracing::warn!("proxies: {e}");
        }
    }

    /// Takes away the proxies of all files but these, and what a process that was killed left half written. For a folder
    /// that nobody works in.
    pub fn keep_proxies(&self, of: &HashSet<String>) -> ApiResult<()> {
        for (path, _, _) in self.all_proxies()? {
            let name = path.file_name().and_then(|n| n.to_str()).unwrap_or_default();
            let whole = name.ends_with(ENDING);
            if !whole || name.get(..64).is_none_or(|media| !of.contains(media)) {
                std::fs::remove_file(path)?;
            }
        }
        self.thin_proxies(MOST_BYTES)
    }

    /// Takes the oldest away until at most `most` bytes are left.
    fn thin_proxies(&self, most: u64) -> ApiResult<()> {
        let mut all = self.all_proxies()?;
        all.sort_by_key(|(_, at, _)| *at);
        let mut bytes: u64 = all.iter().map(|(_, _, length)| length).sum();
        for (path, _, length) in all {
            if bytes <= most {
                break;
            }
            // Somebody else may be thinning them too.
            let _ = std::fs::remove_file(path);
            bytes -= length;
        }
        self.proxies.0.store(bytes, Ordering::Relaxed);
        Ok(())
    }

    fn all_proxies(&self) -> ApiResult<Vec<(PathBuf, SystemTime, u64)>> {
        let folder: &Path = &self.root.join(FOLDER);
        let Ok(entries) = std::fs::read_dir(folder) else { return Ok(Vec::new()) };
        let mut all = Vec::new();
        for entry in entries {
            let entry = entry?;
            // One that went meanwhile is none.
            let Ok(facts) = entry.metadata() else { continue };
            all.push((entry.path(), facts.modified()?, facts.len()));
        }
        Ok(all)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const MEDIA: [&str; 2] = [
        "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff",
        "ff112233445566778899aabbccddeeff00112233445566778899aabbccddeeff",
    ];

    fn folder() -> (tempfile::TempDir, MediaFolder) {
        let dir = tempfile::tempdir().unwrap();
        let folder = MediaFolder::open(dir.path()).unwrap();
        (dir, folder)
    }

    fn bits(p: &Picture) -> Vec<u32> {
        p.pixels.as_flattened().iter().map(|v| v.to_bits()).collect()
    }

    proptest! {
        #[test]
        fn what_is_read_is_what_was_shown_whatever_the_values(
            (width, height, values) in (1_usize..9, 1_usize..9).prop_flat_map(|(w, h)| {
                let value = prop_oneof![0.0_f32..=1.0, any::<f32>()];
                let pixel = (value.clone(), value.clone(), value, 0.9_f32..=1.0).prop_map(|(r, g, b, a)| [r, g, b, a]);
                (Just(w), Just(h), prop::collection::vec(pixel, w * h))
            }),
            opaque in any::<bool>(),
        ) {
            let mut pixels = values;
            if opaque {
                pixels.iter_mut().for_each(|p| p[3] = 1.0);
            }
            let before = Picture::new(width, height, pixels).unwrap();
            let mut shown = before.clone();
            let again = read(&Keeping::of(&mut shown).file()).unwrap();
            prop_assert_eq!([again.width(), again.height()], [width, height]);
            prop_assert_eq!(bits(&again), bits(&shown));
            // Rounding is half a code of 16 bits at most, and only in rows that need no more than codes.
            for (row, of) in shown.pixels.chunks(width).zip(before.pixels.chunks(width)) {
                let same = row.as_flattened().iter().zip(of.as_flattened()).all(|(a, b)| a.to_bits() == b.to_bits());
                prop_assert!(same || is_plain(of));
            }
            for (a, b) in shown.pixels.as_flattened().iter().zip(before.pixels.as_flattened()) {
                prop_assert!(a.to_bits() == b.to_bits() || (a - b).abs() <= 0.5001 / 65_535.0);
            }
        }

        #[test]
        fn no_bytes_make_it_panic_and_a_changed_one_is_seen(at in any::<prop::sample::Index>(), bit in 0_u8..8) {
            let mut picture = Picture::new(3, 2, vec![[0.25, 0.5, 0.75, 1.0]; 6]).unwrap();
            let mut bytes = Keeping::of(&mut picture).file();
            let at = at.index(bytes.len());
            prop_assert!(read(&bytes[..at]).is_none());
            bytes[at] ^= 1 << bit;
            prop_assert!(read(&bytes).is_none());
        }
    }

    #[test]
    fn of_files_that_are_gone_and_of_other_ways_there_are_none() {
        let (dir, folder) = folder();
        let mut picture = Picture::new(2, 1, vec![[0.5, 0.5, 0.5, 1.0]; 2]).unwrap();
        for media in MEDIA {
            folder.keep_proxy(media, "as log", Keeping::of(&mut picture));
        }
        assert!(folder.proxy(MEDIA[0], "as log").is_some() && folder.proxy(MEDIA[0], "as sRGB").is_none());
        std::fs::write(dir.path().join(FOLDER).join("half"), "half").unwrap();
        folder.keep_proxies(&[MEDIA[1].to_owned()].into()).unwrap();
        assert!(folder.proxy(MEDIA[0], "as log").is_none() && folder.proxy(MEDIA[1], "as log").is_some());
        assert_eq!(std::fs::read_dir(dir.path().join(FOLDER)).unwrap().count(), 1);
        // Only a hash becomes a path.
        folder.keep_proxy("../../outside", "as log", Keeping::of(&mut picture));
        assert!(folder.proxy("../../outside", "as log").is_none());
        assert!(!dir.path().join("../outside").exists());
    }

    #[test]
    fn where_there_are_too_many_the_oldest_go() {
        let (dir, folder) = folder();
        let mut picture = Picture::new(10, 10, vec![[0.5, 0.5, 0.5, 1.0]; 100]).unwrap();
        for k in 0..10_u64 {
            folder.keep_proxy(MEDIA[0], &k.to_string(), Keeping::of(&mut picture));
            let file = std::fs::File::open(folder.proxy_file(MEDIA[0], &k.to_string()).unwrap()).unwrap();
            file.set_modified(SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(k)).unwrap();
        }
        let one = (HEAD + 600) as u64;
        folder.thin_proxies(4 * one).unwrap();
        let left: Vec<bool> = (0..10).map(|k| folder.proxy(MEDIA[0], &k.to_string()).is_some()).collect();
        assert_eq!(left, [false, false, false, false, false, false, true, true, true, true]);
        assert_eq!(folder.proxies.0.load(Ordering::Relaxed), 4 * one);
        drop(dir);
    }
}
