//! A closed run becomes a result; a stored result becomes a report.

use std::collections::BTreeMap;

use chrono::NaiveDate;
use impulso_core::{
    Code,
    catalogue::Protocol,
    change::{self, TypicalError},
    hr_max::{CeilingRule, HrMaxMethod},
    person::{Facts, Sex},
    report::{self, Progress, ResultReport, Rung},
    run::{
        Setup, State,
        event::{Answer, Conditions},
    },
    trial::{self, Circumstances, Options, Outcome, Trial},
    units::Bpm,
};
use impulso_store::{
    CoachId, PersonId, ResultId, Scope, audit, people, readiness,
    results::{self, Stop, Stored},
    retests,
    runs::Run,
};
use serde_json::json;

use crate::{ApiResult, auth, shelf::Shelf};

/// Tests of one person this close together are repeats, days: too close for training to have changed much. Common
/// practice.
const REPEAT_DAYS: i32 = 10;

/// Keeps the result that a performer's state stands for, in the same transaction as the events.
pub async fn close(scope: &mut Scope, coach: CoachId, run: &Run, person: PersonId, setup: &Setup, state: &State) -> ApiResult<ResultId> {
    let taken_at = state.started_at.unwrap_or(run.created_at);
    let on = auth::day_of(scope, taken_at).await?;
    let profile = people::get(scope, person).await?;
    let mut conditions = state.conditions(&run.protocol, setup);
    note_drug(scope, &run.protocol, &profile, on, &mut conditions).await?;
    // The mass and the heart rates of the day, as the decisions used them.
    let recorded = profile.facts_on(on)?;
    let facts = Facts { mass: setup.mass.or(recorded.mass), resting_hr: setup.resting_hr, hr_max: setup.hr_max, ..recorded };
    let mut result = Stored {
        id: ResultId::new(),
        person,
        run: Some(run.id),
        protocol_id: run.protocol.id.clone(),
        method: run.protocol.method_version(),
        on,
        taken_at,
        inputs: state.inputs(&run.protocol, setup),
        conditions,
        facts: facts.into(),
        stopped: state.stopped_ms.map(|ms| Stop { at_s: ms / 1000.0, reason: state.stop_reason, note: state.stop_note.clone() }),
        computed: BTreeMap::new(),
    };
    result.computed = values(&run.protocol, &result)?;
    keep(scope, coach, &result).await?;
    Ok(result.id)
}

/// Writes into the conditions whether a medicine limited the heart rate on that day, where the protocol asks.
pub async fn note_drug(
    scope: &mut Scope,
    protocol: &Protocol,
    person: &people::Person,
    on: NaiveDate,
    conditions: &mut Conditions,
) -> ApiResult<()> {
    if protocol.condition("heart_rate_drug").is_some() {
        let checked = readiness::latest(scope, person.id).await?;
        let drug = person.profile.rate_limiting_drug || checked.is_some_and(|c| c.on == on && c.answers.rate_limiting_drug);
        conditions.insert("heart_rate_drug".into(), Answer::YesNo(drug));
    }
    Ok(())
}

/// Stores a result with everything that follows from it: a retest fulfilled, the audit line.
pub async fn keep(scope: &mut Scope, coach: CoachId, result: &Stored) -> ApiResult<()> {
    results::add(scope, coach, result).await?;
    // A test without a reading leaves its date open: it is still owed.
    if !result.computed.is_empty() {
        retests::fulfil(scope, result.person, &result.protocol_id, result.id, result.on).await?;
    }
    audit::record(scope, coach, "result.kept", ("result", result.id.0), json!({ "protocol": result.protocol_id, "method": result.method }))
        .await?;
    Ok(())
}

/// The values a result computes to; none for a test that ended without a reading.
pub fn values(protocol: &Protocol, result: &Stored) -> ApiResult<BTreeMap<String, f64>> {
    let trial = trial(protocol, result);
    Ok(outcome(&trial)?.map(|o| o.results.into_iter().map(|(q, e)| (q.to_owned(), e.value)).collect()).unwrap_or_default())
}

