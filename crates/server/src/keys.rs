//! Keys that follow from others: the same each time, and telling nothing of what they were made from.

use sha2::{Digest, Sha256};
use uuid::Uuid;

/// A key in a space of its own, made of these keys.
pub fn derived(space: &str, of: &[Uuid]) -> Uuid {
    let mut hash = Sha256::new();
    hash.update(space.as_bytes());
    for key in of {
        hash.update(key.as_bytes());
    }
    let mut bytes = [0; 16];
    bytes.copy_from_slice(&hash.finalize()[..16]);
    uuid::Builder::from_custom_bytes(bytes).into_uuid()
}
