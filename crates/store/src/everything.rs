//! A whole practice out and in again, table by table, as the tables hold it. What belongs to this installation alone (who may
//! sign in, links that were handed out, what was done with the records) stays out; whoever takes it in is who keeps it.

use std::collections::BTreeMap;

use futures_util::{Stream, TryStreamExt};
use serde_json::{Value, json};
use sqlx::{AssertSqlSafe, Row as _};
use uuid::Uuid;

use crate::{CoachId, Error, Result, Scope};

/// Every table that is a practice's own work, in an order in which each finds what it refers to; and the order of its rows.
/// How repeats of a measure lie apart is not among them: it follows from the results.
pub const TABLES: [(&str, &str); 26] = [
    ("people", "id"),
    ("groups", "id"),
    ("group_members", "id"),
    ("group_marks", "id"),
    ("protocols", "id"),
    ("batteries", "id"),
    ("scoring_tables", "battery_id, version"),
    ("pass_marks", "protocol_id, quantity"),
    ("typed_errors", "protocol_id, quantity"),
    ("happenings", "id"),
    ("goals", "id"),
    ("consents", "id"),
    ("photos", "id"),
    ("readiness_checks", "id"),
    ("visits", "id"),
    ("visit_events", "visit_id, position"),
    ("group_visits", "id"),
    ("group_visit_people", "group_visit_id, person_id"),
    ("runs", "id"),
    ("run_performers", "run_id, slot"),
    ("run_events", "run_id, position"),
    ("results", "id"),
    ("scores", "result_id, quantity"),
    ("result_versions", "result_id, version"),
    ("retest_plans", "id"),
    ("retests", "id"),
];

/// What is of this installation alone: the practice's key, who of its coaches did it, a place in a list, a code to join, a name as
/// search compares it. A photograph's picture goes out beside the tables.
pub const LEFT_OUT: [&str; 8] = ["practice_id", "created_by", "taken_by", "coach_id", "position", "join_code", "name_key", "jpeg"];

/// A column of a table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Column {
    /// Its type, as the database calls it: `uuid`, `text`, `date`.
    pub kind: String,
    /// Whether a row may be without it.
    pub may_be_null: bool,
    /// What it is where a row says nothing, as the database writes it.
    pub default: Option<String>,
}

/// The rows of a table of the practice, each as JSON, in their order, as they come.
pub fn rows<'s>(scope: &'s mut Scope, table: &str, order: &str) -> impl Stream<Item = Result<String>> + 's {
    let practice = scope.practice_id();
    let left_out = LEFT_OUT.join("', '");
    let sql = format!("select (to_jsonb(t) - array['{left_out}'])::text as row from {table} t where practice_id = $1 order by {order}");
    sqlx::query_scalar(AssertSqlSafe(sql)).bind(practice).fetch(scope.db()).map_err(Error::from)
}

/// The practice's photographs by key, in their order, each with its picture, as they come.
pub fn photos(scope: &mut Scope) -> impl Stream<Item = Result<(Uuid, Vec<u8>)>> + '_ {
    let practice = scope.practice_id();
    sqlx::query!("select id, jpeg from photos where practice_id = $1 order by id", practice)
        .fetch(scope.db())
        .map_ok(|r| (r.id, r.jpeg))
        .map_err(Error::from)
}

/// The columns of a table that a file brings.
pub async fn columns(scope: &mut Scope, table: &str) -> Result<BTreeMap<String, Column>> {
    let rows = sqlx::query(
        "select column_name::text as name, data_type::text as kind, is_nullable = 'YES' or column_default is not null as may_be_null,
                column_default::text as \"default\"
         from information_schema.columns
         where table_schema = 'public' and table_name = $1 and is_identity = 'NO' and is_generated = 'NEVER'",
    )
    .bind(table)
    .fetch_all(scope.db())
    .await?;
    rows.into_iter()
        .map(|r| {
            let column = Column { kind: r.try_get("kind")?, may_be_null: r.try_get("may_be_null")?, default: r.try_get("default")? };
            Ok((r.try_get("name")?, column))
        })
        .collect::<std::result::Result<_, sqlx::Error>>()
        .map_err(Error::from)
}

