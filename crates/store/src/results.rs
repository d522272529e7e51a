//! Results: raw readings and conditions; and their scores, which can be computed from them anew.

use std::{
    collections::BTreeMap,
    ops::{Deref, DerefMut},
};

use chrono::{DateTime, NaiveDate, Utc};
pub use impulso_core::done::{Done, Stop};
use impulso_core::{
    person::{Facts, Sex},
    units::{Age, BodyMass, Bpm, Height},
};
use serde::{Deserialize, Serialize};

use crate::{
    CoachId, PersonId, Result, ResultId, RunId, Scope,
    error::{Document, read, read_document, readable, write},
};

/// The person on the day, as stored with a result.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct StoredFacts {
    /// Sex (for equations and norms).
    pub sex: Option<Sex>,
    /// Age on the day.
    pub age: Option<Age>,
    /// Body mass on the day.
    pub mass: Option<BodyMass>,
    /// The day it was measured, where it is known.
    #[serde(default)]
    pub mass_on: Option<NaiveDate>,
    pub height: Option<Height>,
    /// Resting heart rate, where it was taken.
    #[serde(default)]
    pub resting_hr: Option<Bpm>,
    /// A measured maximal heart rate.
    #[serde(default)]
    pub hr_max: Option<Bpm>,
}

impl From<Facts> for StoredFacts {
    fn from(f: Facts) -> Self {
        Self { sex: f.sex, age: f.age, mass: f.mass, mass_on: f.mass_on, height: f.height, resting_hr: f.resting_hr, hr_max: f.hr_max }
    }
}

impl From<StoredFacts> for Facts {
    fn from(f: StoredFacts) -> Self {
        Self { sex: f.sex, age: f.age, mass: f.mass, mass_on: f.mass_on, height: f.height, resting_hr: f.resting_hr, hr_max: f.hr_max }
    }
}

/// A result of somebody: the test that was done, and where it came from.
#[derive(Debug, Clone)]
pub struct Stored {
    /// Whose.
    pub person: PersonId,
    /// The run it came from.
    pub run: Option<RunId>,
    /// The test.
    pub done: Done,
}

impl Stored {
    pub const fn key(&self) -> ResultId {
        ResultId(self.done.id)
    }
}

impl Deref for Stored {
    type Target = Done;

    fn deref(&self) -> &Done {
        &self.done
    }
}

impl DerefMut for Stored {
    fn deref_mut(&mut self) -> &mut Done {
        &mut self.done
    }
}

/// A result as the table holds it.
pub(crate) struct Row {
    pub(crate) id: uuid::Uuid,
    pub(crate) person_id: uuid::Uuid,
    pub(crate) run_id: Option<uuid::Uuid>,
    pub(crate) protocol_id: String,
    pub(crate) method: String,
    pub(crate) on_date: NaiveDate,
    pub(crate) taken_at: DateTime<Utc>,
    pub(crate) inputs: Document,
    pub(crate) conditions: Document,
    pub(crate) facts: Document,
    pub(crate) stopped: Option<Document>,
    pub(crate) voided: bool,
    pub(crate) remarks: Document,
    /// Nothing where the scores are read apart.
    pub(crate) computed: Option<Document>,
}

/// The result in a row that holds more than that; its scores are read apart where there are none.
macro_rules! row_of {
    ($r:ident, $id:expr, $computed:expr) => {
        $crate::results::Row {
            id: $id,
            person_id: $r.person_id,
            run_id: $r.run_id,
            protocol_id: $r.protocol_id,
            method: $r.method,
            on_date: $r.on_date,
            taken_at: $r.taken_at,
            inputs: $r.inputs,
            conditions: $r.conditions,
            facts: $r.facts,
            stopped: $r.stopped,
            voided: $r.voided,
            remarks: $r.remarks,
            computed: $computed,
        }
    };
}
pub(crate) use row_of;

impl Row {
    /// The result in a list: one that cannot be read is passed over.
    fn shown(self) -> Option<Stored> {
        readable("result", self.id, self.read())
    }

    pub(crate) fn read(self) -> Result<Stored> {
        let facts: StoredFacts = read_document("facts", &self.facts)?;
        let done = Done {
            id: self.id,
            protocol_id: self.protocol_id,
            method: self.method,
            on: self.on_date,
            taken_at: self.taken_at,
            inputs: read_document("inputs", &self.inputs)?,
            conditions: read_document("conditions", &self.conditions)?,
            facts: facts.into(),
            stopped: self.stopped.map(|s| read_document("stop", &s)).transpose()?,
            voided: self.voided,
            remarks: read_document("remarks", &self.remarks)?,
            computed: self.computed.map(|of| read_document("computed", &of)).transpose()?.unwrap_or_default(),
        };
        Ok(Stored { person: PersonId(self.person_id), run: self.run_id.map(RunId), done })
    }
}

