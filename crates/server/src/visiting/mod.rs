//! Visits: what a test of a visit starts from, what its end means for the visit, and what the visit's page says.

mod places;

use std::collections::{BTreeMap, BTreeSet};

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    catalogue::Protocol,
    done::{self, Done},
    marking::{Marked, Total},
    picture::{Drawing, Picture},
    points, reading,
    report::FailedPoint,
    visit::{self, Judged, Learned, Seen, Stand, VisitEvent, VisitState},
};
use impulso_store::{
    Scope, retests,
    visits::{self, Visit},
};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{ApiResult, dossier::Dossier, marking, planning::RetestLine, scoring};

pub use self::places::{InVisit, is_free, lock_place, place_beside, place_of, run_closed};

/// A visit, under way or over.
#[derive(Serialize, ToSchema)]
pub struct VisitPage {
    pub id: Uuid,
    /// Whose.
    pub person: Uuid,
    pub name: String,
    /// The battery's id.
    pub battery: String,
    /// What it is called.
    pub battery_name: String,
    /// The day.
    pub on: NaiveDate,
    /// Which time this person does this battery, from 1.
    pub nth: usize,
    /// The last time, where there was one.
    pub last_on: Option<NaiveDate>,
    /// Whether it is over.
    pub closed: bool,
    /// Left open since an earlier day.
    pub is_stale: bool,
    /// Every test, in the order in which they are done.
    pub rows: Vec<VisitRow>,
    /// What comes now.
    pub next: Option<NextTest>,
    /// How many are done.
    pub done: usize,
    /// What it taught so far.
    pub learned: Option<Learned>,
    /// Points that were not met, with what each is often behind.
    pub failed: Vec<FailedPoint>,
    /// The work that is commonly given.
    pub work: Option<String>,
    /// How many weeks until the battery is usually done again.
    pub again_weeks: Option<u32>,
    /// With photographs.
    pub photos: bool,
    /// The window, where the battery has one instead of an order.
    pub window: Option<VisitWindow>,
    /// The total by the scoring table, where there is one.
    pub total: Option<Total>,
    /// Open dates of the whole battery, soonest first.
    pub retests: Vec<RetestLine>,
    /// The day a rule counts from.
    pub today: NaiveDate,
}

/// A test of a visit.
#[derive(Serialize, ToSchema)]
pub struct VisitRow {
    /// Its place in the battery.
    pub place: usize,
    pub protocol: String,
    /// What it is called.
    pub name: String,
    /// Where it stands.
    pub stand: Stand,
    pub run: Option<Uuid>,
    pub result: Option<Uuid>,
    /// Why it was left out.
    pub reason: Option<String>,
    /// Why it cannot be done yet.
    pub waits: Option<String>,
    /// It may be left out without a reason.
    pub optional: bool,
    #[serde(flatten)]
    pub came_to: visit::Row,
    /// What was remarked while it was done.
    pub remarks: Vec<String>,
    /// How often it was done.
    pub tries: usize,
    /// Every time it was done, where that was more than once in a battery with an order: one of them counts.
    pub times: Vec<Time>,
    /// What it brings by the scoring table, and the most it can bring.
    pub points: Option<PlacePoints>,
}

/// One of several times a test was done in a visit.
#[derive(Serialize, ToSchema)]
pub struct Time {
    pub result: Uuid,
    /// What it came to.
    pub value: String,
    pub counts: bool,
}

/// Points of a test.
#[derive(Serialize, ToSchema)]
pub struct PlacePoints {
    /// What it brings.
    pub points: f64,
    /// The most it can bring.
    pub of: f64,
}

#[derive(Serialize, ToSchema)]
pub struct VisitWindow {
    /// Its length, minutes.
    pub minutes: u16,
    /// When it ends; nothing before it began.
    pub until: Option<DateTime<Utc>>,
}

/// A visit in a list.
#[derive(Serialize, ToSchema)]
pub struct VisitLine {
    pub id: Uuid,
    /// Whose.
    pub person: Uuid,
    /// Their name, where it is not their own page.
    pub name: Option<String>,
    /// The id of the battery.
    pub battery: String,
    pub battery_name: String,
    /// The day.
    pub on: NaiveDate,
    /// How many tests it has.
    pub tests: usize,
    /// Whether it is over.
    pub closed: bool,
}

