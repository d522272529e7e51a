//! How server processes tell each other that a run has changed, a session has ended or a person was erased.

use sqlx::postgres::PgListener;
use uuid::Uuid;

use crate::{PersonId, PracticeId, Result, RunId, Scope, Store};

/// The channel on which server processes tell each other that a run has changed.
const CHANNEL: &str = "impulso_run";
/// And the one on which the database tells them that a session has ended.
const SESSIONS: &str = "impulso_session";
/// And the one on which they hear that a person was erased.
const ERASED: &str = "impulso_erased";
/// And the one on which the database tells them that something of a person was stored.
const PERSON: &str = "impulso_person";

/// Tells every server process that a run has changed, once this transaction is kept.
pub(super) async fn announce(scope: &mut Scope, id: RunId) -> Result<()> {
    let notice = format!("{} {} {}", scope.practice_id(), id.0, scope.process);
    sqlx::query!("select pg_notify($1, $2)", CHANNEL, notice).fetch_one(scope.db()).await?;
    Ok(())
}

/// Tells every server process, once this transaction is kept, that a person of some runs is erased.
pub(crate) async fn announce_erased(scope: &mut Scope) -> Result<()> {
    let practice = scope.practice_id().to_string();
    sqlx::query!("select pg_notify($1, $2)", ERASED, practice).fetch_one(scope.db()).await?;
    Ok(())
}

/// What changes in other processes.
#[derive(Debug)]
pub struct Changes {
    listener: PgListener,
    process: Uuid,
}

/// One change, told by another process.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// This run has changed.
    Of(PracticeId, RunId),
    /// The session with this name has ended, in whichever process.
    SessionEnded(Uuid),
    /// A person was erased, in whichever process: what is remembered of runs may hold the name.
    Erased,
    /// Something of this person was stored, in whichever process.
    OfPerson(PracticeId, PersonId),
    /// The connection was lost for a while: any run may have changed.
    Unknown,
}

/// Tells the other server processes that runs have changed. Not in the transaction of the change: the database hands such words
/// out one commit at a time, and every other commit would wait for it.
pub async fn tell_others(store: &Store, changed: &[(PracticeId, RunId)]) -> Result<()> {
    let notices: Vec<String> = changed.iter().map(|(practice, run)| format!("{} {} {}", practice.0, run.0, store.process)).collect();
    store.soon(sqlx::query!("select pg_notify($1, n) from unnest($2::text[]) n", CHANNEL, &notices).fetch_all(store.pool())).await?;
    Ok(())
}

/// Listens for changes of runs that other server processes made.
pub async fn changes(store: &Store) -> Result<Changes> {
    let mut listener = PgListener::connect_with(store.pool()).await?;
    listener.listen_all([CHANNEL, SESSIONS, ERASED, PERSON]).await?;
    Ok(Changes { listener, process: store.process })
}

impl Changes {
    /// Waits for the next change.
    pub async fn next(&mut self) -> Result<Change> {
        loop {
            let Some(notice) = self.listener.try_recv().await? else { return Ok(Change::Unknown) };
            if notice.channel() == SESSIONS {
                if let Ok(sid) = notice.payload().parse() {
                    return Ok(Change::SessionEnded(sid));
                }
                continue;
            }
            if notice.channel() == ERASED {
                return Ok(Change::Erased);
            }
            let mut parts = notice.payload().split(' ').filter_map(|p| p.parse::<Uuid>().ok());
            if notice.channel() == PERSON {
                if let (Some(practice), Some(person)) = (parts.next(), parts.next()) {
                    return Ok(Change::OfPerson(PracticeId(practice), PersonId(person)));
                }
                continue;
            }
            match (parts.next(), parts.next(), parts.next()) {
                (Some(practice), Some(run), Some(process)) if process != self.process => {
                    return Ok(Change::Of(PracticeId(practice), RunId(run)));
                }
                _ => {}
            }
        }
    }
}
