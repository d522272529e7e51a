//! Group visits: the battery of a group on one day, with its roll.

use std::collections::BTreeMap;

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{battery::Battery, group_visit::Presence, run::event::Conditions, visit::VisitEvent};
use uuid::Uuid;

use crate::{
    CoachId, Error, PersonId, Result, RunId, Scope,
    error::{read, write},
    visits::read_battery,
};

/// A group visit as it was set up.
#[derive(Debug, Clone)]
pub struct GroupVisit {
    pub id: Uuid,
    pub group: Uuid,
    /// The battery as it was on the day.
    pub battery: Battery,
    /// What everybody shares.
    pub conditions: Conditions,
    pub on: NaiveDate,
    pub created_at: DateTime<Utc>,
    pub closed_at: Option<DateTime<Utc>>,
    /// By which partners reach each of its runs.
    pub join_code: Option<String>,
}

/// A group visit in a list.
#[derive(Debug, Clone)]
pub struct Line {
    pub id: Uuid,
    pub group: Uuid,
    pub group_name: String,
    pub battery: String,
    pub battery_name: String,
    pub on: NaiveDate,
    pub is_closed: bool,
}

/// Somebody on the roll.
#[derive(Debug, Clone)]
pub struct OnRoll {
    pub person: PersonId,
    pub name: String,
    pub presence: Presence,
    /// Why somebody is not tested, or not here.
    pub reason: Option<String>,
    pub heat: Option<u16>,
    /// Their own visit; of an absent one the visit that made it up.
    pub visit: Option<Uuid>,
}

struct Row {
    id: Uuid,
    group_id: Uuid,
    battery: serde_json::Value,
    conditions: serde_json::Value,
    on_date: NaiveDate,
    created_at: DateTime<Utc>,
    closed_at: Option<DateTime<Utc>>,
    join_code: Option<String>,
}

impl Row {
    fn read(self) -> Result<GroupVisit> {
        Ok(GroupVisit {
            id: self.id,
            group: self.group_id,
            battery: read_battery(self.battery)?,
            conditions: read("conditions", self.conditions)?,
            on: self.on_date,
            created_at: self.created_at,
            closed_at: self.closed_at,
            join_code: self.join_code,
        })
    }
}

/// Sets a group visit up; the same key again is the same visit. Says whether it is new.
pub async fn create(scope: &mut Scope, coach: CoachId, visit: &GroupVisit) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into group_visits (practice_id, id, group_id, battery_id, battery, conditions, on_date, created_by, created_at, join_code)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) on conflict (practice_id, id) do nothing",
        practice,
        visit.id,
        visit.group,
        visit.battery.id,
        write("battery", &visit.battery)?,
        write("conditions", &visit.conditions)?,
        visit.on,
        coach.0,
        visit.created_at,
        visit.join_code
    )
    .execute(scope.db())
    .await?;
    Ok(done.rows_affected() > 0)
}

/// One group visit.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn get(scope: &mut Scope, id: Uuid) -> Result<GroupVisit> {
    let practice = scope.practice_id();
    sqlx::query_as!(
        Row,
        "select id, group_id, battery, conditions, on_date, created_at, closed_at, join_code from group_visits where practice_id = $1 and id = $2",
        practice,
        id
    )
    .fetch_one(scope.db())
    .await?
    .read()
}

/// Locks a group visit for this transaction, so that its roll is changed by one at a time.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn lock(scope: &mut Scope, id: Uuid) -> Result<GroupVisit> {
    let practice = scope.practice_id();
    sqlx::query!("select id from group_visits where practice_id = $1 and id = $2 for update", practice, id).fetch_one(scope.db()).await?;
    get(scope, id).await
}

/// A group's visits, the latest first.
pub async fn of_group(scope: &mut Scope, group: Uuid) -> Result<Vec<Line>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        Line,
        r#"select v.id, v.group_id as "group", g.name as group_name, v.battery_id as battery, v.battery ->> 'name' as "battery_name!",
                  v.on_date as "on", v.closed_at is not null as "is_closed!"
           from group_visits v join groups g on g.practice_id = v.practice_id and g.id = v.group_id
           where v.practice_id = $1 and v.group_id = $2 order by v.created_at desc"#,
        practice,
        group
    )
    .fetch_all(scope.db())
    .await?)
}

