//! Visits: a battery on one day for one person, and what happened in it; and a practice's own batteries.

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{battery::Battery, run::event::Conditions, visit::VisitEvent};
use uuid::Uuid;

use crate::{
    CoachId, PersonId, Result, ResultId, RunId, Scope,
    error::{read, readable, write},
};

/// A visit as it was set up.
#[derive(Debug, Clone)]
pub struct Visit {
    pub id: Uuid,
    /// Whose.
    pub person: PersonId,
    /// The battery as it was on the day.
    pub battery: Battery,
    /// The circumstances that all tests share.
    pub conditions: Conditions,
    /// The day.
    pub on: NaiveDate,
    /// When it was set up.
    pub created_at: DateTime<Utc>,
    /// When it was over.
    pub closed_at: Option<DateTime<Utc>>,
}

struct Row {
    id: Uuid,
    person_id: Uuid,
    battery: serde_json::Value,
    conditions: serde_json::Value,
    on_date: NaiveDate,
    created_at: DateTime<Utc>,
    closed_at: Option<DateTime<Utc>>,
}

impl Row {
    /// The visit in a list: one that cannot be read is passed over.
    fn shown(self) -> Option<Visit> {
        readable("visit", self.id, self.read())
    }

    fn read(self) -> Result<Visit> {
        Ok(Visit {
            id: self.id,
            person: PersonId(self.person_id),
            battery: read_battery(self.battery)?,
            conditions: read("conditions", self.conditions)?,
            on: self.on_date,
            created_at: self.created_at,
            closed_at: self.closed_at,
        })
    }
}

/// A battery as it is stored, with a name for each of its tests: those from before tests had names get theirs here.
pub(crate) fn read_battery(stored: serde_json::Value) -> Result<Battery> {
    read("battery", stored).map(Battery::identified)
}

/// Sets a visit up; the same key again is the same visit. Says whether it is new.
pub async fn create(scope: &mut Scope, coach: CoachId, visit: &Visit) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into visits (practice_id, id, person_id, battery_id, battery, conditions, on_date, created_by, created_at)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (practice_id, id) do nothing",
        practice,
        visit.id,
        visit.person.0,
        visit.battery.id,
        write("battery", &visit.battery)?,
        write("conditions", &visit.conditions)?,
        visit.on,
        coach.0,
        visit.created_at
    )
    .execute(scope.db())
    .await?;
    Ok(done.rows_affected() > 0)
}

/// One visit.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn get(scope: &mut Scope, id: Uuid) -> Result<Visit> {
    let practice = scope.practice_id();
    sqlx::query_as!(
        Row,
        "select id, person_id, battery, conditions, on_date, created_at, closed_at from visits where practice_id = $1 and id = $2",
        practice,
        id
    )
    .fetch_one(scope.db())
    .await?
    .read()
}

/// A person's visits, the latest first, so many at the most.
pub async fn of_person(scope: &mut Scope, person: PersonId, most: i64) -> Result<Vec<Visit>> {
    let practice = scope.practice_id();
    let rows = sqlx::query_as!(
        Row,
        "select id, person_id, battery, conditions, on_date, created_at, closed_at from visits
         where practice_id = $1 and person_id = $2 order by created_at desc limit $3",
        practice,
        person.0,
        most
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().filter_map(Row::shown).collect())
}

/// A person's visits with one battery, the latest first.
pub async fn of_battery(scope: &mut Scope, person: PersonId, battery: &str) -> Result<Vec<Visit>> {
    let practice = scope.practice_id();
    let rows = sqlx::query_as!(
        Row,
        "select id, person_id, battery, conditions, on_date, created_at, closed_at from visits
         where practice_id = $1 and person_id = $2 and battery_id = $3 order by created_at desc",
        practice,
        person.0,
        battery
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().filter_map(Row::shown).collect())
}

