//! The one service that records a result, by whichever way it came in: the floor, paper, or a correction. It builds the result,
//! scores it, stores it, and lets everything that hangs on it follow: repeats, dates, goals, the visit, the activity log.

mod correct;
mod keep;
mod reread;

use std::collections::BTreeMap;

use chrono::{DateTime, NaiveDate, NaiveTime, TimeDelta, Utc};
use impulso_core::{
    Code, InputError,
    catalogue::Protocol,
    done::Done,
    hr_max::{CeilingRule, HrMaxMethod},
    inputs::{Inputs, StageInput, Value},
    person::{self, Facts, Weighed},
    run::{
        Setup, State, Status,
        event::{Answer, Conditions},
    },
    test_record, text,
    units::{BodyMass, Cadence},
};
use impulso_store::{
    CoachId, PersonId, ResultId, Scope,
    people::{self, Person},
    practices, readiness,
    results::{self, Stored},
    runs::{Performer, Run},
};
use serde::{Deserialize, Deserializer, de::Error as _};
use utoipa::ToSchema;

use crate::{ApiResult, auth, visiting};

pub use self::{
    correct::{Correction, correct},
    keep::{keep, keep_all, reach_goals},
    reread::reread,
};

/// A test as somebody types it.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Typed {
    /// The day it was done.
    pub on: NaiveDate,
    /// The hour of that day in the practice's time zone, `HH:MM`; after what else was done that day where nothing is said.
    #[serde(default)]
    #[schema(value_type = Option<String>)]
    pub at: Option<String>,
    /// Readings by key: a number, yes or no, a choice's key, a list of tries, an object of sides.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, serde_json::Value>)]
    pub inputs: BTreeMap<String, Value>,
    /// The stages of a staged test, in order.
    #[serde(default)]
    pub stages: Vec<StageForm>,
    /// The recording of a ride as CSV: `time_s,power_w,hr_bpm,cadence_rpm`. A correction without one keeps the recording.
    pub series_csv: Option<String>,
    /// The circumstances.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
    /// How the maximal heart rate is predicted.
    pub hr_max_method: Option<HrMaxMethod>,
    /// Which ceiling bounds the stages that count.
    pub ceiling: Option<CeilingRule>,
    /// Resting heart rate on the day.
    pub resting_hr: Option<f64>,
    /// A measured maximal heart rate.
    pub hr_max: Option<f64>,
    /// The body mass, where the one on record is old.
    #[serde(flatten)]
    pub weighed: Weighed,
    /// Anything worth adding; a correction without one keeps what was remarked.
    pub remark: Option<String>,
}

/// Whether a mass that a test rests on was measured so long before or after a day that it is asked for again.
pub async fn is_old(scope: &mut Scope, protocol: &Protocol, facts: &Facts, on: NaiveDate) -> ApiResult<bool> {
    Ok(protocol.asks_for_mass() && facts.mass_is_old(on, practices::get(scope).await?.mass_weeks.unsigned_abs()))
}

/// A stage as it is typed.
#[derive(Debug, Deserialize, ToSchema)]
pub struct StageForm {
    pub load_kgm_min: f64,
    /// Heart rates, bpm, by minute of the stage.
    #[serde(deserialize_with = "by_minute")]
    pub heart_rates: BTreeMap<u8, f64>,
}

/// Minutes are words as keys of an object, and stay words where the object is part of a form.
fn by_minute<'de, D: Deserializer<'de>>(from: D) -> Result<BTreeMap<u8, f64>, D::Error> {
    let minute = |(minute, bpm): (String, f64)| match minute.parse() {
        Ok(minute) => Ok((minute, bpm)),
        Err(_) => Err(D::Error::custom(format!("“{minute}” is no minute"))),
    };
    BTreeMap::<String, f64>::deserialize(from)?.into_iter().map(minute).collect()
}

/// The performers of a run, each with their state: in one order whoever keeps their results, so that two stations of a group never wait
/// for each other.
pub fn each_in_order<'r>(run: &'r Run, states: &'r [State]) -> Vec<(&'r Performer, &'r State)> {
    let mut each: Vec<_> = run.performers.iter().zip(states).collect();
    each.sort_by_key(|(performer, _)| performer.person.map(|p| p.0));
    each
}

/// Whether a state stands for a result: not one that was left before the clock was started, thrown away, or rehearsed.
fn is_kept(run: &Run, state: &State) -> bool {
    run.rehearsal.is_none() && state.is_closed() && state.status != Status::Discarded && state.started_at.is_some()
}