/// Keeps results, and what they scored.
pub async fn add(scope: &mut Scope, coach: CoachId, added: &[Stored]) -> Result<()> {
    let practice = scope.practice_id();
    let of = |write: &dyn Fn(&Stored) -> Result<serde_json::Value>| added.iter().map(write).collect::<Result<Vec<_>>>();
    let ids: Vec<uuid::Uuid> = added.iter().map(|r| r.id).collect();
    let people: Vec<uuid::Uuid> = added.iter().map(|r| r.person.0).collect();
    let runs: Vec<Option<uuid::Uuid>> = added.iter().map(|r| r.run.map(|run| run.0)).collect();
    let protocols: Vec<String> = added.iter().map(|r| r.protocol_id.clone()).collect();
    let methods: Vec<String> = added.iter().map(|r| r.method.clone()).collect();
    let days: Vec<NaiveDate> = added.iter().map(|r| r.on).collect();
    let taken: Vec<DateTime<Utc>> = added.iter().map(|r| r.taken_at).collect();
    let stopped: Vec<Option<serde_json::Value>> =
        added.iter().map(|r| r.stopped.as_ref().map(|s| write("stop", s)).transpose()).collect::<Result<_>>()?;
    sqlx::query!(
        "insert into results (id, practice_id, person_id, run_id, protocol_id, method, on_date, taken_at, inputs, conditions, facts, stopped, remarks, created_by)
         select id, $1, person_id, run_id, protocol_id, method, on_date, taken_at, inputs, conditions, facts, stopped, remarks, $2
         from unnest($3::uuid[], $4::uuid[], $5::uuid[], $6::text[], $7::text[], $8::date[], $9::timestamptz[],
                     $10::jsonb[], $11::jsonb[], $12::jsonb[], $13::jsonb[], $14::jsonb[])
              as r (id, person_id, run_id, protocol_id, method, on_date, taken_at, inputs, conditions, facts, stopped, remarks)",
        practice,
        coach.0,
        &ids,
        &people,
        &runs as &[Option<uuid::Uuid>],
        &protocols,
        &methods,
        &days,
        &taken,
        &of(&|r| write("inputs", &r.inputs))?,
        &of(&|r| write("conditions", &r.conditions))?,
        &of(&|r| write("facts", &StoredFacts::from(r.facts)))?,
        &stopped as &[Option<serde_json::Value>],
        &of(&|r| write("remarks", &r.remarks))?
    )
    .execute(scope.db())
    .await?;
    keep_scores(scope, added.iter().flat_map(|r| r.computed.iter().map(|(quantity, value)| (r.key(), quantity.as_str(), *value)))).await
}

/// One row a measure, beside its result.
async fn keep_scores<'s>(scope: &mut Scope, computed: impl Iterator<Item = (ResultId, &'s str, f64)>) -> Result<()> {
    let (mut ids, mut quantities, mut values) = (Vec::new(), Vec::new(), Vec::new());
    for (id, quantity, value) in computed {
        ids.push(id.0);
        quantities.push(quantity.to_owned());
        values.push(value);
    }
    sqlx::query!(
        "insert into scores (practice_id, result_id, person_id, protocol_id, quantity, on_date, value)
         select r.practice_id, r.id, r.person_id, r.protocol_id, m.quantity, r.on_date, m.value
         from unnest($1::uuid[], $2::text[], $3::double precision[]) m (id, quantity, value) join results r on r.id = m.id",
        &ids,
        &quantities,
        &values
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// One result.
pub async fn get(scope: &mut Scope, id: ResultId) -> Result<Stored> {
    sqlx::query_as!(
        Row,
        r#"select id, person_id, run_id, protocol_id, method, on_date, taken_at, inputs as "inputs: _", conditions as "conditions: _",
                  facts as "facts: _", stopped as "stopped: _", voided, remarks as "remarks: _",
                  (select coalesce(jsonb_object_agg(s.quantity, s.value), '{}') from scores s where s.practice_id = results.practice_id and s.result_id = results.id) as "computed: _"
           from results where id = $1"#,
        id.0
    )
    .fetch_one(scope.db())
    .await?
    .read()
}

/// The next results of a practice behind one, in the order of their keys, each as it is read.
pub async fn after(scope: &mut Scope, behind: Option<ResultId>, most: i64) -> Result<Vec<(ResultId, Result<Stored>)>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        Row,
        r#"select id, person_id, run_id, protocol_id, method, on_date, taken_at, inputs as "inputs: _", conditions as "conditions: _",
                  facts as "facts: _", stopped as "stopped: _", voided, remarks as "remarks: _",
                  (select coalesce(jsonb_object_agg(s.quantity, s.value), '{}') from scores s where s.practice_id = results.practice_id and s.result_id = results.id) as "computed: _"
           from results where practice_id = $1 and ($2::uuid is null or id > $2) order by id limit $3"#,
        practice,
        behind.map(|r| r.0),
        most
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .map(|row| (ResultId(row.id), row.read()))
    .collect())
}

