//! A practice out and in: a ZIP archive that is written and read as a stream, so that one of any size takes the memory of a few rows.
//!
//! In the archive: `practice.json` with every row by its table, `photos/` with a picture a file, `results.csv` for a spreadsheet, and
//! `manifest.json` with the size and the checksum of each. Both ways run on a thread of their own, within one transaction.

use std::io::{self, Write};

use impulso_core::strap_bytes::to_hex;
use sha2::{Digest, Sha256};

pub mod archive;
pub mod export;
pub mod import;
pub mod place;
mod rows;
pub mod turns;

/// A file of the archive, as the manifest has it.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Entry {
    /// Its name in the archive.
    pub name: String,
    /// How many bytes.
    pub bytes: u64,
    /// SHA-256 of them, as hexadecimal digits.
    pub sha256: String,
}

pub const ROWS: &str = "practice.json";
/// Every measure, for a spreadsheet.
pub const CSV: &str = "results.csv";
/// What is in the archive.
pub const MANIFEST: &str = "manifest.json";

/// The name of a photograph in the archive.
pub fn photo_name(id: uuid::Uuid) -> String {
    format!("photos/{id}.jpg")
}

/// Counts and hashes what passes through it.
#[derive(Debug)]
pub struct Hashing<W> {
    inner: W,
    hash: Sha256,
    bytes: u64,
}

impl<W> Hashing<W> {
    /// Nothing has passed yet.
    pub fn new(inner: W) -> Self {
        Self { inner, hash: Sha256::new(), bytes: 0 }
    }

    fn pass(&mut self, bytes: &[u8]) {
        self.hash.update(bytes);
        self.bytes += bytes.len() as u64;
    }

    /// What has passed, as a file of this name.
    pub fn entry(self, name: &str) -> Entry {
        Entry { name: name.to_owned(), bytes: self.bytes, sha256: to_hex(&self.hash.finalize()) }
    }
}

impl<W: Write> Write for Hashing<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.inner.write(bytes)?;
        self.pass(&bytes[..written]);
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.inner.flush()
    }
}

impl<R: io::Read> io::Read for Hashing<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.inner.read(buffer)?;
        self.pass(&buffer[..read]);
        Ok(read)
    }
}