/// Keeps the result that a performer's state stands for, where there is one, in the same transaction as the events; their place in a visit
/// is done, or still to come.
pub async fn close(scope: &mut Scope, coach: CoachId, run: &Run, performer: &Performer, state: &State) -> ApiResult<()> {
    let Some(person) = performer.person.filter(|_| is_kept(run, state)) else {
        return visiting::run_closed(scope, run, performer, None).await;
    };
    let result = of_run(scope, run, person, &performer.setup, state, ResultId::new()).await?;
    keep(scope, coach, &result).await?;
    visiting::run_closed(scope, run, performer, (state.status == Status::Finished).then_some(result.key())).await
}

/// The result that a performer's state stands for.
async fn of_run(scope: &mut Scope, run: &Run, person: PersonId, setup: &Setup, state: &State, id: ResultId) -> ApiResult<Stored> {
    let taken_at = state.started_at.unwrap_or(run.created_at);
    let on = auth::day_of(scope, taken_at).await?;
    let profile = people::get(scope, person).await?;
    // The mass and the heart rates of the day, as the decisions used them.
    let recorded = profile.facts_on(on)?;
    let as_recorded = setup.mass.is_none() || setup.mass == recorded.mass;
    let mass_on = if as_recorded { recorded.mass_on } else { Some(on) };
    let facts = Facts { mass: setup.mass.or(recorded.mass), mass_on, resting_hr: setup.resting_hr, hr_max: setup.hr_max, ..recorded };
    let mut done = state.done(&run.protocol, setup, id.0, on, taken_at, facts);
    // What is remarked of a class may name others: it stays with the run.
    if run.performers.len() > 1 {
        done.remarks.clear();
    }
    note_drug(scope, &run.protocol, &profile, on, &mut done.conditions).await?;
    Ok(Stored { person, run: Some(run.id), done: scored(&run.protocol, done)? })
}

/// Builds the result of a test that was typed, and scores it. `was`: the result it puts right.
///
/// # Errors
/// What is missing or impossible, naming the field.
pub async fn build(
    scope: &mut Scope,
    protocol: &Protocol,
    person: &Person,
    id: ResultId,
    typed: Typed,
    was: Option<&Stored>,
) -> ApiResult<Stored> {
    let on = person::day(typed.on, "on")?;
    if on > auth::today(scope).await? {
        return Err(InputError::new(Code::OutOfRange, "on", "That day is in the future. Type the day the test was done.").into());
    }
    // The mass of the day stays with a test that stays on its day.
    let recorded = match was.filter(|w| w.on == on) {
        Some(was) => was.facts,
        None => person.facts_on(on)?,
    };
    let facts = recorded.with_rates(typed.resting_hr, typed.hr_max)?;
    let facts = match was.filter(|w| w.on == on) {
        Some(_) => facts,
        None => weigh(scope, protocol, person, on, facts, &typed.weighed).await?,
    };
    let facts = facts.as_measured_by(protocol);
    let setup = Setup {
        cadence: protocol.cadence.as_ref().and_then(|c| c.for_sex(facts.sex).or(c.any).or(c.male)).and_then(|c| Cadence::new(c).ok()),
        conditions: typed.conditions,
        hr_max_method: typed.hr_max_method,
        ceiling: typed.ceiling.unwrap_or_default(),
        ..Setup::of(&facts)
    };
    setup.check(protocol)?;
    let mut inputs: Inputs = typed.inputs.into_iter().collect();
    inputs.stages = typed
        .stages
        .into_iter()
        .map(|s| StageInput { load_kgm_min: s.load_kgm_min, readings: s.heart_rates.into_iter().collect() })
        .collect();
    inputs.series = match (&typed.series_csv, was) {
        (Some(csv), _) => impulso_formats::ride::parse(csv)?,
        (None, Some(was)) => was.inputs.series.clone(),
        (None, None) => Vec::new(),
    };
    setup.fill(protocol, &mut inputs);
    setup.check_with(protocol, &inputs)?;
    if let Some(wrong) = test_record::above_maximum(protocol, &inputs, &facts) {
        return Err(wrong.into());
    }
    // What the run recorded by itself stays with it.
    let by_run = |key: &str| protocol.condition(key).is_none_or(|c| c.recorded_by_run);
    let mut conditions: Conditions =
        was.map(|w| w.conditions.iter().filter(|(key, _)| by_run(key)).map(|(k, a)| (k.clone(), a.clone())).collect()).unwrap_or_default();
    let ran_at = conditions.get("cadence").cloned();
    conditions.extend(setup.recorded(protocol));
    conditions.extend(ran_at.map(|beat| ("cadence".to_owned(), beat)));
    if let Some(load) = inputs.get("load_kgm_min").filter(|_| protocol.condition("load_kgm_min").is_some()) {
        conditions.insert("load_kgm_min".into(), Answer::Number(load));
    }
    note_drug(scope, protocol, person, on, &mut conditions).await?;
    let taken_at = match (&typed.at, was.filter(|w| w.on == on)) {
        (Some(hour), _) => moment(scope, on, hour).await?,
        (None, Some(was)) => was.taken_at,
        (None, None) => last_of_day(scope, person.id, on).await?,
    };
    let remarks = match typed.remark {
        Some(remark) => text::note(&remark, "remark")?.into_iter().collect(),
        None => was.map(|w| w.remarks.clone()).unwrap_or_default(),
    };
    let done = Done {
        id: id.0,
        protocol_id: protocol.id.clone(),
        method: protocol.method_version(),
        on,
        taken_at,
        inputs,
        conditions,
        facts,
        stopped: None,
        voided: false,
        remarks,
        computed: BTreeMap::new(),
    };
    if let Some(schedule) = protocol.schedule() {
        schedule.check(&done.inputs)?;
    }
    // Typed by hand: what is missing is asked for, not kept as an empty result; nor is what no human can have.
    let outcome = test_record::compute(&done.record(protocol))?;
    if let Some((_, impossible)) = outcome.refused.iter().find(|(_, e)| e.code == Code::OutOfRange) {
        return Err(impossible.clone().into());
    }
    Ok(Stored { person: person.id, run: was.and_then(|w| w.run), done: scored(protocol, done)? })
}

