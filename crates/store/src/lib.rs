//! PostgreSQL behind the rules: rows in, core types out.
//!
//! Every query lives here, in the module of its aggregate, named after the question it answers. A [`Scope`] is one
//! transaction on behalf of one practice: it sets the practice for row-level security, so nothing outside that practice
//! can be seen or touched, whatever a query says. To add a table: a migration, a module, and the same policy.

use std::{
    collections::HashMap,
    str::FromStr,
    sync::{
        Arc, Mutex, PoisonError,
        atomic::{AtomicU64, Ordering},
    },
    time::Duration,
};

use sqlx::{
    AssertSqlSafe, Connection, PgConnection, PgPool, Postgres, Transaction,
    postgres::{PgConnectOptions, PgPoolOptions},
};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use uuid::Uuid;

pub mod access;
pub mod accounts;
pub mod audit;
pub mod consents;
pub mod error;
pub mod everything;
pub mod goals;
pub mod group_marks;
pub mod group_visits;
pub mod groups;
pub mod hang_up;
pub mod ids;
pub mod life_events;
pub mod pass_marks;
pub mod people;
pub mod photos;
pub mod practices;
pub mod protocols;
pub mod readiness;
pub mod record;
pub mod repeats;
pub mod results;
pub mod retests;
pub mod runs;
pub mod scoring_tables;
pub mod self_entries;
pub mod sessions;
pub mod set_aside;
pub mod typed_errors;
pub mod versions;
pub mod visit_links;
pub mod visits;

pub use error::{Error, Result};
pub use ids::{CoachId, PersonId, PlanId, PracticeId, ReadinessId, ResultId, RetestId, RunId};

/// Connections to the database.
const CONNECTIONS: u32 = 16;
/// How many of them one practice may hold at once: heavy work of one never starves another.
const OF_ONE_PRACTICE: usize = 6;
/// How long a request waits for its turn before it is told to come back.
const PATIENCE: Duration = Duration::from_secs(4);
/// How long the database has to say that it is there.
const HEALTH_WITHIN: Duration = Duration::from_millis(1500);
/// So many practices' turns are remembered before those that nobody waits for are let go.
const TURNS_MAX: usize = 4096;

/// The settings of a transaction that may take minutes.
const LONG: &str = ", set_config('statement_timeout', '300s', true), set_config('idle_in_transaction_session_timeout', '300s', true)";

/// An idle connection is asked whether it is still there after so long.
const TRUSTED_FOR: Duration = Duration::from_secs(1);

static MIGRATIONS: sqlx::migrate::Migrator = sqlx::migrate!();

/// Brings a database up to date, or, where a version is named, as far as that one. `owner_url` must be the role that owns it.
pub async fn migrate(owner_url: &str, version: Option<i64>) -> Result<()> {
    let pool = PgPoolOptions::new().max_connections(1).acquire_timeout(Duration::from_secs(10)).connect(owner_url).await?;
    let done = match version {
        Some(version) => MIGRATIONS.run_to(version, &pool).await,
        None => MIGRATIONS.run(&pool).await,
    };
    done.map_err(|e| Error::Unavailable(e.into()))?;
    pool.close().await;
    Ok(())
}

/// The versions a database can be brought to, the oldest first.
pub fn versions() -> Vec<i64> {
    MIGRATIONS.iter().map(|m| m.version).collect()
}

/// The database, reached as the application's role.
#[derive(Debug, Clone)]
pub struct Store {
    pool: PgPool,
    /// Whose turn it is, by practice.
    turns: Arc<Mutex<HashMap<PracticeId, Arc<Semaphore>>>>,
    /// This process among those that serve the same database.
    process: Uuid,
    /// Counts transactions, so that each has a name of its own.
    begun: Arc<AtomicU64>,
    /// A connection of its own for those who ask whether all is well: it stands in no line behind others' work.
    health: PgPool,
    /// Ends the statements of requests that were hung up.
    canceller: Arc<hang_up::Canceller>,
}

impl Store {
    /// Connects as the application's role. Connections are made when first needed, so a server starts, and says what is
    /// wrong, while its database is away.
    pub fn connect_lazy(app_url: &str) -> Result<Self> {
        let options = PgConnectOptions::from_str(app_url)?;
        let pool = PgPoolOptions::new()
            .max_connections(CONNECTIONS)
            .acquire_timeout(PATIENCE)
            // A connection in constant use needs no question whether it is still there.
            .test_before_acquire(false)
            .before_acquire(|connection, usage| {
                Box::pin(async move {
                    if usage.idle_for > TRUSTED_FOR {
                        connection.ping().await?;
                    }
                    Ok(true)
                })
            })
            .connect_lazy_with(options.clone());
        let health = PgPoolOptions::new().max_connections(1).acquire_timeout(HEALTH_WITHIN).connect_lazy_with(options.clone());
        let canceller = Arc::new(hang_up::Canceller::new(options));
        Ok(Self { pool, turns: Arc::default(), process: Uuid::now_v7(), begun: Arc::default(), health, canceller })
    }

