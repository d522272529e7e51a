//! Photographs of clients, as the server wrote them anew. They stand in no list but a client's own.

use chrono::NaiveDate;
use uuid::Uuid;

use crate::{CoachId, PersonId, Result, Scope};

/// A photograph without its picture.
#[derive(Debug, Clone)]
pub struct Photo {
    pub id: Uuid,
    /// The day.
    pub on: NaiveDate,
    /// From where: front, left, back or right.
    pub view: String,
    /// Pixels across.
    pub width: i32,
    /// Pixels down.
    pub height: i32,
}

/// A person's photographs, the latest day first.
pub async fn of_person(scope: &mut Scope, person: PersonId) -> Result<Vec<Photo>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        Photo,
        r#"select id, on_date as "on", view, width, height from photos where practice_id = $1 and person_id = $2
           order by on_date desc, array_position(array['front', 'left', 'back', 'right'], view)"#,
        practice,
        person.0
    )
    .fetch_all(scope.db())
    .await?)
}

/// Keeps a photograph; one of the same view and day gives way to it.
pub async fn keep(scope: &mut Scope, coach: CoachId, person: PersonId, photo: &Photo, jpeg: &[u8]) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into photos (practice_id, id, person_id, on_date, view, jpeg, width, height, taken_by)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
         on conflict (practice_id, person_id, on_date, view) do update
         set id = excluded.id, jpeg = excluded.jpeg, width = excluded.width, height = excluded.height, taken_by = excluded.taken_by,
             created_at = now()",
        practice,
        photo.id,
        person.0,
        photo.on,
        photo.view,
        jpeg,
        photo.width,
        photo.height,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The picture of a photograph, and whose it is.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn jpeg(scope: &mut Scope, id: Uuid) -> Result<(PersonId, Vec<u8>)> {
    let practice = scope.practice_id();
    let row =
        sqlx::query!("select person_id, jpeg from photos where practice_id = $1 and id = $2", practice, id).fetch_one(scope.db()).await?;
    Ok((PersonId(row.person_id), row.jpeg))
}

/// Takes a photograph away for good; whose it was.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn remove(scope: &mut Scope, id: Uuid) -> Result<PersonId> {
    let practice = scope.practice_id();
    let person = sqlx::query_scalar!("delete from photos where practice_id = $1 and id = $2 returning person_id", practice, id)
        .fetch_optional(scope.db())
        .await?;
    person.map(PersonId).ok_or(crate::Error::NotFound)
}
