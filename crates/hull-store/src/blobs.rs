//! Byte strings as content-addressed compressed chunks, with a read-through cache on disk.

use crate::schema::chunks;
use crate::{Result, Store, StoreError};
use diesel::prelude::*;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::path::{Path, PathBuf};

/// Raw bytes in one chunk.
pub const CHUNK: usize = 4 << 20;
/// zstd level: fast, and geometry hardly gets smaller above it.
const LEVEL: i32 = 1;

/// A stored byte string: its length and the hashes of its chunks.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Blob {
    /// In bytes.
    pub size: u64,
    /// SHA-256 of each chunk, in order.
    pub chunks: Vec<String>,
}

pub(crate) fn hex(hash: &[u8]) -> String {
    hash.iter().map(|b| format!("{b:02x}")).collect()
}

fn unhex(text: &str) -> Result<Vec<u8>> {
    (0..text.len())
        .step_by(2)
        .map(|i| text.get(i..i + 2).and_then(|b| u8::from_str_radix(b, 16).ok()))
        .collect::<Option<_>>()
        .ok_or_else(|| StoreError::Damaged("a chunk's hash is not hexadecimal".into()))
}

impl Store {
    /// Stores one chunk of at most [`CHUNK`] bytes, once however often it comes; returns its hash.
    pub fn put_chunk(&self, raw: &[u8]) -> Result<String> {
        let hash = Sha256::digest(raw);
        let name = hex(&hash);
        let mut connection = self.connection()?;
        // One that is there already is wanted again: it must not be collected before it is named.
        let known = diesel::update(chunks::table.find(hash.as_slice()))
            .set(chunks::used_at.eq(diesel::dsl::now))
            .execute(&mut connection)?;
        if known == 0 {
            let data = zstd::bulk::compress(raw, LEVEL).map_err(|e| StoreError::Damaged(e.to_string()))?;
            diesel::insert_into(chunks::table)
                .values((chunks::hash.eq(hash.as_slice()), chunks::data.eq(&data)))
                .on_conflict_do_nothing()
                .execute(&mut connection)?;
        }
        Ok(name)
    }

    /// Stores bytes as chunks; those that are there already are not stored again.
    pub fn put_blob(&self, bytes: &[u8]) -> Result<Blob> {
        let chunks = bytes.chunks(CHUNK).map(|c| self.put_chunk(c)).collect::<Result<_>>()?;
        Ok(Blob { size: bytes.len() as u64, chunks })
    }

    /// # Errors
    /// If a chunk is missing or not what its hash says.
    pub fn blob(&self, blob: &Blob) -> Result<Vec<u8>> {
        let mut out = Vec::with_capacity(blob.size as usize);
        for name in &blob.chunks {
            out.extend_from_slice(&self.chunk(name)?);
        }
        if out.len() as u64 != blob.size {
            return Err(StoreError::Damaged("a blob has another length than when it was stored".into()));
        }
        Ok(out)
    }

    fn chunk(&self, name: &str) -> Result<Vec<u8>> {
        let path = self.cache_path(name);
        if let Some(raw) = cached(&path, name) {
            return Ok(raw);
        }
        let data: Vec<u8> = chunks::table
            .find(unhex(name)?)
            .select(chunks::data)
            .first(&mut self.connection()?)
            .optional()?
            .ok_or_else(|| StoreError::Damaged(format!("chunk {name} is missing")))?;
        let raw = unpack(&data, name).ok_or_else(|| StoreError::Damaged(format!("chunk {name} is damaged")))?;
        // The cache is only a cache: failing to write it costs time, nothing else.
        let _ = write_aside(&path, &data);
        Ok(raw)
    }

    fn cache_path(&self, name: &str) -> PathBuf {
        self.cache.join(name.get(..2).unwrap_or("xx")).join(name)
    }
}

fn cached(path: &Path, name: &str) -> Option<Vec<u8>> {
    unpack(&std::fs::read(path).ok()?, name)
}

fn unpack(data: &[u8], name: &str) -> Option<Vec<u8>> {
    let raw = zstd::bulk::decompress(data, CHUNK).ok()?;
    (hex(&Sha256::digest(&raw)) == name).then_some(raw)
}

/// Writes a file so that nobody ever sees half of it.
fn write_aside(path: &Path, data: &[u8]) -> std::io::Result<()> {
    let folder = path.parent().unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder)?;
    let aside = path.with_extension(format!("part{}-{:?}", std::process::id(), std::thread::current().id()));
    std::fs::write(&aside, data)?;
    std::fs::rename(&aside, path)
}
