//! A production as one file: a ZIP archive, stored without compression, with `production.json` first and every file
//! under `media/` by its hash. Nothing in it is ever written under a name that it gives.

use super::intake::MOST_PICTURE;
use super::{MediaFolder, Receiver};
use crate::error::{ApiError, ApiResult};
use crate::store::manifest::Manifest;
use lantern_handoff::unzip::{Unzip, UnzipError};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

/// The document's name in the archive.
const DOCUMENT: &str = "production.json";
/// What the names of files begin with.
const MEDIA: &str = "media/";
/// The longest document that is read.
const MOST_DOCUMENT: u64 = 96 << 20;
/// The most files of an archive, and the largest of them.
const MOST_FILES: usize = 500_000;
const MOST_FILE: u64 = 16 << 30;

/// Writes a production and its files into an archive.
pub fn write(media: &MediaFolder, manifest: &Manifest, out: File) -> ApiResult<()> {
    let mut zip = ZipWriter::new(out);
    // Pictures are packed already; large files need the longer form of the format.
    let plain = SimpleFileOptions::default().compression_method(CompressionMethod::Stored).large_file(true);
    zip.start_file(DOCUMENT, plain).map_err(ApiError::internal)?;
    serde_json::to_writer_pretty(&mut zip, manifest).map_err(ApiError::internal)?;
    for hash in manifest.files() {
        zip.start_file(format!("{MEDIA}{hash}"), plain).map_err(ApiError::internal)?;
        std::io::copy(&mut File::open(media.path(hash)?)?, &mut zip)?;
    }
    let mut out = zip.finish().map_err(ApiError::internal)?;
    out.flush()?;
    Ok(())
}

/// Reads an archive: its document, checked, and its files into the media folder. Gives the lengths of the files.
///
/// Errors where a name does not belong, a file's bytes do not have the hash that it is called by, a file that the
/// document names is missing, or anything is out of bounds.
pub fn read(media: &MediaFolder, file: &Path) -> ApiResult<(Manifest, BTreeMap<String, u64>)> {
    let wrong = |why: String| ApiError::Invalid(format!("this production file cannot be used: {why}"));
    let broken = |e: UnzipError| wrong(e.to_string());
    let mut zip = Unzip::open(file, DOCUMENT, MOST_FILES).map_err(broken)?;
    let names: Vec<String> = zip.paths().map(str::to_owned).collect();
    for name in &names {
        let hash = name.strip_prefix(MEDIA).unwrap_or("");
        if name != DOCUMENT && media.path(hash).is_err() {
            let shown: String = name.chars().filter(|c| !c.is_control()).take(80).collect();
            return Err(wrong(format!("“{shown}” in it does not belong in a production")));
        }
        if let Some(length) = zip.length(name).filter(|length| *length > MOST_FILE) {
            return Err(wrong(format!("a file in it says that it has {length} bytes")));
        }
    }
    let mut text = Vec::new();
    let document = zip.file(DOCUMENT).map_err(broken)?;
    document.take(MOST_DOCUMENT + 1).read_to_end(&mut text).map_err(|e| wrong(damaged(&e)))?;
    if text.len() as u64 > MOST_DOCUMENT {
        return Err(wrong(format!("its document is longer than {} MB", MOST_DOCUMENT >> 20)));
    }
    let manifest = Manifest::from_json(&text)?;
    drop(text);
    let wanted: std::collections::BTreeSet<String> = manifest.files().into_iter().map(Into::into).collect();
    let pictures = manifest.pictures();
    let mut sizes = BTreeMap::new();
    for name in names.iter().filter(|n| *n != DOCUMENT) {
        let hash = name.strip_prefix(MEDIA).unwrap_or("");
        if !wanted.contains(hash) {
            return Err(wrong(format!("the file {hash} in it belongs to no shot")));
        }
        let mut entry = zip.file(name).map_err(broken)?;
        let mut receiver = media.receive()?;
        let mut piece = vec![0; 1 << 20];
        loop {
            let n = entry.read(&mut piece).map_err(|e| wrong(damaged(&e)))?;
            if n == 0 {
                break;
            }
            receiver.write(&piece[..n])?;
            if receiver.length() > MOST_FILE {
                return Err(wrong("a file in it has no end".into()));
            }
        }
        let length = receiver.length();
        if receiver.hash() != hash {
            return Err(wrong(format!("the file {hash} in it was altered: its bytes have another hash")));
        }
        if pictures.contains(hash) {
            looked_at(&receiver, hash).map_err(wrong)?;
        }
        receiver.keep(media)?;
        sizes.insert(hash.to_owned(), length);
    }
    if let Some(missing) = wanted.iter().find(|h| !sizes.contains_key(*h)) {
        return Err(wrong(format!("the file {missing} is missing from it")));
    }
    Ok((manifest, sizes))
}

fn damaged(e: &std::io::Error) -> String {
    format!("a file in it cannot be unpacked ({e})")
}