impl VisitLine {
    /// A line for a visit; `name` where the list is not one person's.
    pub fn new(visit: &Visit, name: Option<String>) -> Self {
        Self {
            id: visit.id,
            person: visit.person.0,
            name,
            battery: visit.battery.id.clone(),
            battery_name: visit.battery.name.clone(),
            on: visit.on,
            tests: visit.battery.tests.len(),
            closed: visit.closed_at.is_some(),
        }
    }
}

/// The test that comes now.
#[derive(Serialize, ToSchema)]
pub struct NextTest {
    /// Its place in the battery.
    pub place: usize,
    pub protocol: String,
    /// What it is called.
    pub name: String,
    /// What happens.
    pub summary: String,
    /// Why now.
    pub why: String,
    /// What to say to the client.
    pub say: Vec<String>,
    /// What has to be there.
    pub equipment: Vec<String>,
    /// What it looks like.
    pub drawing: Option<Drawing>,
    /// How it was last time.
    pub last_time: Option<String>,
    /// Whether the floor runs it; else it is entered.
    pub live: bool,
    /// The run that is on the floor.
    pub run: Option<Uuid>,
    /// Rest until then, where the battery has one.
    pub rest_until: Option<DateTime<Utc>>,
}

/// Where a result stands in a visit.
#[derive(Debug, Clone)]
pub struct InVisitOf {
    /// The battery's name and the visit's day.
    pub name: String,
    /// The points it brings, where it is the one that counts and a table says so.
    pub points: Option<f64>,
}

/// A visit, what each of its places came to, and its points by the table of its day.
async fn marked<'d>(scope: &mut Scope, of: &'d Dossier, visit: &Visit) -> ApiResult<(VisitState, Vec<Option<&'d Done>>, Option<Marked>)> {
    let events = visits::events(scope, visit.id).await?;
    let state = visit::fold(&visit.battery, events.iter().map(|(h, _)| h));
    let counted = counted(visit, &state, of);
    let came_to = counted.iter().enumerate().filter_map(|(place, result)| {
        let protocol = of.protocol(&visit.battery.tests[place].protocol)?;
        raw(place, protocol, (*result)?)
    });
    let raws: Vec<(usize, f64, bool)> = came_to.collect();
    let marked = marking::tables(scope, &visit.battery).await?.mark(visit.on, None, &of.person.facts_on(visit.on)?, &raws);
    Ok((state, counted, marked))
}

/// The total of a visit for whoever sees these places alone: none where another one brings points that could be worked out from it.
pub async fn total_of(scope: &mut Scope, of: &Dossier, visit: &Visit, shown: &[usize]) -> ApiResult<Option<Total>> {
    let (.., marked) = marked(scope, of, visit).await?;
    Ok(marked.filter(|m| m.marks.iter().all(|mark| shown.contains(&mark.place))).map(|m| m.total))
}

/// A place, what its test is about, and whether less of that is better; of two sides the weaker one.
fn raw(place: usize, protocol: &Protocol, done: &Done) -> Option<(usize, f64, bool)> {
    Some((place, done.headline(protocol)?, points::lower_is_better(protocol)))
}

/// The results that stand in visits, of everybody or of one person.
pub async fn marked_results(scope: &mut Scope, person: Option<impulso_store::PersonId>) -> ApiResult<BTreeMap<Uuid, InVisitOf>> {
    let mut found = BTreeMap::new();
    for person in visits::people_with_visits(scope, person).await? {
        let of = Dossier::of(scope, person).await?;
        for visit in visits::of_person(scope, person, i64::MAX).await? {
            let (state, counted, marked) = marked(scope, &of, &visit).await?;
            let marks = marked.map_or_else(Vec::new, |m| m.marks);
            let name = format!("{}, {}", visit.battery.name, visit.on);
            for (place, at) in state.places.iter().enumerate() {
                for result in at.tries.iter().chain(&at.result) {
                    let counts = counted[place].is_some_and(|r| r.id == *result);
                    let points = marks.iter().find(|m| counts && m.place == place).map(|m| m.points);
                    found.insert(*result, InVisitOf { name: name.clone(), points });
                }
            }
        }
    }
    Ok(found)
}

/// The whole page of a visit of somebody; of some places `only`, as if there were no others.
pub async fn page(scope: &mut Scope, of: &Dossier, visit: &Visit, only: Option<&[usize]>) -> ApiResult<VisitPage> {
    page_by(scope, of, visit, only, None).await
}

