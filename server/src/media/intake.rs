//! A file that arrived becomes a frame: told by its bytes, decoded once to the end, counted, kept.

use super::decode::{self, Scanned};
use super::{MediaFolder, Receiver};
use crate::error::{ApiError, ApiResult};
use crate::store::ids::ShotId;
use crate::store::productions::{Media, MediaKind};
use crate::store::shots::Frame;
use diesel::SqliteConnection;
use lantern_core::numeric::room::Room;
use lantern_formats::facts::Facts;
use lantern_formats::frame::Rows;
use std::collections::BTreeMap;
use tokio::sync::OwnedSemaphorePermit;

/// The largest picture file: it is decoded in memory.
pub const MOST_PICTURE: u64 = 1 << 30;

/// A picture that was taken in.
pub struct TakenIn<R> {
    /// Its row, without a shot.
    pub frame: Frame,
    /// What the file says of itself.
    pub facts: Facts,
    /// What saw its rows, where its format is read row by row.
    pub seen: R,
    /// Its pixels as they stand in the file, and how they are turned, where it is not.
    pub whole: Option<lantern_formats::frame::Frame>,
}

/// Reads a picture's bytes to their end. `see` says by what the file says of itself who sees its rows.
fn scanned<R: Rows>(
    name: &str,
    bytes: &[u8],
    see: impl FnOnce(&Facts) -> ApiResult<R>,
) -> ApiResult<(Scanned, R)> {
    let facts = decode::facts(name, bytes)?;
    let mut seen = see(&facts)?;
    Ok((decode::scan(name, bytes, facts, &mut seen)?, seen))
}

/// Refuses a file by its first bytes, before all of it is read.
fn check_head(name: &str, path: &std::path::Path) -> ApiResult<()> {
    use std::io::Read;
    let mut head = Vec::with_capacity(16);
    std::fs::File::open(path)?.take(16).read_to_end(&mut head)?;
    if lantern_formats::picture::is_known(&head) {
        return Ok(());
    }
    Err(ApiError::Invalid(format!("“{name}”: {}", lantern_formats::FormatError::UnknownPicture)))
}

fn taken<R>(name: &str, number: i32, hash: String, bytes: u64, (found, seen): (Scanned, R)) -> TakenIn<R> {
    let frame = Frame {
        shot_id: "".into(),
        number,
        name: name.into(),
        media_hash: hash,
        width: found.facts.width as i32,
        height: found.facts.height as i32,
        bytes: bytes as i64,
        healed: found.sanitised as i64,
    };
    TakenIn { frame, facts: found.facts, seen, whole: found.whole }
}

fn too_large(name: &str) -> ApiError {
    let most = MOST_PICTURE >> 20;
    ApiError::Invalid(format!("“{name}” is larger than {most} MB, the most for a picture"))
}

/// A picture file that arrived.
pub enum Arrived {
    /// It is safe on disk.
    Kept {
        /// Of its bytes.
        hash: String,
        /// Bytes.
        length: u64,
        /// Whether they were not here before.
        new: bool,
    },
    /// It is in memory, with the permission to be there: it reaches the disk while it is read.
    Whole(Room, OwnedSemaphorePermit),
}

impl Arrived {
    /// Keeps a file that arrived whole under a key. One that is no picture by its first bytes or too large is given up.
    pub fn keep(media: &MediaFolder, key: &str, name: &str) -> ApiResult<Self> {
        let path = media.part(key)?;
        if media.have(key)? > MOST_PICTURE {
            media.drop_part(key)?;
            return Err(too_large(name));
        }
        if path.exists() {
            check_head(name, &path).inspect_err(|_| drop(media.drop_part(key)))?;
        }
        let (hash, length, new) = media.keep_part(key)?;
        Ok(Self::Kept { hash, length, new })
    }

    /// Takes it in as a picture. `see` says by what the file says of itself who sees its rows. One that is refused is given up.
    pub fn take_in<R: Rows>(
        self,
        media: &MediaFolder,
        name: &str,
        number: i32,
        see: impl FnOnce(&Facts) -> ApiResult<R>,
    ) -> ApiResult<TakenIn<R>> {
        match self {
            Self::Kept { hash, length, new } => {
                let found = media.read(&hash).and_then(|bytes| scanned(name, &bytes, see));
                // Whoever sends the same bytes is refused too: nobody else needs them.
                let found = found.inspect_err(|_| {
                    if new {
                        media.forget(&hash)
                    }
                })?;
                Ok(taken(name, number, hash, length, found))
            }
            Self::Whole(bytes, _room) => whole(media, name, number, &bytes, see),
        }
    }
}

/// Takes in a file that lies on this machine; it reaches the disk while it is read. `see` says by what the file says of itself
/// who sees its rows.
pub fn file<R: Rows>(
    media: &MediaFolder,
    name: &str,
    number: i32,
    path: &std::path::Path,
    see: impl FnOnce(&Facts) -> ApiResult<R>,
) -> ApiResult<TakenIn<R>> {
    if std::fs::metadata(path)?.len() > MOST_PICTURE {
        return Err(too_large(name));
    }
    check_head(name, path)?;
    whole(media, name, number, &std::fs::read(path)?, see)
}

