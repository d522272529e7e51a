//! Passwords: hashed slowly on purpose, so only a few at a time. Whoever comes when many wait is asked to come back.

use std::sync::{
    Arc,
    atomic::{AtomicUsize, Ordering},
};

use actix_web::{http::StatusCode, web};
use argon2::{
    Argon2,
    password_hash::{PasswordHasher, PasswordVerifier},
};
use impulso_core::{Code, InputError};
use impulso_store::accounts::Credentials;
use tokio::{
    sync::{OwnedSemaphorePermit, Semaphore},
    time,
};

use crate::{ApiError, ApiResult, settings::limits};

/// The fewest characters of a password.
pub const PASSWORD_MIN: usize = 10;

/// The hash of no one's password, made with today's parameters: checking it takes as long as checking a real one.
const NOBODY: &str = "$argon2id$v=19$m=19456,t=2,p=1$bm9ib2R5aXNoZXJl$3y9TzHEQnZnZ8eXbO8aJ3m0sQK8n1m9C1yW0pJ8xG5o";

/// The pool that checks and makes hashes.
#[derive(Debug)]
pub struct Passwords {
    slots: Arc<Semaphore>,
    waiting: AtomicUsize,
}

impl Passwords {
    /// A pool that works on so many at once.
    pub fn new(at_once: usize) -> Self {
        Self { slots: Arc::new(Semaphore::new(at_once.max(1))), waiting: AtomicUsize::new(0) }
    }

    /// Waits for a turn.
    async fn turn(&self) -> ApiResult<OwnedSemaphorePermit> {
        let busy = || {
            ApiError::new(StatusCode::SERVICE_UNAVAILABLE, "busy", "Too many people sign in at this moment. Try again in a few seconds.")
                .retry_after(5)
        };
        let place = Queued::join(&self.waiting);
        if place.before >= limits::PASSWORDS_WAITING {
            return Err(busy());
        }
        let turn = time::timeout(limits::PASSWORD_PATIENCE, self.slots.clone().acquire_owned()).await;
        turn.ok().and_then(Result::ok).ok_or_else(busy)
    }

    /// Hashes a password, in its turn.
    ///
    /// # Errors
    /// [`Code::OutOfRange`] for one too short or absurdly long; 503 where too many wait.
    pub async fn hash(&self, password: String) -> ApiResult<String> {
        check_length(&password)?;
        let turn = self.turn().await?;
        hash_holding(password, Some(turn)).await
    }

    /// Whether the password is the stored one, in its turn. Takes as long for nobody as for somebody.
    ///
    /// # Errors
    /// 503 where too many wait.
    pub async fn verify(&self, password: String, stored: Option<Credentials>) -> ApiResult<Option<Credentials>> {
        let hash = stored.as_ref().map_or_else(|| NOBODY.to_owned(), |c| c.password_hash.clone());
        let turn = self.turn().await?;
        let matches = web::block(move || {
            let _turn = turn;
            argon2::password_hash::phc::PasswordHash::new(&hash)
                .is_ok_and(|parsed| Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok())
        })
        .await
        .unwrap_or(false);
        Ok(stored.filter(|_| matches))
    }
}

/// A place in the queue; given up also by whoever hangs up while waiting.
struct Queued<'a> {
    waiting: &'a AtomicUsize,
    before: usize,
}

impl<'a> Queued<'a> {
    fn join(waiting: &'a AtomicUsize) -> Self {
        Self { waiting, before: waiting.fetch_add(1, Ordering::Relaxed) }
    }
}

impl Drop for Queued<'_> {
    fn drop(&mut self) {
        self.waiting.fetch_sub(1, Ordering::Relaxed);
    }
}

fn check_length(password: &str) -> Result<(), InputError> {
    if (PASSWORD_MIN..=256).contains(&password.chars().count()) {
        return Ok(());
    }
    Err(InputError::new(Code::OutOfRange, "password", format!("Choose a password of {PASSWORD_MIN} to 256 characters.")))
}

/// Hashes a password with Argon2id and a random salt, off the event loop; for the demo, where nobody waits.
///
/// # Errors
/// [`Code::OutOfRange`] for one too short or absurdly long.
pub async fn hash(password: String) -> ApiResult<String> {
    check_length(&password)?;
    hash_holding(password, None).await
}

/// The turn is held by the work itself: a caller who hangs up does not free the place of what still runs.
async fn hash_holding(password: String, turn: Option<OwnedSemaphorePermit>) -> ApiResult<String> {
    let hashed = web::block(move || {
        let _turn = turn;
        Argon2::default().hash_password(password.as_bytes()).map(|h| h.to_string())
    })
    .await;
    match hashed {
        Ok(Ok(hash)) => Ok(hash),
        _ => Err(ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, "internal", "The password could not be kept. Try again.")),
    }
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

    #[actix_web::test]
    async fn only_so_many_are_checked_at_once_and_the_rest_is_sent_away() {
        let pool = Passwords::new(1);
        let held = pool.turn().await.unwrap();
        let waiting: Vec<_> = (0..limits::PASSWORDS_WAITING).map(|_| Box::pin(pool.turn())).collect();
        let mut all = futures_util::future::join_all(waiting);
        let now = time::timeout(std::time::Duration::from_millis(50), &mut all).await;
        assert!(now.is_err(), "nobody gets a turn while it is held");
        let refused = pool.turn().await.unwrap_err();
        assert_eq!((refused.code.as_str(), refused.retry_after_s()), ("busy", Some(5)));
        drop((held, all));
        assert_eq!(pool.waiting.load(Ordering::Relaxed), 0, "who hangs up while waiting gives the place up");
        assert!(pool.turn().await.is_ok());
    }
}
