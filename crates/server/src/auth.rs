//! Who is asking: the extractor every protected handler names, passwords, and the brake on guessing.

use std::{future::Future, num::NonZeroU32, pin::Pin};

use actix_session::{Session, SessionExt};
use actix_web::{FromRequest, HttpRequest, dev::Payload, http::StatusCode, web};
use argon2::{
    Argon2,
    password_hash::{PasswordHasher, PasswordVerifier},
};
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use impulso_core::{Code, InputError};
use impulso_store::{CoachId, PracticeId, Scope, Store, accounts::Credentials, practices};

use crate::{ApiError, ApiResult};

/// A coach who is signed in.
#[derive(Debug, Clone)]
pub struct SignedIn {
    /// Who.
    pub coach: CoachId,
    /// Of which practice.
    pub practice: PracticeId,
    store: Store,
}

impl SignedIn {
    /// A transaction on behalf of the coach's practice.
    pub async fn scope(&self) -> ApiResult<Scope> {
        Ok(self.store.scope(self.practice).await?)
    }
}

impl FromRequest for SignedIn {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiError>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let store = request.app_data::<web::Data<Store>>().map(|s| s.get_ref().clone());
        Box::pin(async move {
            let id = |key: &str| session.get::<String>(key).ok().flatten().and_then(|text| text.parse::<uuid::Uuid>().ok());
            match (id("coach"), id("practice"), store) {
                (Some(coach), Some(practice), Some(store)) => Ok(Self { coach: CoachId(coach), practice: PracticeId(practice), store }),
                _ => Err(ApiError::signed_out()),
            }
        })
    }
}

/// Lets a coach in: a fresh session key, so that an older one is worth nothing.
///
/// # Errors
/// When the session cannot be written.
pub fn let_in(session: &Session, coach: CoachId, practice: PracticeId) -> ApiResult<()> {
    session.renew();
    let keep = |key: &str, id: String| session.insert(key, id).map_err(|_| ApiError::unavailable());
    keep("coach", coach.to_string())?;
    keep("practice", practice.to_string())
}

/// The fewest characters of a password.
pub const PASSWORD_MIN: usize = 10;

/// Hashes a password with Argon2id and a random salt, off the event loop.
///
/// # Errors
/// [`Code::OutOfRange`] for one too short or absurdly long.
pub async fn hash_password(password: String) -> ApiResult<String> {
    let length = password.chars().count();
    if !(PASSWORD_MIN..=256).contains(&length) {
        return Err(InputError::new(Code::OutOfRange, "password", format!("Choose a password of {PASSWORD_MIN} to 256 characters.")).into());
    }
    let hashed = web::block(move || Argon2::default().hash_password(password.as_bytes()).map(|h| h.to_string())).await;
    match hashed {
        Ok(Ok(hash)) => Ok(hash),
        _ => Err(ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, "internal", "The password could not be kept. Try again.")),
    }
}

/// The hash of no one's password, made with today's parameters: checking it takes as long as checking a real one.
const NOBODY: &str = "$argon2id$v=19$m=19456,t=2,p=1$bm9ib2R5aXNoZXJl$3y9TzHEQnZnZ8eXbO8aJ3m0sQK8n1m9C1yW0pJ8xG5o";

/// Whether the password is the stored one. Takes as long for nobody as for somebody.
pub async fn verify_password(password: String, stored: Option<Credentials>) -> Option<Credentials> {
    let hash = stored.as_ref().map_or_else(|| NOBODY.to_owned(), |c| c.password_hash.clone());
    let matches = web::block(move || {
        argon2::password_hash::phc::PasswordHash::new(&hash)
            .is_ok_and(|parsed| Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok())
    })
    .await
    .unwrap_or(false);
    stored.filter(|_| matches)
}

/// Slows down guessing: per email address and caller.
#[derive(Debug)]
pub struct Brake(DefaultKeyedRateLimiter<String>);

impl Default for Brake {
    fn default() -> Self {
        let tries = NonZeroU32::new(8).unwrap_or(NonZeroU32::MIN);
        Self(RateLimiter::keyed(Quota::per_minute(tries)))
    }
}

impl Brake {
    /// Counts a try.
    ///
    /// # Errors
    /// 429 when there were too many.
    pub fn count(&self, email: &str, caller: &str) -> ApiResult<()> {
        self.0
            .check_key(&format!("{}|{caller}", email.to_lowercase()))
            .map_err(|_| ApiError::new(StatusCode::TOO_MANY_REQUESTS, "too_many_tries", "Too many tries. Wait a minute, then try again."))
    }
}

/// Which day it is for the practice.
pub async fn today(scope: &mut Scope) -> ApiResult<NaiveDate> {
    Ok(day_of(scope, Utc::now()).await?)
}

/// Which day a moment belongs to in the practice's time zone.
pub async fn day_of(scope: &mut Scope, moment: DateTime<Utc>) -> impulso_store::Result<NaiveDate> {
    let practice = practices::get(scope).await?;
    Ok(moment.with_timezone(&practice.time_zone.parse::<Tz>().unwrap_or(Tz::UTC)).date_naive())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_hash_of_nobody_costs_what_a_real_one_costs() {
        let nobody = argon2::password_hash::phc::PasswordHash::new(NOBODY).unwrap();
        let real = Argon2::default().hash_password(b"some password").unwrap();
        assert_eq!((nobody.algorithm, nobody.version, nobody.params.to_string()), (real.algorithm, real.version, real.params.to_string()));
        assert_eq!(nobody.hash.map(|h| h.len()), real.hash.map(|h| h.len()));
        assert!(Argon2::default().verify_password(b"some password", &nobody).is_err());
    }

    #[test]
    fn the_brake_holds_one_address_and_lets_others_pass() {
        let brake = Brake::default();
        let tries = (0..20).filter(|_| brake.count("Ada@example.org", "127.0.0.1").is_ok()).count();
        assert!((8..=9).contains(&tries), "{tries}");
        assert!(brake.count("ADA@EXAMPLE.ORG", "127.0.0.1").is_err(), "capitals are no way round");
        assert!(brake.count("bo@example.org", "127.0.0.1").is_ok());
    }
}
