//! What a stored result scores, how it compares, and its report.

use std::collections::BTreeMap;

use impulso_core::{
    Code,
    catalogue::Protocol,
    change::Comparison,
    happening::Happening,
    hr_max::{CeilingRule, HrMaxMethod},
    report::{self, Progress, ResultReport, Rung},
    run::event::Answer,
    trial::{self, Circumstances, Options, Outcome, Trial},
    typical_error::{Own, Repeats, TypicalError},
    units::{Bpm, Units},
};
use impulso_store::{
    PersonId, Scope, Store, happenings, practices, repeats,
    results::{self, Stored},
    set_aside, typed_errors,
};

use crate::{ApiResult, shelf::Shelf};

/// Brings a database up to date, or as far as a version: its tables, and then the figures that are kept beside results and were not
/// yet. What cannot be read any more is named and set aside; it stops nobody else.
pub async fn migrate(owner_url: &str, version: Option<i64>) -> ApiResult<()> {
    impulso_store::migrate(owner_url, version).await?;
    if version.is_some() {
        return Ok(());
    }
    let store = Store::connect_lazy(owner_url)?;
    for practice in practices::all(&store).await? {
        let mut scope = store.scope(practice).await?;
        set_aside::look(&mut scope).await?;
        scope.commit().await?;
    }
    for practice in practices::without_repeats(&store).await? {
        let mut scope = store.long_scope(practice).await?;
        recount_repeats(&mut scope).await?;
        scope.commit().await?;
    }
    Ok(())
}

/// A measure's repeats among the results of one person.
pub fn among(protocol: &Protocol, results: &[Stored], quantity: &str) -> Repeats {
    let points: Vec<_> = results.iter().filter_map(|r| r.point(quantity)).collect();
    Repeats::among(protocol, &points)
}

/// Counts a practice's own repeats anew from its results.
pub async fn recount_repeats(scope: &mut Scope) -> ApiResult<()> {
    repeats::clear(scope).await?;
    let shelf = Shelf::of(scope).await?;
    let mut after = None;
    loop {
        let repeated = results::repeated(scope, after.clone(), 500).await?;
        for (person, id) in &repeated {
            let Ok(protocol) = shelf.find(id) else { continue };
            let of_person = results::of_protocol(scope, *person, id).await?;
            for scoring in &protocol.scoring {
                repeats::add(scope, id, &scoring.quantity, among(protocol, &of_person, &scoring.quantity)).await?;
            }
        }
        match repeated.into_iter().last() {
            Some(last) => after = Some(last),
            None => return Ok(()),
        }
    }
}

/// The values a result computes to; none for a test that ended without a reading, was stopped or is void.
pub fn values(protocol: &Protocol, result: &Stored) -> ApiResult<BTreeMap<String, f64>> {
    if result.stopped.is_some() || result.voided {
        return Ok(BTreeMap::new());
    }
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

/// What the practice knows by itself, by protocol and measure.
pub type Known = BTreeMap<String, BTreeMap<String, Own>>;

/// What the practice knows of every measure of these protocols: its own repeats, and what it typed in.
pub async fn known(scope: &mut Scope, protocols: &[&Protocol]) -> ApiResult<Known> {
    let mut known = Known::new();
    if protocols.is_empty() {
        return Ok(known);
    }
    let ids: Vec<String> = protocols.iter().map(|p| p.id.clone()).collect();
    for (protocol, quantity, repeats) in repeats::of_protocols(scope, &ids).await? {
        known.entry(protocol).or_default().entry(quantity).or_default().repeats = repeats;
    }
    for (protocol, quantity, typed) in typed_errors::of_protocols(scope, &ids).await? {
        known.entry(protocol).or_default().entry(quantity).or_default().typed = Some(typed);
    }
    Ok(known)
}

/// The same of one protocol, by measure.
pub async fn own(scope: &mut Scope, protocol: &Protocol) -> ApiResult<BTreeMap<String, Own>> {
    Ok(known(scope, &[protocol]).await?.remove(&protocol.id).unwrap_or_default())
}

/// How much a measure of a result wobbles, by the best that is known; `own`: what the practice knows of the protocol.
pub fn wobble(protocol: &Protocol, result: &Stored, quantity: &str, own: Option<&BTreeMap<String, Own>>) -> Option<TypicalError> {
    let own = own.and_then(|of| of.get(quantity)).cloned().unwrap_or_default();
    TypicalError::best(&trial(protocol, result), quantity, result.computed.get(quantity).copied(), &own)
}

/// What a sentence to a person takes into account.
#[derive(Debug, Clone, Default)]
pub struct Told {
    /// What happened along the way.
    pub noted: Vec<Happening>,
    /// The units it is said in.
    pub units: Units,
}

impl Told {
    /// Words a change for the person.
    pub fn word(&self, change: Comparison) -> Comparison {
        let mut worded = change.told(self.units);
        worded.remember(&self.noted);
        worded
    }
}

/// What happened to a person along the way.
pub async fn noted(scope: &mut Scope, person: PersonId) -> ApiResult<Vec<Happening>> {
    Ok(happenings::of_person(scope, person).await?.into_iter().map(|(_, happening)| happening).collect())
}

/// The report of a stored result.
pub fn report(protocol: &Protocol, result: &Stored, own: &BTreeMap<String, Own>, units: Units) -> ApiResult<Option<ResultReport>> {
    Ok(outcome_and_report(protocol, result, own, units)?.map(|(_, report)| report))
}

/// What a stored result computes to, and its report; nothing for one that is no score.
pub fn outcome_and_report<'a>(
    protocol: &'a Protocol,
    result: &'a Stored,
    own: &BTreeMap<String, Own>,
    units: Units,
) -> ApiResult<Option<(Outcome<'a>, ResultReport)>> {
    if result.stopped.is_some() || result.voided {
        return Ok(None);
    }
    let own = |quantity: &str| own.get(quantity).cloned().unwrap_or_default();
    let trial = trial(protocol, result);
    Ok(outcome(&trial)?.map(|mut o| {
        trial::hold_to_protocol(&mut o, protocol, &result.conditions, &trial.facts);
        let report = report::report(&trial, &result.conditions, &o, &own, units);
        (o, report)
    }))
}

