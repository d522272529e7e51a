//! A whole practice out and in again, table by table, as the tables hold it. What belongs to this installation alone (who may
//! sign in, links that were handed out, what was done with the records) stays out; whoever takes it in is who keeps it.

use serde_json::{Map, Value, json};
use sqlx::{AssertSqlSafe, Row as _};

use crate::{CoachId, Result, Scope};

/// Every table that is a practice's own work, in an order in which each finds what it refers to; and the order of its rows.
const TABLES: [(&str, &str); 20] = [
    ("people", "id"),
    ("protocols", "id"),
    ("batteries", "id"),
    ("scoring_tables", "battery_id, version"),
    ("pass_marks", "protocol_id, quantity"),
    ("typed_errors", "protocol_id, quantity"),
    ("repeats", "protocol_id, quantity"),
    ("happenings", "id"),
    ("goals", "id"),
    ("photos", "id"),
    ("readiness_checks", "id"),
    ("visits", "id"),
    ("visit_events", "position"),
    ("runs", "id"),
    ("run_performers", "run_id, slot"),
    ("run_events", "position"),
    ("results", "id"),
    ("scores", "result_id, quantity"),
    ("retest_plans", "id"),
    ("retests", "id"),
];

/// What is of this installation alone: the practice's key, who of its coaches did it, a place in a list, a code to join.
const LEFT_OUT: &str = "array['practice_id', 'created_by', 'taken_by', 'coach_id', 'position', 'join_code']";

/// How many rows go in at once.
const AT_ONCE: usize = 500;

/// A row that cannot be taken in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadRow {
    /// Its table.
    pub table: &'static str,
    /// Its place, from 1.
    pub row: usize,
    /// Why.
    pub why: String,
}

/// Everything of a practice, by table.
pub async fn out(scope: &mut Scope) -> Result<Map<String, Value>> {
    let practice = scope.practice_id();
    let mut all = Map::new();
    for (table, order) in TABLES {
        let sql = format!(
            "select coalesce(jsonb_agg(to_jsonb(t) - {LEFT_OUT} order by {order}), '[]') as rows from {table} t where practice_id = $1"
        );
        let rows: Value = sqlx::query(AssertSqlSafe(sql)).bind(practice).fetch_one(scope.db()).await?.try_get("rows")?;
        all.insert(table.to_owned(), rows);
    }
    Ok(all)
}

/// Takes everything in, into a practice that has nobody yet. Nothing is kept unless the scope is committed; the first row that
/// does not fit is named.
pub async fn take_in(scope: &mut Scope, coach: CoachId, all: &Map<String, Value>) -> Result<std::result::Result<usize, BadRow>> {
    let ours = json!({ "practice_id": scope.practice_id(), "created_by": coach.0, "taken_by": coach.0, "coach_id": coach.0 });
    let mut taken = 0;
    let earlier = scores_of_earlier(all);
    for (table, _) in TABLES {
        let Some(rows) = all.get(table).or_else(|| earlier.as_ref().filter(|_| table == "scores")) else { continue };
        let Some(rows) = rows.as_array() else {
            return Ok(Err(BadRow { table, row: 1, why: "this is no list of rows".into() }));
        };
        let sql = insert(scope, table).await?;
        for (k, part) in rows.chunks(AT_ONCE).enumerate() {
            if put(scope, &sql, part, &ours).await?.is_none() {
                taken += part.len();
                continue;
            }
            // One of them does not fit: which?
            for (n, row) in part.iter().enumerate() {
                if let Some(why) = put(scope, &sql, std::slice::from_ref(row), &ours).await? {
                    return Ok(Err(BadRow { table, row: k * AT_ONCE + n + 1, why }));
                }
                taken += 1;
            }
        }
    }
    Ok(Ok(taken))
}

