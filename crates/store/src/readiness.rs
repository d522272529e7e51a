//! Readiness checks: what was answered, what was advised, what was overruled.

use std::collections::BTreeMap;

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::readiness::{Advice, Answers};
use uuid::Uuid;

use crate::{
    CoachId, PersonId, ReadinessId, Result, Scope,
    error::{read, write},
};

/// A readiness check.
#[derive(Debug, Clone)]
pub struct Check {
    pub id: ReadinessId,
    /// What the client answered.
    pub answers: Answers,
    /// What was advised.
    pub advice: Advice,
    /// Why the coach overruled it, where that happened.
    pub overrule_reason: Option<String>,
    /// The day.
    pub on: NaiveDate,
    /// The moment.
    pub at: DateTime<Utc>,
}

/// Keeps a check.
pub async fn add(
    scope: &mut Scope,
    coach: CoachId,
    person: PersonId,
    answers: &Answers,
    advice: &Advice,
    overrule_reason: Option<&str>,
    on: NaiveDate,
) -> Result<ReadinessId> {
    let (id, practice) = (ReadinessId::new(), scope.practice_id());
    sqlx::query!(
        "insert into readiness_checks (id, practice_id, person_id, answers, advice, overrule_reason, on_date, created_by) values ($1, $2, $3, $4, $5, $6, $7, $8)",
        id.0,
        practice,
        person.0,
        write("readiness", answers)?,
        write("advice", advice)?,
        overrule_reason,
        on,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(id)
}

/// The latest check of a person.
pub async fn latest(scope: &mut Scope, person: PersonId) -> Result<Option<Check>> {
    Ok(latest_of(scope, &[person.0]).await?.remove(&person.0))
}

/// The latest check of each of several people who have one.
pub async fn latest_of(scope: &mut Scope, people: &[Uuid]) -> Result<BTreeMap<Uuid, Check>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select p.id as "person!", c.id, c.answers, c.advice, c.overrule_reason, c.on_date, c.created_at
           from unnest($2::uuid[]) as p (id)
           cross join lateral (select id, answers, advice, overrule_reason, on_date, created_at from readiness_checks
                               where practice_id = $1 and person_id = p.id order by created_at desc limit 1) c"#,
        practice,
        people
    )
    .fetch_all(scope.db())
    .await?;
    let mut found = BTreeMap::new();
    for r in rows {
        let check = Check {
            id: ReadinessId(r.id),
            answers: read("readiness", r.answers)?,
            advice: read("advice", r.advice)?,
            overrule_reason: r.overrule_reason,
            on: r.on_date,
            at: r.created_at,
        };
        found.insert(r.person, check);
    }
    Ok(found)
}
