//! Sessions in PostgreSQL for `actix-session`. The cookie holds a random token; the database only its SHA-256.

use std::{
    collections::HashMap,
    num::NonZeroUsize,
    sync::{Arc, Mutex, MutexGuard, PoisonError},
    time::{Duration, Instant},
};

use actix_session::storage::{LoadError, SaveError, SessionKey, SessionStore, UpdateError};
use actix_web::cookie::time;
use chrono::{DateTime, TimeDelta, Utc};
use impulso_store::{Store, sessions};
use lru::LruCache;
use rand::distr::{Alphanumeric, SampleString};
use sha2::{Digest, Sha256};

/// A session is looked up again after so long: a screen that sends every second costs a tenth of the looks.
const REMEMBERED_FOR: Duration = Duration::from_secs(10);
/// So many sessions are remembered.
const SESSIONS_MAX: NonZeroUsize = NonZeroUsize::new(4096).unwrap();

type State = HashMap<String, String>;

/// Sessions as this process last saw them. Whenever one is ended anywhere all are forgotten, so that nobody is let in by
/// what is remembered: here at once, in another process as soon as it hears of it.
#[derive(Debug, Clone)]
pub struct Known(Arc<Mutex<Memory>>);

#[derive(Debug)]
struct Memory {
    /// By the hash of the token, and when they were looked up.
    states: LruCache<Vec<u8>, (Instant, State)>,
    /// How often all were forgotten: what was looked up before the last time is not remembered after it.
    forgotten: u64,
}

impl Default for Known {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(Memory { states: LruCache::new(SESSIONS_MAX), forgotten: 0 })))
    }
}

impl Known {
    fn lock(&self) -> MutexGuard<'_, Memory> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Forgets every session.
    pub fn forget(&self) {
        let mut memory = self.lock();
        memory.states.clear();
        memory.forgotten += 1;
    }

    /// A session looked up not long ago; else how often all were forgotten so far.
    fn find(&self, hash: &[u8]) -> Result<State, u64> {
        let mut memory = self.lock();
        let forgotten = memory.forgotten;
        let fresh = memory.states.get(hash).filter(|(at, _)| at.elapsed() < REMEMBERED_FOR);
        fresh.map(|(_, state)| state.clone()).ok_or(forgotten)
    }

    fn remember(&self, hash: Vec<u8>, state: State, forgotten: u64) {
        let mut memory = self.lock();
        if memory.forgotten == forgotten {
            memory.states.put(hash, (Instant::now(), state));
        }
    }
}

/// The store behind the session middleware.
#[derive(Debug, Clone)]
pub struct PostgresSessions {
    /// Where they are kept.
    pub store: Store,
    /// Those of the last seconds.
    pub known: Known,
    /// So long an unused one lasts.
    pub ttl: time::Duration,
}

fn hash(key: &SessionKey) -> Vec<u8> {
    Sha256::digest(key.as_ref().as_bytes()).to_vec()
}

fn until(ttl: time::Duration) -> DateTime<Utc> {
    Utc::now() + TimeDelta::seconds(ttl.whole_seconds())
}

impl PostgresSessions {
    async fn keep(&self, key: &SessionKey, state: &State, ttl: time::Duration) -> anyhow::Result<()> {
        sessions::save(&self.store, &hash(key), &serde_json::to_value(state)?, until(ttl)).await?;
        self.known.forget();
        Ok(())
    }
}

impl SessionStore for PostgresSessions {
    async fn load(&self, key: &SessionKey) -> Result<Option<State>, LoadError> {
        let hash = hash(key);
        let forgotten = match self.known.find(&hash) {
            Ok(state) => return Ok(Some(state)),
            Err(forgotten) => forgotten,
        };
        let found = sessions::look(&self.store, &hash, until(self.ttl)).await.map_err(|e| LoadError::Other(e.into()))?;
        let Some(found) = found else { return Ok(None) };
        let state: State = serde_json::from_value(found).map_err(|e| LoadError::Deserialization(e.into()))?;
        self.known.remember(hash, state.clone(), forgotten);
        Ok(Some(state))
    }

    async fn save(&self, state: State, ttl: &time::Duration) -> Result<SessionKey, SaveError> {
        let key: SessionKey = Alphanumeric
            .sample_string(&mut rand::rng(), 64)
            .try_into()
            .map_err(|_| SaveError::Other(anyhow::anyhow!("a session key could not be made")))?;
        self.keep(&key, &state, *ttl).await.map_err(SaveError::Other)?;
        Ok(key)
    }

    async fn update(&self, key: SessionKey, state: State, ttl: &time::Duration) -> Result<SessionKey, UpdateError> {
        self.keep(&key, &state, *ttl).await.map_err(UpdateError::Other)?;
        Ok(key)
    }

    /// It lived on as it was looked up.
    async fn update_ttl(&self, _: &SessionKey, _: &time::Duration) -> anyhow::Result<()> {
        Ok(())
    }

    async fn delete(&self, key: &SessionKey) -> anyhow::Result<()> {
        sessions::delete(&self.store, &hash(key)).await?;
        self.known.forget();
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_looked_up_before_all_were_forgotten_is_not_remembered_after() {
        let known = Known::default();
        let state = State::from([("coach".to_owned(), "7".to_owned())]);
        let before = known.find(b"a").unwrap_err();
        known.remember(b"a".to_vec(), state.clone(), before);
        assert_eq!(known.find(b"a"), Ok(state.clone()));
        let looking = known.find(b"b").unwrap_err();
        known.forget();
        known.remember(b"b".to_vec(), state, looking);
        assert!(known.find(b"a").is_err() && known.find(b"b").is_err());
    }
}
