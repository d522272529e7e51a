//! Consents of clients: answers are only added, and the latest of a kind counts.

use chrono::{DateTime, Utc};
use impulso_core::consent::{Consent, ConsentKind};
use uuid::Uuid;

use crate::{CoachId, PersonId, Result, Scope};

/// An answer as it is kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stored {
    pub id: Uuid,
    pub consent: Consent,
    pub created_at: DateTime<Utc>,
}

/// Keeps an answer, once under its key. Says whether it is new.
pub async fn add(scope: &mut Scope, coach: CoachId, person: PersonId, id: Uuid, kind: ConsentKind, consent: &Consent) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into consents (practice_id, id, person_id, kind, agreed, on_date, by_name, guardian, created_by)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (practice_id, id) do nothing",
        practice,
        id,
        person.0,
        kind.key(),
        consent.agreed,
        consent.on,
        consent.by,
        consent.guardian,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(done.rows_affected() > 0)
}

/// The answers of one kind, the latest first.
pub async fn of_person(scope: &mut Scope, person: PersonId, kind: ConsentKind) -> Result<Vec<Stored>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select id, agreed, on_date, by_name, guardian, created_at from consents
         where practice_id = $1 and person_id = $2 and kind = $3 order by created_at desc, id desc",
        practice,
        person.0,
        kind.key()
    )
    .fetch_all(scope.db())
    .await?;
    let stored = |r: (Uuid, bool, chrono::NaiveDate, String, bool, DateTime<Utc>)| Stored {
        id: r.0,
        consent: Consent { agreed: r.1, on: r.2, by: r.3, guardian: r.4 },
        created_at: r.5,
    };
    Ok(rows.into_iter().map(|r| stored((r.id, r.agreed, r.on_date, r.by_name, r.guardian, r.created_at))).collect())
}

/// The names of those of these people whose latest answer of a kind is not that they agree.
pub async fn lacking(scope: &mut Scope, people: &[PersonId], kind: ConsentKind) -> Result<Vec<String>> {
    let practice = scope.practice_id();
    let keys: Vec<Uuid> = people.iter().map(|p| p.0).collect();
    Ok(sqlx::query_scalar!(
        "select p.name from people p
         where p.practice_id = $1 and p.id = any($2) and not coalesce((
             select c.agreed from consents c where c.practice_id = $1 and c.person_id = p.id and c.kind = $3
             order by c.created_at desc, c.id desc limit 1), false)
         order by p.name",
        practice,
        &keys,
        kind.key()
    )
    .fetch_all(scope.db())
    .await?)
}