/// Takes in a picture whose bytes are in memory; they reach the disk while they are read.
fn whole<R: Rows>(
    media: &MediaFolder,
    name: &str,
    number: i32,
    bytes: &[u8],
    see: impl FnOnce(&Facts) -> ApiResult<R>,
) -> ApiResult<TakenIn<R>> {
    let write = || -> ApiResult<Receiver> {
        let mut receiver = media.receive()?;
        receiver.write(bytes)?;
        receiver.sync()?;
        Ok(receiver)
    };
    let (received, found) = std::thread::scope(|scope| {
        let writing = scope.spawn(write);
        let found = scanned(name, bytes, see);
        (writing.join().unwrap_or_else(|_| Err(ApiError::internal("writing a file broke down"))), found)
    });
    // One that is refused goes with its receiver.
    let found = found?;
    Ok(taken(name, number, received?.keep(media)?, bytes.len() as u64, found))
}

/// Saves a frame as one of a shot.
pub fn put(frame: &Frame, c: &mut SqliteConnection, shot: &ShotId) -> ApiResult<()> {
    let (hash, bytes) = (frame.media_hash.clone(), frame.bytes);
    Media::of(MediaKind::Picture, hash, bytes as u64).insert(c)?;
    Frame { shot_id: shot.clone(), ..frame.clone() }.put(c)
}

/// What stands before a frame number at the end of a name (before its ending), and the number: `sea.0042.exr` is
/// `sea.` and 42. `None` where there is no number, or one too long to be a frame's.
pub fn split_number(file: &str) -> Option<(&str, i32)> {
    let (stem, _) = file.rsplit_once('.')?;
    let digits = stem.len() - stem.trim_end_matches(|c: char| c.is_ascii_digit()).len();
    if digits == 0 || digits > 9 {
        return None;
    }
    let (before, number) = stem.split_at(stem.len() - digits);
    number.parse().ok().map(|n| (before, n))
}

/// Files that come in together: a still, a clip, or the frames of a sequence.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize, schemars::JsonSchema)]
#[schemars(rename = "FileGroup")]
pub struct Group {
    /// What the shot will be called.
    pub name: String,
    /// Whether it is a numbered sequence.
    pub sequence: bool,
    /// Whether it is a clip.
    pub clip: bool,
    /// Its files in order, with their frame numbers.
    pub files: Vec<(String, i32)>,
}

/// What the files of a sequence have alike: folder, what stands before their numbers, and ending.
type Alike<'a> = (&'a str, &'a str, &'a str);

/// The fewest numbered files that are one sequence: two may well be two stills.
const FEWEST: usize = 3;

/// The folder of a file's path, with `/` between folders, and its own name.
fn in_folder(path: &str) -> (&str, &str) {
    path.rsplit_once('/').unwrap_or(("", path))
}

/// Puts names of files together that are one shot: names in the same folder that differ in their frame number only. Names
/// whose number stands after a space are stills with numbers, as people name them. Names may be paths, with `/` between
/// folders, as a dropped folder has them.
pub fn group(paths: &[String]) -> Vec<Group> {
    let mut by_stem: BTreeMap<Alike<'_>, Vec<(String, i32)>> = BTreeMap::new();
    let mut groups = Vec::new();
    let single = |path: &str| Group {
        name: still_name(in_folder(path).1),
        sequence: false,
        clip: super::clip::is_clip_name(path),
        files: vec![(path.to_owned(), 0)],
    };
    for path in paths {
        let (folder, name) = in_folder(path);
        match split_number(name) {
            Some((stem, number)) if !stem.ends_with(' ') && !super::clip::is_clip_name(name) => {
                let ending = name.rsplit_once('.').map_or("", |(_, e)| e);
                by_stem.entry((folder, stem, ending)).or_default().push((path.clone(), number));
            }
            _ => groups.push(single(path)),
        }
    }
    for mut files in by_stem.into_values() {
        files.sort_by_key(|f| f.1);
        files.dedup_by_key(|f| f.1);
        if files.len() < FEWEST {
            groups.extend(files.iter().map(|(path, _)| single(path)));
        } else {
            groups.push(Group { name: sequence_name(&files), sequence: true, clip: false, files });
        }
    }
    tell_apart(&mut groups);
    groups.sort_by(|a, b| a.name.cmp(&b.name));
    groups
}

/// Whether a name says enough to be called by: three letters or digits.
fn speaks(name: &str) -> bool {
    name.chars().filter(|c| c.is_alphanumeric()).count() >= 3
}

/// A sequence's name: what its files have alike; where that is next to nothing, its folder's name or its numbers.
fn sequence_name(files: &[(String, i32)]) -> String {
    let (folder, first) = in_folder(&files[0].0);
    let stem = split_number(first).map_or("", |(stem, _)| stem).trim_end_matches(['.', '_', '-', ' ']);
    if speaks(stem) {
        return stem.into();
    }
    let folder = in_folder(folder).1;
    if speaks(folder) {
        return format!("{folder} {stem}").trim_end().into();
    }
    let (from, to) = (files[0].1, files[files.len() - 1].1);
    format!("{stem} {from}\u{2013}{to}").trim_start().into()
}