    /// Whether the database answers, soon, and takes more.
    ///
    /// # Errors
    /// [`Error::Unavailable`] where it does not answer within [`HEALTH_WITHIN`], [`Error::DiskFull`] where its disk took no more and
    /// still takes none.
    pub async fn health(&self) -> Result<()> {
        let look = async {
            if error::DISK_IS_FULL.load(Ordering::Relaxed) {
                return self.probe_disk().await;
            }
            sqlx::query_scalar!("select 1").fetch_one(&self.health).await?;
            Ok(())
        };
        tokio::time::timeout(HEALTH_WITHIN, look).await.unwrap_or_else(|late| Err(Error::Unavailable(late.into())))
    }

    /// Writes a few pages and takes them back.
    async fn probe_disk(&self) -> Result<()> {
        let mut tx = self.health.begin().await?;
        // Random, so that it is not compressed to nothing.
        sqlx::query!("insert into disk_probe select decode(string_agg(md5(random()::text), ''), 'hex') from generate_series(1, 8192)")
            .execute(&mut *tx)
            .await?;
        tx.rollback().await?;
        error::DISK_IS_FULL.store(false, Ordering::Relaxed);
        Ok(())
    }

    /// The answer to a short question that belongs to no practice; [`Error::Unavailable`] where there is none within [`PATIENCE`].
    pub(crate) async fn soon<T>(&self, answer: impl Future<Output = sqlx::Result<T>>) -> Result<T> {
        match tokio::time::timeout(PATIENCE, answer).await {
            Ok(answer) => Ok(answer?),
            Err(late) => Err(Error::Unavailable(late.into())),
        }
    }

    /// A transaction on behalf of a practice, in its turn.
    ///
    /// # Errors
    /// [`Error::Busy`] where the practice has more work going than its share and none of it ends.
    pub async fn scope(&self, practice: PracticeId) -> Result<Scope> {
        self.begin(practice, "", "").await
    }

    /// A transaction for work that is long by its nature, a practice taken in or a whole one rebuilt: its statements may take minutes.
    ///
    /// # Errors
    /// As [`Store::scope`].
    pub async fn long_scope(&self, practice: PracticeId) -> Result<Scope> {
        self.begin(practice, "", LONG).await
    }

    /// The same for a practice taken out: all of it as it is at this moment, whatever is written meanwhile. It may wait for whoever is
    /// at the other end of a line.
    ///
    /// # Errors
    /// As [`Store::scope`].
    pub async fn snapshot(&self, practice: PracticeId) -> Result<Scope> {
        self.begin(practice, " isolation level repeatable read read only", LONG).await
    }

    async fn begin(&self, practice: PracticeId, how: &str, settings: &str) -> Result<Scope> {
        let turn = self.turn(practice).await?;
        let name = format!("impulso {} {}", self.process.simple(), self.begun.fetch_add(1, Ordering::Relaxed));
        // In one trip; a uuid's digits and a number need no quoting.
        let begin = format!(
            "begin{how}; select set_config('impulso.practice_id', '{}', true), set_config('application_name', '{name}', true){settings}",
            practice.0
        );
        let tx = self.soon(self.pool.begin_with(AssertSqlSafe(begin))).await?;
        let watch = hang_up::Watch::new(self.canceller.clone(), name);
        Ok(Scope { tx, practice, settings: None, process: self.process, _watch: watch, _turn: turn })
    }

    /// A practice's turn among the connections, for as long as it is held.
    async fn turn(&self, practice: PracticeId) -> Result<OwnedSemaphorePermit> {
        let turn = tokio::time::timeout(PATIENCE, self.turns_of(practice).acquire_owned()).await;
        turn.ok().and_then(std::result::Result::ok).ok_or(Error::Busy)
    }

    fn turns_of(&self, practice: PracticeId) -> Arc<Semaphore> {
        let mut turns = self.turns.lock().unwrap_or_else(PoisonError::into_inner);
        if turns.len() > TURNS_MAX {
            turns.retain(|_, of_one| Arc::strong_count(of_one) > 1);
        }
        turns.entry(practice).or_insert_with(|| Arc::new(Semaphore::new(OF_ONE_PRACTICE))).clone()
    }

    pub(crate) fn pool(&self) -> &PgPool {
        &self.pool
    }
}

/// One transaction on behalf of one practice. Dropped without [`Scope::commit`] it leaves no trace.
#[derive(Debug)]
pub struct Scope {
    tx: Transaction<'static, Postgres>,
    practice: PracticeId,
    /// What was read of the practice.
    settings: Option<practices::Practice>,
    process: Uuid,
    // Behind the transaction: what still runs in it is ended after it was given up.
    _watch: hang_up::Watch,
    _turn: OwnedSemaphorePermit,
}

impl Scope {
    /// Makes what was done in this scope permanent.
    pub async fn commit(self) -> Result<()> {
        Ok(self.tx.commit().await?)
    }

    pub fn practice(&self) -> PracticeId {
        self.practice
    }

    pub(crate) fn practice_id(&self) -> Uuid {
        self.practice.0
    }

    pub(crate) fn db(&mut self) -> &mut PgConnection {
        &mut self.tx
    }
}