/// Writes anew what a result computes to; its readings stay.
pub async fn recomputed(scope: &mut Scope, id: ResultId, computed: &BTreeMap<String, f64>) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("delete from scores where practice_id = $1 and result_id = $2", practice, id.0).execute(scope.db()).await?;
    keep_scores(scope, computed.iter().map(|(quantity, value)| (id, quantity.as_str(), *value))).await
}

/// Every result of a person that is not void, oldest first.
pub async fn of_person(scope: &mut Scope, person: PersonId) -> Result<Vec<Stored>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        Row,
        r#"select id, person_id, run_id, protocol_id, method, on_date, taken_at, inputs as "inputs: _", conditions as "conditions: _",
                  facts as "facts: _", stopped as "stopped: _", voided, remarks as "remarks: _",
                  (select coalesce(jsonb_object_agg(s.quantity, s.value), '{}') from scores s where s.practice_id = results.practice_id and s.result_id = results.id) as "computed: _"
           from results where practice_id = $1 and person_id = $2 and not voided order by taken_at, id"#,
        practice,
        person.0
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .filter_map(Row::shown)
    .collect())
}

/// A person's results of one protocol that are not void, in the order in which they count as repeats: by day, then by moment.
pub async fn of_protocol(scope: &mut Scope, person: PersonId, protocol_id: &str) -> Result<Vec<Stored>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        Row,
        r#"select id, person_id, run_id, protocol_id, method, on_date, taken_at, inputs as "inputs: _", conditions as "conditions: _",
                  facts as "facts: _", stopped as "stopped: _", voided, remarks as "remarks: _",
                  (select coalesce(jsonb_object_agg(s.quantity, s.value), '{}') from scores s where s.practice_id = results.practice_id and s.result_id = results.id) as "computed: _"
           from results where practice_id = $1 and person_id = $2 and protocol_id = $3 and not voided order by on_date, taken_at, id"#,
        practice,
        person.0,
        protocol_id
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .filter_map(Row::shown)
    .collect())
}

/// The results of some people, each of one protocol, that are not void; of each pair in the order in which they count as repeats.
pub async fn of_protocols(scope: &mut Scope, pairs: &[(PersonId, &str)]) -> Result<BTreeMap<(PersonId, String), Vec<Stored>>> {
    let practice = scope.practice_id();
    let people: Vec<uuid::Uuid> = pairs.iter().map(|(person, _)| person.0).collect();
    let protocols: Vec<String> = pairs.iter().map(|(_, protocol)| (*protocol).to_owned()).collect();
    let rows = sqlx::query_as!(
        Row,
        r#"select id, person_id, run_id, protocol_id, method, on_date, taken_at, inputs as "inputs: _", conditions as "conditions: _",
                  facts as "facts: _", stopped as "stopped: _", voided, remarks as "remarks: _",
                  (select coalesce(jsonb_object_agg(s.quantity, s.value), '{}') from scores s where s.practice_id = results.practice_id and s.result_id = results.id) as "computed: _"
           from results
           where practice_id = $1 and not voided
             and (person_id, protocol_id) in (select person, protocol from unnest($2::uuid[], $3::text[]) as wanted (person, protocol))
           order by on_date, taken_at, id"#,
        practice,
        &people,
        &protocols
    )
    .fetch_all(scope.db())
    .await?;
    Ok(by_pair(rows))
}

/// A result that is not void, and those of the same person and test before it, the latest first.
pub struct WithEarlier {
    pub now: Stored,
    /// What comparing needs: without facts and remarks, and of the readings those that were asked for.
    pub earlier: Vec<Done>,
}

/// From one session to the next it is seldom longer: a result of so many days is found without reading all before it.
const USUAL_PAUSE_DAYS: i32 = 100;

