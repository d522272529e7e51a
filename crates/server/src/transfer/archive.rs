//! A practice's archive as it comes in: opened with bounds, each file held to the manifest before anything of it is believed.

use std::{
    collections::HashMap,
    fs::File,
    io::{self, BufReader, Read, Seek, SeekFrom},
};

use impulso_formats::practice::{self, FORMAT, Fault};
use serde::Deserialize;
use uuid::Uuid;
use zip::{CompressionMethod, ZipArchive};

use super::{CSV, Entry, Hashing, MANIFEST, ROWS, photo_name};

/// The most files of an archive, photographs for the most part.
pub const FILES_MAX: u64 = 100_000;
/// The longest list of files at its end, bytes.
const DIRECTORY_BYTES: u64 = 32 * 1024 * 1024;
/// The longest `practice.json`, unpacked, bytes.
pub const ROWS_BYTES: u64 = 4 * 1024 * 1024 * 1024;
/// Text does not get smaller than this share of itself: what claims to was made to fill a disk.
const RATIO_MAX: u64 = 80;
/// The longest photograph, bytes, as the table takes it.
const PHOTO_BYTES: u64 = 4_000_000;
/// The longest manifest, unpacked, bytes.
const MANIFEST_BYTES: u64 = 32 * 1024 * 1024;
/// How an archive begins.
const MAGIC: &[u8] = b"PK\x03\x04";

/// An opened archive.
#[derive(Debug)]
pub struct Archive {
    zip: ZipArchive<BufReader<File>>,
    manifest: HashMap<String, Entry>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Manifest {
    format: String,
    files: Vec<Entry>,
}

/// Whether a file begins as an archive does.
///
/// # Errors
/// Where it cannot be read.
pub fn is_archive(file: &mut File) -> io::Result<bool> {
    let mut begin = [0; 4];
    file.seek(SeekFrom::Start(0))?;
    let read = file.read(&mut begin)?;
    file.seek(SeekFrom::Start(0))?;
    Ok(&begin[..read] == MAGIC)
}

impl Archive {
    /// Opens an archive and reads its manifest. Every file must be one that an export has, once, and of the size the manifest says.
    ///
    /// # Errors
    /// The first [`Fault`].
    pub fn open(mut file: File) -> Result<Self, Fault> {
        let broken = |_| Fault::whole("the archive", "it is damaged or not complete; export it again");
        let length = file.metadata().map_err(broken)?.len();
        let files = directory(&mut file, length).map_err(broken)?;
        let Some(files) = files else { return Err(Fault::whole("the archive", "it is damaged or not complete; export it again")) };
        if files > FILES_MAX {
            return Err(Fault::whole("the archive", format!("it has {files} files; {FILES_MAX} is the most")));
        }
        let mut zip = ZipArchive::new(BufReader::new(file)).map_err(|e| broken(io::Error::other(e)))?;
        if zip.len() as u64 != files {
            return Err(Fault::whole("the archive", "a file is in it twice"));
        }
        let mut pictures = 0;
        let mut sizes: HashMap<String, u64> = HashMap::new();
        for k in 0..zip.len() {
            let entry = zip.by_index_raw(k).map_err(|e| broken(io::Error::other(e)))?;
            let name = entry.name().map_err(|e| broken(io::Error::other(e)))?.into_owned();
            let plain = !entry.encrypted() && matches!(entry.compression(), CompressionMethod::Stored | CompressionMethod::Deflated);
            let photo = name.strip_prefix("photos/").and_then(|n| n.strip_suffix(".jpg")).and_then(|id| id.parse::<Uuid>().ok());
            let is_photo = photo.is_some_and(|id| photo_name(id) == name);
            if !plain || !(is_photo || [ROWS, CSV, MANIFEST].contains(&name.as_str())) {
                let shown: String = name.chars().filter(|c| !c.is_control()).take(80).collect();
                return Err(Fault::whole("the archive", format!("“{shown}” doesn't belong into it")));
            }
            let packed = entry.compressed_size();
            let most = match name.as_str() {
                ROWS | CSV => ROWS_BYTES,
                MANIFEST => MANIFEST_BYTES,
                _ => PHOTO_BYTES,
            };
            if entry.size() > most || entry.size() > packed.saturating_mul(RATIO_MAX).saturating_add(64 * 1024) {
                return Err(Fault::whole(&name, "it unpacks to more than it can be"));
            }
            pictures += if is_photo { entry.size() } else { 0 };
            sizes.insert(name, entry.size());
        }
        // Pictures do not get smaller: more of them than the archive is long lie in each other's place.
        if pictures > length.saturating_mul(4) {
            return Err(Fault::whole("the archive", "its photographs are longer than the archive"));
        }
        let manifest = manifest(&mut zip)?;
        for (name, size) in &sizes {
            match manifest.get(name) {
                Some(entry) if entry.bytes != *size => return Err(Fault::whole(name, "it isn't as long as the manifest says")),
                None if name != MANIFEST => return Err(Fault::whole(name, "the manifest doesn't name it")),
                _ => {}
            }
        }
        if let Some(missing) = manifest.keys().find(|name| !sizes.contains_key(*name)) {
            return Err(Fault::whole(missing, "the manifest names it and it isn't there"));
        }
        if !sizes.contains_key(ROWS) {
            return Err(Fault::whole(ROWS, "it is missing"));
        }
        Ok(Self { zip, manifest })
    }

