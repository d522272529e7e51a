//! Where clients want to be.

use impulso_core::goal::Goal;
use uuid::Uuid;

use crate::{
    CoachId, PersonId, Result, Scope,
    error::{read, readable, write},
};

/// A person's goals that were not dropped, the first agreed in front.
pub async fn of_person(scope: &mut Scope, person: PersonId) -> Result<Vec<(Uuid, Goal)>> {
    Ok(of_people(scope, &[person.0]).await?.into_iter().map(|(_, id, goal)| (id, goal)).collect())
}

/// The standing goals of some people, with whose they are.
pub async fn of_people(scope: &mut Scope, people: &[Uuid]) -> Result<Vec<(PersonId, Uuid, Goal)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select person_id, id, goal from goals where practice_id = $1 and person_id = any($2) and dropped_at is null order by created_at, id",
        practice,
        people
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().filter_map(|r| Some((PersonId(r.person_id), r.id, readable("goal", r.id, read("goal", r.goal))?))).collect())
}

/// Keeps a goal; the same key again is the same goal.
pub async fn add(scope: &mut Scope, coach: CoachId, person: PersonId, id: Uuid, goal: &Goal) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into goals (practice_id, id, person_id, goal, created_by) values ($1, $2, $3, $4, $5) on conflict (practice_id, id) do nothing",
        practice,
        id,
        person.0,
        write("goal", goal)?,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Writes down that a goal was reached.
pub async fn reached(scope: &mut Scope, id: Uuid, goal: &Goal) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("update goals set goal = $3 where practice_id = $1 and id = $2", practice, id, write("goal", goal)?)
        .execute(scope.db())
        .await?;
    Ok(())
}

/// Drops a goal; whose it was.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn withdraw(scope: &mut Scope, id: Uuid) -> Result<PersonId> {
    let practice = scope.practice_id();
    let person = sqlx::query_scalar!(
        "update goals set dropped_at = now() where practice_id = $1 and id = $2 and dropped_at is null returning person_id",
        practice,
        id
    )
    .fetch_optional(scope.db())
    .await?;
    person.map(PersonId).ok_or(crate::Error::NotFound)
}
