//! The demo practice: Tidewater Hall, an assessment studio in an invented canal town. Everybody in it is made up.
//!
//! Two years of history are laid out relative to today: gains, a plateau, an illness that shows, an unlike bench, a
//! missed retest, a test stopped early. The course of each client is written down in [`cast`]; only the hour of each
//! test is drawn, from a fixed seed.

mod cast;
mod drawn;
mod ride;
mod squads;

use std::collections::BTreeMap;

use chrono::{DateTime, Days, NaiveDate, NaiveTime, TimeDelta, Utc};
use impulso_core::{
    Code, InputError, battery,
    catalogue::{self, Condition, ConditionKind, Protocol},
    goal::Goal,
    inputs::StageInput,
    life_event::LifeEvent,
    person::{Facts, Sex},
    plan::RetestRule,
    readiness::{Answers, advise},
    run::{
        Setup,
        event::{Answer, Conditions},
    },
    test_record::Inputs,
    units::{Age, BodyMass, Height, Units},
    visit::VisitEvent,
};
use impulso_store::{
    CoachId, PersonId, ResultId, Scope, Store,
    accounts::{self, NewCoach, NewPractice},
    goals, life_events,
    people::{self, Profile},
    photos::{self, Photo},
    readiness,
    results::{Done, Stop, Stored},
    retests,
    visits::{self, Visit},
};
use rand::{RngExt, SeedableRng, rngs::StdRng};
use serde_json::json;
use uuid::Uuid;

use crate::{
    ApiError, ApiResult, passwords,
    recording::{self, Correction},
};
use cast::{Aim, CAST, Client, Oddity, Plan, Test};

/// The demo coach's address.
pub const EMAIL: &str = "runa@tidewater.example";
/// The demo coach's password, shown on the sign-in page.
pub const PASSWORD: &str = "tidewater demo";

/// Draws the hour of each test.
const SEED: u64 = 0x71DE;

/// Loads the demo, once. Returns whether it was loaded now.
///
/// # Errors
/// When the database cannot be reached.
pub async fn load(store: &Store, now: DateTime<Utc>) -> ApiResult<bool> {
    if accounts::demo_email(store).await?.is_some() {
        return Ok(false);
    }
    let coach = NewCoach { name: "Runa Okafor-Lindt".into(), email: EMAIL.into(), password_hash: passwords::hash(PASSWORD.into()).await? };
    let practice = NewPractice { name: "Tidewater Hall".into(), time_zone: "UTC".into(), is_demo: true, coach };
    let (practice, coach) = accounts::found(store, &practice).await?;
    let mut scope = store.scope(practice).await?;
    let second = NewCoach {
        name: "Piet Hallam".into(),
        email: "piet@tidewater.example".into(),
        password_hash: passwords::hash(PASSWORD.into()).await?,
    };
    accounts::add_coach(&mut scope, &second).await?;
    let mut hours = StdRng::seed_from_u64(SEED);
    let mut squad = Vec::new();
    for client in CAST {
        let person = move_in(&mut scope, coach, client, now, &mut hours, false).await?;
        if client.occupation.starts_with("sabre squad") {
            squad.push((person, if client.occupation.ends_with("juniors") { "juniors" } else { "seniors" }));
        }
    }
    squads::move_in(&mut scope, coach, now, squad).await?;
    scope.commit().await?;
    Ok(true)
}

/// Moves the made-up clients into a practice. Returns how many they are.
///
/// # Errors
/// When the database cannot be reached.
pub async fn move_all_in(scope: &mut Scope, coach: CoachId, now: DateTime<Utc>) -> ApiResult<usize> {
    let mut hours = StdRng::seed_from_u64(SEED);
    for client in CAST {
        move_in(scope, coach, client, now, &mut hours, true).await?;
    }
    Ok(CAST.len())
}

