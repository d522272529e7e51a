//! PostgreSQL behind the rules: rows in, core types out.
//!
//! Every query lives here, in the module of its aggregate, named after the question it answers. A [`Scope`] is one
//! transaction on behalf of one practice: it sets the practice for row-level security, so nothing outside that practice
//! can be seen or touched, whatever a query says. To add a table: a migration, a module, and the same policy.

use std::{
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

use sqlx::{AssertSqlSafe, Connection, PgConnection, PgPool, Postgres, Transaction, postgres::PgPoolOptions};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use uuid::Uuid;

pub mod accounts;
pub mod audit;
pub mod error;
pub mod everything;
pub mod goals;
pub mod happenings;
pub mod ids;
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
pub mod sessions;
pub mod typed_errors;
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
/// So many practices' turns are remembered before those that nobody waits for are let go.
const TURNS_MAX: usize = 4096;

/// An idle connection is asked whether it is still there after so long.
const TRUSTED_FOR: Duration = Duration::from_secs(1);

static MIGRATIONS: sqlx::migrate::Migrator = sqlx::migrate!();

/// Brings a database up to date. `owner_url` must be the role that owns it.
pub async fn migrate(owner_url: &str) -> Result<()> {
    let pool = PgPoolOptions::new().max_connections(1).acquire_timeout(Duration::from_secs(10)).connect(owner_url).await?;
    MIGRATIONS.run(&pool).await.map_err(|e| Error::Unavailable(e.into()))?;
    pool.close().await;
    Ok(())
}

/// The database, reached as the application's role.
#[derive(Debug, Clone)]
pub struct Store {
    pool: PgPool,
    /// Whose turn it is, by practice.
    turns: Arc<Mutex<HashMap<PracticeId, Arc<Semaphore>>>>,
    /// This process among those that serve the same database.
    process: Uuid,
}

impl Store {
    /// Connects as the application's role. Connections are made when first needed, so a server starts, and says what is
    /// wrong, while its database is away.
    pub fn connect_lazy(app_url: &str) -> Result<Self> {
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
            .connect_lazy(app_url)?;
        Ok(Self { pool, turns: Arc::default(), process: Uuid::now_v7() })
    }

    /// Whether the database answers.
    pub async fn is_up(&self) -> bool {
        sqlx::query_scalar!("select 1").fetch_one(&self.pool).await.is_ok()
    }

    /// A transaction on behalf of a practice, in its turn.
    ///
    /// # Errors
    /// [`Error::Busy`] where the practice has more work going than its share and none of it ends.
    pub async fn scope(&self, practice: PracticeId) -> Result<Scope> {
        let turn = self.turn(practice).await?;
        // In one trip; a uuid's digits need no quoting.
        let begin = format!("begin; select set_config('impulso.practice_id', '{}', true)", practice.0);
        let tx = self.pool.begin_with(AssertSqlSafe(begin)).await?;
        Ok(Scope { tx, practice, process: self.process, _turn: turn })
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
    process: Uuid,
    _turn: OwnedSemaphorePermit,
}

impl Scope {
    /// Makes what was done in this scope permanent.
    pub async fn commit(self) -> Result<()> {
        Ok(self.tx.commit().await?)
    }

    /// The practice.
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