/// Group visits that are open, the latest first; at most `limit`.
pub async fn open(scope: &mut Scope, limit: i64) -> Result<Vec<Line>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        Line,
        r#"select v.id, v.group_id as "group", g.name as group_name, v.battery_id as battery, v.battery ->> 'name' as "battery_name!",
                  v.on_date as "on", v.closed_at is not null as "is_closed!"
           from group_visits v join groups g on g.practice_id = v.practice_id and g.id = v.group_id
           where v.practice_id = $1 and v.closed_at is null order by v.created_at desc limit $2"#,
        practice,
        limit
    )
    .fetch_all(scope.db())
    .await?)
}

/// Closes a group visit.
pub async fn close(scope: &mut Scope, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("update group_visits set closed_at = coalesce(closed_at, now()) where practice_id = $1 and id = $2", practice, id)
        .execute(scope.db())
        .await?;
    Ok(())
}

/// Puts right what everybody shares: in the group visit, and in each of its own visits that is still open.
pub async fn share(scope: &mut Scope, id: Uuid, conditions: &Conditions) -> Result<()> {
    let (practice, conditions) = (scope.practice_id(), write("conditions", conditions)?);
    sqlx::query!("update group_visits set conditions = $3 where practice_id = $1 and id = $2", practice, id, conditions)
        .execute(scope.db())
        .await?;
    sqlx::query!(
        "update visits set conditions = $3 where practice_id = $1 and closed_at is null
           and id in (select visit_id from group_visit_people where practice_id = $1 and group_visit_id = $2)",
        practice,
        id,
        conditions
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Everybody who was called, by name.
pub async fn roll(scope: &mut Scope, id: Uuid) -> Result<Vec<OnRoll>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select r.person_id, p.name, r.presence, r.reason, r.heat, r.visit_id
         from group_visit_people r join people p on p.practice_id = r.practice_id and p.id = r.person_id
         where r.practice_id = $1 and r.group_visit_id = $2 order by lower(p.name), p.id",
        practice,
        id
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .filter_map(|r| {
            Some(OnRoll {
                person: PersonId(r.person_id),
                name: r.name,
                presence: Presence::of(&r.presence)?,
                reason: r.reason,
                heat: r.heat.map(i16::unsigned_abs),
                visit: r.visit_id,
            })
        })
        .collect())
}

/// Writes down what the roll call says of somebody; their visit and heat stay.
pub async fn call(scope: &mut Scope, id: Uuid, person: PersonId, presence: Presence, reason: Option<&str>) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into group_visit_people (practice_id, group_visit_id, person_id, presence, reason) values ($1, $2, $3, $4, $5)
         on conflict (practice_id, group_visit_id, person_id) do update set presence = $4, reason = $5",
        practice,
        id,
        person.0,
        presence.key(),
        reason
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The visit of somebody on the roll.
pub async fn has_visit(scope: &mut Scope, id: Uuid, person: PersonId, visit: Option<Uuid>) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "update group_visit_people set visit_id = $4 where practice_id = $1 and group_visit_id = $2 and person_id = $3",
        practice,
        id,
        person.0,
        visit
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Puts somebody on the roll into a heat.
pub async fn put_into_heat(scope: &mut Scope, id: Uuid, person: PersonId, heat: Option<u16>) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "update group_visit_people set heat = $4 where practice_id = $1 and group_visit_id = $2 and person_id = $3",
        practice,
        id,
        person.0,
        heat.and_then(|h| i16::try_from(h).ok())
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// What happened in the visits of everybody on the roll, each visit's in its order.
pub async fn events(scope: &mut Scope, id: Uuid) -> Result<BTreeMap<Uuid, Vec<VisitEvent>>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        // Visit by visit, however many there are beside these: without the fence the whole table may be read.
        "select e.visit_id, e.body from group_visit_people r
         cross join lateral (
             select visit_id, body, position from visit_events where practice_id = $1 and visit_id = r.visit_id offset 0) e
         where r.practice_id = $1 and r.group_visit_id = $2 order by e.position",
        practice,
        id
    )
    .fetch_all(scope.db())
    .await?;
    let mut found: BTreeMap<Uuid, Vec<VisitEvent>> = BTreeMap::new();
    for row in rows {
        found.entry(row.visit_id).or_default().push(read("visit event", row.body)?);
    }
    Ok(found)
}

