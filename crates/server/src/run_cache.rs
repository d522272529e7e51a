//! Open runs as this process last saw them, so that an event costs one look at what is new and not the whole history.
//!
//! What is remembered is never trusted alone: [`impulso_store::runs::take`] locks the run and gives what other processes
//! have added since. A run is taken out while it is worked on and put back once the transaction is kept, so a failed one
//! leaves nothing behind.

use std::{
    num::NonZeroUsize,
    sync::{Arc, Mutex, MutexGuard, PoisonError},
};

use impulso_core::run::State;
use impulso_store::{
    PracticeId, RunId,
    runs::{Log, Run},
};
use lru::LruCache;

use crate::settings::limits;

/// So many runs are remembered: far more than one place has open at once.
const RUNS_MAX: NonZeroUsize = NonZeroUsize::new(1024).unwrap();

/// What a run takes in memory besides its events: its protocol and its performers, bytes.
const RUN_BYTES: usize = 64 * 1024;
/// What an event takes, with its places in the tables beside it, bytes: more than a tap, less than the largest remark.
const EVENT_BYTES: usize = 640;

/// What the state of one of many takes, bytes.
const STATE_BYTES: usize = 16 * 1024;

/// A run and its events.
#[derive(Debug, Clone)]
pub struct CachedRun {
    /// Whose run it is.
    pub practice: PracticeId,
    /// As it was set up; not closed.
    pub run: Run,
    /// What is known of its events.
    pub log: Log,
    /// Where each of many performers stands after them; empty where that is not known.
    pub states: Vec<State>,
}

impl CachedRun {
    fn bytes(&self) -> usize {
        RUN_BYTES + self.log.held() * EVENT_BYTES + self.states.len() * STATE_BYTES
    }
}

/// The open runs this process has seen last, in so many bytes at the most.
#[derive(Debug, Clone)]
pub struct RunCache(Arc<Mutex<Runs>>);

#[derive(Debug)]
struct Runs {
    runs: LruCache<(PracticeId, RunId), CachedRun>,
    bytes: usize,
}

impl Runs {
    fn pop(&mut self, key: (PracticeId, RunId)) -> Option<CachedRun> {
        let run = self.runs.pop(&key)?;
        self.bytes -= run.bytes();
        Some(run)
    }
}

impl Default for RunCache {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(Runs { runs: LruCache::new(RUNS_MAX), bytes: 0 })))
    }
}

impl RunCache {
    fn lock(&self) -> MutexGuard<'_, Runs> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes a run of a practice out; nothing where it is not remembered, or somebody else works on it.
    pub fn take(&self, practice: PracticeId, run: RunId) -> Option<CachedRun> {
        self.lock().pop((practice, run))
    }

    /// Forgets every run: what is remembered may hold what was erased.
    pub fn forget(&self) {
        let mut known = self.lock();
        known.runs.clear();
        known.bytes = 0;
    }

    /// Puts a run back as it is now; a closed one is forgotten, and the oldest make room.
    pub fn put(&self, remembered: CachedRun) {
        if remembered.run.closed_at.is_some() {
            return;
        }
        let mut known = self.lock();
        let key = (remembered.practice, remembered.run.id);
        known.pop(key);
        known.bytes += remembered.bytes();
        if let Some((_, oldest)) = known.runs.push(key, remembered) {
            known.bytes -= oldest.bytes();
        }
        while known.bytes > limits::RUNS_BYTES {
            let Some((_, oldest)) = known.runs.pop_lru() else { break };
            known.bytes -= oldest.bytes();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sample_run;
    use chrono::Utc;
    use uuid::Uuid;

    fn remembered(practice: PracticeId, closed: bool) -> CachedRun {
        let run = Run { closed_at: closed.then(Utc::now), ..sample_run::run("squat-1min", Vec::new()) };
        CachedRun { practice, run, log: Log::default(), states: Vec::new() }
    }

    #[test]
    fn a_run_is_taken_by_one_at_a_time_and_by_its_own_practice_only() {
        let (cache, own, other) = (RunCache::default(), PracticeId(Uuid::from_u128(1)), PracticeId(Uuid::from_u128(2)));
        let kept = remembered(own, false);
        let id = kept.run.id;
        cache.put(kept);
        let taken = cache.take(own, id).unwrap();
        assert!(cache.take(own, id).is_none(), "somebody works on it");
        cache.put(taken);
        assert!(cache.take(other, id).is_none());
    }

    #[test]
    fn a_closed_run_is_forgotten_and_the_oldest_make_room() {
        let (cache, own) = (RunCache::default(), PracticeId(Uuid::from_u128(1)));
        let closed = remembered(own, true);
        let id = closed.run.id;
        cache.put(closed);
        assert!(cache.take(own, id).is_none());
        let first = remembered(own, false);
        let oldest = first.run.id;
        cache.put(first);
        (0..RUNS_MAX.get()).for_each(|_| cache.put(remembered(own, false)));
        assert!(cache.take(own, oldest).is_none());
    }
}
