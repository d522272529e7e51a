//! A practice's own protocols, beside those that ship.

use impulso_core::catalogue::{self, Protocol, Scoring};
use serde_json::Value;

use crate::{
    CoachId, Result, Scope,
    error::{Error, read, readable, write},
};

/// The practice's own, oldest first. One that cannot be read any more is passed over.
pub async fn own(scope: &mut Scope) -> Result<Vec<Protocol>> {
    let each = own_each(scope).await?;
    Ok(each.into_iter().filter_map(|(id, protocol)| readable("protocol", id, protocol)).collect())
}

/// The practice's own by their ids, each as it is read.
pub(crate) async fn own_each(scope: &mut Scope) -> Result<Vec<(String, Result<Protocol>)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!("select id, body from protocols where practice_id = $1 order by created_at, id", practice)
        .fetch_all(scope.db())
        .await?;
    Ok(rows.into_iter().map(|r| (r.id, sound(r.body))).collect())
}

/// A protocol of a practice's own: read, and held to what every protocol is held to.
pub fn sound(body: Value) -> Result<Protocol> {
    let protocol = stored(body)?;
    catalogue::check(&protocol).map_err(|e| Error::Unreadable { what: "protocol", source: serde::de::Error::custom(e.message) })?;
    Ok(protocol)
}

/// Keeps a protocol of the practice's own. Returns whether the id was free.
pub async fn add(scope: &mut Scope, coach: CoachId, protocol: &Protocol) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into protocols (practice_id, id, body, created_by) values ($1, $2, $3, $4) on conflict do nothing",
        practice,
        protocol.id,
        write("protocol", protocol)?,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(done.rows_affected() == 1)
}

/// Where the rules of a family stood before they were one with it.
const RULES: [&str; 6] = ["count", "stages", "course", "schedule", "clamp", "attempts"];

/// A protocol as it was stored, in the shape of its day: what a result was taken with is never written anew.
///
/// # Errors
/// [`Error::Unreadable`].
pub fn stored(mut body: Value) -> Result<Protocol> {
    if let Some(of) = body.as_object_mut()
        && let Some(family) = of.remove("family")
    {
        let rules: Vec<Value> = RULES.iter().filter_map(|key| of.remove(*key)).collect();
        let mut procedure = rules.into_iter().find(Value::is_object).unwrap_or_else(|| Value::Object(serde_json::Map::new()));
        procedure["family"] = family;
        of.insert("procedure".into(), procedure);
    }
    for take in
        body.pointer_mut("/procedure/legs").and_then(Value::as_array_mut).into_iter().flatten().filter_map(|leg| leg.get_mut("take"))
    {
        named_inside(take);
    }
    for scoring in body.get_mut("scoring").and_then(Value::as_array_mut).into_iter().flatten() {
        as_formula(scoring);
    }
    read("protocol", body)
}

/// How a leg is taken was named by the key around its rules; it is named by `kind` among them.
fn named_inside(take: &mut Value) {
    let Some((kind, rules)) = take.as_object().filter(|of| of.len() == 1).and_then(|of| of.iter().next()) else { return };
    if let Value::Object(rules) = rules {
        let mut rules = rules.clone();
        rules.insert("kind".into(), kind.clone().into());
        *take = Value::Object(rules);
    }
}

/// An equation that was named in the code is a formula of the catalogue now, by the same name.
fn as_formula(scoring: &mut Value) {
    let Some(name) = scoring.get("equation").and_then(Value::as_str) else { return };
    let of_name = |s: &&Scoring| s.method.as_deref() == Some(name);
    let Some(now) = catalogue::all().iter().flat_map(|p| &p.scoring).find(of_name) else { return };
    let fields = serde_json::to_value(now).unwrap_or_default();
    for key in ["equation", "method", "see", "fitted_to_procedure", "formula", "formula_male", "formula_female"] {
        scoring[key] = fields[key].clone();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use impulso_core::catalogue;

    /// Equations that stood in the code once, by the names they are stored with.
    const NAMED_ONCE: [&str; 7] =
        ["kline-1987", "cooper-1968", "acsm-run", "leger-1988", "bangsbo-2008-level-1", "bangsbo-2008-level-2", "buchheit-2008"];

    #[test]
    fn a_protocol_is_read_in_the_shape_of_its_day() {
        for protocol in catalogue::all() {
            let today = serde_json::to_value(protocol).unwrap();
            assert_eq!(&stored(today.clone()).unwrap(), protocol);
            let mut earlier = today;
            for leg in earlier.pointer_mut("/procedure/legs").and_then(Value::as_array_mut).into_iter().flatten() {
                let kind = leg["take"].as_object_mut().unwrap().remove("kind").unwrap();
                leg["take"] = serde_json::json!({ kind.as_str().unwrap(): leg["take"] });
            }
            for scoring in earlier["scoring"].as_array_mut().unwrap() {
                let named = scoring["method"].as_str().filter(|m| NAMED_ONCE.contains(m)).map(str::to_owned);
                if let Some(method) = named {
                    let of = scoring.as_object_mut().unwrap();
                    for key in ["method", "see", "fitted_to_procedure", "formula", "formula_male", "formula_female"] {
                        of.remove(key);
                    }
                    of.insert("equation".into(), method.into());
                }
            }
            let mut rule = earlier["procedure"].take();
            let family = rule.as_object_mut().unwrap().remove("family").unwrap();
            let of = earlier.as_object_mut().unwrap();
            of.remove("procedure");
            of.extend(RULES.map(|key| (key.to_owned(), Value::Null)));
            let key = match family.as_str().unwrap() {
                "counted_recovery" => "count",
                "staged_steady_state" => "stages",
                "timed_effort" | "distance_effort" => "course",
                "audio_paced" => "schedule",
                "clamped_heart_rate" => "clamp",
                _ => "attempts",
            };
            of.insert(key.into(), rule);
            of.insert("family".into(), family);
            assert_eq!(&stored(earlier).unwrap(), protocol);
        }
    }
}
