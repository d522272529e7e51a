//! What groups are held to, measure by measure.

use impulso_core::squad::GroupMark;
use uuid::Uuid;

use crate::{
    Error, Result, Scope,
    error::{read, readable, write},
};

/// A group's marks.
pub async fn of_group(scope: &mut Scope, group: Uuid) -> Result<Vec<(Uuid, GroupMark)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!("select id, body from group_marks where practice_id = $1 and group_id = $2 order by id", practice, group)
        .fetch_all(scope.db())
        .await?;
    Ok(rows.into_iter().filter_map(|r| Some((r.id, readable("mark of a group", r.id, read("mark", r.body))?))).collect())
}

/// Keeps a mark in the place of what stood under its key.
pub async fn set(scope: &mut Scope, group: Uuid, id: Uuid, mark: &GroupMark) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into group_marks (practice_id, id, group_id, body) values ($1, $2, $3, $4)
         on conflict (practice_id, id) do update set body = excluded.body",
        practice,
        id,
        group,
        write("mark", mark)?
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Takes a mark away.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn remove(scope: &mut Scope, group: Uuid, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    let done = sqlx::query!("delete from group_marks where practice_id = $1 and group_id = $2 and id = $3", practice, group, id)
        .execute(scope.db())
        .await?;
    if done.rows_affected() == 0 { Err(Error::NotFound) } else { Ok(()) }
}