    /// Reads every row; and holds the whole of it to its checksum.
    ///
    /// # Errors
    /// The first [`Fault`].
    pub fn rows(&mut self, each: &mut dyn FnMut(&str, usize, &serde_json::value::RawValue) -> Result<(), Fault>) -> Result<Entry, Fault> {
        let entry = self.zip.by_name(ROWS).map_err(|_| damaged(ROWS))?;
        let mut file = Hashing::new(entry.take(ROWS_BYTES));
        let head = practice::read(&mut file, each)?;
        if head.format != FORMAT {
            return Err(Fault::whole(ROWS, format!("it doesn't say “{FORMAT}”")));
        }
        io::copy(&mut file, &mut io::sink()).map_err(|_| damaged(ROWS))?;
        held_to(&self.manifest, file.entry(ROWS))
    }

    /// Holds the list for a spreadsheet to its checksum; nothing of it is taken in.
    ///
    /// # Errors
    /// A [`Fault`] where it is another.
    pub fn csv(&mut self) -> Result<(), Fault> {
        if !self.manifest.contains_key(CSV) {
            return Ok(());
        }
        let entry = self.zip.by_name(CSV).map_err(|_| damaged(CSV))?;
        let mut file = Hashing::new(entry.take(ROWS_BYTES));
        io::copy(&mut file, &mut io::sink()).map_err(|_| damaged(CSV))?;
        held_to(&self.manifest, file.entry(CSV)).map(|_| ())
    }

    /// How many photographs there are.
    pub fn photos(&self) -> usize {
        self.manifest.keys().filter(|name| name.starts_with("photos/")).count()
    }

    /// A photograph's picture.
    ///
    /// # Errors
    /// A [`Fault`] where there is none, or another than the manifest says.
    pub fn photo(&mut self, id: Uuid) -> Result<Vec<u8>, Fault> {
        let name = photo_name(id);
        let entry = self.zip.by_name(&name).map_err(|_| Fault::whole(&name, "it is missing or damaged"))?;
        let mut file = Hashing::new(entry.take(PHOTO_BYTES + 1));
        let mut jpeg = Vec::new();
        file.read_to_end(&mut jpeg).map_err(|_| damaged(&name))?;
        held_to(&self.manifest, file.entry(&name))?;
        Ok(jpeg)
    }
}

/// What was read of a file, where it is what the manifest says.
fn held_to(manifest: &HashMap<String, Entry>, read: Entry) -> Result<Entry, Fault> {
    if manifest.get(&read.name) == Some(&read) {
        return Ok(read);
    }
    Err(Fault::whole(&read.name, "its checksum is another than the manifest says: the file was changed or damaged"))
}

fn damaged(name: &str) -> Fault {
    Fault::whole(name, "it is damaged")
}

fn manifest(zip: &mut ZipArchive<BufReader<File>>) -> Result<HashMap<String, Entry>, Fault> {
    let bad = |why: &str| Fault::whole(MANIFEST, why);
    let entry = zip.by_name(MANIFEST).map_err(|_| bad("it is missing"))?;
    let manifest: Manifest =
        serde_json::from_reader(BufReader::new(entry.take(MANIFEST_BYTES))).map_err(|e| bad(&format!("it can't be read: {e}")))?;
    if manifest.format != FORMAT {
        return Err(bad(&format!("it doesn't say “{FORMAT}”")));
    }
    if manifest.files.len() as u64 > FILES_MAX {
        return Err(bad("it names too many files"));
    }
    Ok(manifest.files.into_iter().map(|e| (e.name.clone(), e)).collect())
}

/// How many files an archive says it has, read from its very end; nothing where that is not the end of one, or its list is too long
/// to be held in memory.
fn directory(file: &mut File, length: u64) -> io::Result<Option<u64>> {
    const END: u64 = 22;
    let Some(at) = length.checked_sub(END) else { return Ok(None) };
    let end = part::<22>(file, at)?;
    // Nothing behind it: else another end could lie before this one.
    if &end[..4] != b"PK\x05\x06" || end[20..22] != [0, 0] {
        return Ok(None);
    }
    let small = |at: usize, n: usize| end[at..at + n].iter().rev().fold(0_u64, |all, b| all << 8 | u64::from(*b));
    let (mut files, mut bytes) = (small(10, 2), small(12, 4));
    if files == 0xffff || bytes == 0xffff_ffff || small(16, 4) == 0xffff_ffff {
        let Some(at) = at.checked_sub(20) else { return Ok(None) };
        let locator = part::<20>(file, at)?;
        let large = |from: &[u8], at: usize| from[at..at + 8].iter().rev().fold(0_u64, |all, b| all << 8 | u64::from(*b));
        let record_at = large(&locator, 8);
        if &locator[..4] != b"PK\x06\x07" || record_at.checked_add(56).is_none_or(|end| end > length) {
            return Ok(None);
        }
        let record = part::<56>(file, record_at)?;
        if &record[..4] != b"PK\x06\x06" {
            return Ok(None);
        }
        (files, bytes) = (large(&record, 32), large(&record, 40));
    }
    file.seek(SeekFrom::Start(0))?;
    Ok((bytes <= DIRECTORY_BYTES).then_some(files))
}

fn part<const N: usize>(file: &mut File, at: u64) -> io::Result<[u8; N]> {
    let mut part = [0; N];
    file.seek(SeekFrom::Start(at))?;
    file.read_exact(&mut part)?;
    Ok(part)
}
