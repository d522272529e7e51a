//! The live channel: whoever watches a run sees every change, whichever process took it in.
//!
//! A process publishes what it took in to its own watchers and tells the others through the database; they fetch the run
//! and publish it to theirs.

use std::{
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

use actix_web::{
    HttpResponse,
    http::header::{CACHE_CONTROL, ContentEncoding},
    web::Bytes,
};
use futures_util::stream;
use impulso_store::{PracticeId, RunId, Store, runs};
use tokio::{sync::broadcast, time};

use crate::{
    ApiResult,
    api::runs::{RunView, view},
    serve::ClockRate,
};

/// A watcher that falls this many views behind skips to the latest.
const BACKLOG: usize = 8;
/// A word now and then keeps the connection open.
const KEEP_ALIVE: Duration = Duration::from_secs(15);

/// A view as it goes over the wire.
fn frame(view: &RunView) -> Bytes {
    Bytes::from(format!("event: view\ndata: {}\n\n", serde_json::to_string(view).unwrap_or_default()))
}

#[derive(Debug)]
struct Watched {
    practice: PracticeId,
    coaches: broadcast::Sender<Bytes>,
    partners: broadcast::Sender<Bytes>,
}

impl Watched {
    fn new(practice: PracticeId) -> Self {
        Self { practice, coaches: broadcast::channel(BACKLOG).0, partners: broadcast::channel(BACKLOG).0 }
    }

    fn has_watchers(&self) -> bool {
        self.coaches.receiver_count() + self.partners.receiver_count() > 0
    }
}

/// Who watches what in this process.
#[derive(Debug, Clone, Default)]
pub struct Hub(Arc<Mutex<HashMap<RunId, Watched>>>);

/// Which side of a run a watcher sees.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Everything.
    Coach,
    /// What a partner needs: the clock and the names.
    Partner,
}

impl Hub {
    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<RunId, Watched>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn watch(&self, practice: PracticeId, run: RunId, side: Side) -> broadcast::Receiver<Bytes> {
        let mut watched = self.lock();
        watched.retain(|_, w| w.has_watchers());
        let of_run = watched.entry(run).or_insert_with(|| Watched::new(practice));
        match side {
            Side::Coach => of_run.coaches.subscribe(),
            Side::Partner => of_run.partners.subscribe(),
        }
    }

    fn practice_of(&self, run: RunId) -> Option<PracticeId> {
        self.lock().get(&run).filter(|w| w.has_watchers()).map(|w| w.practice)
    }

    /// Shows a view to everyone who watches the run in this process.
    pub fn publish(&self, view: &RunView) {
        let senders = self.lock().get(&RunId(view.id)).map(|w| (w.coaches.clone(), w.partners.clone()));
        let Some((coaches, partners)) = senders else { return };
        // Written down only for a side that watches; nobody left to hear it is no failure.
        if coaches.receiver_count() > 0 {
            let _ = coaches.send(frame(view));
        }
        if partners.receiver_count() > 0 {
            let _ = partners.send(frame(&view.for_partners()));
        }
    }

    /// Follows what other processes take in, for as long as this one lives.
    pub async fn follow(self, store: Store, rate: ClockRate) {
        loop {
            if let Err(error) = self.follow_once(&store, rate).await {
                tracing::warn!(%error, "the live channel lost the database; trying again");
            }
            time::sleep(Duration::from_secs(1)).await;
        }
    }

    async fn follow_once(&self, store: &Store, rate: ClockRate) -> ApiResult<()> {
        let mut changes = runs::changes(store).await?;
        loop {
            let changed: Vec<RunId> = match changes.next().await? {
                runs::Change::Of(_, run) => vec![run],
                runs::Change::Unknown => self.lock().keys().copied().collect(),
            };
            for run in changed {
                if let Some(practice) = self.practice_of(run) {
                    let mut scope = store.scope(practice).await?;
                    let current = runs::get(&mut scope, run).await?;
                    self.publish(&view(&mut scope, current, rate).await?);
                }
            }
        }
    }

    /// The answer to a watcher: the run as it is, then every change.
    pub fn stream(&self, practice: PracticeId, first: &RunView, side: Side) -> HttpResponse {
        let receiver = self.watch(practice, RunId(first.id), side);
        let start = if side == Side::Coach { frame(first) } else { frame(&first.for_partners()) };
        let frames = stream::unfold((Some(start), receiver), move |(start, mut receiver)| async move {
            if let Some(start) = start {
                return Some((Ok::<_, actix_web::Error>(start), (None, receiver)));
            }
            let next = loop {
                match time::timeout(KEEP_ALIVE, receiver.recv()).await {
                    Ok(Ok(frame)) => break frame,
                    Ok(Err(broadcast::error::RecvError::Lagged(_))) => {}
                    Ok(Err(broadcast::error::RecvError::Closed)) => return None,
                    Err(_) => break Bytes::from_static(b": still here\n\n"),
                }
            };
            Some((Ok(next), (None, receiver)))
        });
        HttpResponse::Ok()
            .content_type("text/event-stream")
            .insert_header((CACHE_CONTROL, "no-cache"))
            // A compressed stream would wait for its buffer to fill.
            .insert_header(ContentEncoding::Identity)
            .streaming(frames)
    }
}
