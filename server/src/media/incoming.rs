//! Files on their way in. Each is written under a key that its sender made from name, length and time, so that after
//! a broken connection, a closed page or a killed server it goes on where it broke off.

use super::MediaFolder;
use crate::api::body::{LEAST, Pace, WINDOW};
use crate::error::{ApiError, ApiResult};
use futures_util::Stream;
use lantern_core::numeric::room::Room;
use std::io::Read;
use std::path::PathBuf;
use std::time::{Duration, SystemTime};
use tokio::io::AsyncWriteExt;

/// The largest file that is taken in: a long clip.
pub const MOST_BYTES: u64 = 64 << 30;
/// The largest file that is taken in from memory, as a whole: a photograph, or a frame of film.
pub const MOST_WHOLE: usize = 32 << 20;
/// How long a file that broke off waits to be gone on with.
const PATIENCE: Duration = Duration::from_secs(14 * 24 * 3600);
/// Bytes after which a file's kind can be told.
const HEAD: usize = 16;

impl MediaFolder {
    /// Where files are written while they come in.
    pub(super) fn incoming(&self) -> PathBuf {
        self.root.join("incoming")
    }

    /// Takes away temporary files of a killed process, and parts that nobody went on with for two weeks.
    pub(super) fn tidy_incoming(&self) -> ApiResult<()> {
        for entry in std::fs::read_dir(self.incoming())? {
            let entry = entry?;
            let part = entry.path().extension().is_some_and(|e| e == "part");
            let touched = entry.metadata()?.modified()?;
            let old = SystemTime::now().duration_since(touched).is_ok_and(|age| age > PATIENCE);
            if !part || old {
                std::fs::remove_file(entry.path())?;
            }
        }
        Ok(())
    }

    /// The file of a key. Only 64 hexadecimal digits become a path.
    pub fn part(&self, key: &str) -> ApiResult<PathBuf> {
        if key.len() != 64 || !key.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b)) {
            return Err(ApiError::Invalid("a file's key is 64 hexadecimal digits".into()));
        }
        Ok(self.incoming().join(format!("{key}.part")))
    }

    /// How many bytes of a file are here.
    pub fn have(&self, key: &str) -> ApiResult<u64> {
        Ok(std::fs::metadata(self.part(key)?).map_or(0, |m| m.len()))
    }

    /// Takes what comes of a file from byte `from` on, writing it as it comes; gives how many bytes are here then.
    /// What came before a break stays.
    pub async fn take<E: std::fmt::Display>(
        &self,
        key: &str,
        from: u64,
        name: &str,
        mut body: impl Stream<Item = Result<actix_web::web::Bytes, E>> + Unpin,
    ) -> ApiResult<u64> {
        let path = self.part(key)?;
        let have = self.have(key)?;
        if have != from {
            return Err(ApiError::Invalid(format!("{have} bytes of “{name}” are here: go on from there")));
        }
        let mut file = tokio::fs::OpenOptions::new().create(true).append(true).open(&path).await?;
        let (mut length, mut told) = (have, have >= HEAD as u64);
        let mut pace = Pace::new(WINDOW);
        loop {
            let chunk = match pace.next(&mut body).await {
                Ok(None) => break,
                Ok(Some(Ok(chunk))) => chunk,
                Ok(Some(Err(e))) => {
                    file.flush().await?;
                    return Err(broken(name, e));
                }
                Err(slow) => {
                    file.flush().await?;
                    // So little is sent again sooner than it is gone on with.
                    if length < LEAST as u64 {
                        tokio::fs::remove_file(&path).await?;
                    }
                    return Err(broken(name, slow));
                }
            };
            file.write_all(&chunk).await?;
            length += chunk.len() as u64;
            if !told && length >= HEAD as u64 {
                told = true;
                file.flush().await?;
                let mut head = [0; HEAD];
                std::fs::File::open(&path)?.read_exact(&mut head)?;
                if let Err(e) = check_head(&head, name) {
                    tokio::fs::remove_file(&path).await?;
                    return Err(e);
                }
            }
            if length > MOST_BYTES {
                tokio::fs::remove_file(&path).await?;
                let most = MOST_BYTES >> 30;
                return Err(ApiError::Invalid(format!(
                    "“{name}” is larger than {most} GB, the most that is taken in"
                )));
            }
        }
        file.flush().await?;
        Ok(length)
    }

    /// Takes a picture file of a length that comes as a whole, into memory. Where it breaks off, what came is kept under its
    /// key, to be gone on with.
    pub async fn take_whole<E: std::fmt::Display>(
        &self,
        key: &str,
        name: &str,
        length: usize,
        mut body: impl Stream<Item = Result<actix_web::web::Bytes, E>> + Unpin,
    ) -> ApiResult<Room> {
        let path = self.part(key)?;
        let have = self.have(key)?;
        if have > 0 {
            return Err(ApiError::Invalid(format!("{have} bytes of “{name}” are here: go on from there")));
        }
        if length > MOST_WHOLE {
            let most = MOST_WHOLE >> 20;
            return Err(ApiError::Invalid(format!(
                "“{name}” is larger than {most} MB, the most that comes as a whole: send it in pieces"
            )));
        }
        let (mut part, mut told) = (Part { path, room: Room::of(length), have: 0 }, false);
        let mut pace = Pace::new(WINDOW);
        loop {
            let why = match pace.next(&mut body).await {
                Ok(None) if part.have == length => return Ok(part.end()),
                Ok(None) => "it is shorter than was said".to_owned(),
                Ok(Some(Ok(chunk))) if part.have + chunk.len() > length => {
                    part.end();
                    return Err(ApiError::Invalid(format!("“{name}” is longer than was said")));
                }
                Ok(Some(Ok(chunk))) => {
                    part.take(&chunk);
                    if !told && let Some(head) = part.came().first_chunk::<HEAD>() {
                        if let Err(e) = check_head(head, name) {
                            part.end();
                            return Err(e);
                        }
                        told = true;
                    }
                    continue;
                }
                Ok(Some(Err(e))) => e.to_string(),
                Err(slow) if part.have < LEAST => {
                    part.end();
                    return Err(broken(name, slow));
                }
                Err(slow) => slow,
            };
            return Err(broken(name, why));
        }
    }

    /// Keeps a file that is whole: hashed piece by piece, synced, then moved to its place. Gives hash, length, and
    /// whether its bytes were not here before.
    pub fn keep_part(&self, key: &str) -> ApiResult<(String, u64, bool)> {
        let path = self.part(key)?;
        let mut hasher = blake3::Hasher::new();
        let mut file = std::fs::File::open(&path).map_err(|_| ApiError::NotFound("arrived file"))?;
        let length = std::io::copy(&mut file, &mut hasher)?;
        file.sync_all()?;
        let hash = hasher.finalize().to_hex().to_string();
        let new = self.put(&path, &hash)?;
        // Where the same bytes were here already, the part is not needed any more.
        let _ = std::fs::remove_file(&path);
        Ok((hash, length, new))
    }

    /// Gives up a file.
    pub fn drop_part(&self, key: &str) -> ApiResult<()> {
        let _ = std::fs::remove_file(self.part(key)?);
        Ok(())
    }
}