/// The same by one version of the scoring table.
pub async fn page_by(scope: &mut Scope, of: &Dossier, visit: &Visit, only: Option<&[usize]>, table: Option<u32>) -> ApiResult<VisitPage> {
    let Dossier { shelf, person, today, .. } = of;
    let (today, audience) = (*today, of.audience());
    let events = visits::events(scope, visit.id).await?;
    let state = visit::fold(&visit.battery, events.iter().map(|(h, _)| h));
    let mut before = visits::of_battery(scope, visit.person, &visit.battery.id).await?;
    before.retain(|v| v.created_at < visit.created_at);
    let protocols: Vec<&Protocol> = visit.battery.tests.iter().filter_map(|p| shelf.find(&p.protocol).ok()).collect();
    let known = scoring::known(scope, &protocols).await?;
    let passed = done::passed(of.tests());
    let planned = retests::open_of(scope, visit.person).await?;
    let retests = planned.into_iter().filter(|r| r.protocol_id == visit.battery.id).map(|r| RetestLine::new(r, shelf, today)).collect();
    let waits = |place: usize| visit::waits_for(of.protocol(&visit.battery.tests[place].protocol)?, &passed);
    let counted = counted(visit, &state, of);
    let bettered = bettered(scope, of, visit, &before).await?;
    let compared: Vec<&Done> = of.tests().filter(|r| !bettered.contains(&r.id)).collect();

    let shown: Vec<usize> = state.order.iter().copied().filter(|p| only.is_none_or(|only| only.contains(p))).collect();
    let mut seen: Vec<Seen> = Vec::new();
    for place in shown.iter().copied() {
        let Some((protocol, done)) = of.protocol(&visit.battery.tests[place].protocol).zip(counted[place]) else { continue };
        seen.extend(Seen::of(place, protocol, done, &compared, &known, &audience)?);
    }
    let tables = marking::tables(scope, &visit.battery).await?;
    let raws: Vec<(usize, f64, bool)> = seen.iter().filter_map(|s| raw(s.place, s.protocol, s.done)).collect();
    let facts = person.facts_on(visit.on)?;
    let (marks, total) = tables.mark(visit.on, table, &facts, &raws).map_or((Vec::new(), None), |m| (m.marks, Some(m.total)));
    let instead = |place: usize| {
        let other = &visit.battery.tests[state.stands_in(&visit.battery.either(), place)?];
        Some(format!("{} instead", visit::variant_name(of.protocol(&other.protocol), other)))
    };
    let row = |place: usize| {
        let (at, test) = (&state.places[place], &visit.battery.tests[place]);
        let protocol = of.protocol(&test.protocol);
        let counts = seen.iter().find(|s| s.place == place);
        VisitRow {
            place,
            protocol: test.protocol.clone(),
            name: visit::variant_name(protocol, test),
            stand: at.stand,
            run: at.run,
            result: counts.map(|s| s.done.id).or(at.result),
            came_to: counts.map(Seen::row).unwrap_or_default(),
            tries: at.tries.len(),
            remarks: counted[place].map(|r| r.remarks.clone()).unwrap_or_default(),
            times: times(visit, at, of, |done| Seen::of(place, protocol?, done, &[], &known, &audience).ok()??.row().brief),
            points: marks.iter().find(|m| m.place == place).map(|m| PlacePoints { points: m.points, of: m.of }),
            reason: at.reason.clone().or_else(|| instead(place).filter(|_| at.stand == Stand::Skipped)),
            waits: if at.stand == Stand::ToCome { waits(place) } else { None },
            optional: test.optional,
        }
    };
    let rows = shown.iter().copied().map(row).collect();
    let tests: Vec<Judged> = seen.iter().map(Seen::judged).collect();
    Ok(VisitPage {
        id: visit.id,
        person: visit.person.0,
        name: person.profile.name.clone(),
        battery: visit.battery.id.clone(),
        battery_name: visit.battery.name.clone(),
        on: visit.on,
        nth: before.len() + 1,
        last_on: before.first().map(|v| v.on),
        closed: state.closed,
        is_stale: !state.closed && visit.on < today,
        next: next(&state, visit, of, &events, &|place| waits(place).is_none()),
        done: state.done(),
        learned: (!tests.is_empty()).then(|| visit::learned(&tests)),
        work: seen.iter().find_map(|s| s.report.work.clone()),
        failed: seen.iter().flat_map(Seen::failed).collect(),
        again_weeks: visit.battery.again_weeks,
        photos: visit.battery.photos,
        window: window(visit, &events),
        total,
        retests,
        today,
        rows,
    })
}

