//! Retest plans and their dates.

use chrono::NaiveDate;
use impulso_core::plan::{Planned, RetestRule, fulfilled};

use crate::{
    CoachId, PersonId, PlanId, Result, ResultId, RetestId, Scope,
    error::{Conflict, read, write},
};

/// A planned retest.
#[derive(Debug, Clone)]
pub struct Retest {
    /// Key.
    pub id: RetestId,
    /// Who.
    pub person: PersonId,
    /// Name.
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

/// Which retests are asked for.
#[derive(Debug, Clone, Copy, Default)]
pub struct Filter {
    /// Of one person only.
    pub person: Option<PersonId>,
    /// From this day on.
    pub from: Option<NaiveDate>,
    /// Up to this day.
    pub until: Option<NaiveDate>,
    /// Dates neither done nor skipped, dates that are, or both.
    pub open: Option<bool>,
}

impl Filter {
    /// Every open date of one person.
    pub fn open_of(person: PersonId) -> Self {
        Self { person: Some(person), open: Some(true), ..Self::default() }
    }
}

/// Where a list goes on: after this date, or before it where the list runs backwards.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cursor {
    /// The day of the last line.
    pub due_on: NaiveDate,
    /// Its key.
    pub id: RetestId,
}

/// A part of a list.
#[derive(Debug, Clone, Copy)]
pub struct Page {
    /// After which line; from the start where nothing.
    pub after: Option<Cursor>,
    /// The latest day first.
    pub backwards: bool,
    /// At most so many.
    pub limit: i64,
}

/// The first part of a list that is short by nature: one person's dates, a few years of them at the most.
pub const ONE_PERSON: Page = Page { after: None, backwards: false, limit: 1000 };

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

/// Retests by date, a page of them. Open dates of ended plans are not among them.
pub async fn list(scope: &mut Scope, filter: Filter, page: Page) -> Result<Vec<Retest>> {
    let practice = scope.practice_id();
    let (after_on, after_id) = page.after.map(|c| (c.due_on, c.id.0)).unzip();
    // Two queries, so that each runs along an index of its own and stops at the limit.
    macro_rules! rows {
        ($sql:literal) => {
            sqlx::query_as!(
                Row,
                $sql,
                practice,
                filter.person.map(|p| p.0),
                filter.from,
                filter.until,
                filter.open,
                after_on,
                after_id,
                page.limit
            )
            .fetch_all(scope.db())
            .await?
        };
    }
    let rows: Vec<Row> = if page.backwards {
        rows!(
            "select t.id, t.person_id, p.name, t.protocol_id, n.rule, t.due_on, t.done_on, t.result_id, t.skip_reason
             from retests t join retest_plans n on n.practice_id = t.practice_id and n.id = t.plan_id
             join people p on p.practice_id = t.practice_id and p.id = t.person_id
             where t.practice_id = $1
               and (n.ended_at is null or t.done_on is not null or t.skip_reason is not null)
               and ($2::uuid is null or t.person_id = $2) and ($3::date is null or t.due_on >= $3) and ($4::date is null or t.due_on <= $4)
               and ($5::bool is null or $5 = (t.done_on is null and t.skip_reason is null))
               and ($6::date is null or (t.due_on, t.id) < ($6, $7::uuid))
             order by t.due_on desc, t.id desc limit $8"
        )
    } else {
        rows!(
            "select t.id, t.person_id, p.name, t.protocol_id, n.rule, t.due_on, t.done_on, t.result_id, t.skip_reason
             from retests t join retest_plans n on n.practice_id = t.practice_id and n.id = t.plan_id
             join people p on p.practice_id = t.practice_id and p.id = t.person_id
             where t.practice_id = $1
               and (n.ended_at is null or t.done_on is not null or t.skip_reason is not null)
               and ($2::uuid is null or t.person_id = $2) and ($3::date is null or t.due_on >= $3) and ($4::date is null or t.due_on <= $4)
               and ($5::bool is null or $5 = (t.done_on is null and t.skip_reason is null))
               and ($6::date is null or (t.due_on, t.id) > ($6, $7::uuid))
             order by t.due_on, t.id limit $8"
        )
    };
    rows.into_iter().map(Row::read).collect()
}

/// How many open dates lie between two days; counts no further than `most`.
pub async fn count_open(scope: &mut Scope, from: Option<NaiveDate>, until: Option<NaiveDate>, most: i64) -> Result<i64> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!(
        r#"select count(*) as "n!" from (
               select 1 from retests t join retest_plans n on n.practice_id = t.practice_id and n.id = t.plan_id
               where t.practice_id = $1 and t.done_on is null and t.skip_reason is null and n.ended_at is null
                 and ($2::date is null or t.due_on >= $2) and ($3::date is null or t.due_on <= $3)
               limit $4) counted"#,
        practice,
        from,
        until,
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

/// Lets a result fulfil the open date it belongs to, where there is one.
pub async fn fulfil(scope: &mut Scope, person: PersonId, protocol_id: &str, result: ResultId, on: NaiveDate) -> Result<()> {
    let practice = scope.practice_id();
    let open = sqlx::query!(
        "select t.id, t.due_on from retests t join retest_plans n on n.id = t.plan_id
         where t.practice_id = $1 and t.person_id = $2 and t.protocol_id = $3 and t.done_on is null and t.skip_reason is null and n.ended_at is null and n.from_on < $4",
        practice,
        person.0,
        protocol_id,
        on
    )
    .fetch_all(scope.db())
    .await?;
    let dates: Vec<NaiveDate> = open.iter().map(|r| r.due_on).collect();
    let Some(row) = fulfilled(&dates, on).and_then(|due| open.iter().find(|r| r.due_on == due)) else { return Ok(()) };
    sqlx::query!("update retests set done_on = $2, result_id = $3 where id = $1", row.id, on, result.0).execute(scope.db()).await?;
    Ok(())
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
