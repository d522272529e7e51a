//! Every failure in one JSON shape: `{code, message, field?, detail?}`. The message tells a coach what to do next; what
//! went wrong inside goes to the log, never to the client.

use std::fmt;

use actix_web::{
    HttpResponse, ResponseError,
    http::{StatusCode, header::RETRY_AFTER},
};
use impulso_core::{Code, InputError, units::Units};
use impulso_store::error::{Conflict, Error as StoreError};
use serde::Serialize;
use utoipa::ToSchema;

/// What handlers give back.
pub type ApiResult<T> = Result<T, ApiError>;

/// A failure as the client sees it.
#[derive(Clone, Serialize, ToSchema, thiserror::Error)]
#[error("{message}")]
pub struct ApiError {
    /// A stable word for the kind of failure.
    pub code: String,
    /// What is wrong and what to do next.
    pub message: String,
    /// The field it is about.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub field: Option<String>,
    /// More for a program, where there is more.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<Object>)]
    pub detail: Option<serde_json::Value>,
    #[serde(skip)]
    status: StatusCode,
    /// When to come back, s.
    #[serde(skip)]
    retry_after_s: Option<u16>,
    /// The message for somebody who thinks in inches and pounds, where it names such a number.
    #[serde(skip)]
    imperial: Option<Box<Imperial>>,
}

/// As the log has it: the details of a list would fill it.
impl fmt::Debug for ApiError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {} {:?}: {}", self.status.as_u16(), self.code, self.field, self.message)
    }
}

/// A message in inches and pounds, behind a pointer: few failures have one.
#[derive(Debug, Clone)]
struct Imperial(String);

impl ApiError {
    /// The same failure in the units somebody thinks in.
    #[must_use]
    pub fn in_units(mut self, units: Units) -> Self {
        if let Some(imperial) = self.imperial.take_if(|_| units == Units::Imperial) {
            self.message = imperial.0;
        }
        self
    }

    /// Whether it is about what was asked for, and not about the server.
    pub fn is_the_clients(&self) -> bool {
        self.status.is_client_error()
    }

    /// A failure of a kind.
    pub fn new(status: StatusCode, code: &str, message: impl Into<String>) -> Self {
        Self { code: code.to_owned(), message: message.into(), field: None, detail: None, status, retry_after_s: None, imperial: None }
    }

    /// The same with more for a program.
    #[must_use]
    pub fn with(self, detail: serde_json::Value) -> Self {
        Self { detail: Some(detail), ..self }
    }

    /// The same, with when to come back.
    #[must_use]
    pub fn retry_after(mut self, seconds: u16) -> Self {
        self.retry_after_s = Some(seconds);
        self
    }

    /// The same, told about the field as the caller knows it; one about no field stays so.
    #[must_use]
    pub fn at(mut self, field: &str) -> Self {
        self.field = self.field.map(|_| field.to_owned());
        self
    }

    /// When to come back, s.
    pub const fn retry_after_s(&self) -> Option<u16> {
        self.retry_after_s
    }

    /// A body that cannot be read; `why` goes to whoever writes a program.
    pub fn unreadable(why: &str) -> Self {
        let message = "The server could not read what this page sent. Reload the page and try again; what you typed is kept.";
        Self::new(StatusCode::BAD_REQUEST, "bad_json", message).with(serde_json::json!({ "why": why }))
    }

    /// An address that is not one of the product's; `why` goes to whoever writes a program.
    pub fn bad_address(why: &str) -> Self {
        let message = "Part of this address is missing or can’t be read. Open the page from the menu, or use the whole link.";
        Self::new(StatusCode::BAD_REQUEST, "bad_json", message).with(serde_json::json!({ "why": why }))
    }

    /// Nobody is signed in.
    pub fn signed_out() -> Self {
        Self::new(StatusCode::UNAUTHORIZED, "signed_out", "You are signed out. Sign in again; nothing you typed is lost.")
    }

    /// There is no such thing in this practice.
    pub fn not_found() -> Self {
        Self::new(
            StatusCode::NOT_FOUND,
            "not_found",
            "This does not exist here. It may belong to another practice, or the link is incomplete.",
        )
    }

    /// Something else is stored under this key already.
    pub fn saved_already() -> Self {
        let message = "This is saved already, with other values. Open it from the client’s page and correct it there.";
        Self::new(StatusCode::CONFLICT, "saved_already", message)
    }

    /// The database is away.
    pub fn unavailable() -> Self {
        Self::new(
            StatusCode::SERVICE_UNAVAILABLE,
            "database_away",
            "The database does not answer. Readings stay on this screen and are sent as soon as it is back.",
        )
        .retry_after(2)
    }
}

