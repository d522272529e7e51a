//! What a caller can tell apart.

use std::sync::atomic::{AtomicBool, Ordering};

/// Whether the disk took no more the last time something was to be stored.
pub(crate) static DISK_IS_FULL: AtomicBool = AtomicBool::new(false);

/// The result of a question to the store.
pub type Result<T> = std::result::Result<T, Error>;

/// What went wrong.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// There is no such row in this practice.
    #[error("not found")]
    NotFound,
    /// It exists already, or has changed in the meantime.
    #[error("conflict: {0}")]
    Conflict(Conflict),
    /// A stored value no longer has the shape the core expects.
    #[error("a stored {what} could not be read: {source}")]
    Unreadable {
        /// Which kind of value.
        what: &'static str,
        /// Why.
        source: serde_json::Error,
    },
    /// A value that no column can hold: a date before the calendar, a character that is none.
    #[error("a value the database cannot hold: {0}")]
    Unstorable(#[source] Box<dyn std::error::Error + Send + Sync>),
    /// The practice has more work going than its share.
    #[error("busy")]
    Busy,
    /// The statement took longer, or more room on the disk, than the application's role may.
    #[error("took too long")]
    TooSlow,
    /// The disk of the database takes no more.
    #[error("the disk is full")]
    DiskFull,
    /// The database cannot be reached or refused the statement.
    #[error("database: {0}")]
    Unavailable(#[source] Box<dyn std::error::Error + Send + Sync>),
}

/// Which expectation did not hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum Conflict {
    /// The email address is taken.
    #[error("email taken")]
    EmailTaken,
    /// Someone else changed the row.
    #[error("changed elsewhere")]
    ChangedElsewhere,
    /// An event's sequence leaves a gap; the next one expected is given.
    #[error("sequence gap, expected {expected}")]
    SequenceGap {
        /// The sequence number expected next from that screen.
        expected: u32,
    },
    /// Another event of that screen has the sequence number; the next free one is given.
    #[error("sequence taken, expected {expected}")]
    SequenceTaken {
        /// The sequence number expected next from that screen.
        expected: u32,
    },
    /// An event's id stands for another event already.
    #[error("event elsewhere")]
    EventElsewhere,
    /// Somebody else writes with that screen in this run.
    #[error("screen elsewhere")]
    ScreenElsewhere,
    /// Already decided the other way (a retest done, a retest skipped).
    #[error("already settled")]
    AlreadySettled,
    /// The id stands for something else already.
    #[error("id taken")]
    IdTaken,
}

impl From<sqlx::Error> for Error {
    fn from(error: sqlx::Error) -> Self {
        match error {
            sqlx::Error::RowNotFound => Self::NotFound,
            // A reference into another practice, or to nothing: to the caller both are nothing.
            sqlx::Error::Database(e) if e.is_foreign_key_violation() => Self::NotFound,
            // Raised by erase_person for somebody who is not there.
            sqlx::Error::Database(e) if e.code().as_deref() == Some("P0002") => Self::NotFound,
            // Class 22: the statement is sound, the value is not.
            sqlx::Error::Database(e) if e.code().is_some_and(|c| c.starts_with("22")) => Self::Unstorable(e.into()),
            // More than an index or a column has room for, or a check of the table that the value does not pass.
            sqlx::Error::Database(e) if e.code().is_some_and(|c| c == "54000" || c == "23514") => Self::Unstorable(e.into()),
            sqlx::Error::Database(e) if e.code().is_some_and(|c| c == "57014" || c == "53400") => Self::TooSlow,
            sqlx::Error::Database(e) if e.code().as_deref() == Some("53100") => {
                DISK_IS_FULL.store(true, Ordering::Relaxed);
                Self::DiskFull
            }
            sqlx::Error::Encode(e) => Self::Unstorable(e),
            sqlx::Error::Database(e) if e.constraint() == Some("coaches_email_key") => Self::Conflict(Conflict::EmailTaken),
            sqlx::Error::Database(e) if e.is_unique_violation() => Self::Conflict(Conflict::IdTaken),
            other => Self::Unavailable(Box::new(other)),
        }
    }
}

impl From<Conflict> for Error {
    fn from(conflict: Conflict) -> Self {
        Self::Conflict(conflict)
    }
}

/// Reads a stored JSON value as a core type.
pub(crate) fn read<T: serde::de::DeserializeOwned>(what: &'static str, value: serde_json::Value) -> Result<T> {
    serde_json::from_value(value).map_err(|source| Error::Unreadable { what, source })
}

/// A stored JSON document as it comes, read by whoever knows what it is.
pub(crate) type Document = sqlx::types::Json<Box<serde_json::value::RawValue>>;

/// Reads one.
pub(crate) fn read_document<T: serde::de::DeserializeOwned>(what: &'static str, document: &Document) -> Result<T> {
    serde_json::from_str(document.get()).map_err(|source| Error::Unreadable { what, source })
}

/// Reads what stands in a list; what cannot be read is passed over and named in the log, so that it takes nothing else with it.
pub(crate) fn readable<T>(what: &'static str, key: impl std::fmt::Display, read: Result<T>) -> Option<T> {
    read.inspect_err(|error| tracing::error!(%key, %error, "a stored {what} is set aside")).ok()
}

/// Writes a core type as a stored JSON value.
pub(crate) fn write<T: serde::Serialize>(what: &'static str, value: &T) -> Result<serde_json::Value> {
    serde_json::to_value(value).map_err(|source| Error::Unreadable { what, source })
}