/// The same person's earlier results of the same test, in the order of `history`.
pub fn earlier<'a>(result: &'a Stored, history: &'a [Stored]) -> impl DoubleEndedIterator<Item = &'a Stored> + Clone {
    history.iter().filter(|r| is_earlier(r, result))
}

fn is_earlier(result: &Stored, than: &Stored) -> bool {
    result.protocol_id == than.protocol_id && (result.taken_at, result.id) < (than.taken_at, than.id)
}

/// How a quantity of a result stands against the same person's earlier ones.
pub fn progress<'a>(
    protocol: &Protocol,
    result: &Stored,
    history: impl IntoIterator<Item = &'a Stored>,
    quantity: &str,
    typical_error: Option<&TypicalError>,
    told: &Told,
) -> Option<Progress> {
    let now = result.point(quantity)?;
    let earlier: Vec<_> = history.into_iter().filter(|r| is_earlier(r, result)).filter_map(|r| r.point(quantity)).collect();
    let Progress { since_last, since_first, .. } = report::progress(protocol, quantity, &earlier, &now, typical_error);
    Some(Progress { since_last: since_last.map(|c| told.word(c)), since_first: since_first.map(|c| told.word(c)) })
}

/// The change ladder of a person: each measure from its first comparable test to now, largest change first.
pub async fn ladder(scope: &mut Scope, shelf: &Shelf, history: &[Stored], told: &Told) -> ApiResult<Vec<Rung>> {
    let of = |protocol: &Protocol| history.iter().filter(|r| r.protocol_id == protocol.id).collect::<Vec<_>>();
    let repeated: Vec<&Protocol> = shelf.all().filter(|p| of(p).len() > 1).collect();
    let known = known(scope, &repeated).await?;
    let mut rungs = Vec::new();
    for protocol in repeated {
        let of_protocol = of(protocol);
        // Only what is followed over time has a change rule.
        for scoring in protocol.scoring.iter().rev().filter(|s| protocol.change_rule(&s.quantity).is_some()) {
            let quantity = &scoring.quantity;
            let points: Vec<_> = of_protocol.iter().filter_map(|r| r.point(quantity)).collect();
            let [.., now] = points.as_slice() else { continue };
            let Some(latest) = of_protocol.iter().rev().find(|r| r.computed.contains_key(quantity)) else { continue };
            let te = wobble(protocol, latest, quantity, known.get(&protocol.id));
            let compared = report::progress(protocol, quantity, &points[..points.len() - 1], now, te.as_ref());
            if let Some(change) = compared.since_first.or(compared.since_last) {
                rungs.push(report::rung(protocol, quantity, told.word(change)));
            }
        }
    }
    rungs.sort_by(|a, b| b.change.steps.unwrap_or(0.0).abs().total_cmp(&a.change.steps.unwrap_or(0.0).abs()));
    Ok(rungs)
}