async fn move_in(
    scope: &mut Scope,
    coach: CoachId,
    client: &Client,
    now: DateTime<Utc>,
    hours: &mut StdRng,
    made_up: bool,
) -> ApiResult<PersonId> {
    let today = now.date_naive();
    let id = PersonId::new();
    people::add(scope, id, &profile(client, today)?).await?;
    if made_up {
        people::mark_made_up(scope, id).await?;
    }
    for plan in client.plan.iter().chain(&client.again) {
        plan_ahead(scope, coach, id, plan, today).await?;
    }
    for (kind, from, until, words) in client.happened {
        let day = |ago: u64| today - Days::new(ago);
        let noted =
            LifeEvent { kind: *kind, from_on: day(*from), until_on: (*until > 0).then(|| day(*until)), words: Some((*words).into()) };
        life_events::add(scope, id, Uuid::now_v7(), &noted).await?;
    }
    let mut kept = Vec::new();
    for test in client.tests {
        let taken_at = moment(today, test.days_ago, hours).min(now - TimeDelta::hours(1));
        let result = result(client, id, test, taken_at)?;
        recording::keep(scope, coach, &result).await?;
        if let Some(to) = test.corrected {
            put_right(scope, coach, &result, to).await?;
        }
        kept.push(result);
    }
    for aim in client.goals {
        set_goal(scope, coach, id, aim, today, &kept).await?;
    }
    for (days_ago, girth) in client.photos {
        let on = today - Days::new(*days_ago);
        for view in ["front", "back"] {
            let photo = Photo { id: Uuid::now_v7(), on, view: view.into(), width: 480, height: 640 };
            if let Some(jpeg) = drawn::figure(*girth) {
                photos::keep(scope, coach, id, &photo, &jpeg).await?;
            }
        }
    }
    for (battery, days_ago) in client.visits {
        visit(scope, coach, id, battery, today - Days::new(*days_ago), &kept).await?;
    }
    if let Some(last) = client.tests.last() {
        let answers = Answers { regularly_active: client.active, rate_limiting_drug: client.drug, ..Answers::default() };
        readiness::add(scope, coach, id, &answers, &advise(&answers), None, today - Days::new(last.days_ago)).await?;
    }
    Ok(id)
}

/// A slip that was found afterwards: what stood before stays as a version.
async fn put_right(scope: &mut Scope, coach: CoachId, result: &Stored, (sheet, why): (&str, &str)) -> ApiResult<()> {
    let wrong = |e: serde_json::Error| InputError::whole(Code::BadJson, e.to_string());
    let inputs: serde_json::Value = serde_json::from_str(sheet).map_err(wrong)?;
    let typed = json!({ "on": result.on, "inputs": inputs, "conditions": result.conditions, "keep_mass": true });
    let typed = serde_json::from_value(typed).map_err(wrong)?;
    recording::correct(scope, coach, result.key(), Uuid::now_v7(), 0, why, Correction::Corrected(Box::new(typed))).await
}

/// A goal of the past, reached on the first day on which it was.
async fn set_goal(scope: &mut Scope, coach: CoachId, person: PersonId, aim: &Aim, today: NaiveDate, kept: &[Stored]) -> ApiResult<()> {
    let mut goal = Goal {
        protocol: aim.protocol.into(),
        quantity: aim.quantity.into(),
        from: aim.from_to.0,
        from_on: today - Days::new(aim.set),
        to: aim.from_to.1,
        by: today + TimeDelta::days(aim.by),
        milestones: Vec::new(),
        process: Some(aim.process.into()),
        reached_on: None,
    };
    let meets =
        |r: &&Stored| r.protocol_id == goal.protocol && r.on >= goal.from_on && r.value(&goal.quantity).is_some_and(|v| goal.is_met_by(v));
    goal.reached_on = kept.iter().find(meets).map(|r| r.on);
    goals::add(scope, coach, person, Uuid::now_v7(), &goal).await?;
    Ok(())
}

