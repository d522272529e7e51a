//! Versions of a result: what was put right, made void, restored or given to another client, with what stood before.

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::{
    CoachId, Result, ResultId, Scope,
    error::{Document, read, write},
    results::{self, Stored, StoredFacts, row_of},
};

/// What was done to a result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Change {
    /// Readings, circumstances or the day.
    Corrected,
    /// It counts no more.
    Voided,
    /// It counts again.
    Restored,
    /// It is another client's.
    Moved,
}

impl Change {
    /// As the table writes it.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Corrected => "corrected",
            Self::Voided => "voided",
            Self::Restored => "restored",
            Self::Moved => "moved",
        }
    }
}

/// A version that is not the newest any more.
#[derive(Debug, Clone)]
pub struct Version {
    /// From 1: the result as it was first kept.
    pub version: u32,
    /// As it was.
    pub was: Stored,
    /// What was then done to it.
    pub change: Change,
    /// Why.
    pub reason: String,
    /// Who did it: the coach's name.
    pub by: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// Locks a result for this transaction, so that whoever corrects it next waits.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn lock(scope: &mut Scope, id: ResultId) -> Result<Stored> {
    let practice = scope.practice_id();
    sqlx::query!("select id from results where practice_id = $1 and id = $2 for update", practice, id.0).fetch_one(scope.db()).await?;
    results::get(scope, id).await
}

/// The result that a correction was made to, where it was made.
pub async fn made(scope: &mut Scope, correction: Uuid) -> Result<Option<ResultId>> {
    let practice = scope.practice_id();
    let result = sqlx::query_scalar!("select result_id from result_versions where practice_id = $1 and id = $2", practice, correction)
        .fetch_optional(scope.db())
        .await?;
    Ok(result.map(ResultId))
}

/// How many versions there are before the newest.
pub async fn count(scope: &mut Scope, id: ResultId) -> Result<u32> {
    let practice = scope.practice_id();
    let n =
        sqlx::query_scalar!(r#"select count(*) as "n!" from result_versions where practice_id = $1 and result_id = $2"#, practice, id.0)
            .fetch_one(scope.db())
            .await?;
    Ok(u32::try_from(n).unwrap_or(u32::MAX))
}

/// One change of a result.
#[derive(Debug)]
pub struct Replaced<'a> {
    /// Made by the screen.
    pub id: Uuid,
    /// Which version the new one follows, from 1.
    pub version: u32,
    /// What it is from now on.
    pub is: &'a Stored,
    /// What is done.
    pub change: Change,
    /// Why.
    pub reason: &'a str,
}

/// Keeps what a result was as a version, and writes what it is.
pub async fn replace(scope: &mut Scope, coach: CoachId, with: &Replaced<'_>) -> Result<()> {
    let practice = scope.practice_id();
    let is = with.is;
    sqlx::query!(
        "insert into result_versions (practice_id, result_id, version, id, person_id, run_id, method, on_date, taken_at, inputs, conditions,
             facts, stopped, voided, remarks, scored, change, reason, created_by)
         select r.practice_id, r.id, $3, $4, r.person_id, r.run_id, r.method, r.on_date, r.taken_at, r.inputs, r.conditions,
             r.facts, r.stopped, r.voided, r.remarks,
             (select coalesce(jsonb_object_agg(s.quantity, s.value), '{}') from scores s where s.practice_id = r.practice_id and s.result_id = r.id),
             $5, $6, $7
         from results r where r.practice_id = $1 and r.id = $2",
        practice,
        is.id,
        i32::try_from(with.version).unwrap_or(i32::MAX),
        with.id,
        with.change.name(),
        with.reason,
        coach.0
    )
    .execute(scope.db())
    .await?;
    sqlx::query!(
        "update results set person_id = $3, run_id = $4, method = $5, on_date = $6, taken_at = $7, inputs = $8, conditions = $9, facts = $10,
             stopped = $11, voided = $12, remarks = $13 where practice_id = $1 and id = $2",
        practice,
        is.id,
        is.person.0,
        is.run.map(|r| r.0),
        is.method,
        is.on,
        is.taken_at,
        write("inputs", &is.inputs)?,
        write("conditions", &is.conditions)?,
        write("facts", &StoredFacts::from(is.facts))?,
        is.stopped.as_ref().map(|s| write("stop", s)).transpose()?,
        is.voided,
        write("remarks", &is.remarks)?
    )
    .execute(scope.db())
    .await?;
    results::recomputed(scope, is.key(), &is.computed).await
}

/// The versions of a result before the newest, the first first.
pub async fn of_result(scope: &mut Scope, id: ResultId) -> Result<Vec<Version>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select v.version, v.person_id, v.run_id, r.protocol_id, v.method, v.on_date, v.taken_at, v.inputs as "inputs: Document",
                  v.conditions as "conditions: Document", v.facts as "facts: Document", v.stopped as "stopped: Document", v.voided,
                  v.remarks as "remarks: Document", v.scored as "scored: Document", v.change, v.reason, v.created_at, c.name
           from result_versions v
           join results r on r.practice_id = v.practice_id and r.id = v.result_id
           join coaches c on c.practice_id = v.practice_id and c.id = v.created_by
           where v.practice_id = $1 and v.result_id = $2 order by v.version"#,
        practice,
        id.0
    )
    .fetch_all(scope.db())
    .await?;
    rows.into_iter()
        .map(|r| {
            Ok(Version {
                version: r.version.unsigned_abs(),
                was: row_of!(r, id.0, Some(r.scored)).read()?,
                change: read("change", r.change.into())?,
                reason: r.reason,
                by: r.name,
                at: r.created_at,
            })
        })
        .collect()
}
