//! Retest plans and their dates.

use chrono::NaiveDate;
use impulso_core::plan::{Planned, RetestRule, fulfilled};

use crate::{
    CoachId, PersonId, PlanId, Result, ResultId, RetestId, Scope,
    error::{Conflict, read, write},
    results::Stored,
};

/// A planned retest.
#[derive(Debug, Clone)]
pub struct Retest {
    pub id: RetestId,
    /// Who.
    pub person: PersonId,
    pub person_name: String,
    /// Which test.
    pub protocol_id: String,
    /// The rule behind it.
    pub rule: RetestRule,
    /// The date and what became of it.
    pub planned: Planned,
    /// Why it was skipped.
    pub skip_reason: Option<String>,
    /// The result that fulfilled it.
    pub result: Option<ResultId>,
}

/// From one day to another, both included.
pub type Span = (NaiveDate, NaiveDate);

/// The first day any date can have, and the last.
pub const EVER: Span = (NaiveDate::from_ymd_opt(1900, 1, 1).unwrap(), NaiveDate::from_ymd_opt(2199, 12, 31).unwrap());

/// Where a list goes on: after this date, or before it where the list runs backwards.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cursor {
    /// The day of the last line.
    pub due_on: NaiveDate,
    pub id: RetestId,
}

/// Keeps a plan and its dates. A standing plan for the same test ends: its open dates go, what was done or skipped stays.
pub async fn keep(
    scope: &mut Scope,
    coach: CoachId,
    person: PersonId,
    protocol_id: &str,
    rule: &RetestRule,
    from: NaiveDate,
    dates: &[NaiveDate],
) -> Result<PlanId> {
    let (id, practice) = (PlanId::new(), scope.practice_id());
    sqlx::query!(
        "update retest_plans set ended_at = now() where practice_id = $1 and person_id = $2 and protocol_id = $3 and ended_at is null",
        practice,
        person.0,
        protocol_id
    )
    .execute(scope.db())
    .await?;
    sqlx::query!(
        "delete from retests where practice_id = $1 and person_id = $2 and protocol_id = $3 and done_on is null and skip_reason is null",
        practice,
        person.0,
        protocol_id
    )
    .execute(scope.db())
    .await?;
    sqlx::query!(
        "insert into retest_plans (id, practice_id, person_id, protocol_id, rule, from_on, created_by) values ($1, $2, $3, $4, $5, $6, $7)",
        id.0,
        practice,
        person.0,
        protocol_id,
        write("rule", rule)?,
        from,
        coach.0
    )
    .execute(scope.db())
    .await?;
    for due in dates {
        sqlx::query!(
            "insert into retests (id, practice_id, plan_id, person_id, protocol_id, due_on) values ($1, $2, $3, $4, $5, $6)",
            RetestId::new().0,
            practice,
            id.0,
            person.0,
            protocol_id,
            due
        )
        .execute(scope.db())
        .await?;
    }
    Ok(id)
}

/// Open dates of everyone, soonest first, a page of them.
pub async fn open(scope: &mut Scope, span: Span, after: Option<Cursor>, limit: i64) -> Result<Vec<Retest>> {
    let practice = scope.practice_id();
    // From the span's own beginning: an earlier one would be walked through from there.
    let after = after.unwrap_or(Cursor { due_on: span.0, id: RetestId(uuid::Uuid::nil()) });
    sqlx::query_as!(
        Row,
        "select t.id, t.person_id, p.name, t.protocol_id, n.rule, t.due_on, t.done_on, t.result_id, t.skip_reason
         from (select * from retests
               where practice_id = $1 and done_on is null and skip_reason is null and due_on >= $2 and due_on <= $3 and (due_on, id) > ($4, $5)
               order by due_on, id limit $6) t
         join retest_plans n on n.practice_id = t.practice_id and n.id = t.plan_id
         join people p on p.practice_id = t.practice_id and p.id = t.person_id
         order by t.due_on, t.id",
        practice,
        span.0,
        span.1,
        after.due_on,
        after.id.0,
        limit
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .map(Row::read)
    .collect()
}

/// Open dates of one person, soonest first.
pub async fn open_of(scope: &mut Scope, person: PersonId) -> Result<Vec<Retest>> {
    let practice = scope.practice_id();
    sqlx::query_as!(
        Row,
        "select t.id, t.person_id, p.name, t.protocol_id, n.rule, t.due_on, t.done_on, t.result_id, t.skip_reason
         from retests t join retest_plans n on n.practice_id = t.practice_id and n.id = t.plan_id
         join people p on p.practice_id = t.practice_id and p.id = t.person_id
         where t.practice_id = $1 and t.person_id = $2 and t.done_on is null and t.skip_reason is null order by t.due_on, t.id",
        practice,
        person.0
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .map(Row::read)
    .collect()
}

/// Dates that were done or skipped, the latest first, a page of them.
pub async fn settled(scope: &mut Scope, span: Span, before: Option<Cursor>, limit: i64) -> Result<Vec<Retest>> {
    let practice = scope.practice_id();
    let before = before.unwrap_or(Cursor { due_on: span.1, id: RetestId(uuid::Uuid::max()) });
    sqlx::query_as!(
        Row,
        "select t.id, t.person_id, p.name, t.protocol_id, n.rule, t.due_on, t.done_on, t.result_id, t.skip_reason
         from (select * from retests
               where practice_id = $1 and (done_on is not null or skip_reason is not null) and due_on >= $2 and due_on <= $3 and (due_on, id) < ($4, $5)
               order by due_on desc, id desc limit $6) t
         join retest_plans n on n.practice_id = t.practice_id and n.id = t.plan_id
         join people p on p.practice_id = t.practice_id and p.id = t.person_id
         order by t.due_on desc, t.id desc",
        practice,
        span.0,
        span.1,
        before.due_on,
        before.id.0,
        limit
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .map(Row::read)
    .collect()
}

/// How many open dates lie between two days; counts no further than `most`.
pub async fn count_open(scope: &mut Scope, span: Span, most: i64) -> Result<i64> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!(
        r#"select count(*) as "n!" from (
               select 1 from retests
               where practice_id = $1 and done_on is null and skip_reason is null and due_on >= $2 and due_on <= $3 order by due_on, id limit $4) counted"#,
        practice,
        span.0,
        span.1,
        most
    )
    .fetch_one(scope.db())
    .await?)
}

