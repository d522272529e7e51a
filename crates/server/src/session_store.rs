//! Sessions in PostgreSQL for `actix-session`. The cookie holds a random token; the database only its SHA-256.

use std::collections::HashMap;

use actix_session::storage::{LoadError, SaveError, SessionKey, SessionStore, UpdateError};
use actix_web::cookie::time::Duration;
use chrono::{TimeDelta, Utc};
use impulso_store::{Store, sessions};
use rand::distr::{Alphanumeric, SampleString};
use sha2::{Digest, Sha256};

/// The store behind the session middleware.
#[derive(Debug, Clone)]
pub struct PostgresSessions(pub Store);

fn hash(key: &SessionKey) -> Vec<u8> {
    Sha256::digest(key.as_ref().as_bytes()).to_vec()
}

fn until(ttl: Duration) -> chrono::DateTime<Utc> {
    Utc::now() + TimeDelta::seconds(ttl.whole_seconds())
}

impl PostgresSessions {
    async fn keep(&self, key: &SessionKey, state: &HashMap<String, String>, ttl: Duration) -> anyhow::Result<()> {
        Ok(sessions::save(&self.0, &hash(key), &serde_json::to_value(state)?, until(ttl)).await?)
    }
}

impl SessionStore for PostgresSessions {
    async fn load(&self, key: &SessionKey) -> Result<Option<HashMap<String, String>>, LoadError> {
        let state = sessions::load(&self.0, &hash(key)).await.map_err(|e| LoadError::Other(e.into()))?;
        state.map(serde_json::from_value).transpose().map_err(|e| LoadError::Deserialization(e.into()))
    }

    async fn save(&self, state: HashMap<String, String>, ttl: &Duration) -> Result<SessionKey, SaveError> {
        let key: SessionKey = Alphanumeric
            .sample_string(&mut rand::rng(), 64)
            .try_into()
            .map_err(|_| SaveError::Other(anyhow::anyhow!("a session key could not be made")))?;
        self.keep(&key, &state, *ttl).await.map_err(SaveError::Other)?;
        Ok(key)
    }

    async fn update(&self, key: SessionKey, state: HashMap<String, String>, ttl: &Duration) -> Result<SessionKey, UpdateError> {
        self.keep(&key, &state, *ttl).await.map_err(UpdateError::Other)?;
        Ok(key)
    }

    async fn update_ttl(&self, key: &SessionKey, ttl: &Duration) -> anyhow::Result<()> {
        Ok(sessions::extend(&self.0, &hash(key), until(*ttl)).await?)
    }

    async fn delete(&self, key: &SessionKey) -> anyhow::Result<()> {
        Ok(sessions::delete(&self.0, &hash(key)).await?)
    }
}
