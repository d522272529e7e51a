//! Clients.

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    error::InputError,
    person::{Facts, Sex, age_on},
    text,
    units::{BodyMass, Height, Units},
};

use crate::{
    PersonId, Result, Scope,
    error::{Conflict, Error},
};

/// What is known of a client; every value has been checked by the core.
#[derive(Debug, Clone)]
pub struct Profile {
    /// Name, any script.
    pub name: String,
    /// Birth date.
    pub born: NaiveDate,
    /// Sex (for equations and norms), or none.
    pub sex: Option<Sex>,
    /// Units the client thinks in.
    pub units: Units,
    /// Height, with what was typed.
    pub height: Option<(Height, String)>,
    /// Body mass, with what was typed.
    pub mass: Option<(BodyMass, String)>,
    /// What the client does.
    pub occupation: Option<String>,
    /// The goal in the client's words.
    pub goal: Option<String>,
    /// Medicines, as told.
    pub medicines: Option<String>,
    /// Whether one of them limits the heart rate.
    pub rate_limiting_drug: bool,
    /// Anything else.
    pub notes: Option<String>,
}

/// A client.
#[derive(Debug, Clone)]
pub struct Person {
    pub id: PersonId,
    /// Nobody real: loaded to look around.
    pub made_up: bool,
    /// What is known.
    pub profile: Profile,
    /// When the body mass was measured.
    pub mass_on: Option<NaiveDate>,
    /// When the client came to the practice.
    pub created_at: DateTime<Utc>,
    /// Goes up with each change; a change names the version it was made on.
    pub version: i32,
}

impl Person {
    /// The facts equations ask for, on a day.
    ///
    /// # Errors
    /// As [`age_on`].
    pub fn facts_on(&self, on: NaiveDate) -> std::result::Result<Facts, InputError> {
        let p = &self.profile;
        Ok(Facts {
            sex: p.sex,
            age: Some(age_on(p.born, on)?),
            mass: p.mass.as_ref().map(|(m, _)| *m),
            mass_on: self.mass_on,
            height: p.height.as_ref().map(|(h, _)| *h),
            resting_hr: None,
            hr_max: None,
        })
    }
}

/// A line of the list of people.
#[derive(Debug, Clone)]
pub struct Listed {
    pub id: PersonId,
    /// Nobody real: loaded to look around.
    pub made_up: bool,
    pub name: String,
    /// Birth date.
    pub born: NaiveDate,
    /// What the client does.
    pub occupation: Option<String>,
    /// The latest test: protocol and day.
    pub last_test: Option<(String, NaiveDate)>,
    /// The next open retest.
    pub next_due: Option<NaiveDate>,
    /// Where the list goes on after this line.
    pub cursor: String,
}

struct Row {
    id: uuid::Uuid,
    name: String,
    born: NaiveDate,
    sex: Option<String>,
    units: String,
    height_cm: Option<f64>,
    height_typed: Option<String>,
    mass_kg: Option<f64>,
    mass_typed: Option<String>,
    mass_on: Option<NaiveDate>,
    occupation: Option<String>,
    goal: Option<String>,
    medicines: Option<String>,
    rate_limiting_drug: bool,
    notes: Option<String>,
    made_up: bool,
    created_at: DateTime<Utc>,
    version: i32,
}

impl From<Row> for Person {
    fn from(row: Row) -> Self {
        let typed = |text: Option<String>| text.unwrap_or_default();
        Self {
            id: PersonId(row.id),
            made_up: row.made_up,
            created_at: row.created_at,
            version: row.version,
            mass_on: row.mass_on,
            profile: Profile {
                name: row.name,
                born: row.born,
                sex: row.sex.and_then(|s| sex_of(&s)),
                units: if row.units == "imperial" { Units::Imperial } else { Units::Metric },
                height: row.height_cm.and_then(|cm| Height::new(cm).ok()).map(|h| (h, typed(row.height_typed))),
                mass: row.mass_kg.and_then(|kg| BodyMass::new(kg).ok()).map(|m| (m, typed(row.mass_typed))),
                occupation: row.occupation,
                goal: row.goal,
                medicines: row.medicines,
                rate_limiting_drug: row.rate_limiting_drug,
                notes: row.notes,
            },
        }
    }
}

