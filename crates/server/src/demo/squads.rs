//! A squad of fourteen with three sessions, one of them with somebody who was absent, and a class of twelve. All made up.

use chrono::{DateTime, Days, NaiveDate, TimeDelta, Utc};
use impulso_core::{
    Code, InputError,
    battery::{self, Battery, Slot},
    catalogue,
    group_visit::Presence,
    person::{Facts, Sex},
    readiness::{Answers, advise},
    run::{
        Setup,
        event::{Answer, Conditions},
    },
    squad::GroupMark,
    test_record::Inputs,
    units::{Age, BodyMass, Height, Units},
    visit::VisitEvent,
};
use impulso_store::{
    CoachId, PersonId, Scope, group_marks,
    group_visits::{self, GroupVisit},
    groups,
    people::{self, Profile},
    readiness,
    results::Stored,
    visits::{self, Visit},
};
use serde_json::{Value, json};
use uuid::Uuid;

use super::{stored, usual};
use crate::{ApiResult, recording};

/// Somebody of a squad or a class.
struct Mate {
    name: &'static str,
    sex: Sex,
    age: u32,
    kg: f64,
    cm: f64,
    playing_group: &'static str,
    /// How high they jump, cm, and how many push-ups they do in a minute, at the first session.
    jump: f64,
    push_ups: f64,
    /// What a session brings, as a share.
    gain: f64,
}

const fn mate(
    name: &'static str,
    sex: Sex,
    (age, kg, cm): (u32, f64, f64),
    playing_group: &'static str,
    (jump, push_ups, gain): (f64, f64, f64),
) -> Mate {
    Mate { name, sex, age, kg, cm, playing_group, jump, push_ups, gain }
}

use Sex::{Female, Male};

/// Ten who fence with the four of the demo's clients.
const SQUAD: [Mate; 10] = [
    mate("Aslak Venn", Male, (22, 78.0, 184.0), "seniors", (46.0, 34.0, 0.04)),
    mate("Brita Holm-Ness", Female, (20, 61.0, 170.0), "seniors", (34.0, 22.0, 0.05)),
    mate("Caspar Lode", Male, (24, 82.0, 186.0), "seniors", (44.0, 31.0, 0.0)),
    mate("Dagny Moor", Female, (19, 58.0, 167.0), "juniors", (31.0, 18.0, 0.08)),
    mate("Emil Strand", Male, (17, 69.0, 179.0), "juniors", (40.0, 25.0, 0.09)),
    mate("Frida Askvik", Female, (23, 64.0, 172.0), "seniors", (36.0, 26.0, 0.02)),
    mate("Gorm Tveit", Male, (18, 73.0, 181.0), "juniors", (42.0, 29.0, 0.06)),
    mate("Hedda Quill", Female, (21, 60.0, 168.0), "seniors", (33.0, 20.0, 0.03)),
    mate("Ivar Sund", Male, (25, 80.0, 183.0), "seniors", (48.0, 38.0, -0.03)),
    mate("Jorunn Vik", Female, (17, 56.0, 165.0), "juniors", (30.0, 16.0, 0.07)),
];

/// The class: pupils of the canal school.
const CLASS: [Mate; 12] = [
    mate("Ada Birch", Female, (14, 49.0, 160.0), "", (26.0, 11.0, 0.0)),
    mate("Ben Carrow", Male, (15, 58.0, 172.0), "", (33.0, 18.0, 0.0)),
    mate("Cleo Dunmore", Female, (14, 52.0, 163.0), "", (27.0, 10.0, 0.0)),
    mate("Dov Elster", Male, (14, 51.0, 165.0), "", (30.0, 15.0, 0.0)),
    mate("Esme Farrow", Female, (15, 54.0, 166.0), "", (29.0, 13.0, 0.0)),
    mate("Finn Garrick", Male, (15, 61.0, 175.0), "", (35.0, 21.0, 0.0)),
    mate("Greta Hale", Female, (14, 47.0, 158.0), "", (25.0, 8.0, 0.0)),
    mate("Hugo Inman", Male, (14, 55.0, 168.0), "", (31.0, 16.0, 0.0)),
    mate("Isla Jarrow", Female, (15, 56.0, 167.0), "", (28.0, 12.0, 0.0)),
    mate("Jonas Keel", Male, (15, 63.0, 177.0), "", (36.0, 23.0, 0.0)),
    mate("Kaya Lorne", Female, (14, 50.0, 161.0), "", (26.0, 9.0, 0.0)),
    mate("Leo Marsh", Male, (14, 53.0, 166.0), "", (30.0, 14.0, 0.0)),
];

