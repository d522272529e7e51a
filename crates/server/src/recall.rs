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
pub struct Recall(Arc<Mutex<LruCache<(PracticeId, RunId), Remembered>>>);

impl Default for Recall {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(LruCache::new(RUNS_MAX))))
    }
}

impl Recall {
    /// Takes a run of a practice out; nothing where it is not remembered, or somebody else works on it.
    pub fn take(&self, practice: PracticeId, run: RunId) -> Option<Remembered> {
        let mut runs = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        runs.pop(&(practice, run))
    }

    /// Forgets every run: what is remembered may hold what was erased.
    pub fn forget(&self) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clear();
    }

    /// Puts a run back as it is now; a closed one is forgotten.
    pub fn put(&self, remembered: Remembered) {
        if remembered.run.closed_at.is_none() {
            self.0.lock().unwrap_or_else(PoisonError::into_inner).put((remembered.practice, remembered.run.id), remembered);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::Utc;
    use impulso_core::catalogue;
    use uuid::Uuid;

    fn remembered(practice: PracticeId, closed: bool) -> Remembered {
        let run = Run {
            id: RunId(Uuid::now_v7()),
            protocol: catalogue::all()[0].clone(),
            performers: Vec::new(),
            overrule_reason: None,
            rehearsal: None,
            join_code: None,
            visit: None,
            created_at: Utc::now(),
            closed_at: closed.then(Utc::now),
        };
        Remembered { practice, run, log: Log::default() }
    }

    #[test]
    fn a_run_is_taken_by_one_at_a_time_and_by_its_own_practice_only() {
        let (recall, own, other) = (Recall::default(), PracticeId(Uuid::from_u128(1)), PracticeId(Uuid::from_u128(2)));
        let kept = remembered(own, false);
        let id = kept.run.id;
        recall.put(kept);
        let taken = recall.take(own, id).unwrap();
        assert!(recall.take(own, id).is_none(), "somebody works on it");
        recall.put(taken);
        assert!(recall.take(other, id).is_none());
    }

    #[test]
    fn a_closed_run_is_forgotten_and_the_oldest_make_room() {
        let (recall, own) = (Recall::default(), PracticeId(Uuid::from_u128(1)));
        let closed = remembered(own, true);
        let id = closed.run.id;
        recall.put(closed);
        assert!(recall.take(own, id).is_none());
        let first = remembered(own, false);
        let oldest = first.run.id;
        recall.put(first);
        (0..RUNS_MAX.get()).for_each(|_| recall.put(remembered(own, false)));
        assert!(recall.take(own, oldest).is_none());
    }
}