/// Visits that are open, with the names of their people, the latest first; at most `limit`. Those of a group visit that is open are
/// that one's.
pub async fn open(scope: &mut Scope, limit: i64) -> Result<Vec<(Visit, String)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select v.id, v.person_id, v.battery, v.conditions, v.on_date, v.created_at, v.closed_at, p.name
         from visits v join people p on p.practice_id = v.practice_id and p.id = v.person_id
         where v.practice_id = $1 and v.closed_at is null
           and not exists (select from group_visit_people r join group_visits g on g.practice_id = r.practice_id and g.id = r.group_visit_id
                           where r.practice_id = v.practice_id and r.visit_id = v.id and g.closed_at is null)
         order by v.created_at desc limit $2",
        practice,
        limit
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .filter_map(|r| {
            let row = Row {
                id: r.id,
                person_id: r.person_id,
                battery: r.battery,
                conditions: r.conditions,
                on_date: r.on_date,
                created_at: r.created_at,
                closed_at: r.closed_at,
            };
            Some((row.shown()?, r.name))
        })
        .collect())
}

/// What happened in a visit, in its order.
pub async fn events(scope: &mut Scope, id: Uuid) -> Result<Vec<(VisitEvent, DateTime<Utc>)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!("select body, at from visit_events where practice_id = $1 and visit_id = $2 order by position", practice, id)
        .fetch_all(scope.db())
        .await?;
    rows.into_iter().map(|r| Ok((read("visit event", r.body)?, r.at))).collect()
}

/// What happened in all of a person's visits with one battery, each with its visit, in its order.
pub async fn events_of_battery(scope: &mut Scope, person: PersonId, battery: &str) -> Result<Vec<(Uuid, VisitEvent)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select e.visit_id, e.body from visit_events e join visits v on v.practice_id = e.practice_id and v.id = e.visit_id
         where e.practice_id = $1 and v.person_id = $2 and v.battery_id = $3 order by e.position",
        practice,
        person.0,
        battery
    )
    .fetch_all(scope.db())
    .await?;
    rows.into_iter().map(|r| Ok((r.visit_id, read("visit event", r.body)?))).collect()
}

/// Locks a visit for this transaction: whoever comes next waits. Whatever changes a visit takes it first, before a run or a result that
/// points to it is written, so that two never wait for each other.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn lock(scope: &mut Scope, id: Uuid) -> Result<Visit> {
    let practice = scope.practice_id();
    sqlx::query!("select id from visits where practice_id = $1 and id = $2 for update", practice, id).fetch_one(scope.db()).await?;
    get(scope, id).await
}

/// Adds what happened; the same key again is the same event. One visit's events come one after another.
pub async fn append(scope: &mut Scope, visit: Uuid, id: Uuid, happened: &VisitEvent) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("select id from visits where practice_id = $1 and id = $2 for update", practice, visit).fetch_one(scope.db()).await?;
    sqlx::query!(
        "insert into visit_events (practice_id, visit_id, id, body) values ($1, $2, $3, $4) on conflict (practice_id, id) do nothing",
        practice,
        visit,
        id,
        write("visit event", happened)?
    )
    .execute(scope.db())
    .await?;
    if *happened == VisitEvent::Closed {
        sqlx::query!("update visits set closed_at = coalesce(closed_at, now()) where practice_id = $1 and id = $2", practice, visit)
            .execute(scope.db())
            .await?;
    }
    Ok(())
}

/// Adds one event to each of many visits, in the order of the visits' keys, so that two who do so never wait for each other.
pub async fn append_all(scope: &mut Scope, added: &[(Uuid, Uuid, VisitEvent)]) -> Result<()> {
    let practice = scope.practice_id();
    let visits: Vec<Uuid> = added.iter().map(|(visit, ..)| *visit).collect();
    let ids: Vec<Uuid> = added.iter().map(|(_, id, _)| *id).collect();
    let bodies: Vec<serde_json::Value> = added.iter().map(|(.., event)| write("visit event", event)).collect::<Result<_>>()?;
    sqlx::query!("select id from visits where practice_id = $1 and id = any($2) order by id for update", practice, &visits)
        .fetch_all(scope.db())
        .await?;
    sqlx::query!(
        "insert into visit_events (practice_id, visit_id, id, body)
         select $1, visit_id, id, body from unnest($2::uuid[], $3::uuid[], $4::jsonb[]) as e (visit_id, id, body)
         on conflict (practice_id, id) do nothing",
        practice,
        &visits,
        &ids,
        &bodies
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The visits and the places in them that a result of a person was done in.
pub async fn of_result(scope: &mut Scope, person: PersonId, result: ResultId) -> Result<Vec<(Uuid, usize)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select distinct e.visit_id, (e.body->>'place')::int as "place!"
           from visits v join visit_events e on e.practice_id = v.practice_id and e.visit_id = v.id
           where v.practice_id = $1 and v.person_id = $2 and e.body->>'kind' = 'done' and e.body->>'result' = $3 order by e.visit_id"#,
        practice,
        person.0,
        result.0.to_string()
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (r.visit_id, usize::try_from(r.place).unwrap_or(usize::MAX))).collect())
}