/// A stored result as the computation takes it.
pub fn trial<'a>(protocol: &'a Protocol, result: &'a Stored) -> Trial<'a> {
    let yes = |key: &str| match result.conditions.get(key) {
        Some(Answer::YesNo(yes)) => Some(*yes),
        _ => None,
    };
    let hr_max_method = match result.conditions.get("hr_max_method") {
        Some(Answer::Text(name)) => HrMaxMethod::named(name),
        _ => None,
    };
    let ceiling = match result.conditions.get("ceiling_bpm") {
        Some(Answer::Number(bpm)) => Bpm::new(*bpm).map_or(CeilingRule::Lower, |bpm| CeilingRule::Chosen { bpm }),
        _ => CeilingRule::Lower,
    };
    let circumstances = Circumstances {
        warm_up: yes("warm_up"),
        heart_rate_drug: yes("heart_rate_drug").unwrap_or(false),
        conditioned: yes("conditioned"),
    };
    Trial { protocol, facts: result.facts.into(), inputs: &result.inputs, options: Options { hr_max_method, ceiling }, circumstances }
}

/// Computes a result; nothing where a reading is missing.
pub fn outcome<'a>(trial: &Trial<'a>) -> ApiResult<Option<Outcome<'a>>> {
    match trial::compute(trial) {
        Ok(outcome) => Ok(Some(outcome)),
        Err(error) if error.code == Code::MissingInput => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// The differences between the practice's own comparable repeats of a quantity.
pub async fn repeats(scope: &mut Scope, protocol: &Protocol, quantity: &str) -> ApiResult<Vec<f64>> {
    let pairs = results::repeat_pairs(scope, &protocol.id, quantity, REPEAT_DAYS).await?;
    Ok(pairs.iter().filter(|(a, b)| change::unlike(protocol, a, b).is_empty()).map(|(a, b)| b.value - a.value).collect())
}

/// The practice's repeats of every quantity of a protocol.
pub async fn all_repeats(scope: &mut Scope, protocol: &Protocol) -> ApiResult<BTreeMap<String, Vec<f64>>> {
    let mut found = BTreeMap::new();
    for scoring in &protocol.scoring {
        found.insert(scoring.quantity.clone(), repeats(scope, protocol, &scoring.quantity).await?);
    }
    Ok(found)
}

/// The report of a stored result.
pub fn report(protocol: &Protocol, result: &Stored, repeats: &BTreeMap<String, Vec<f64>>) -> ApiResult<Option<ResultReport>> {
    let own = |quantity: &str| repeats.get(quantity).cloned().unwrap_or_default();
    let trial = trial(protocol, result);
    Ok(outcome(&trial)?.map(|o| report::report(&trial, &result.conditions, &o, &own)))
}

/// The same person's earlier results of the same test, in the order of `history`.
pub fn earlier<'a>(result: &'a Stored, history: &'a [Stored]) -> impl DoubleEndedIterator<Item = &'a Stored> + Clone {
    let is_earlier = |r: &&Stored| r.protocol_id == result.protocol_id && (r.taken_at, r.id) < (result.taken_at, result.id);
    history.iter().filter(is_earlier)
}

/// How a quantity of a result stands against the same person's earlier ones.
pub fn progress(
    protocol: &Protocol,
    result: &Stored,
    history: &[Stored],
    quantity: &str,
    typical_error: Option<&TypicalError>,
) -> Option<Progress> {
    let now = result.point(quantity)?;
    let earlier: Vec<_> = earlier(result, history).filter_map(|r| r.point(quantity)).collect();
    Some(report::progress(protocol, quantity, &earlier, &now, typical_error))
}

/// The change ladder of a person: each measure from its first comparable test to now, largest change first.
pub async fn ladder(scope: &mut Scope, shelf: &Shelf, history: &[Stored], sex: Option<Sex>) -> ApiResult<Vec<Rung>> {
    let mut rungs = Vec::new();
    for protocol in shelf.all() {
        let of_protocol: Vec<&Stored> = history.iter().filter(|r| r.protocol_id == protocol.id).collect();
        if of_protocol.len() < 2 {
            continue;
        }
        // Only what is followed over time has a change rule.
        for scoring in protocol.scoring.iter().rev().filter(|s| protocol.change_rule(&s.quantity).is_some()) {
            let quantity = &scoring.quantity;
            let points: Vec<_> = of_protocol.iter().filter_map(|r| r.point(quantity)).collect();
            let [.., now] = points.as_slice() else { continue };
            let own = repeats(scope, protocol, quantity).await?;
            let te = TypicalError::best(protocol, quantity, sex, &own);
            let compared = report::progress(protocol, quantity, &points[..points.len() - 1], now, te.as_ref());
            if let Some(change) = compared.since_first.or(compared.since_last) {
                rungs.push(report::rung(protocol, quantity, change));
            }
        }
    }
    rungs.sort_by(|a, b| b.change.steps.unwrap_or(0.0).abs().total_cmp(&a.change.steps.unwrap_or(0.0).abs()));
    Ok(rungs)
}