impl ApiError {
    /// It took longer than anybody waits.
    pub fn too_slow() -> Self {
        Self::new(StatusCode::SERVICE_UNAVAILABLE, "too_slow", "This took too long. Nothing is lost; try again in a moment.").retry_after(5)
    }

    /// Whether the database is behind it, and not what was asked.
    pub fn is_the_databases(&self) -> bool {
        self.status == StatusCode::SERVICE_UNAVAILABLE
    }

    /// The disk of the database is full.
    pub fn disk_full() -> Self {
        Self::new(
            StatusCode::SERVICE_UNAVAILABLE,
            "disk_full",
            "The server's disk is full, so nothing new is stored. Readings stay on this screen. Tell whoever runs the server.",
        )
        .retry_after(30)
    }
}

impl ResponseError for ApiError {
    fn status_code(&self) -> StatusCode {
        self.status
    }

    fn error_response(&self) -> HttpResponse {
        let mut answer = HttpResponse::build(self.status);
        if let Some(seconds) = self.retry_after_s {
            answer.insert_header((RETRY_AFTER, u64::from(seconds)));
        }
        answer.json(self)
    }
}

impl From<InputError> for ApiError {
    fn from(error: InputError) -> Self {
        let code = serde_json::to_value(error.code).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default();
        let status = if error.code == Code::UnknownProtocol { StatusCode::NOT_FOUND } else { StatusCode::UNPROCESSABLE_ENTITY };
        Self {
            field: error.field,
            imperial: error.imperial.map(|said| Box::new(Imperial(said))),
            ..Self::new(status, &code, error.message)
        }
    }
}

impl From<StoreError> for ApiError {
    fn from(error: StoreError) -> Self {
        let conflict = |code: &str, message: &str| Self::new(StatusCode::CONFLICT, code, message);
        match error {
            StoreError::NotFound => Self::not_found(),
            StoreError::Conflict(Conflict::EmailTaken) => Self {
                field: Some("email".into()),
                ..conflict("email_taken", "There is an account with this email address already. Sign in with it, or use another address.")
            },
            StoreError::Conflict(Conflict::ChangedElsewhere) => conflict(
                "changed_elsewhere",
                "Someone else has changed this in the meantime. Your entries are still here: reload to see theirs, then save again.",
            ),
            StoreError::Conflict(Conflict::AlreadySettled) => {
                conflict("already_settled", "This date is done or skipped already. Reload to see it.")
            }
            StoreError::Conflict(Conflict::IdTaken) => conflict("id_taken", "This could not be saved under its number. Try again."),
            StoreError::Conflict(Conflict::SequenceGap { expected }) => Self {
                detail: Some(serde_json::json!({ "expected": expected })),
                ..conflict("sequence_gap", "An earlier reading of this screen has not arrived yet. The screen sends it again by itself.")
            },
            StoreError::Conflict(Conflict::SequenceTaken { expected }) => Self {
                detail: Some(serde_json::json!({ "expected": expected })),
                ..conflict("sequence_taken", "Another entry of this screen has this number already. The screen sends it again by itself.")
            },
            StoreError::Conflict(Conflict::EventElsewhere) => {
                conflict("event_elsewhere", "Another entry was saved under this key already. The screen sends this one again by itself.")
            }
            StoreError::Conflict(Conflict::ScreenElsewhere) => Self::new(
                StatusCode::FORBIDDEN,
                "screen_elsewhere",
                "Somebody else enters with this screen in this run. The screen sends this entry again by itself, under a name of its own.",
            ),
            StoreError::Unstorable(_) => {
                tracing::info!(%error, "value refused");
                Self::new(
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "out_of_range",
                    "Something in this entry can't be stored: a date outside the calendar, a broken character, or a text that is too long. \
                     Check it and send it again.",
                )
            }
            StoreError::TooSlow => {
                tracing::warn!("a statement was ended: it took too long, or too much room");
                Self::too_slow()
            }
            StoreError::DiskFull => {
                tracing::error!("the disk of the database is full");
                Self::disk_full()
            }
            StoreError::Busy => Self::new(
                StatusCode::SERVICE_UNAVAILABLE,
                "busy",
                "This practice is sending too much at once. It goes on in a moment; nothing is lost.",
            )
            .retry_after(2),
            StoreError::Unreadable { .. } => {
                tracing::error!(%error, "stored value unreadable");
                Self::new(
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "internal",
                    "Something stored could not be read. Nothing is lost; tell whoever runs this server.",
                )
            }
            StoreError::Unavailable(_) => {
                tracing::warn!(%error, "database");
                Self::unavailable()
            }
        }
    }
}