/// Each of these results that is not void, with the last one before it. `kept`: an earlier result keeps its readings where it has one of
/// these.
pub async fn with_last(scope: &mut Scope, results: &[uuid::Uuid], kept: &[String]) -> Result<BTreeMap<uuid::Uuid, WithEarlier>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select n.id, n.person_id, n.run_id, n.protocol_id, n.method, n.on_date, n.taken_at, n.inputs as "inputs: Document",
                  n.conditions as "conditions: Document", n.facts as "facts: Document", n.stopped as "stopped: Document", n.voided,
                  n.remarks as "remarks: Document", b.id as "last_id?", b.on_date as "last_on?", b.taken_at as "last_taken_at?",
                  nullif(b.method, n.method) as last_method, b.stopped as "last_stopped?: Document",
                  case when b.inputs ?| $4 then b.inputs end as "last_inputs: Document",
                  nullif(b.conditions, n.conditions) as "last_conditions: Document"
           from results n
           left join lateral (
               (select * from results r
                where r.practice_id = $1 and r.person_id = n.person_id and r.protocol_id = n.protocol_id and not r.voided
                  and (r.on_date, r.taken_at, r.id) < (n.on_date, n.taken_at, n.id) and r.on_date >= n.on_date - $3::int
                order by r.on_date desc, r.taken_at desc, r.id desc limit 1)
               union all
               (select * from results r
                where r.practice_id = $1 and r.person_id = n.person_id and r.protocol_id = n.protocol_id and not r.voided
                  and r.on_date < n.on_date - $3::int
                order by r.on_date desc, r.taken_at desc, r.id desc limit 1)
               limit 1) b on true
           where n.practice_id = $1 and n.id = any($2) and not n.voided"#,
        practice,
        results,
        USUAL_PAUSE_DAYS,
        kept
    )
    .fetch_all(scope.db())
    .await?;
    let ids: Vec<uuid::Uuid> = rows.iter().flat_map(|r| [Some(r.id), r.last_id]).flatten().collect();
    let scores = scores_of(scope, &ids).await?;
    let computed = |id| scores.get(&id).cloned().unwrap_or_default();
    let mut found = BTreeMap::new();
    for r in rows {
        let row = row_of!(r, r.id, None);
        let Some(mut now) = row.shown() else { continue };
        now.done.computed = computed(now.id);
        let last = |id, on, taken_at| -> Result<Done> {
            let read = |what, document: &Option<Document>| document.as_ref().map(|of| read_document(what, of)).transpose();
            Ok(Done {
                id,
                protocol_id: now.protocol_id.clone(),
                method: r.last_method.unwrap_or_else(|| now.method.clone()),
                on,
                taken_at,
                inputs: read("inputs", &r.last_inputs)?.unwrap_or_default(),
                conditions: r.last_conditions.map_or_else(|| Ok(now.conditions.clone()), |of| read_document("conditions", &of))?,
                facts: Facts::default(),
                stopped: r.last_stopped.map(|s| read_document("stop", &s)).transpose()?,
                voided: false,
                remarks: Vec::new(),
                computed: computed(id),
            })
        };
        let there = r.last_id.zip(r.last_on).zip(r.last_taken_at);
        let earlier = there.and_then(|((id, on), taken_at)| readable("result", id, last(id, on, taken_at)));
        found.insert(now.id, WithEarlier { now, earlier: earlier.into_iter().collect() });
    }
    Ok(found)
}

/// What these results scored, by quantity.
async fn scores_of(scope: &mut Scope, results: &[uuid::Uuid]) -> Result<BTreeMap<uuid::Uuid, BTreeMap<String, f64>>> {
    let practice = scope.practice_id();
    let mut scores: BTreeMap<uuid::Uuid, BTreeMap<String, f64>> = BTreeMap::new();
    for s in sqlx::query!("select result_id, quantity, value from scores where practice_id = $1 and result_id = any($2)", practice, results)
        .fetch_all(scope.db())
        .await?
    {
        scores.entry(s.result_id).or_default().insert(s.quantity, s.value);
    }
    Ok(scores)
}

