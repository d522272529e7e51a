//! Dated events (illness, break, new job) on a client that may stand behind a number.

use impulso_core::life_event::{LifeEvent, LifeEventKind};
use uuid::Uuid;

use crate::{Error, PersonId, Result, Scope};

/// Everything that was noted of a person, earliest first.
pub async fn of_person(scope: &mut Scope, person: PersonId) -> Result<Vec<(Uuid, LifeEvent)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select id, kind, from_on, until_on, words from happenings where practice_id = $1 and person_id = $2 order by from_on, id",
        practice,
        person.0
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .map(|r| (r.id, LifeEvent { kind: LifeEventKind::named(&r.kind), from_on: r.from_on, until_on: r.until_on, words: r.words }))
        .collect())
}

/// Keeps a note; the same key again is the same note.
pub async fn add(scope: &mut Scope, person: PersonId, id: Uuid, noted: &LifeEvent) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into happenings (practice_id, id, person_id, kind, from_on, until_on, words) values ($1, $2, $3, $4, $5, $6, $7)
         on conflict (practice_id, id) do nothing",
        practice,
        id,
        person.0,
        noted.kind.name(),
        noted.from_on,
        noted.until_on,
        noted.words
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Takes a note away; whose it was.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn remove(scope: &mut Scope, id: Uuid) -> Result<PersonId> {
    let practice = scope.practice_id();
    let person = sqlx::query_scalar!("delete from happenings where practice_id = $1 and id = $2 returning person_id", practice, id)
        .fetch_optional(scope.db())
        .await?;
    person.map(PersonId).ok_or(Error::NotFound)
}