/// A test with its scores.
fn scored(protocol: &Protocol, done: Done) -> Result<Done, InputError> {
    Ok(Done { computed: done.scores(protocol)?, ..done })
}

/// The person as a test takes them, with what is said of an old body mass. What was weighed is written into the record.
///
/// # Errors
/// As [`Weighed::mass`].
pub async fn weigh(
    scope: &mut Scope,
    protocol: &Protocol,
    person: &Person,
    on: NaiveDate,
    facts: Facts,
    weighed: &Weighed,
) -> ApiResult<Facts> {
    let weeks = practices::get(scope).await?.mass_weeks.unsigned_abs();
    let Some(mass) = weighed.mass(protocol, &facts, on, person.profile.units, weeks)? else { return Ok(facts) };
    has_weighed(scope, person, on, mass).await?;
    Ok(Facts { mass: Some(mass), mass_on: Some(on), ..facts })
}

/// Writes a body mass into the record, unless a later one is there.
pub async fn has_weighed(scope: &mut Scope, person: &Person, on: NaiveDate, mass: BodyMass) -> ApiResult<()> {
    if person.mass_on.is_none_or(|day| day <= on) {
        people::measured(scope, person.id, on, Some(mass.value()), None).await?;
    }
    Ok(())
}

/// A moment of a day of the practice.
pub async fn moment(scope: &mut Scope, on: NaiveDate, hour: &str) -> ApiResult<DateTime<Utc>> {
    let Ok(time) = NaiveTime::parse_from_str(hour, "%H:%M") else {
        return Err(InputError::new(Code::BadValue, "at", format!("“{hour}” isn’t a time. Type it as 9:30 or 14:05.")).into());
    };
    let (midnight, _) = auth::day_bounds(scope, on).await?;
    Ok((midnight + (time - NaiveTime::MIN)).min(Utc::now()))
}

/// When a test was done of which only the day is known: now, where it is today; else at noon, or after what else was done that day.
async fn last_of_day(scope: &mut Scope, person: PersonId, on: NaiveDate) -> ApiResult<DateTime<Utc>> {
    let (from, until) = auth::day_bounds(scope, on).await?;
    if (from..until).contains(&Utc::now()) {
        return Ok(Utc::now());
    }
    let of_day = results::of_person(scope, person).await?;
    let last = of_day.iter().filter(|r| r.on == on).map(|r| r.taken_at).max();
    let noon = from + TimeDelta::hours(12);
    Ok(last.map_or(noon, |last| noon.max(last + TimeDelta::seconds(1))).min(until - TimeDelta::seconds(1)).max(from))
}

/// Writes into the conditions whether a medicine limited the heart rate on that day, where the protocol asks.
async fn note_drug(scope: &mut Scope, protocol: &Protocol, person: &Person, on: NaiveDate, conditions: &mut Conditions) -> ApiResult<()> {
    if protocol.condition("heart_rate_drug").is_some() {
        let checked = readiness::latest(scope, person.id).await?;
        let drug = person.profile.rate_limiting_drug || checked.is_some_and(|c| c.on == on && c.answers.rate_limiting_drug);
        conditions.insert("heart_rate_drug".into(), Answer::YesNo(drug));
    }
    Ok(())
}