/// Before each of these results those of the same person and test that are not void: at most so many, the latest first, with all their
/// readings. Of a result that is void itself nothing.
pub async fn before(scope: &mut Scope, results: &[uuid::Uuid], most: i64) -> Result<BTreeMap<uuid::Uuid, Vec<Done>>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select n.id as wanted, b.id, b.person_id, b.run_id, b.protocol_id, b.method, b.on_date, b.taken_at, b.inputs as "inputs: Document",
                  b.conditions as "conditions: Document", b.facts as "facts: Document", b.stopped as "stopped: Document", b.voided,
                  b.remarks as "remarks: Document"
           from results n
           cross join lateral (
               select * from results r
               where r.practice_id = $1 and r.person_id = n.person_id and r.protocol_id = n.protocol_id and not r.voided
                 and (r.on_date, r.taken_at, r.id) < (n.on_date, n.taken_at, n.id)
               order by r.on_date desc, r.taken_at desc, r.id desc limit $3) b
           where n.practice_id = $1 and n.id = any($2) and not n.voided
           order by n.id, b.on_date desc, b.taken_at desc, b.id desc"#,
        practice,
        results,
        most
    )
    .fetch_all(scope.db())
    .await?;
    let ids: Vec<uuid::Uuid> = rows.iter().map(|r| r.id).collect();
    let scores = scores_of(scope, &ids).await?;
    let mut found: BTreeMap<uuid::Uuid, Vec<Done>> = BTreeMap::new();
    for r in rows {
        let row = row_of!(r, r.id, None);
        let Some(shown) = row.shown() else { continue };
        found.entry(r.wanted).or_default().push(Done { computed: scores.get(&r.id).cloned().unwrap_or_default(), ..shown.done });
    }
    Ok(found)
}

/// Which test each of these people stopped last with pain or symptoms on a day, and when that was recorded; nobody who
/// did not.
pub async fn symptoms_on(
    scope: &mut Scope,
    people: &[uuid::Uuid],
    day: NaiveDate,
) -> Result<BTreeMap<uuid::Uuid, (String, DateTime<Utc>)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select person_id, protocol_id, created_at from results
         where practice_id = $1 and on_date = $2 and stopped is not null and stopped ->> 'reason' = 'symptoms' and not voided
           and person_id = any($3) order by created_at",
        practice,
        day,
        people
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (r.person_id, (r.protocol_id, r.created_at))).collect())
}

/// Rows by person and protocol, each pair's in their order.
fn by_pair(rows: Vec<Row>) -> BTreeMap<(PersonId, String), Vec<Stored>> {
    let mut found: BTreeMap<(PersonId, String), Vec<Stored>> = BTreeMap::new();
    for result in rows.into_iter().filter_map(Row::shown) {
        found.entry((result.person, result.protocol_id.clone())).or_default().push(result);
    }
    found
}

/// Everyone of the practice who has more than one result of some protocol, after a key, in pages.
pub async fn repeated(scope: &mut Scope, after: Option<(PersonId, String)>, limit: i64) -> Result<Vec<(PersonId, String)>> {
    let practice = scope.practice_id();
    let (person, protocol) = after.map(|(p, id)| (p.0, id)).unwrap_or_default();
    let rows = sqlx::query!(
        "select person_id, protocol_id from results r
         where practice_id = $1 and (person_id, protocol_id) > ($2, $3) and not voided
             and not (select made_up from people p where p.practice_id = r.practice_id and p.id = r.person_id)
         group by person_id, protocol_id having count(*) > 1 order by person_id, protocol_id limit $4",
        practice,
        person,
        protocol,
        limit
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (PersonId(r.person_id), r.protocol_id)).collect())
}

/// A test that was stopped early, for Today.
#[derive(Debug, Clone)]
pub struct Recent {
    pub id: ResultId,
    /// Whose.
    pub person: PersonId,
    pub person_name: String,
    pub protocol_id: String,
    /// The day.
    pub on: NaiveDate,
    /// How it ended.
    pub stopped: Stop,
}

/// Tests that were stopped early since a day, the latest first; at most `limit`.
pub async fn stopped_since(scope: &mut Scope, since: NaiveDate, limit: i64) -> Result<Vec<Recent>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select r.id, r.person_id, p.name, r.protocol_id, r.on_date, r.stopped as "stopped!"
           from results r join people p on p.practice_id = r.practice_id and p.id = r.person_id
           where r.practice_id = $1 and r.on_date >= $2 and r.stopped is not null and not r.voided order by r.on_date desc, r.taken_at desc limit $3"#,
        practice,
        since,
        limit
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .filter_map(|r| {
            Some(Recent {
                id: ResultId(r.id),
                person: PersonId(r.person_id),
                person_name: r.name,
                protocol_id: r.protocol_id,
                on: r.on_date,
                stopped: readable("stop", r.id, read("stop", r.stopped))?,
            })
        })
        .collect())
}
