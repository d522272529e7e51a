//! Groups of people: squads and classes, with their members over time.

use chrono::NaiveDate;
use uuid::Uuid;

use impulso_core::run::event::Conditions;

use crate::{
    CoachId, Error, PersonId, Result, Scope,
    error::{read, write},
};

/// A group in the list.
#[derive(Debug, Clone)]
pub struct Line {
    pub id: Uuid,
    pub name: String,
    /// How many belong to it today.
    pub members: i64,
    /// When one of them was last tested.
    pub last_on: Option<NaiveDate>,
}

/// A member, now or before.
#[derive(Debug, Clone)]
pub struct Member {
    pub id: Uuid,
    pub person: PersonId,
    pub name: String,
    /// Birth date.
    pub born: NaiveDate,
    pub joined_on: NaiveDate,
    /// Nothing while they belong to it.
    pub left_on: Option<NaiveDate>,
    /// In the coach's words: front, back; team A.
    pub playing_group: Option<String>,
    /// On the shirt.
    pub number: Option<u16>,
    /// What is their own in every group visit: on the knees, a lighter ball.
    pub set_up: Conditions,
    /// When they were last tested.
    pub last_on: Option<NaiveDate>,
}

/// The practice's groups that are not closed, by name; those whose name holds `text`.
pub async fn list(scope: &mut Scope, text: &str) -> Result<Vec<Line>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select g.id, g.name,
             (select count(*) from group_members m where m.practice_id = g.practice_id and m.group_id = g.id and m.left_on is null) as "members!",
             (select max(l.on_date) from group_members m cross join lateral (
                  select r.on_date from results r where r.practice_id = m.practice_id and r.person_id = m.person_id and not r.voided
                  order by r.taken_at desc limit 1) l
                where m.practice_id = g.practice_id and m.group_id = g.id and m.left_on is null) as last_on
           from groups g where g.practice_id = $1 and g.closed_at is null and strpos(lower(g.name), lower($2)) > 0 order by lower(g.name), g.id"#,
        practice,
        text
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| Line { id: r.id, name: r.name, members: r.members, last_on: r.last_on }).collect())
}

/// The key and name of every group of the practice that is not closed.
pub async fn names(scope: &mut Scope) -> Result<Vec<(Uuid, String)>> {
    let practice = scope.practice_id();
    let rows =
        sqlx::query!("select id, name from groups where practice_id = $1 and closed_at is null", practice).fetch_all(scope.db()).await?;
    Ok(rows.into_iter().map(|r| (r.id, r.name)).collect())
}

/// The name of a group, closed or not.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn name(scope: &mut Scope, id: Uuid) -> Result<String> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!("select name from groups where practice_id = $1 and id = $2", practice, id).fetch_one(scope.db()).await?)
}

/// The name of a group that is not closed; locked for this transaction, so that its members are changed by one at a time.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn lock(scope: &mut Scope, id: Uuid) -> Result<String> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!("select name from groups where practice_id = $1 and id = $2 and closed_at is null for update", practice, id)
        .fetch_one(scope.db())
        .await?)
}

/// Makes a group, or gives it another name.
pub async fn put(scope: &mut Scope, coach: CoachId, id: Uuid, name: &str) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into groups (practice_id, id, name, created_by) values ($1, $2, $3, $4) on conflict (practice_id, id) do update set name = $3",
        practice,
        id,
        name,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Closes a group: it is in no list any more, its history stays.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn close(scope: &mut Scope, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    let closed = sqlx::query!("update groups set closed_at = now() where practice_id = $1 and id = $2 and closed_at is null", practice, id)
        .execute(scope.db())
        .await?;
    if closed.rows_affected() == 0 { Err(Error::NotFound) } else { Ok(()) }
}

/// Everybody who belongs to a group or did: by number, then by name; who left after who is there.
pub async fn members(scope: &mut Scope, group: Uuid) -> Result<Vec<Member>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select m.id, m.person_id, p.name, p.born, m.joined_on, m.left_on, m.playing_group, m.number, m.set_up,
             (select r.on_date from results r where r.practice_id = m.practice_id and r.person_id = m.person_id and not r.voided
              order by r.taken_at desc limit 1) as "last_on?"
           from group_members m join people p on p.practice_id = m.practice_id and p.id = m.person_id
           where m.practice_id = $1 and m.group_id = $2 order by m.left_on desc nulls first, m.number nulls last, lower(p.name), m.id"#,
        practice,
        group
    )
    .fetch_all(scope.db())
    .await?;
    rows.into_iter()
        .map(|r| {
            Ok(Member {
                id: r.id,
                person: PersonId(r.person_id),
                name: r.name,
                born: r.born,
                joined_on: r.joined_on,
                left_on: r.left_on,
                playing_group: r.playing_group,
                number: r.number.and_then(|n| u16::try_from(n).ok()),
                set_up: read("set-up", r.set_up)?,
                last_on: r.last_on,
            })
        })
        .collect()
}

/// Puts a person into a group; the same key again is the same membership.
pub async fn join(
    scope: &mut Scope,
    group: Uuid,
    id: Uuid,
    person: PersonId,
    on: NaiveDate,
    playing_group: Option<&str>,
    number: Option<u16>,
) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into group_members (practice_id, id, group_id, person_id, joined_on, playing_group, number)
         values ($1, $2, $3, $4, $5, $6, $7) on conflict (practice_id, id) do nothing",
        practice,
        id,
        group,
        person.0,
        on,
        playing_group,
        number.map(i32::from)
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Changes a member's playing group and number.
pub async fn change(scope: &mut Scope, member: Uuid, playing_group: Option<&str>, number: Option<u16>) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "update group_members set playing_group = $3, number = $4 where practice_id = $1 and id = $2",
        practice,
        member,
        playing_group,
        number.map(i32::from)
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Changes what is a member's own in every group visit.
pub async fn set_up(scope: &mut Scope, member: Uuid, own: &Conditions) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("update group_members set set_up = $3 where practice_id = $1 and id = $2", practice, member, write("set-up", own)?)
        .execute(scope.db())
        .await?;
    Ok(())
}

/// A member leaves with a day.
pub async fn leave(scope: &mut Scope, member: Uuid, on: NaiveDate) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "update group_members set left_on = greatest($3, joined_on) where practice_id = $1 and id = $2 and left_on is null",
        practice,
        member,
        on
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The groups that a person belongs to today, by name.
pub async fn of_person(scope: &mut Scope, person: PersonId) -> Result<Vec<(Uuid, String)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select g.id, g.name from group_members m join groups g on g.practice_id = m.practice_id and g.id = m.group_id
         where m.practice_id = $1 and m.person_id = $2 and m.left_on is null and g.closed_at is null order by lower(g.name), g.id",
        practice,
        person.0
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (r.id, r.name)).collect())
}