/// The times a test was done in a visit, where there are several and one of them counts.
fn times(visit: &Visit, at: &visit::PlaceState, of: &Dossier, brief: impl Fn(&Done) -> Option<String>) -> Vec<Time> {
    if visit.battery.window_min.is_some() || at.tries.len() < 2 {
        return Vec::new();
    }
    let time = |id: &Uuid| {
        let done = of.test(*id)?;
        Some(Time { result: *id, value: brief(done).unwrap_or_else(|| "no score".into()), counts: at.result == Some(*id) })
    };
    at.tries.iter().filter_map(time).collect()
}

/// The window of a visit, where its battery has one.
fn window(visit: &Visit, events: &[(VisitEvent, DateTime<Utc>)]) -> Option<VisitWindow> {
    let minutes = visit.battery.window_min?;
    let begun = events.iter().find(|(h, _)| *h == VisitEvent::WindowBegun).map(|(_, at)| *at);
    Some(VisitWindow { minutes, until: begun.map(|at| at + chrono::TimeDelta::minutes(i64::from(minutes))) })
}

/// What each place of a visit came to: in a window the best of its tries; else the one that counts, which is the later one unless
/// another was chosen.
pub fn counted<'r>(visit: &Visit, state: &VisitState, of: &'r Dossier) -> Vec<Option<&'r Done>> {
    visit::counted(&visit.battery, state, &|id| of.protocol(id), &|id| of.test(id))
}

/// The tries of which another of the same visit counts, in a visit and in those before it: nothing is compared with them.
async fn bettered(scope: &mut Scope, of: &Dossier, visit: &Visit, before: &[Visit]) -> ApiResult<BTreeSet<Uuid>> {
    let events = visits::events_of_battery(scope, visit.person, &visit.battery.id).await?;
    let mut bettered = BTreeSet::new();
    for visit in before.iter().chain([visit]) {
        let state = visit::fold(&visit.battery, events.iter().filter(|(of, _)| *of == visit.id).map(|(_, h)| h));
        for (at, best) in state.places.iter().zip(counted(visit, &state, of)) {
            bettered.extend(at.tries.iter().filter(|id| best.is_some_and(|b| b.id != **id)));
        }
    }
    Ok(bettered)
}

fn next(
    state: &VisitState,
    visit: &Visit,
    of: &Dossier,
    events: &[(VisitEvent, DateTime<Utc>)],
    opens: &dyn Fn(usize) -> bool,
) -> Option<NextTest> {
    test_at(state.next(opens)?, state, visit, of, events)
}

/// A place of a visit as it is shown when its turn comes.
pub fn test_at(place: usize, state: &VisitState, visit: &Visit, of: &Dossier, events: &[(VisitEvent, DateTime<Utc>)]) -> Option<NextTest> {
    let units = of.person.profile.units;
    let test = &visit.battery.tests[place];
    let protocol = of.protocol(&test.protocol)?;
    let last = visit::start::last_as_here(test, of.tests().filter(|r| r.on < visit.on));
    let value = last.and_then(|r| Some((r, r.value(protocol.headline())?)));
    let counting = protocol.legs().iter().filter_map(|leg| leg.take.counting_rule().map(str::to_owned));
    let prepare = protocol.prepare.iter().map(|p| p.detail.clone());
    let rested = events.iter().rev().find(|(h, _)| matches!(h, VisitEvent::Done { .. })).map(|(_, at)| *at);
    let rest = chrono::TimeDelta::minutes(i64::from(test.rest_min));
    Some(NextTest {
        place,
        protocol: protocol.id.clone(),
        name: visit::variant_name(Some(protocol), test),
        summary: protocol.summary.clone(),
        why: visit.battery.reasons(&|id| of.shelf.find(id)).swap_remove(place),
        say: prepare.chain(counting).collect(),
        equipment: protocol.equipment.iter().map(|e| e.what.clone()).collect(),
        drawing: protocol.pictures.first().map(Picture::drawing),
        last_time: value.map(|(r, v)| {
            format!("On {}: {}", r.on.format("%-d %B %Y"), reading::said(protocol, &r.conditions, protocol.headline(), v, units))
        }),
        // A visit of an earlier day is typed from paper.
        live: protocol.family().runs_live() && visit.on == of.today,
        // That of a test which is done once more is closed.
        run: state.places[place].run.filter(|_| state.places[place].stand == Stand::Running),
        rest_until: rested.filter(|_| test.rest_min > 0).map(|at| at + rest).filter(|until| *until > Utc::now()),
    })
}