fn sex_of(text: &str) -> Option<Sex> {
    match text {
        "male" => Some(Sex::Male),
        "female" => Some(Sex::Female),
        _ => None,
    }
}

fn sex_text(sex: Option<Sex>) -> Option<&'static str> {
    sex.map(|s| match s {
        Sex::Male => "male",
        Sex::Female => "female",
    })
}

fn units_text(units: Units) -> &'static str {
    match units {
        Units::Metric => "metric",
        Units::Imperial => "imperial",
    }
}

/// One client.
pub async fn get(scope: &mut Scope, id: PersonId) -> Result<Person> {
    let row = sqlx::query_as!(
        Row,
        "select id, name, born, sex, units, height_cm, height_typed, mass_kg, mass_typed, mass_on, occupation, goal, medicines, rate_limiting_drug, notes, made_up, created_at, version
         from people where id = $1",
        id.0
    )
    .fetch_one(scope.db())
    .await?;
    Ok(row.into())
}

/// Several clients, in no order; who is not of the practice is passed over.
pub async fn several(scope: &mut Scope, ids: &[uuid::Uuid]) -> Result<Vec<Person>> {
    let rows = sqlx::query_as!(
        Row,
        "select id, name, born, sex, units, height_cm, height_typed, mass_kg, mass_typed, mass_on, occupation, goal, medicines, rate_limiting_drug, notes, made_up, created_at, version
         from people where id = any ($1)",
        ids
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(Person::from).collect())
}

/// Takes a client for this transaction, so that whoever counts what the client has counts it alone.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn lock(scope: &mut Scope, id: PersonId) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("select id from people where practice_id = $1 and id = $2 for no key update", practice, id.0)
        .fetch_one(scope.db())
        .await?;
    Ok(())
}

/// Clients whose name is written much like this one, the likest first; few of them.
pub async fn with_similar_name(scope: &mut Scope, name: &str) -> Result<Vec<(PersonId, String, NaiveDate)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select id, name, born from people where practice_id = $1 and name_key % $2 order by similarity(name_key, $2) desc, id limit 10",
        practice,
        text::name_key(name)
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (PersonId(r.id), r.name, r.born)).collect())
}

/// The made-up clients.
pub async fn made_up(scope: &mut Scope) -> Result<Vec<PersonId>> {
    let practice = scope.practice_id();
    let ids = sqlx::query_scalar!("select id from people where practice_id = $1 and made_up", practice).fetch_all(scope.db()).await?;
    Ok(ids.into_iter().map(PersonId).collect())
}

/// Says of a client that it is made up.
pub async fn mark_made_up(scope: &mut Scope, id: PersonId) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("update people set made_up = true where practice_id = $1 and id = $2", practice, id.0).execute(scope.db()).await?;
    Ok(())
}

