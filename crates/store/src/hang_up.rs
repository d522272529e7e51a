//! A request that is hung up ends its statement: nobody waits for the answer, and the database need not work on it.
//!
//! A transaction that is dropped gives its connection back, and the connection then waits for the statement to end. So the
//! statement is ended from a second connection, found by the name its transaction goes by. Only where the request was given up:
//! one that was answered has nothing running.

use std::{cell::Cell, sync::Arc};

use sqlx::{Connection, PgConnection, postgres::PgConnectOptions};
use tokio::{runtime::Handle, sync::Semaphore};

/// So many statements are ended at once; beyond that the database's own time limit does it.
const AT_ONCE: usize = 2;

thread_local! {
    static HUNG_UP: Cell<bool> = const { Cell::new(false) };
}

/// Drops what a request was doing that nobody waits for any more.
pub fn hang_up<T>(work: T) {
    HUNG_UP.set(true);
    drop(work);
    HUNG_UP.set(false);
}

/// Ends statements from a connection of its own.
#[derive(Debug)]
pub(crate) struct Canceller {
    options: PgConnectOptions,
    at_once: Arc<Semaphore>,
}

impl Canceller {
    pub(crate) fn new(options: PgConnectOptions) -> Self {
        Self { options, at_once: Arc::new(Semaphore::new(AT_ONCE)) }
    }

    async fn cancel(&self, name: &str) -> sqlx::Result<()> {
        let mut connection = PgConnection::connect_with(&self.options).await?;
        sqlx::query!("select pg_cancel_backend(pid) from pg_stat_activity where application_name = $1 and state = 'active'", name)
            .fetch_all(&mut connection)
            .await?;
        connection.close().await
    }
}

/// Stands beside a transaction and sees whether it is given up.
#[derive(Debug)]
pub(crate) struct Watch {
    canceller: Arc<Canceller>,
    name: String,
}

impl Watch {
    pub(crate) fn new(canceller: Arc<Canceller>, name: String) -> Self {
        Self { canceller, name }
    }
}

impl Drop for Watch {
    fn drop(&mut self) {
        let Some(runtime) = HUNG_UP.get().then(Handle::try_current).and_then(std::result::Result::ok) else { return };
        let Ok(turn) = self.canceller.at_once.clone().try_acquire_owned() else { return };
        let (canceller, name) = (self.canceller.clone(), std::mem::take(&mut self.name));
        runtime.spawn(async move {
            let _turn = turn;
            if let Err(error) = canceller.cancel(&name).await {
                tracing::warn!(%error, "a statement that nobody waits for could not be ended");
            }
        });
    }
}
