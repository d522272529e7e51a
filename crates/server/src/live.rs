//! The live channel: whoever watches a run sees every change, whichever process took it in; whoever looks at what a person did hears
//! that there is something new.
//!
//! A process publishes what it took in to its own watchers and tells the others through the database; they fetch the run
//! and publish it to theirs.

use std::{
    collections::{HashMap, HashSet},
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

use actix_web::{
    HttpResponse,
    http::header::{CACHE_CONTROL, ContentEncoding},
    web::Bytes,
};
use futures_util::stream;
use impulso_core::run::{Event, ForPartners, partner};
use impulso_store::{
    PersonId, PracticeId, RunId, Store,
    runs::{self, Partner, Sender},
};
use tokio::{
    sync::{Notify, broadcast},
    time::{self, Instant},
};
use uuid::Uuid;

use crate::{
    ApiResult,
    auth::SignedIn,
    channels::{Channels, Listener, Slot, Who},
    keys,
    run_cache::RunCache,
    session_store::Known,
    settings::ClockRate,
    view::{RunView, view},
};

/// A watcher that falls this many views behind skips to the latest.
const BACKLOG: usize = 8;
/// What changed within so long is told to the other processes at once.
const GATHERED: Duration = Duration::from_millis(15);
/// A word now and then keeps the connection open.
const KEEP_ALIVE: Duration = Duration::from_secs(15);

/// A view as it goes over the wire.
fn frame(view: &RunView) -> Bytes {
    Bytes::from(format!("event: view\ndata: {}\n\n", serde_json::to_string(view).unwrap_or_default()))
}

/// Events as they go over the wire, before the view they lead to.
fn frame_with(events: &[Event], view: &RunView) -> Bytes {
    if events.is_empty() {
        return frame(view);
    }
    let events = format!("event: events\ndata: {}\n\n", serde_json::to_string(events).unwrap_or_default());
    Bytes::from([events.as_bytes(), &frame(view)].concat())
}

/// What changed, for phones that count for one each.
#[derive(Debug)]
struct ForPhones {
    run: RunId,
    view: ForPartners,
    added: Vec<Event>,
    /// Sender of the events.
    sender: Option<Sender>,
}

impl ForPhones {
    /// As it goes to the phone beside the one in this slot: of events of others it hears that they were.
    fn frame(&self, slot: Option<u16>, me: Option<Partner>) -> Bytes {
        let is_own = me.is_some() && self.sender == me.map(Sender::Partner);
        let (told, hidden) = slot.map(|slot| told_to(self.run, &self.added, slot, |_| is_own)).unwrap_or_default();
        let view = frame_with(&told, &self.view.beside(slot));
        if hidden.is_empty() {
            return view;
        }
        let hidden = format!("event: hidden\ndata: {}\n\n", serde_json::to_string(&hidden).unwrap_or_default());
        Bytes::from([hidden.as_bytes(), &view].concat())
    }
}

/// Events of a run for a partner's phone, and the keys of the others. A screen other than its own goes by a name that opens
/// nothing, the same each time.
pub fn told_to(run: RunId, events: &[Event], slot: u16, is_own: impl Fn(&Event) -> bool) -> (Vec<Event>, Vec<Uuid>) {
    partner::told(events, slot, |event| {
        let name = || keys::derived("screen", &[run.0, event.device]);
        (!is_own(event)).then(name)
    })
}

/// What a watcher hears.
#[derive(Debug, Clone)]
enum Word {
    /// The same for all of them.
    All(Bytes),
    Phones(Arc<ForPhones>),
}

/// A run of a practice. A run's key alone says nothing: another practice may use the same.
type Key = (PracticeId, RunId);

#[derive(Debug)]
struct Watched {
    coaches: broadcast::Sender<Word>,
    partners: broadcast::Sender<Word>,
}

impl Watched {
    fn new() -> Self {
        Self { coaches: broadcast::channel(BACKLOG).0, partners: broadcast::channel(BACKLOG).0 }
    }

    fn has_watchers(&self) -> bool {
        self.coaches.receiver_count() + self.partners.receiver_count() > 0
    }
}

/// Those who look at what a person did.
type People = HashMap<(PracticeId, PersonId), broadcast::Sender<Word>>;

/// Who watches what in this process.
#[derive(Debug, Clone)]
pub struct Hub {
    runs: Arc<Mutex<HashMap<Key, Watched>>>,
    /// Who looks at what a person did.
    people: Arc<Mutex<People>>,
    /// Sessions that have ended, in whichever process.
    ended: broadcast::Sender<Uuid>,
    /// A channel lives no longer than an unused session does.
    lasts: Duration,
    /// Open channels, by owner.
    channels: Channels,
    /// What this process has changed and the others have not been told.
    untold: Arc<Mutex<HashSet<Key>>>,
    to_tell: Arc<Notify>,
}

/// Which side of a run a watcher sees.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Everything, for as long as the session of this name lasts.
    Coach(Option<Uuid>),
    /// What a partner needs: the clock, the names, and the one in this slot.
    Partner(Partner, Option<u16>),
}