/// Adds a client under an id made by the screen: the same id twice is one client.
pub async fn add(scope: &mut Scope, id: PersonId, profile: &Profile) -> Result<()> {
    let practice = scope.practice_id();
    let p = profile;
    sqlx::query!(
        "insert into people (id, practice_id, name, name_key, born, sex, units, height_cm, height_typed, mass_kg, mass_typed, mass_on, occupation, goal, medicines, rate_limiting_drug, notes)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11,
             (select (now() at time zone time_zone)::date from practices where id = $2 and $10::double precision is not null),
             $12, $13, $14, $15, $16) on conflict (practice_id, id) do nothing",
        id.0,
        practice,
        p.name,
        text::name_key(&p.name),
        p.born,
        sex_text(p.sex),
        units_text(p.units),
        p.height.as_ref().map(|(h, _)| h.value()),
        p.height.as_ref().map(|(_, t)| t.as_str()),
        p.mass.as_ref().map(|(m, _)| m.value()),
        p.mass.as_ref().map(|(_, t)| t.as_str()),
        p.occupation,
        p.goal,
        p.medicines,
        p.rate_limiting_drug,
        p.notes
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Changes a client, if nobody else did since `version`.
///
/// # Errors
/// [`Conflict::ChangedElsewhere`], [`Error::NotFound`].
pub async fn update(scope: &mut Scope, id: PersonId, version: i32, profile: &Profile) -> Result<()> {
    let p = profile;
    let done = sqlx::query!(
        "update people set name = $3, name_key = $4, born = $5, sex = $6, units = $7, height_cm = $8, height_typed = $9, mass_kg = $10, mass_typed = $11,
             mass_on = case when mass_kg is not distinct from $10 then mass_on
                 else (select (now() at time zone time_zone)::date from practices where id = practice_id and $10 is not null) end,
             occupation = $12, goal = $13, medicines = $14, rate_limiting_drug = $15, notes = $16, updated_at = now(), version = version + 1
         where id = $1 and version = $2",
        id.0,
        version,
        p.name,
        text::name_key(&p.name),
        p.born,
        sex_text(p.sex),
        units_text(p.units),
        p.height.as_ref().map(|(h, _)| h.value()),
        p.height.as_ref().map(|(_, t)| t.as_str()),
        p.mass.as_ref().map(|(m, _)| m.value()),
        p.mass.as_ref().map(|(_, t)| t.as_str()),
        p.occupation,
        p.goal,
        p.medicines,
        p.rate_limiting_drug,
        p.notes
    )
    .execute(scope.db())
    .await?;
    if done.rows_affected() == 0 {
        get(scope, id).await?;
        return Err(Error::Conflict(Conflict::ChangedElsewhere));
    }
    Ok(())
}

/// So many people are looked at by the words of their names; where more begin so, the list itself is quicker to walk.
const FEW: i64 = 400;

/// A person as a list of people has them.
#[derive(Debug, Clone)]
pub struct OnList {
    pub name: String,
    /// Birth date.
    pub born: NaiveDate,
    pub sex: Option<String>,
    pub height_cm: Option<f64>,
    pub mass_kg: Option<f64>,
    /// In the group that was asked for.
    pub playing_group: Option<String>,
    pub number: Option<i32>,
}

/// Everybody of the practice, by name; of a group, its members.
pub async fn on_list(scope: &mut Scope, group: Option<uuid::Uuid>) -> Result<Vec<OnList>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        OnList,
        r#"select p.name, p.born, p.sex, p.height_cm, p.mass_kg, m.playing_group as "playing_group?", m.number as "number?"
           from people p left join group_members m
             on m.practice_id = p.practice_id and m.person_id = p.id and m.group_id = $2 and m.left_on is null
           where p.practice_id = $1 and ($2::uuid is null or m.id is not null) order by p.name_key, p.id"#,
        practice,
        group
    )
    .fetch_all(scope.db())
    .await?)
}