/// A visit of the past: what was done on that day, in the battery's order.
async fn visit(scope: &mut Scope, coach: CoachId, person: PersonId, id: &str, on: NaiveDate, kept: &[Stored]) -> ApiResult<()> {
    let battery = battery::find(id)?.clone();
    let visit = Visit {
        id: Uuid::now_v7(),
        person,
        battery,
        conditions: Conditions::new(),
        on,
        created_at: on.and_time(NaiveTime::MIN).and_utc(),
        closed_at: None,
    };
    visits::create(scope, coach, &visit).await?;
    for (place, test) in visit.battery.tests.iter().enumerate() {
        if let Some(result) = kept.iter().find(|r| r.on == on && r.protocol_id == test.protocol) {
            visits::append(scope, visit.id, Uuid::now_v7(), &VisitEvent::Done { place, result: result.id }).await?;
        }
    }
    visits::append(scope, visit.id, Uuid::now_v7(), &VisitEvent::Closed).await?;
    Ok(())
}

fn profile(client: &Client, today: NaiveDate) -> ApiResult<Profile> {
    let text = |t: &str| (!t.is_empty()).then(|| t.to_owned());
    // A birthday some months back, a different one for each.
    let born =
        today - chrono::Months::new(client.age * 12 + 1 + (client.name.len() as u32 % 10)) - Days::new(client.goal.len() as u64 % 27);
    Ok(Profile {
        name: client.name.into(),
        born,
        sex: client.sex,
        units: if client.imperial { Units::Imperial } else { Units::Metric },
        height: Some((Height::parse_entry(client.height, client.imperial)?, client.height.into())),
        mass: Some((BodyMass::parse_entry(client.mass, client.imperial)?, client.mass.into())),
        occupation: text(client.occupation),
        goal: text(client.goal),
        medicines: text(client.medicines),
        rate_limiting_drug: client.drug,
        notes: text(client.notes),
    })
}

async fn plan_ahead(scope: &mut Scope, coach: CoachId, person: PersonId, plan: &Plan, today: NaiveDate) -> ApiResult<()> {
    let day = |offset: i64| today + TimeDelta::days(offset);
    let dates: Vec<NaiveDate> = plan.due.iter().map(|d| day(*d)).collect();
    let from = dates.first().copied().unwrap_or(today) - Days::new(30);
    retests::keep(scope, coach, person, plan.protocol, &RetestRule::EveryWeeks { weeks: plan.weeks }, from, &dates).await?;
    if let Some((offset, reason)) = plan.skipped {
        let due = |r: &retests::Retest| r.planned.due_on == day(offset);
        for retest in retests::open_of(scope, person).await?.into_iter().filter(due) {
            retests::skip(scope, retest.id, reason).await?;
        }
    }
    Ok(())
}

fn moment(today: NaiveDate, days_ago: u64, hours: &mut StdRng) -> DateTime<Utc> {
    let minutes = 5 * hours.random_range(0..36i64);
    (today - Days::new(days_ago)).and_time(NaiveTime::MIN).and_utc() + TimeDelta::minutes(7 * 60 + minutes)
}

