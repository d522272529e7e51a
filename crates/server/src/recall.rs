//! Open runs as this process last saw them, so that an event costs one look at what is new and not the whole history.
//!
//! What is remembered is never trusted alone: [`impulso_store::runs::take`] locks the run and gives what other processes
//! have added since. A run is taken out while it is worked on and put back once the transaction is kept, so a failed one
//! leaves nothing behind.

use std::{
    num::NonZeroUsize,
    sync::{Arc, Mutex, PoisonError},
};

use impulso_store::{
    PracticeId, RunId,
    runs::{Log, Run},
};
use lru::LruCache;

/// So many runs are remembered: far more than one place has open at once.
const RUNS_MAX: NonZeroUsize = NonZeroUsize::new(1024).unwrap();

/// A run and its events.
#[derive(Debug, Clone)]
pub struct Remembered {
    /// Whose run it is.
    pub practice: PracticeId,
    /// As it was set up; not closed.
    pub run: Run,
    /// What is known of its events.
    pub log: Log,
}

/// The open runs this process has seen last.
#[derive(Debug, Clone)]
pub struct Recall(Arc<Mutex<LruCache<RunId, Remembered>>>);

impl Default for Recall {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(LruCache::new(RUNS_MAX))))
    }
}

impl Recall {
    /// Takes a run of a practice out; nothing where it is not remembered, or somebody else works on it.
    pub fn take(&self, practice: PracticeId, run: RunId) -> Option<Remembered> {
        let mut runs = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        runs.pop(&run).filter(|r| r.practice == practice)
    }

    /// Puts a run back as it is now; a closed one is forgotten.
    pub fn put(&self, remembered: Remembered) {
        if remembered.run.closed_at.is_none() {
            self.0.lock().unwrap_or_else(PoisonError::into_inner).put(remembered.run.id, remembered);
        }
    }
}