/// Moves the squad and the class in. `four`: the fencers who are clients of the demo already, each with a playing group.
pub async fn move_in(scope: &mut Scope, coach: CoachId, now: DateTime<Utc>, four: Vec<(PersonId, &str)>) -> ApiResult<()> {
    let today = now.date_naive();
    let group = Uuid::now_v7();
    groups::put(scope, coach, group, "Sabre squad").await?;
    for (k, (person, playing_group)) in four.iter().enumerate() {
        let number = u16::try_from(3 * k + 2).ok();
        groups::join(scope, group, Uuid::now_v7(), *person, today - Days::new(400), Some(playing_group), number).await?;
    }
    let squad = join_all(scope, group, &SQUAD, today, 14).await?;
    let battery = squad_day()?;
    visits::keep_battery(scope, coach, &battery).await?;
    for (playing_group, good, acceptable) in [("seniors", 45.0, 39.0), ("juniors", 40.0, 33.0)] {
        let mark = GroupMark {
            protocol: "vertical-jump".into(),
            quantity: "height_cm".into(),
            good,
            acceptable: Some(acceptable),
            playing_group: Some(playing_group.into()),
            sex: None,
            age_from: None,
            age_to: None,
        };
        group_marks::set(scope, group, Uuid::now_v7(), &mark).await?;
    }
    for (session, days_ago) in [189, 98, 7].into_iter().enumerate() {
        let on = today - Days::new(days_ago);
        let here = |k: usize| session != 2 || k != 7;
        let visit = session_of(scope, coach, group, &battery, on, &squad, session, &here).await?;
        for (person, _) in &four {
            let (presence, why) =
                if session == 2 { (Presence::Absent, None) } else { (Presence::NotTesting, Some("away at a tournament")) };
            group_visits::call(scope, visit, *person, presence, why).await?;
        }
    }
    let group = Uuid::now_v7();
    groups::put(scope, coach, group, "Canal school, class 9").await?;
    let class = join_all(scope, group, &CLASS, today, 1).await?;
    let lesson = battery::find("class")?.clone();
    session_of(scope, coach, group, &lesson, today - Days::new(21), &class, 0, &|k| k != 4).await?;
    Ok(())
}

/// What the squad does on its day.
fn squad_day() -> ApiResult<Battery> {
    let given = |pairs: &[(&str, &str)]| pairs.iter().map(|(k, v)| ((*k).to_owned(), Answer::Text((*v).into()))).collect();
    let push_ups = Slot { given: given(&[("rule", "one_minute"), ("style", "toes"), ("depth", "floor")]), ..Slot::of("push-up") };
    let reach = Slot { given: given(&[("variant", "box")]), ..Slot::of("sit-reach") };
    let battery = Battery {
        id: format!("own-{}", Uuid::from_u128(0x51AB).simple()),
        name: "Squad day".into(),
        summary: "Jump, push-ups and reach for the whole squad.".into(),
        tests: vec![Slot::of("vertical-jump"), push_ups, reach],
        again_weeks: Some(13),
        ..Battery::of_one(catalogue::find("vertical-jump")?)
    };
    Ok(battery.identified())
}

/// Everybody's record and membership; numbers from `first` on.
async fn join_all<'m>(
    scope: &mut Scope,
    group: Uuid,
    mates: &'m [Mate],
    today: NaiveDate,
    first: u16,
) -> ApiResult<Vec<(PersonId, &'m Mate)>> {
    let mut all = Vec::with_capacity(mates.len());
    for (mate, number) in mates.iter().zip(first..) {
        let id = PersonId::new();
        let born = today - chrono::Months::new(mate.age * 12 + 1 + u32::from(number) % 10) - Days::new(u64::from(number) * 7 % 27);
        let profile = Profile {
            name: mate.name.into(),
            born,
            sex: Some(mate.sex),
            units: Units::Metric,
            height: Some((Height::new(mate.cm)?, format!("{} cm", mate.cm))),
            mass: Some((BodyMass::new(mate.kg)?, format!("{} kg", mate.kg))),
            occupation: None,
            goal: None,
            medicines: None,
            rate_limiting_drug: false,
            notes: (mate.age < 18).then(|| "Under 18: consent of a parent is in the file.".into()),
        };
        people::add(scope, id, &profile).await?;
        let playing_group = Some(mate.playing_group).filter(|g| !g.is_empty());
        groups::join(scope, group, Uuid::now_v7(), id, today - Days::new(380), playing_group, Some(number)).await?;
        all.push((id, mate));
    }
    Ok(all)
}