/// The scores of a file from before they had a table of their own: each result carried its own.
fn scores_of_earlier(all: &Map<String, Value>) -> Option<Value> {
    let results = all.get("results")?.as_array().filter(|_| !all.contains_key("scores"))?;
    let of_result = |r: &Value| {
        let scores = r.get("computed").and_then(Value::as_object).cloned().unwrap_or_default();
        let (id, person, protocol, on) = (r["id"].clone(), r["person_id"].clone(), r["protocol_id"].clone(), r["on_date"].clone());
        scores.into_iter().map(move |(quantity, value)| {
            json!({"result_id": id, "person_id": person, "protocol_id": protocol, "on_date": on, "quantity": quantity, "value": value})
        })
    };
    Some(results.iter().flat_map(of_result).collect())
}

/// Puts rows in, or says why they do not fit, with nothing of them in.
async fn put(scope: &mut Scope, sql: &str, rows: &[Value], ours: &Value) -> Result<Option<String>> {
    if rows.iter().any(|r| !r.is_object()) {
        return Ok(Some("this is no row".into()));
    }
    sqlx::query("savepoint taking_in").execute(scope.db()).await?;
    let done = sqlx::query(AssertSqlSafe(sql.to_owned())).bind(Value::Array(rows.to_vec())).bind(ours).execute(scope.db()).await;
    match done {
        Ok(_) => {
            sqlx::query("release savepoint taking_in").execute(scope.db()).await?;
            Ok(None)
        }
        Err(sqlx::Error::Database(refused)) => {
            sqlx::query("rollback to savepoint taking_in").execute(scope.db()).await?;
            Ok(Some(refused.message().to_owned()))
        }
        Err(away) => Err(away.into()),
    }
}

/// The statement that takes rows of a table in: every column but those the database fills itself.
async fn insert(scope: &mut Scope, table: &str) -> Result<String> {
    let columns: Vec<String> = sqlx::query(
        "select column_name::text as name from information_schema.columns
         where table_schema = 'public' and table_name = $1 and is_identity = 'NO' and is_generated = 'NEVER' order by ordinal_position",
    )
    .bind(table)
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .map(|r| r.try_get("name"))
    .collect::<std::result::Result<_, _>>()?;
    let (names, values) = (columns.join(", "), columns.iter().map(|c| format!("r.{c}")).collect::<Vec<_>>().join(", "));
    Ok(format!(
        "insert into {table} ({names}) select {values} from jsonb_array_elements($1) with ordinality e (body, n),
         lateral jsonb_populate_record(null::{table}, e.body || $2) r order by e.n"
    ))
}

/// Every measure of every result, for a spreadsheet: name, day, test, measure, value; the earliest first.
pub async fn measures(scope: &mut Scope, person: Option<crate::PersonId>) -> Result<Vec<(String, chrono::NaiveDate, String, String, f64)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select p.name, s.on_date, s.protocol_id, s.quantity, s.value
         from scores s join people p on p.practice_id = s.practice_id and p.id = s.person_id
         where s.practice_id = $1 and ($2::uuid is null or s.person_id = $2) order by p.name, s.on_date, s.result_id, s.quantity",
        practice,
        person.map(|p| p.0)
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (r.name, r.on_date, r.protocol_id, r.quantity, r.value)).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_from_before_scores_had_a_table_brings_them_with_its_results() {
        let result = json!({"id": "r1", "person_id": "p1", "protocol_id": "plank", "on_date": "2026-11-01", "computed": {"seconds": 95.5}});
        let file = |more: Value| {
            let mut all = Map::from_iter([("results".to_owned(), json!([result.clone(), {"id": "r2", "computed": {}}]))]);
            all.extend(more.as_object().cloned().unwrap_or_default());
            scores_of_earlier(&all)
        };
        let score = json!({"result_id": "r1", "person_id": "p1", "protocol_id": "plank", "on_date": "2026-11-01", "quantity": "seconds", "value": 95.5});
        assert_eq!(file(json!({})), Some(json!([score])));
        assert_eq!(file(json!({"scores": []})), None, "a file of today has its own");
    }
}