/// Puts checked rows of a table in, in their order. Says which of them does not fit and why, from 0; none of them is in then.
///
/// # Errors
/// Where the database is away.
pub async fn put(scope: &mut Scope, coach: CoachId, table: &str, rows: &[Value]) -> Result<Option<(usize, String)>> {
    let sql = insert(scope, table).await?;
    if put_all(scope, &sql, coach, rows).await?.is_none() {
        return Ok(None);
    }
    // One of them does not fit: which?
    for (n, row) in rows.iter().enumerate() {
        if let Some(why) = put_all(scope, &sql, coach, std::slice::from_ref(row)).await? {
            return Ok(Some((n, why)));
        }
    }
    Ok(None)
}

async fn put_all(scope: &mut Scope, sql: &str, coach: CoachId, rows: &[Value]) -> Result<Option<String>> {
    let ours = json!({ "practice_id": scope.practice_id(), "created_by": coach.0, "taken_by": coach.0, "coach_id": coach.0 });
    sqlx::query("savepoint putting").execute(scope.db()).await?;
    let done = sqlx::query(AssertSqlSafe(sql.to_owned())).bind(Value::Array(rows.to_vec())).bind(ours).execute(scope.db()).await;
    match done {
        Ok(_) => {
            sqlx::query("release savepoint putting").execute(scope.db()).await?;
            Ok(None)
        }
        Err(sqlx::Error::Database(refused)) => {
            let why = if refused.is_foreign_key_violation() {
                "it refers to something that isn't in the file".to_owned()
            } else if refused.is_unique_violation() {
                "it is in the file twice".to_owned()
            } else if refused.is_check_violation() || refused.code().is_some_and(|c| c.starts_with("22") || c == "54000") {
                "a value is out of its range".to_owned()
            } else {
                return Err(sqlx::Error::Database(refused).into());
            };
            sqlx::query("rollback to savepoint putting").execute(scope.db()).await?;
            Ok(Some(why))
        }
        Err(away) => Err(away.into()),
    }
}

/// The statement that takes rows of a table in: every column but those the database fills itself.
async fn insert(scope: &mut Scope, table: &str) -> Result<String> {
    let columns: BTreeMap<String, Column> = columns(scope, table).await?.into_iter().filter(|(c, _)| c != "join_code").collect();
    // What a file of an earlier release does not say has its default.
    let value = |(name, column): (&String, &Column)| match &column.default {
        Some(default) => format!("coalesce(r.{name}, {default})"),
        None => format!("r.{name}"),
    };
    let values = columns.iter().map(value).collect::<Vec<_>>().join(", ");
    let names = columns.into_keys().collect::<Vec<_>>().join(", ");
    Ok(format!(
        "insert into {table} ({names}) select {values} from jsonb_array_elements($1) with ordinality e (body, n),
         lateral jsonb_populate_record(null::{table}, e.body || $2) r order by e.n"
    ))
}

/// A measure of a result, for a spreadsheet.
#[derive(Debug)]
pub struct Measure {
    /// Whose.
    pub name: String,
    /// The day.
    pub on: chrono::NaiveDate,
    /// The result it belongs to.
    pub result: Uuid,
    /// The protocol's id.
    pub protocol: String,
    /// The measure's key.
    pub quantity: String,
    /// In the measure's unit.
    pub value: f64,
    /// Sex and age on the day.
    pub facts: Value,
    /// The circumstances.
    pub conditions: Value,
    /// Who or what gave a value that was only reported.
    pub source: Option<String>,
    /// What was read, but for recordings.
    pub inputs: Value,
    /// What was remarked: a list of texts.
    pub remarks: Value,
    /// The groups that the person belonged to on the day, by name.
    pub groups: Option<String>,
}