/// A session of the past: everybody who was here has a visit of their own.
#[expect(clippy::too_many_arguments, reason = "a session is all of this")]
async fn session_of(
    scope: &mut Scope,
    coach: CoachId,
    group: Uuid,
    battery: &Battery,
    on: NaiveDate,
    mates: &[(PersonId, &Mate)],
    session: usize,
    here: &(dyn Fn(usize) -> bool + Sync),
) -> ApiResult<Uuid> {
    // Of the checks of one transaction none is the later one.
    let last = session == 2 || battery.id == "class";
    let begun = on.and_hms_opt(16, 0, 0).unwrap_or_default().and_utc();
    let visit = GroupVisit {
        id: Uuid::now_v7(),
        group,
        battery: battery.clone(),
        conditions: shared(battery)?,
        on,
        created_at: begun,
        closed_at: None,
        join_code: None,
    };
    group_visits::create(scope, coach, &visit).await?;
    for (k, (person, mate)) in mates.iter().enumerate() {
        if !here(k) {
            group_visits::call(scope, visit.id, *person, Presence::Absent, None).await?;
            continue;
        }
        group_visits::call(scope, visit.id, *person, Presence::Here, None).await?;
        if last {
            let answers = Answers { regularly_active: true, ..Answers::default() };
            readiness::add(scope, coach, *person, &answers, &advise(&answers), None, on).await?;
        }
        let own = Visit {
            id: Uuid::now_v7(),
            person: *person,
            battery: battery.clone(),
            conditions: Conditions::new(),
            on,
            created_at: begun,
            closed_at: None,
        };
        visits::create(scope, coach, &own).await?;
        group_visits::has_visit(scope, visit.id, *person, Some(own.id)).await?;
        for (place, slot) in battery.tests.iter().enumerate() {
            let taken_at = begun + TimeDelta::minutes(i64::try_from(20 * place + k).unwrap_or(0));
            let result = result(*person, mate, slot, taken_at, (k, session))?;
            recording::keep(scope, coach, &result).await?;
            visits::append(scope, own.id, Uuid::now_v7(), &VisitEvent::Done { place, result: result.id }).await?;
        }
        visits::append(scope, own.id, Uuid::now_v7(), &VisitEvent::Closed).await?;
    }
    group_visits::close(scope, visit.id).await?;
    Ok(visit.id)
}

/// What all tests of a battery share, as it always is at Tidewater Hall.
fn shared(battery: &Battery) -> ApiResult<Conditions> {
    let mut all = Conditions::new();
    for slot in &battery.tests {
        let protocol = catalogue::find(&slot.protocol)?;
        all.extend(usual(protocol, None).into_iter().filter(|(key, _)| !slot.given.contains_key(key)));
    }
    Ok(all)
}

/// What somebody reads on the day: what they can do, what the sessions brought, and a little of the day.
fn readings(mate: &Mate, protocol: &str, (k, session): (usize, usize)) -> Value {
    let share = mate.gain.mul_add(session as f64, 1.0);
    let day = (k * 5 + session * 3) % 7;
    let half = |v: f64| (v * 2.0).round() / 2.0;
    match protocol {
        "vertical-jump" => {
            let (reach, jump) = (half(mate.cm * 1.29), half(mate.jump * share + day as f64 * 0.5 - 1.5));
            json!({ "reach_cm": reach, "touch_cm": [reach + jump - 2.0, reach + jump, reach + jump - 1.0] })
        }
        "push-up" => json!({ "reps_toes": (mate.push_ups * share + day as f64 * 0.4 - 1.0).round() }),
        "class-step-3min" => json!({ "pulse_count": 22.0 + day as f64 }),
        "shoulder-reach" => {
            json!({ "gap_cm": { "right": [day as f64 - 2.0], "left": [day as f64 - 4.0] }, "hand_cm": 17.0 + (k % 3) as f64 })
        }
        _ => {
            let reach = 20.0 + ((k * 3 + session) % 9) as f64;
            json!({ "distance_cm": [reach, reach + 1.0] })
        }
    }
}

fn result(person: PersonId, mate: &Mate, slot: &Slot, taken_at: DateTime<Utc>, which: (usize, usize)) -> ApiResult<Stored> {
    let protocol = catalogue::find(&slot.protocol)?;
    let facts = Facts {
        sex: Some(mate.sex),
        age: Some(Age::new(f64::from(mate.age))?),
        mass: Some(BodyMass::new(mate.kg)?),
        height: Some(Height::new(mate.cm)?),
        ..Facts::default()
    };
    let conditions = usual(protocol, facts.sex).into_iter().chain(slot.given.clone()).collect();
    let setup = Setup { conditions, ..Setup::of(&facts) };
    let unreadable = |e: serde_json::Error| InputError::whole(Code::BadJson, e.to_string());
    let mut inputs: Inputs = serde_json::from_value(readings(mate, &protocol.id, which)).map_err(unreadable)?;
    setup.fill(protocol, &mut inputs);
    stored(person, protocol, taken_at, inputs, setup.recorded(protocol), facts, None)
}