/// Gives groups that are called alike the names of their folders too.
fn tell_apart(groups: &mut [Group]) {
    let names: Vec<String> = groups.iter().map(|g| g.name.clone()).collect();
    for group in groups {
        let folder = in_folder(in_folder(&group.files[0].0).0).1;
        if !folder.is_empty() && names.iter().filter(|n| **n == group.name).count() > 1 {
            group.name = format!("{folder} {}", group.name);
        }
    }
}

/// A still's or clip's name: its file's, without the ending.
pub fn still_name(file: &str) -> String {
    file.rsplit_once('.').map_or(file, |(stem, _)| if stem.is_empty() { file } else { stem }).to_owned()
}

/// What stills joined to a sequence are called by: what their names have alike, else the first and the last.
pub fn joined_name(names: &[&str]) -> String {
    let (first, rest) = names.split_first().map_or(("", &[][..]), |(f, r)| (*f, r));
    let alike =
        |a: &str, b: &str| a.char_indices().zip(b.chars()).find(|((_, x), y)| x != y).map(|((i, _), _)| i);
    let mut common = first;
    for name in rest {
        let end = alike(common, name).unwrap_or(common.len().min(name.len()));
        common = &common[..end];
    }
    let common = common.trim_end_matches(|c: char| c.is_ascii_digit() || ['.', '_', '-', ' '].contains(&c));
    if speaks(common) { common.into() } else { format!("{first}\u{2013}{}", rest.last().unwrap_or(&first)) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn frame_numbers_are_the_last_digits_before_the_ending() {
        assert_eq!(split_number("sea.0042.exr"), Some(("sea.", 42)));
        assert_eq!(split_number("mole_v2_1001.dpx"), Some(("mole_v2_", 1001)));
        assert_eq!(split_number("0007.png"), Some(("", 7)));
        assert_eq!(split_number("harbour.png"), None);
        assert_eq!(split_number("scan 20250101123456.tif"), None);
        assert_eq!(still_name("harbour dusk.png"), "harbour dusk");
        assert_eq!(still_name("0007.png"), "0007");
        assert_eq!(still_name(".png"), ".png");
    }

    #[test]
    fn shots_are_called_by_what_tells_them_apart() {
        let called = |names: &[&str]| -> Vec<String> {
            let names: Vec<String> = names.iter().map(|n| (*n).into()).collect();
            group(&names).into_iter().map(|g| g.name).collect()
        };
        assert_eq!(called(&["s_1.png", "s_2.png", "s_3.png"]), ["s 1–3"]);
        assert_eq!(called(&["0001.png", "0002.png", "0003.png"]), ["1–3"]);
        assert_eq!(called(&["deck/0001.png", "deck/0002.png", "deck/0003.png"]), ["deck"]);
        assert_eq!(called(&["day/deck/s1.png", "day/deck/s2.png", "day/deck/s3.png"]), ["deck s"]);
        assert_eq!(called(&["sea.1.exr", "sea.2.exr", "sea.3.exr"]), ["sea"]);
        assert_eq!(
            called(&["left/wall.png", "right/wall.png", "mole.png"]),
            ["left wall", "mole", "right wall"]
        );
        // Two folders with the same numbers are two sequences.
        let two = ["a_cam/1.png", "a_cam/2.png", "a_cam/3.png", "b_cam/1.png", "b_cam/2.png", "b_cam/3.png"];
        assert_eq!(called(&two), ["a_cam", "b_cam"]);
    }

    #[test]
    fn joined_stills_are_called_by_what_they_have_alike() {
        assert_eq!(joined_name(&["deck_0012", "deck_0013", "deck_0100"]), "deck");
        assert_eq!(joined_name(&["a", "b"]), "a–b");
        assert_eq!(joined_name(&["wände", "wäsche"]), "wände–wäsche");
        assert_eq!(joined_name(&["mole", "mole"]), "mole");
    }

    #[test]
    fn files_that_differ_in_their_number_only_are_one_shot() {
        let names = [
            "b.0003.exr",
            "b.0001.exr",
            "b.0002.exr",
            "b.0001.dpx",
            "still.png",
            "wall 001.png",
            "wall 002.png",
            "wall 003.png",
            "c_1.png",
            "c_2.png",
            "go.mov",
        ];
        let groups = group(&names.map(String::from));
        let found: Vec<(&str, bool, usize)> =
            groups.iter().map(|g| (g.name.as_str(), g.sequence, g.files.len())).collect();
        assert_eq!(
            found,
            [
                ("b 1–3", true, 3),
                ("b.0001", false, 1),
                ("c_1", false, 1),
                ("c_2", false, 1),
                ("go", false, 1),
                ("still", false, 1),
                ("wall 001", false, 1),
                ("wall 002", false, 1),
                ("wall 003", false, 1)
            ]
        );
        assert_eq!(groups[0].files[0], ("b.0001.exr".to_owned(), 1));
        assert!(groups[4].clip);
    }
}
