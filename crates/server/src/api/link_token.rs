//! The secret of a client's link, of whichever kind: told once, kept as a hash, and tried only so often.

use actix_web::http::StatusCode;
use rand::RngExt;
use sha2::{Digest, Sha256};

use crate::{ApiError, ApiResult, auth::Caller, rate_limit::RateLimits};

/// A new one, and what is kept of it. 128 random bits: nobody guesses it, and a list of them helps nobody.
pub fn made() -> (String, [u8; 32]) {
    let token = format!("{:032x}", rand::rng().random::<u128>());
    let kept = hash(&token);
    (token, kept)
}

/// What is kept of one.
pub fn hash(token: &str) -> [u8; 32] {
    Sha256::digest(token.as_bytes()).into()
}

/// What one opened; where it opened nothing, the try is counted.
///
/// # Errors
/// 404 where it opens nothing, 429 after too many such tries.
pub fn known<T>(opened: Option<T>, rates: &RateLimits, caller: &Caller) -> ApiResult<T> {
    if let Some(opened) = opened {
        return Ok(opened);
    }
    rates.wrong_code.count(&caller.0)?;
    let message = "This link has ended or was withdrawn. Ask whoever sent it for a new one.";
    Err(ApiError::new(StatusCode::NOT_FOUND, "unknown_code", message))
}