/// Every measure of every result, for a spreadsheet, the earliest first, as they come.
pub fn measures(scope: &mut Scope, person: Option<crate::PersonId>) -> impl Stream<Item = Result<Measure>> + '_ {
    let practice = scope.practice_id();
    sqlx::query_as!(
        Measure,
        r#"select p.name, s.on_date as "on!", s.result_id as "result!", s.protocol_id as "protocol!", s.quantity as "quantity!",
             s.value as "value!", r.facts as "facts!", r.conditions as "conditions!",
             r.inputs - 'series' as "inputs!",
             coalesce(r.inputs->>'source', r.inputs->>'device', r.conditions->>'source') as source, r.remarks as "remarks!",
             (select string_agg(g.name, '; ' order by g.name) from group_members m join groups g on g.practice_id = m.practice_id and g.id = m.group_id
                where m.practice_id = s.practice_id and m.person_id = s.person_id and m.joined_on <= s.on_date
                  and (m.left_on is null or m.left_on >= s.on_date)) as groups
         from scores s join people p on p.practice_id = s.practice_id and p.id = s.person_id
             join results r on r.practice_id = s.practice_id and r.id = s.result_id
         where s.practice_id = $1 and ($2::uuid is null or s.person_id = $2) order by p.name, s.on_date, s.result_id, s.quantity"#,
        practice,
        person.map(|p| p.0)
    )
    .fetch(scope.db())
    .map_err(Error::from)
}

/// Whether the practice has something of its own already, so that another cannot be taken in.
pub async fn is_begun(scope: &mut Scope) -> Result<bool> {
    let practice = scope.practice_id();
    for (table, _) in TABLES {
        let sql = format!("select exists (select from {table} where practice_id = $1)");
        if sqlx::query_scalar::<_, bool>(AssertSqlSafe(sql)).bind(practice).fetch_one(scope.db()).await? {
            return Ok(true);
        }
    }
    Ok(false)
}

/// Takes the practice for this transaction, so that two files are not taken into it at once.
pub async fn lock(scope: &mut Scope) -> Result<()> {
    let key = scope.practice_id().as_u64_pair().0 as i64;
    sqlx::query!("select pg_advisory_xact_lock($1) is null as done", key).fetch_one(scope.db()).await?;
    Ok(())
}

/// The scores that are kept of some results.
pub async fn scores_of(scope: &mut Scope, results: &[Uuid]) -> Result<Vec<(Uuid, String, f64)>> {
    let practice = scope.practice_id();
    let rows =
        sqlx::query!("select result_id, quantity, value from scores where practice_id = $1 and result_id = any ($2)", practice, results)
            .fetch_all(scope.db())
            .await?;
    Ok(rows.into_iter().map(|r| (r.result_id, r.quantity, r.value)).collect())
}

/// The protocols of some runs, as they were stored.
pub async fn protocols_of(scope: &mut Scope, runs: &[Uuid]) -> Result<Vec<(Uuid, Value)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!("select id, protocol from runs where practice_id = $1 and id = any ($2)", practice, runs)
        .fetch_all(scope.db())
        .await?;
    Ok(rows.into_iter().map(|r| (r.id, r.protocol)).collect())
}

/// The keys of the practice's runs behind one, in their order; at most `limit`.
pub async fn runs_after(scope: &mut Scope, behind: Option<Uuid>, limit: i64) -> Result<Vec<Uuid>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!(
        "select id from runs where practice_id = $1 and ($2::uuid is null or id > $2) order by id limit $3",
        practice,
        behind,
        limit
    )
    .fetch_all(scope.db())
    .await?)
}

/// The keys of the practice's people behind one, in their order; at most `limit`.
pub async fn people_after(scope: &mut Scope, behind: Option<Uuid>, limit: i64) -> Result<Vec<Uuid>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!(
        "select id from people where practice_id = $1 and ($2::uuid is null or id > $2) order by id limit $3",
        practice,
        behind,
        limit
    )
    .fetch_all(scope.db())
    .await?)
}