/// A session of a group and its measures: how many had a value, their mean and their spread.
#[derive(Debug, Clone)]
pub struct SessionMean {
    pub visit: Uuid,
    pub on: NaiveDate,
    pub protocol: String,
    pub quantity: String,
    pub values: Vec<f64>,
}

/// Every session of a group with a battery, the oldest first, with the values of these measures.
pub async fn means(scope: &mut Scope, group: Uuid, battery: &str, quantities: &[String]) -> Result<Vec<SessionMean>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select v.id, v.on_date, s.protocol_id, s.quantity, array_agg(s.value order by s.value) as "values!"
           from group_visits v
           join group_visit_people p on p.practice_id = v.practice_id and p.group_visit_id = v.id
           join visit_events e on e.practice_id = p.practice_id and e.visit_id = p.visit_id and e.body ->> 'kind' = 'done'
           join results r on r.practice_id = e.practice_id and r.id = (e.body ->> 'result')::uuid
               and r.conditions ->> 'self_reported' is distinct from 'apart'
           join scores s on s.practice_id = r.practice_id and s.result_id = r.id
           where v.practice_id = $1 and v.group_id = $2 and v.battery_id = $3 and s.quantity = any($4)
           group by v.id, v.on_date, v.created_at, s.protocol_id, s.quantity order by v.created_at"#,
        practice,
        group,
        battery,
        quantities
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .map(|r| SessionMean { visit: r.id, on: r.on_date, protocol: r.protocol_id, quantity: r.quantity, values: r.values })
        .collect())
}

/// The group visit, and the group's name, that a visit belongs to.
pub async fn of_visit(scope: &mut Scope, visit: Uuid) -> Result<Option<(Uuid, String)>> {
    let practice = scope.practice_id();
    let row = sqlx::query!(
        "select v.id, g.name from group_visit_people r
         join group_visits v on v.practice_id = r.practice_id and v.id = r.group_visit_id
         join groups g on g.practice_id = v.practice_id and g.id = v.group_id
         where r.practice_id = $1 and r.visit_id = $2",
        practice,
        visit
    )
    .fetch_optional(scope.db())
    .await?;
    Ok(row.map(|r| (r.id, r.name)))
}

/// Ties a run to a group visit.
pub async fn tie(scope: &mut Scope, run: RunId, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    let tied = sqlx::query!("update runs set group_visit_id = $3 where practice_id = $1 and id = $2", practice, run.0, id)
        .execute(scope.db())
        .await?;
    if tied.rows_affected() == 0 { Err(Error::NotFound) } else { Ok(()) }
}

/// A run of a group visit that is still open: its protocol and how many it tests.
#[derive(Debug, Clone)]
pub struct OpenRun {
    pub run: RunId,
    pub protocol: String,
    pub performers: i64,
    /// The place in the battery.
    pub place: usize,
}

/// The runs of a group visit that are open, the latest first.
pub async fn open_runs(scope: &mut Scope, id: Uuid) -> Result<Vec<OpenRun>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select r.id, r.protocol_id, count(*) as "performers!", min(f.visit_place) as place
           from runs r join run_performers f on f.practice_id = r.practice_id and f.run_id = r.id
           where r.practice_id = $1 and r.group_visit_id = $2 and r.closed_at is null
           group by r.id, r.protocol_id, r.created_at order by r.created_at desc"#,
        practice,
        id
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .filter_map(|r| {
            let place = usize::from(r.place?.unsigned_abs());
            Some(OpenRun { run: RunId(r.id), protocol: r.protocol_id, performers: r.performers, place })
        })
        .collect())
}
