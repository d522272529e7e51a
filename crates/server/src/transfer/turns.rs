//! Few practices are taken out or in at once.

use std::{
    collections::HashSet,
    sync::{Arc, Mutex, PoisonError},
};

use actix_web::http::StatusCode;
use impulso_store::PracticeId;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

use crate::{ApiError, ApiResult, settings::limits};

/// Who may take a practice out or in at this moment.
#[derive(Debug)]
pub struct Transfers {
    exports: Arc<Semaphore>,
    /// The practices that are taken out.
    out: Arc<Mutex<HashSet<PracticeId>>>,
    imports: Arc<Semaphore>,
}

impl Default for Transfers {
    fn default() -> Self {
        Self { exports: Arc::new(Semaphore::new(limits::EXPORTS_AT_ONCE)), out: Arc::default(), imports: Arc::new(Semaphore::new(1)) }
    }
}

/// A practice's turn to be taken out, for as long as it is held.
#[derive(Debug)]
pub struct ExportTurn {
    out: Arc<Mutex<HashSet<PracticeId>>>,
    practice: PracticeId,
    _turn: OwnedSemaphorePermit,
}

impl Drop for ExportTurn {
    fn drop(&mut self) {
        self.out.lock().unwrap_or_else(PoisonError::into_inner).remove(&self.practice);
    }
}

impl Transfers {
    /// A turn to take a practice out: each practice once, and few at a time.
    pub fn export(&self, practice: PracticeId) -> ApiResult<ExportTurn> {
        let turn = self.exports.clone().try_acquire_owned().map_err(|_| busy("Several practices are being exported."))?;
        if !self.out.lock().unwrap_or_else(PoisonError::into_inner).insert(practice) {
            return Err(busy("This practice is being exported already."));
        }
        Ok(ExportTurn { out: self.out.clone(), practice, _turn: turn })
    }

    /// A turn to take a practice in: one at a time.
    ///
    /// # Errors
    /// 503 where another one is taken in.
    pub fn import(&self) -> ApiResult<OwnedSemaphorePermit> {
        self.imports.clone().try_acquire_owned().map_err(|_| busy("Another practice is being imported."))
    }
}

fn busy(what: &str) -> ApiError {
    ApiError::new(StatusCode::SERVICE_UNAVAILABLE, "busy", format!("{what} Try again in a minute.")).retry_after(60)
}
