//! A planned date as every screen shows it.

use chrono::NaiveDate;
use impulso_core::plan::{self, RetestStatus};
use impulso_store::retests::Retest;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::shelf::Shelf;

/// A planned retest as shown.
#[derive(Serialize, ToSchema)]
pub struct RetestLine {
    pub id: Uuid,
    /// Who.
    pub person: Uuid,
    pub name: String,
    /// The id of the protocol or the battery.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// The tests of a battery; empty for a test alone.
    pub tests: Vec<String>,
    /// The rule in words.
    pub rule: String,
    /// The day.
    pub due_on: NaiveDate,
    /// The same, spoken.
    pub spoken: String,
    /// What became of it.
    pub status: RetestStatus,
    /// When it was done.
    pub done_on: Option<NaiveDate>,
    /// Days after its date.
    pub late_days: i64,
    /// Why it was skipped.
    pub skip_reason: Option<String>,
    pub result: Option<Uuid>,
}

impl RetestLine {
    /// The line of a stored retest.
    pub fn new(r: Retest, shelf: &Shelf, today: NaiveDate) -> Self {
        Self {
            id: r.id.0,
            person: r.person.0,
            name: r.person_name,
            protocol_name: shelf.name(&r.protocol_id),
            tests: shelf.tests_of(&r.protocol_id),
            protocol: r.protocol_id,
            rule: r.rule.words(),
            due_on: r.planned.due_on,
            spoken: plan::spoken(r.planned.due_on, today),
            status: plan::status(&r.planned, today),
            done_on: r.planned.done_on,
            late_days: (r.planned.done_on.unwrap_or(today) - r.planned.due_on).num_days().max(0),
            skip_reason: r.skip_reason,
            result: r.result.map(|id| id.0),
        }
    }
}