/// Refuses a file of a frame that is no picture, as intake would: by what it says of itself.
fn looked_at(file: &Receiver, hash: &str) -> Result<(), String> {
    let none = |e: &dyn std::fmt::Display| format!("the picture {hash} in it is none: {e}");
    if file.length() > MOST_PICTURE {
        return Err(none(&format_args!("it has {} bytes", file.length())));
    }
    let bytes = file.read().map_err(|e| none(&e))?;
    lantern_formats::facts::read(&bytes).map(drop).map_err(|e| none(&e))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn folder() -> (tempfile::TempDir, MediaFolder) {
        let dir = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(&dir.path().join("media")).unwrap();
        (dir, media)
    }

    /// A production of one shot whose one frame is the file of a hash.
    fn manifest(hash: &str) -> Manifest {
        let text = format!(
            r#"{{"version":1,"name":"Test","camera":"","profiles":[],"looks":[],"scenes":[{{"name":"one",
            "finished":false,"shots":[{{"name":"a","encoding":"","encoding_reason":"","rate":24.0,"poster":0,
            "in_frame":0,"out_frame":null,"expected":1,"trim":{{"steps":[]}},"frames":[{{"number":0,
            "name":"a.png","media":"{hash}","width":4,"height":4,"bytes":5,"healed":0}}]}}]}}]}}"#
        );
        Manifest::from_json(text.as_bytes()).unwrap()
    }

    fn picture() -> Vec<u8> {
        let grey = lantern_core::picture::Picture::new(4, 4, vec![[0.5, 0.5, 0.5, 1.0]; 16]).unwrap();
        lantern_formats::png::write(&grey, lantern_formats::Depth::Eight).unwrap()
    }

    #[test]
    fn what_is_no_picture_is_no_frame_whatever_it_is_called() {
        let (dir, media) = folder();
        for bytes in [b"all work and no play".as_slice(), b"", &picture()[..20], b"<svg/>"] {
            let hash = blake3::hash(bytes).to_hex().to_string();
            let document = serde_json::to_vec(&manifest(&hash)).unwrap();
            let path = archive(dir.path(), &[(DOCUMENT, &document), (&format!("media/{hash}"), bytes)]);
            let error = read(&media, &path).err().unwrap().to_string();
            assert!(error.contains(&format!("the picture {hash} in it is none")), "{error}");
            assert!(!media.path(&hash).unwrap().exists());
        }
    }

    #[test]
    fn a_production_that_was_zipped_again_is_read() {
        let (dir, media) = folder();
        let grain = picture();
        let hash = blake3::hash(&grain).to_hex().to_string();
        let document = serde_json::to_vec(&manifest(&hash)).unwrap();
        let path = dir.path().join("again.zip");
        let mut zip = ZipWriter::new(File::create(&path).unwrap());
        let packed = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
        for (name, bytes) in
            [("media/", &[][..]), (&format!("media/{hash}"), &grain), (DOCUMENT, &document), (".note", b"")]
        {
            let name = format!("The Salt Clock/{name}");
            if name.ends_with('/') {
                zip.add_directory(name, packed).unwrap();
            } else {
                zip.start_file(name, packed).unwrap();
                zip.write_all(bytes).unwrap();
            }
        }
        zip.finish().unwrap();
        let (read, sizes) = read(&media, &path).unwrap();
        assert_eq!((read.name.as_str(), sizes[&hash]), ("Test", grain.len() as u64));
        // One bit of what is packed is wrong: no 500, and nothing stays.
        let mut broken = std::fs::read(&path).unwrap();
        let middle = broken.len() / 3;
        broken[middle] ^= 0x10;
        std::fs::write(&path, broken).unwrap();
        let (_fresh, elsewhere) = folder();
        if let Err(e) = super::read(&elsewhere, &path) {
            assert!(matches!(e, ApiError::Invalid(_)), "{e}");
        }
    }

    fn archive(dir: &Path, files: &[(&str, &[u8])]) -> std::path::PathBuf {
        let path = dir.join("a.zip");
        let mut zip = ZipWriter::new(File::create(&path).unwrap());
        for (name, bytes) in files {
            zip.start_file(*name, SimpleFileOptions::default()).unwrap();
            zip.write_all(bytes).unwrap();
        }
        zip.finish().unwrap();
        path
    }

    #[test]
    fn what_is_written_comes_back_in_another_folder() {
        let (dir, media) = folder();
        let grain = picture();
        let hash = media.keep(&grain).unwrap();
        let path = dir.path().join("a.zip");
        write(&media, &manifest(&hash), File::create(&path).unwrap()).unwrap();
        let (_other, elsewhere) = folder();
        let (read, sizes) = read(&elsewhere, &path).unwrap();
        assert_eq!(
            (read.name.as_str(), sizes[&hash], elsewhere.read(&hash).unwrap()),
            ("Test", grain.len() as u64, grain)
        );
    }

    #[test]
    fn archives_that_lie_are_refused_and_leave_nothing() {
        let (dir, media) = folder();
        let grain = picture();
        let hash = blake3::hash(&grain).to_hex().to_string();
        let document = serde_json::to_vec(&manifest(&hash)).unwrap();
        let named = format!("media/{hash}");
        let other = format!("media/{}", "0".repeat(64));
        let refused = |files: &[(&str, &[u8])]| {
            let path = archive(dir.path(), files);
            let error = read(&media, &path).err().unwrap().to_string();
            assert!(!dir.path().parent().unwrap().join("slip").exists());
            error
        };
        for slip in ["../slip", "media/../../slip", "/tmp/slip", "media/slip", "..\\slip"] {
            let error = refused(&[(DOCUMENT, &document), (slip, b"x")]);
            assert!(error.contains("does not belong"), "{slip}: {error}");
        }
        assert!(refused(&[(DOCUMENT, &document), (&named, b"other")]).contains("altered"));
        assert!(refused(&[(DOCUMENT, &document)]).contains("missing"));
        assert!(refused(&[(DOCUMENT, &document), (&named, &grain), (&other, b"")]).contains("no shot"));
        assert!(refused(&[(DOCUMENT, b"{\"version\": 9}")]).contains("version 9"));
        assert!(refused(&[(DOCUMENT, b"[")]).contains("cannot be used"));
        let path = dir.path().join("b.zip");
        std::fs::write(&path, "no archive").unwrap();
        assert!(read(&media, &path).err().unwrap().to_string().contains("no whole archive"));
        assert_eq!(std::fs::read_dir(dir.path().join("media/incoming")).unwrap().count(), 0);
    }
}