/// What came of a file. Unless it is whole it is kept, to be gone on with, also where the request that brings it is given up.
struct Part {
    path: PathBuf,
    /// Room for all of it.
    room: Room,
    /// Bytes that came.
    have: usize,
}

impl Part {
    /// What came so far.
    fn came(&self) -> &[u8] {
        &self.room[..self.have]
    }

    /// Takes what comes next, for which there is room.
    fn take(&mut self, chunk: &[u8]) {
        self.room[self.have..][..chunk.len()].copy_from_slice(chunk);
        self.have += chunk.len();
    }

    /// Gives what came, whole or refused: nothing of it is kept any more.
    fn end(mut self) -> Room {
        self.have = 0;
        std::mem::replace(&mut self.room, Room::of(0))
    }
}

impl Drop for Part {
    fn drop(&mut self) {
        let came = self.came();
        if !came.is_empty()
            && let Err(e) = std::fs::write(&self.path, came)
        {
            tracing::warn!("{}: {e}", self.path.display());
        }
    }
}

fn broken(name: &str, why: impl std::fmt::Display) -> ApiError {
    ApiError::Invalid(format!("“{name}” broke off: {why}; send it again to go on"))
}

/// Refuses, by its first bytes, what can be neither picture nor clip: a gigabyte of text need not come in whole.
fn check_head(head: &[u8], name: &str) -> ApiResult<()> {
    let production = head.starts_with(b"PK\x03\x04") && name.ends_with(".zip");
    if production || lantern_formats::picture::is_known(head) || super::clip::is_clip_name(name) {
        return Ok(());
    }
    Err(ApiError::Invalid(format!("“{name}”: {}", lantern_formats::FormatError::UnknownPicture)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::web::Bytes;
    use futures_util::{StreamExt, stream};

    type Chunk = Result<Bytes, std::io::Error>;

    fn folder() -> (tempfile::TempDir, MediaFolder) {
        let dir = tempfile::tempdir().unwrap();
        let folder = MediaFolder::open(dir.path()).unwrap();
        (dir, folder)
    }

    #[actix_web::test]
    async fn a_file_that_broke_off_goes_on_where_it_was_also_after_a_restart() {
        let (dir, folder) = folder();
        let key = "a".repeat(64);
        let png = [0x89, b'P', b'N', b'G', 13, 10, 26, 10, 0, 0, 0, 13, b'I', b'H', b'D', b'R', 1, 2, 3];
        let first: Vec<Chunk> =
            vec![Ok(Bytes::copy_from_slice(&png[..17])), Err(std::io::Error::other("the line is dead"))];
        let broken = folder.take(&key, 0, "a.png", stream::iter(first)).await.unwrap_err().to_string();
        assert!(broken.contains("broke off"), "{broken}");
        std::fs::write(folder.incoming().join(".tmpHalf"), "half").unwrap();

        let folder = MediaFolder::open(dir.path()).unwrap();
        assert_eq!(
            std::fs::read_dir(folder.incoming()).unwrap().count(),
            1,
            "the half temporary file is gone"
        );
        assert_eq!(folder.have(&key).unwrap(), 17);
        let rest = || stream::iter(vec![Chunk::Ok(Bytes::copy_from_slice(&png[17..]))]);
        let wrong = folder.take(&key, 3, "a.png", rest()).await.unwrap_err().to_string();
        assert!(wrong.contains("17 bytes"), "{wrong}");
        assert_eq!(folder.take(&key, 17, "a.png", rest()).await.unwrap(), 19);
        let (hash, length, new) = folder.keep_part(&key).unwrap();
        assert_eq!((length, new, folder.read(&hash).unwrap()), (19, true, png.to_vec()));
        assert_eq!(folder.have(&key).unwrap(), 0);
    }

    #[actix_web::test]
    async fn text_that_is_called_a_picture_is_refused_by_its_first_bytes() {
        let (_dir, folder) = folder();
        let key = "b".repeat(64);
        let mut sent = 0;
        let endless = stream::iter(std::iter::repeat_with(|| {
            sent += 1;
            Chunk::Ok(Bytes::from_static(b"all work and no play "))
        }));
        let refused = folder.take(&key, 0, "huge.png", endless).await.unwrap_err().to_string();
        assert!(refused.contains("huge.png") && refused.contains("no picture"), "{refused}");
        assert_eq!((sent, folder.have(&key).unwrap()), (1, 0));
    }

    #[actix_web::test]
    async fn a_whole_picture_that_breaks_off_is_here_in_part() {
        let (_dir, folder) = folder();
        let key = "c".repeat(64);
        let png = [0x89, b'P', b'N', b'G', 13, 10, 26, 10, 0, 0, 0, 13, b'I', b'H', b'D', b'R', 1, 2, 3];
        let comes = |parts: &[&[u8]], breaks: bool| {
            let mut chunks: Vec<Chunk> = parts.iter().map(|p| Ok(Bytes::copy_from_slice(p))).collect();
            chunks.extend(breaks.then(|| Err(std::io::Error::other("the line is dead"))));
            stream::iter(chunks)
        };
        let all = folder.take_whole(&key, "a.png", 19, comes(&[&png[..5], &png[5..]], false)).await.unwrap();
        assert_eq!((&all[..], folder.have(&key).unwrap()), (&png[..], 0));
        let said = |r: ApiResult<Room>| r.unwrap_err().to_string();
        let long = said(folder.take_whole(&key, "a.png", 18, comes(&[&png], false)).await);
        assert!(long.contains("longer than was said") && folder.have(&key).unwrap() == 0, "{long}");
        // Broken before anything came, there is nothing to go on with.
        let broken = said(folder.take_whole(&key, "a.png", 19, comes(&[], true)).await);
        assert!(
            broken.contains("broke off: the line is dead") && folder.have(&key).unwrap() == 0,
            "{broken}"
        );
        let broken = said(folder.take_whole(&key, "a.png", 19, comes(&[&png[..17]], true)).await);
        assert!(broken.contains("broke off"), "{broken}");
        assert_eq!(std::fs::read(folder.part(&key).unwrap()).unwrap(), png[..17]);
        let again = said(folder.take_whole(&key, "a.png", 19, comes(&[&png], false)).await);
        assert!(again.contains("17 bytes of “a.png” are here"), "{again}");
        let other = "d".repeat(64);
        let short = said(folder.take_whole(&other, "a.png", 19, comes(&[&png[..17]], false)).await);
        assert!(short.contains("shorter than was said") && folder.have(&other).unwrap() == 17, "{short}");
        // A request that is given up is one that broke off.
        let given = "e".repeat(64);
        let hangs = comes(&[&png[..18]], false).chain(stream::pending());
        let taking = folder.take_whole(&given, "a.png", 19, hangs);
        let waited = tokio::time::timeout(Duration::from_millis(20), taking).await;
        assert!(waited.is_err());
        assert_eq!(folder.have(&given).unwrap(), 18);
    }

    #[test]
    fn names_never_become_paths() {
        let (_dir, folder) = folder();
        for key in ["", "../../etc/passwd", &"A".repeat(64), &"g".repeat(64), &"a".repeat(63)] {
            assert!(folder.part(key).is_err(), "{key}");
        }
    }
}