/// People whose name has a word starting with `query`, by name, after `cursor`.
pub async fn list(scope: &mut Scope, query: &str, cursor: Option<&str>, limit: i64) -> Result<Vec<Listed>> {
    let practice = scope.practice_id();
    let key = text::name_key(query).replace(['\\', '%', '_'], "");
    let (after_key, after_id) = cursor.and_then(|c| c.rsplit_once('~')).unwrap_or(("", ""));
    let after_id = after_id.parse().unwrap_or(uuid::Uuid::nil());
    let few: Option<Vec<uuid::Uuid>> = if key.is_empty() { None } else { named(scope, &key).await? };
    let people = match few {
        Some(ids) => {
            sqlx::query_as!(
                Line,
                "select id, name, name_key, born, occupation, made_up from people
                 where practice_id = $1 and id = any ($2) and (name_key, id) > ($3, $4) order by name_key, id limit $5",
                practice,
                &ids,
                after_key,
                after_id,
                limit
            )
            .fetch_all(scope.db())
            .await?
        }
        None => {
            sqlx::query_as!(
                Line,
                "select id, name, name_key, born, occupation, made_up from people
                 where practice_id = $1 and ($2 = '' or name_key like $2 || '%' or name_key like '% ' || $2 || '%') and (name_key, id) > ($3, $4)
                 order by name_key, id limit $5",
                practice,
                key,
                after_key,
                after_id,
                limit
            )
            .fetch_all(scope.db())
            .await?
        }
    };
    // What else a line says, for those that are shown.
    let ids: Vec<uuid::Uuid> = people.iter().map(|p| p.id).collect();
    let more = sqlx::query!(
        r#"select w.id as "id!", r.protocol_id as "protocol_id?", r.on_date as "on_date?", d.due_on as "due_on?"
           from unnest($2::uuid[]) w (id)
           left join lateral (select protocol_id, on_date from results where practice_id = $1 and person_id = w.id and not voided order by taken_at desc limit 1) r on true
           left join lateral (select min(due_on) as due_on from retests
                              where practice_id = $1 and person_id = w.id and done_on is null and skip_reason is null) d on true"#,
        practice,
        &ids
    )
    .fetch_all(scope.db())
    .await?;
    Ok(people
        .into_iter()
        .map(|p| {
            let said = more.iter().find(|m| m.id == p.id);
            Listed {
                cursor: format!("{}~{}", p.name_key, p.id),
                id: PersonId(p.id),
                made_up: p.made_up,
                name: p.name,
                born: p.born,
                occupation: p.occupation,
                last_test: said.and_then(|m| m.protocol_id.clone().zip(m.on_date)),
                next_due: said.and_then(|m| m.due_on),
            }
        })
        .collect())
}

struct Line {
    id: uuid::Uuid,
    name: String,
    name_key: String,
    born: NaiveDate,
    occupation: Option<String>,
    made_up: bool,
}

/// Everyone with a word that begins so, where they are few; nothing where they are many.
async fn named(scope: &mut Scope, key: &str) -> Result<Option<Vec<uuid::Uuid>>> {
    let practice = scope.practice_id();
    let found = sqlx::query_scalar!(
        "select person_id from people_words where practice_id = $1 and words >= $2 and words < $2 || chr(1114111) limit $3",
        practice,
        key,
        FEW
    )
    .fetch_all(scope.db())
    .await?;
    Ok((found.len() < FEW as usize).then_some(found))
}

/// How many people the practice has.
pub async fn count(scope: &mut Scope) -> Result<i64> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!("select people from practices where id = $1", practice).fetch_one(scope.db()).await?)
}

/// Writes the body mass, kg, and the standing height, cm, that were measured on a day into the record.
pub async fn measured(scope: &mut Scope, id: PersonId, on: NaiveDate, mass_kg: Option<f64>, height_cm: Option<f64>) -> Result<()> {
    let practice = scope.practice_id();
    let typed = |value: Option<f64>, unit: &str| value.map(|v| format!("{v} {unit}"));
    sqlx::query!(
        "update people set mass_kg = coalesce($3, mass_kg), mass_typed = coalesce($4, mass_typed),
             mass_on = case when $3 is null then mass_on else $7 end,
             height_cm = coalesce($5, height_cm), height_typed = coalesce($6, height_typed), version = version + 1
         where practice_id = $1 and id = $2",
        practice,
        id.0,
        mass_kg,
        typed(mass_kg, "kg"),
        height_cm,
        typed(height_cm, "cm"),
        on
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Erases a client with everything that says who it was. What others need of shared runs stays without a name.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn erase(scope: &mut Scope, id: PersonId) -> Result<()> {
    sqlx::query!("select erase_person($1)", id.0).execute(scope.db()).await?;
    crate::runs::announce_erased(scope).await
}