impl Hub {
    /// Nobody watches yet. A channel ends after so long at the latest; whoever is still there opens it again.
    pub fn new(lasts: Duration, channels: Channels) -> Self {
        Self {
            channels,
            runs: Arc::default(),
            people: Arc::default(),
            ended: broadcast::channel(BACKLOG * 8).0,
            lasts,
            untold: Arc::default(),
            to_tell: Arc::default(),
        }
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<Key, Watched>> {
        self.runs.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn watch(&self, practice: PracticeId, run: RunId, side: Side) -> broadcast::Receiver<Word> {
        let mut watched = self.lock();
        watched.retain(|_, w| w.has_watchers());
        let of_run = watched.entry((practice, run)).or_insert_with(Watched::new);
        match side {
            Side::Coach(_) => of_run.coaches.subscribe(),
            Side::Partner(..) => of_run.partners.subscribe(),
        }
    }

    fn is_watched(&self, key: Key) -> bool {
        self.lock().get(&key).is_some_and(Watched::has_watchers)
    }

    /// Shows a view to everyone who watches the run in this process.
    fn publish(&self, practice: PracticeId, view: &RunView, added: &[Event], sender: Option<Sender>) {
        let senders = self.lock().get(&(practice, RunId(view.id))).map(|w| (w.coaches.clone(), w.partners.clone()));
        let Some((coaches, partners)) = senders else { return };
        // Written down only for a side that watches; nobody left to hear it is no failure.
        if coaches.receiver_count() > 0 {
            let _ = coaches.send(Word::All(frame_with(added, view)));
        }
        if partners.receiver_count() > 0 {
            let news = ForPhones { run: RunId(view.id), view: view.for_partners(), added: added.to_vec(), sender };
            let _ = partners.send(Word::Phones(Arc::new(news)));
        }
    }

    /// Shows what this process took in: here at once, and soon through every other process, which has the view alone.
    pub fn took_in(&self, practice: PracticeId, view: &RunView, added: &[Event], sender: Sender) {
        self.publish(practice, view, added, Some(sender));
        self.untold.lock().unwrap_or_else(PoisonError::into_inner).insert((practice, RunId(view.id)));
        self.to_tell.notify_one();
    }

    /// Tells the other processes what this one took in, for as long as it lives.
    pub async fn tell(self, store: Store) {
        loop {
            self.to_tell.notified().await;
            time::sleep(GATHERED).await;
            let changed: Vec<Key> = self.untold.lock().unwrap_or_else(PoisonError::into_inner).drain().collect();
            if let Err(error) = runs::tell_others(&store, &changed).await {
                tracing::warn!(%error, "the other processes could not be told; trying again");
                self.untold.lock().unwrap_or_else(PoisonError::into_inner).extend(changed);
                self.to_tell.notify_one();
                time::sleep(Duration::from_secs(1)).await;
            }
        }
    }

    /// Follows what other processes take in, for as long as this one lives.
    pub async fn follow(self, store: Store, rate: ClockRate, sessions: Known, cache: RunCache) {
        loop {
            // Whatever was ended or erased meanwhile was not heard of.
            sessions.forget();
            cache.forget();
            if let Err(error) = self.follow_once(&store, rate, &sessions, &cache).await {
                tracing::warn!(%error, "the live channel lost the database; trying again");
            }
            time::sleep(Duration::from_secs(1)).await;
        }
    }

    async fn follow_once(&self, store: &Store, rate: ClockRate, sessions: &Known, cache: &RunCache) -> ApiResult<()> {
        let mut changes = runs::changes(store).await?;
        loop {
            let changed: Vec<Key> = match changes.next().await? {
                runs::Change::Of(practice, run) => vec![(practice, run)],
                runs::Change::Unknown | runs::Change::Erased => {
                    sessions.forget();
                    cache.forget();
                    self.say_all_changed();
                    self.lock().keys().copied().collect()
                }
                runs::Change::OfPerson(practice, person) => {
                    self.say_changed(practice, person);
                    continue;
                }
                runs::Change::SessionEnded(sid) => {
                    sessions.forget();
                    // Nobody left to hear it is no failure.
                    let _ = self.ended.send(sid);
                    continue;
                }
            };
            for (practice, run) in changed {
                if self.is_watched((practice, run)) {
                    let mut scope = store.scope(practice).await?;
                    // Of one person alone it was erased with the person: there is nothing to show any more.
                    let current = match runs::get(&mut scope, run).await {
                        Err(impulso_store::Error::NotFound) => continue,
                        current => current?,
                    };
                    self.publish(practice, &view(&mut scope, current, rate).await?, &[], None);
                }
            }
        }
    }

    /// Tells whoever looks at what this person did that there is something new.
    fn say_changed(&self, practice: PracticeId, person: PersonId) {
        let people = self.people.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(watchers) = people.get(&(practice, person)) {
            // Nobody left to hear it is no failure.
            let _ = watchers.send(Word::All(Bytes::from_static(b"event: changed\ndata: \n\n")));
        }
    }

    /// The same to all of them, where it is not known who it was.
    fn say_all_changed(&self) {
        let watched: Vec<_> = self.people.lock().unwrap_or_else(PoisonError::into_inner).keys().copied().collect();
        for (practice, person) in watched {
            self.say_changed(practice, person);
        }
    }

    /// The answer to who looks at what a person did: a word named `changed` for everything that is stored from here on.
    ///
    /// # Errors
    /// As [`Channels::open`].
    pub fn follow_person(&self, practice: PracticeId, person: PersonId, who: &SignedIn, address: String) -> ApiResult<HttpResponse> {
        let place = self.channels.open(Listener { who: Who::Coach(who.coach), to: (practice, person.0), address })?;
        let mut people = self.people.lock().unwrap_or_else(PoisonError::into_inner);
        people.retain(|_, watchers| watchers.receiver_count() > 0);
        let receiver = people.entry((practice, person)).or_insert_with(|| broadcast::channel(BACKLOG).0).subscribe();
        let start = Some(Bytes::from_static(b": listening\n\n"));
        let (sid, ended, until) = (who.sid, self.ended.subscribe(), Instant::now() + self.lasts);
        Ok(stream_of(Watcher { start, receiver, ended, sid, me: None, slot: None, until, place: Some(place) }))
    }

    /// Listens to a run from here on. What is read of the run afterwards misses nothing.
    pub fn listen(&self, practice: PracticeId, run: RunId, side: Side) -> Listening {
        let receiver = self.watch(practice, run, side);
        Listening { side, receiver, ended: self.ended.subscribe(), until: Instant::now() + self.lasts, place: None }
    }

    /// A place among the open channels for who listens to a run.
    ///
    /// # Errors
    /// As [`Channels::open`].
    pub fn place(&self, practice: PracticeId, run: RunId, who: Who, address: String) -> ApiResult<Slot> {
        self.channels.open(Listener { who, to: (practice, run.0), address })
    }
}

/// One who listens to a run and has not been answered yet.
#[must_use]
#[derive(Debug)]
pub struct Listening {
    side: Side,
    receiver: broadcast::Receiver<Word>,
    ended: broadcast::Receiver<Uuid>,
    until: Instant,
    place: Option<Slot>,
}

impl Listening {
    /// The same for a phone that counts for the one in this slot.
    pub fn beside(mut self, slot: Option<u16>) -> Self {
        if let Side::Partner(_, beside) = &mut self.side {
            *beside = slot;
        }
        self
    }

    /// Attaches its place among the open channels.
    pub fn at(self, place: Slot) -> Self {
        Self { place: Some(place), ..self }
    }

    /// The answer: the run as it was read after this began to listen, unless the screen has seen that revision, then every change.
    pub fn answer(self, first: &RunView, seen: Option<u64>) -> HttpResponse {
        stream_of(self.watcher(first, seen))
    }

    fn watcher(self, first: &RunView, seen: Option<u64>) -> Watcher {
        let is_news = seen.is_none_or(|revision| revision < first.revision);
        let (start, sid, me, slot) = match self.side {
            Side::Coach(sid) => (is_news.then(|| frame(first)), sid, None, None),
            Side::Partner(me, slot) => (is_news.then(|| frame(&first.for_partners().beside(slot))), None, Some(me), slot),
        };
        Watcher { start, receiver: self.receiver, ended: self.ended, sid, me, slot, until: self.until, place: self.place }
    }
}

/// Everything a watcher hears, as server-sent events.
fn stream_of(watcher: Watcher) -> HttpResponse {
    let frames = stream::unfold(watcher, |mut watcher| async move {
        let next = watcher.next().await?;
        Some((Ok::<_, actix_web::Error>(next), watcher))
    });
    HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header((CACHE_CONTROL, "no-cache"))
        // A proxy in front passes each word on as it comes.
        .insert_header(("X-Accel-Buffering", "no"))
        // A compressed stream would wait for its buffer to fill.
        .insert_header(ContentEncoding::Identity)
        .streaming(frames)
}

/// One who watches.
struct Watcher {
    start: Option<Bytes>,
    receiver: broadcast::Receiver<Word>,
    ended: broadcast::Receiver<Uuid>,
    sid: Option<Uuid>,
    /// The partner, and whom the phone counts for.
    me: Option<Partner>,
    slot: Option<u16>,
    until: Instant,
    /// Its place among the open channels; it ends where that is wanted for a newer one.
    place: Option<Slot>,
}

impl Watcher {
    /// The next thing to say; nothing once the session is over.
    async fn next(&mut self) -> Option<Bytes> {
        if let Some(start) = self.start.take() {
            return Some(start);
        }
        let given_up = async |place: &Option<Slot>| match place {
            Some(place) => place.end.notified().await,
            None => std::future::pending().await,
        };
        loop {
            tokio::select! {
                () = given_up(&self.place) => return None,
                frame = self.receiver.recv() => match frame {
                    Ok(Word::All(frame)) => return Some(frame),
                    Ok(Word::Phones(news)) => return Some(news.frame(self.slot, self.me)),
                    Err(broadcast::error::RecvError::Lagged(_)) => {}
                    Err(broadcast::error::RecvError::Closed) => return None,
                },
                ended = self.ended.recv() => match ended {
                    Ok(sid) if Some(sid) == self.sid => return None,
                    // Not all of them were heard: the browser opens the channel again and is asked who it is.
                    Err(broadcast::error::RecvError::Lagged(_)) if self.sid.is_some() => return None,
                    Err(broadcast::error::RecvError::Closed) => return None,
                    _ => {}
                },
                () = time::sleep_until(self.until) => return None,
                () = time::sleep(KEEP_ALIVE) => return Some(Bytes::from_static(b": still here\n\n")),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{channels::Bounds, sample_run, view::view_of};
    use impulso_core::run::{Kind, Setup};

    #[actix_web::test]
    async fn what_happens_while_a_watcher_reads_the_run_reaches_it() {
        let practice = PracticeId(Uuid::now_v7());
        let run = sample_run::run("squat-1min", vec![sample_run::performer(0, Setup::default())]);
        let remark = Event {
            id: Uuid::now_v7(),
            device: Uuid::now_v7(),
            seq: 1,
            mono_ms: 0.0,
            wall: run.created_at,
            slot: None,
            kind: Kind::Noted { text: "cold hall".into() },
        };
        let hub = Hub::new(Duration::from_mins(1), Channels::new(Bounds::of_files(1024)));
        let listening = hub.listen(practice, run.id, Side::Coach(None));
        let before = view_of(&run, &[], ClockRate(1.0)).unwrap();
        hub.publish(practice, &view_of(&run, &[remark], ClockRate(1.0)).unwrap(), &[], None);
        let mut watcher = listening.watcher(&before, Some(before.revision));
        let heard = time::timeout(Duration::from_secs(5), watcher.next()).await.expect("a word at once").unwrap();
        assert!(String::from_utf8_lossy(&heard).contains("cold hall"));
    }
}