struct Row {
    id: uuid::Uuid,
    person_id: uuid::Uuid,
    name: String,
    protocol_id: String,
    rule: serde_json::Value,
    due_on: NaiveDate,
    done_on: Option<NaiveDate>,
    result_id: Option<uuid::Uuid>,
    skip_reason: Option<String>,
}

impl Row {
    fn read(self) -> Result<Retest> {
        Ok(Retest {
            id: RetestId(self.id),
            person: PersonId(self.person_id),
            person_name: self.name,
            protocol_id: self.protocol_id,
            rule: read("rule", self.rule)?,
            planned: Planned { due_on: self.due_on, done_on: self.done_on, skipped: self.skip_reason.is_some() },
            skip_reason: self.skip_reason,
            result: self.result_id.map(ResultId),
        })
    }
}

/// Whose a date is.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn person_of(scope: &mut Scope, id: RetestId) -> Result<PersonId> {
    Ok(PersonId(sqlx::query_scalar!("select person_id from retests where id = $1", id.0).fetch_one(scope.db()).await?))
}

/// Lets a result fulfil the open date of its test, or a visit that of its battery, where there is one. What was planned on the day
/// itself is for later days, but for a date that is this day: the week 0 of a programme.
pub async fn fulfil(scope: &mut Scope, person: PersonId, what: &str, result: Option<ResultId>, on: NaiveDate) -> Result<()> {
    let practice = scope.practice_id();
    let open = sqlx::query!(
        "select t.id, t.due_on from retests t join retest_plans n on n.id = t.plan_id
         where t.practice_id = $1 and t.person_id = $2 and t.protocol_id = $3 and t.done_on is null and t.skip_reason is null
           and (n.from_on < $4 or t.due_on = $4)",
        practice,
        person.0,
        what,
        on
    )
    .fetch_all(scope.db())
    .await?;
    let dates: Vec<NaiveDate> = open.iter().map(|r| r.due_on).collect();
    let Some(row) = fulfilled(&dates, on).and_then(|due| open.iter().find(|r| r.due_on == due)) else { return Ok(()) };
    sqlx::query!("update retests set done_on = $2, result_id = $3 where id = $1", row.id, on, result.map(|r| r.0))
        .execute(scope.db())
        .await?;
    Ok(())
}

/// Which of these people have an open date of which test.
pub async fn open_among(scope: &mut Scope, people: &[uuid::Uuid]) -> Result<std::collections::BTreeSet<(PersonId, String)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select distinct person_id, protocol_id from retests
         where practice_id = $1 and person_id = any($2) and done_on is null and skip_reason is null",
        practice,
        people
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (PersonId(r.person_id), r.protocol_id)).collect())
}

/// Opens the dates again that a result had fulfilled; how many.
pub async fn reopen(scope: &mut Scope, result: ResultId) -> Result<u64> {
    let practice = scope.practice_id();
    let done =
        sqlx::query!("update retests set done_on = null, result_id = null where practice_id = $1 and result_id = $2", practice, result.0)
            .execute(scope.db())
            .await?;
    Ok(done.rows_affected())
}

/// Lets a result that counts and fulfils no date yet fulfil one, where one is open.
pub async fn fulfil_again(scope: &mut Scope, result: &Stored) -> Result<()> {
    let practice = scope.practice_id();
    let taken = sqlx::query_scalar!(
        r#"select exists (select from retests where practice_id = $1 and result_id = $2) as "taken!""#,
        practice,
        result.id
    )
    .fetch_one(scope.db())
    .await?;
    if taken || result.computed.is_empty() {
        return Ok(());
    }
    fulfil(scope, result.person, &result.protocol_id, Some(result.key()), result.on).await
}

/// Skips an open date with a reason.
///
/// # Errors
/// [`Conflict::AlreadySettled`] where it was done or skipped before.
pub async fn skip(scope: &mut Scope, id: RetestId, reason: &str) -> Result<()> {
    let done = sqlx::query!("update retests set skip_reason = $2 where id = $1 and done_on is null and skip_reason is null", id.0, reason)
        .execute(scope.db())
        .await?;
    if done.rows_affected() == 0 {
        sqlx::query!("select id from retests where id = $1", id.0).fetch_one(scope.db()).await?;
        return Err(Conflict::AlreadySettled.into());
    }
    Ok(())
}

/// Takes a skip back.
///
/// # Errors
/// [`crate::Error::NotFound`] where it was not skipped.
pub async fn unskip(scope: &mut Scope, id: RetestId) -> Result<()> {
    let done =
        sqlx::query!("update retests set skip_reason = null where id = $1 and skip_reason is not null", id.0).execute(scope.db()).await?;
    if done.rows_affected() == 0 { Err(crate::Error::NotFound) } else { Ok(()) }
}