/// The visit that each result of a person was done in, where it was done in one.
pub async fn of_results(scope: &mut Scope, person: PersonId) -> Result<Vec<(Uuid, Uuid)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select e.body->>'result' as "result!", e.visit_id
           from visits v join visit_events e on e.practice_id = v.practice_id and e.visit_id = v.id
           where v.practice_id = $1 and v.person_id = $2 and e.body->>'kind' = 'done'"#,
        practice,
        person.0
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().filter_map(|r| Some((r.result.parse().ok()?, r.visit_id))).collect())
}

/// Everybody who was ever on a visit; or the one who was asked for, where they were.
pub async fn people_with_visits(scope: &mut Scope, person: Option<PersonId>) -> Result<Vec<PersonId>> {
    let practice = scope.practice_id();
    let ids = sqlx::query_scalar!(
        "select distinct person_id from visits where practice_id = $1 and ($2::uuid is null or person_id = $2)",
        practice,
        person.map(|p| p.0)
    )
    .fetch_all(scope.db())
    .await?;
    Ok(ids.into_iter().map(PersonId).collect())
}

/// Removes a visit in which nothing has happened.
pub async fn remove_empty(scope: &mut Scope, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "delete from visits v where v.practice_id = $1 and v.id = $2
         and not exists (select from visit_events e where e.practice_id = v.practice_id and e.visit_id = v.id)",
        practice,
        id
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Ties a run to its place in a visit.
pub async fn tie(scope: &mut Scope, run: RunId, visit: Uuid, place: usize) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "update runs set visit_id = $3, visit_place = $4 where practice_id = $1 and id = $2",
        practice,
        run.0,
        visit,
        i16::try_from(place).unwrap_or(i16::MAX)
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The practice's own batteries that are in use.
pub async fn own_batteries(scope: &mut Scope) -> Result<Vec<Battery>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!("select id, battery from batteries where practice_id = $1 and not retired order by created_at", practice)
        .fetch_all(scope.db())
        .await?;
    Ok(rows.into_iter().filter_map(|r| readable("battery", r.id, read_battery(r.battery))).collect())
}

/// Every battery of the practice's own, retired ones too.
pub async fn known_batteries(scope: &mut Scope) -> Result<Vec<Battery>> {
    let each = batteries_each(scope).await?;
    Ok(each.into_iter().filter_map(|(id, battery)| readable("battery", id, battery)).collect())
}

/// Every battery of the practice's own by its id, each as it is read.
pub(crate) async fn batteries_each(scope: &mut Scope) -> Result<Vec<(String, Result<Battery>)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!("select id, battery from batteries where practice_id = $1", practice).fetch_all(scope.db()).await?;
    Ok(rows.into_iter().map(|r| (r.id, read_battery(r.battery))).collect())
}

/// Keeps a battery of the practice's own, new or changed.
pub async fn keep_battery(scope: &mut Scope, coach: CoachId, battery: &Battery) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into batteries (practice_id, id, battery, created_by) values ($1, $2, $3, $4)
         on conflict (practice_id, id) do update set battery = excluded.battery, retired = false",
        practice,
        battery.id,
        write("battery", battery)?,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Removes a battery from the library; visits that were done with it keep it.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn retire_battery(scope: &mut Scope, id: &str) -> Result<()> {
    let practice = scope.practice_id();
    let done = sqlx::query!("update batteries set retired = true where practice_id = $1 and id = $2 and not retired", practice, id)
        .execute(scope.db())
        .await?;
    if done.rows_affected() == 0 { Err(crate::Error::NotFound) } else { Ok(()) }
}