fn result(client: &Client, person: PersonId, test: &Test, taken_at: DateTime<Utc>) -> ApiResult<Stored> {
    let protocol = catalogue::find(test.protocol)?;
    let has = |oddity: Oddity| test.oddity == Some(oddity);
    let expected = protocol.condition("bench_cm").and_then(|c| c.expected).unwrap_or(41.3);
    let bench = if has(Oddity::LowBench) { 36.0 } else { expected };
    let stopped = has(Oddity::StoppedWithCramp).then(|| Stop {
        at_s: 112.0,
        reason: Some(impulso_core::run::StopReason::Symptoms),
        note: Some("Cramp in the left calf; sat down, eased within two minutes.".into()),
    });
    let beat = protocol.cadence.as_ref().and_then(|c| c.for_sex(client.sex)).unwrap_or(96.0);
    let mut conditions = Conditions::from([
        ("bench_cm".into(), Answer::Number(bench)),
        ("warm_up".into(), Answer::YesNo(!has(Oddity::NoWarmUp))),
        ("pulse_site".into(), Answer::Text("wrist".into())),
        ("place".into(), Answer::Text("Tidewater Hall, ground floor".into())),
        ("cadence".into(), Answer::Number(beat)),
        ("heart_rate_drug".into(), Answer::YesNo(client.drug && test.days_ago < 120)),
    ]);
    let mut inputs: Inputs = test.readings.iter().copied().collect();
    inputs.stages =
        test.stages.iter().map(|(load, two, three)| StageInput { load_kgm_min: *load, readings: vec![(2, *two), (3, *three)] }).collect();
    if !test.sheet.is_empty() {
        inputs = serde_json::from_str(test.sheet).map_err(|e| InputError::whole(Code::BadJson, e.to_string()))?;
    }
    if let Some(ride) = &test.ride {
        inputs = ride::recorded(protocol, ride, client.age);
    }
    if !inputs.is_empty() {
        let setup = Setup {
            conditions: {
                let said = test.said.iter().map(|(key, words)| ((*key).to_owned(), Answer::Text((*words).into())));
                usual(protocol, client.sex).into_iter().chain(said).collect()
            },
            cadence: impulso_core::units::Cadence::new(beat).ok(),
            ..on_the_day(client, test)?
        };
        conditions = setup.recorded(protocol);
        setup.fill(protocol, &mut inputs);
    } else if stopped.is_none() {
        conditions.insert("count_delay_s".into(), Answer::Number(5.0));
        if let Some(count) = protocol.count() {
            inputs.insert(count.input.clone(), test.count);
        }
        if protocol.input("pulse_window_s").is_some() {
            inputs.insert("pulse_window_s", protocol.count().map_or(15.0, |c| f64::from(c.window_s)));
        }
        if protocol.input("bench_cm").is_some() {
            inputs.insert("bench_cm", bench);
        }
    }
    stored(person, protocol, taken_at, inputs, conditions, facts_on(client, test)?, stopped)
}

/// A result as it would have been typed, with its scores.
fn stored(
    person: PersonId,
    protocol: &Protocol,
    taken_at: DateTime<Utc>,
    inputs: Inputs,
    conditions: Conditions,
    facts: Facts,
    stopped: Option<Stop>,
) -> ApiResult<Stored> {
    let mut done = Done {
        id: ResultId::new().0,
        protocol_id: protocol.id.clone(),
        method: protocol.method_version(),
        on: taken_at.date_naive(),
        taken_at,
        inputs,
        conditions,
        facts,
        stopped,
        voided: false,
        remarks: Vec::new(),
        computed: BTreeMap::new(),
    };
    done.computed = done.scores(protocol)?;
    Ok(Stored { person, run: None, done })
}

/// A set-up as it always is at Tidewater Hall.
fn usual(protocol: &Protocol, sex: Option<Sex>) -> Conditions {
    let answer = |c: &Condition| match c.kind {
        ConditionKind::YesNo => Some(Answer::YesNo(c.must_hold)),
        ConditionKind::Number => c.expected_for(sex).map(Answer::Number),
        ConditionKind::Choice => c.choices.first().map(|(key, _)| Answer::Text(key.clone())),
        ConditionKind::Text => None,
    };
    protocol.conditions.iter().filter(|c| !c.recorded_by_run).filter_map(|c| Some((c.key.clone(), answer(c)?))).collect()
}

fn on_the_day(client: &Client, test: &Test) -> ApiResult<Setup> {
    Ok(Setup::of(&facts_on(client, test)?))
}

/// The facts as they were on the day: the age counts back from today's.
fn facts_on(client: &Client, test: &Test) -> Result<Facts, ApiError> {
    let years_back = (test.days_ago / 365) as u32;
    Ok(Facts {
        sex: client.sex,
        age: Some(Age::new(f64::from(client.age - years_back))?),
        mass: Some(BodyMass::parse_entry(client.mass, client.imperial)?),
        mass_on: None,
        height: Some(Height::parse_entry(client.height, client.imperial)?),
        resting_hr: None,
        hr_max: None,
    })
}
