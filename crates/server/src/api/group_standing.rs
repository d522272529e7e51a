//! A session of a group beside itself: names × measures, where each stands, who reached a mark, who really moved.

use std::collections::{BTreeMap, BTreeSet};

use actix_web::{get, web};
use chrono::NaiveDate;
use impulso_core::{
    beeps,
    catalogue::Protocol,
    change::Verdict,
    comparability,
    done::Done,
    group_visit::Presence,
    norms, progress, quantity, range, reading,
    report::standing_words,
    self_report,
    squad::{self, GroupMark, MarkStand, Moved, PlaceInGroup, Spread},
    typical_error::TypicalError,
    units::{Units, rounded},
    visit::{self, VisitState},
};
use impulso_store::{
    Scope, group_marks,
    group_visits::{self, GroupVisit},
    groups::{self, Member},
    results::{self, Stored, WithEarlier},
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{group_targets::MarkLine, group_visit_page::in_session, group_visits::GroupVisitLine};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    scoring,
    shelf::Shelf,
};

/// Where the result before one was not done alike, so many before it are looked at.
const LOOKED_BACK: i64 = 5;

/// Which session, and of it which playing group.
#[derive(Deserialize, IntoParams)]
pub struct StandingQuery {
    /// The group visit; the latest where nothing is said.
    pub visit: Option<Uuid>,
    /// Only this playing group.
    #[serde(default)]
    pub playing_group: Option<String>,
    /// What people took of themselves counts in mean, spread and places too.
    #[serde(default)]
    pub self_reported: bool,
}

/// A session of a group.
#[derive(Serialize, ToSchema)]
pub struct GroupStanding {
    pub group: Uuid,
    pub group_name: String,
    /// Nothing where there is no session yet.
    pub visit: Option<GroupVisitLine>,
    /// The battery's id.
    pub battery: Option<String>,
    /// The group's sessions, the latest first.
    pub sessions: Vec<GroupVisitLine>,
    pub playing_groups: Vec<String>,
    /// What is compared, in the order of the battery.
    pub measures: Vec<StandingMeasure>,
    /// Everybody, by number, then by name.
    pub lines: Vec<StandingLine>,
    /// Who lies beyond one standard deviation in what, in sentences.
    pub beyond: Vec<String>,
    /// How many values were taken by the people themselves: left out of mean, spread and places unless they were asked for.
    pub self_reported: usize,
    /// How many were tested, and how many of the group were not.
    pub tested: usize,
    pub missing: usize,
    /// The fewest people whose mean and spread are told.
    pub few: usize,
    /// The coach's own marks for this group.
    pub marks: Vec<MarkLine>,
    pub today: NaiveDate,
}

/// A measure of the session.
#[derive(Serialize, ToSchema)]
pub struct StandingMeasure {
    /// The place of its test in the battery.
    pub place: usize,
    pub protocol: String,
    pub quantity: String,
    /// What the test is called.
    pub test: String,
    /// What the measure is called.
    pub label: String,
    pub unit: String,
    /// Whether one side is the better one, and whether that is the smaller value.
    pub has_better: bool,
    pub lower_is_better: bool,
    /// Mean and spread, of enough people.
    pub spread: Option<Spread>,
    /// The same in words: `mean 41.2 cm, standard deviation 4.8, median 40.9`.
    pub words: Option<String>,
    /// How many really moved since their last time.
    pub moved: Moved,
    pub moved_words: String,
}

/// Somebody in the session.
#[derive(Serialize, ToSchema)]
pub struct StandingLine {
    pub person: Uuid,
    pub name: String,
    pub number: Option<u16>,
    pub playing_group: Option<String>,
    /// What the roll said; nothing where they were not called.
    pub presence: Option<Presence>,
    pub visit: Option<Uuid>,
    /// By measure.
    pub cells: Vec<Option<StandingCell>>,
}

/// What somebody has in a measure.
#[derive(Serialize, ToSchema)]
pub struct StandingCell {
    pub result: Uuid,
    /// In the measure's unit.
    pub value: f64,
    /// The same as it is shown, without the unit.
    pub shown: String,
    /// The same as it is called out: level and shuttle, `7-4`, beside the distance of a run to beeps.
    pub called: Option<String>,
    /// Last time's, with the day; nothing the first time.
    pub last: Option<String>,
    pub last_on: Option<NaiveDate>,
    pub verdict: Option<Verdict>,
    pub verdict_words: Option<String>,
    pub mark: Option<MarkStand>,
    pub mark_words: Option<String>,
    /// The norm in words.
    pub norm: Option<String>,
    /// The 95 % range of an estimate, as it is shown: `38 to 50`.
    pub range: Option<String>,
    /// The person took it of themselves.
    pub self_reported: bool,
    /// It counts in mean, spread and places.
    pub counts: bool,
    /// Where it stands in the group, of enough people.
    pub in_group: Option<PlaceInGroup>,
    /// The place in the group; who is as good shares it.
    pub rank: Option<usize>,
}

/// A test of the session with what is read of it.
struct Column<'s> {
    place: usize,
    protocol: &'s Protocol,
    key: String,
}

/// A session of a group beside itself.
#[utoipa::path(tag = "groups", operation_id = "group_standing_get", params(StandingQuery), responses((status = 200, body = GroupStanding), (status = 404, body = ApiError)))]
#[get("/groups/{id}/standing")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>, query: web::Query<StandingQuery>) -> ApiResult<web::Json<GroupStanding>> {
    let mut scope = who.scope().await?;
    let group_name = groups::name(&mut scope, *id).await?;
    let today = auth::today(&mut scope).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let sessions = group_visits::of_group(&mut scope, *id).await?;
    let line = match query.visit {
        Some(wanted) => Some(sessions.iter().find(|v| v.id == wanted).ok_or_else(ApiError::not_found)?.clone()),
        None => sessions.first().cloned(),
    };
    let visit = match &line {
        Some(line) => Some(group_visits::get(&mut scope, line.id).await?),
        None => None,
    };
    let own_marks = group_marks::of_group(&mut scope, *id).await?;
    let members = groups::members(&mut scope, *id).await?;
    let mut playing_groups: Vec<String> = members.iter().filter(|m| m.left_on.is_none()).filter_map(|m| m.playing_group.clone()).collect();
    playing_groups.sort();
    playing_groups.dedup();
    let mut page = GroupStanding {
        group: *id,
        battery: line.as_ref().map(|l| l.battery.clone()),
        visit: line.map(Into::into),
        sessions: sessions.into_iter().map(Into::into).collect(),
        group_name,
        playing_groups,
        measures: Vec::new(),
        lines: Vec::new(),
        beyond: Vec::new(),
        self_reported: 0,
        tested: 0,
        missing: 0,
        few: squad::FEW,
        marks: own_marks.iter().map(|(id, mark)| MarkLine::new(*id, mark, &shelf)).collect(),
        today,
    };
    let Some(visit) = &visit else { return Ok(web::Json(page)) };
    let columns = columns(visit, &shelf);
    let roll = group_visits::roll(&mut scope, visit.id).await?;
    let events = group_visits::events(&mut scope, visit.id).await?;
    let mut in_order = in_session(&members, &roll);
    in_order.retain(|m| query.playing_group.as_ref().is_none_or(|wanted| m.playing_group.as_ref() == Some(wanted)));
    let stands = |member: &Member| {
        let own = roll.iter().find(|r| r.person == member.person).and_then(|l| l.visit);
        visit::fold(&visit.battery, own.and_then(|v| events.get(&v)).into_iter().flatten())
    };
    let done: Vec<VisitState> = in_order.iter().map(|m| stands(m)).collect();
    // A test with two measures is one result.
    let wanted: BTreeSet<Uuid> =
        done.iter().flat_map(|s| columns.iter().filter_map(|c| s.places.get(c.place).and_then(|p| p.result))).collect();
    let history = with_before(&mut scope, &shelf, wanted).await?;
    let protocols: Vec<&Protocol> = columns.iter().map(|c| c.protocol).collect();
    let known = scoring::known(&mut scope, &protocols).await?;
    let marks: Vec<GroupMark> = own_marks.into_iter().map(|(_, mark)| mark).collect();
    for (member, state) in in_order.into_iter().zip(&done) {
        let line = roll.iter().find(|r| r.person == member.person);
        let own = line.and_then(|l| l.visit);
        let cell = |column: &Column<'_>| {
            let tests = history.get(&state.places.get(column.place)?.result?)?;
            let up_to_now: Vec<&Done> = tests.earlier.iter().rev().chain([&tests.now.done]).collect();
            let shown = cell(column, &tests.now, &up_to_now, &known, &marks, member)?;
            Some(StandingCell { counts: shown.counts || query.self_reported, ..shown })
        };
        let cells: Vec<Option<StandingCell>> = columns.iter().map(cell).collect();
        page.lines.push(StandingLine {
            person: member.person.0,
            name: member.name.clone(),
            number: member.number,
            playing_group: member.playing_group.clone(),
            presence: line.map(|l| l.presence),
            visit: own,
            cells,
        });
    }
    page.tested = page.lines.iter().filter(|l| l.cells.iter().any(Option::is_some)).count();
    page.missing = page.lines.len() - page.tested;
    page.self_reported = page.lines.iter().flat_map(|l| l.cells.iter().flatten()).filter(|c| c.self_reported).count();
    for (k, column) in columns.iter().enumerate() {
        let measure = measure(column, visit, &mut page.lines, k);
        page.beyond.extend(beyond(&measure, &called_in_full(column.protocol, &measure.test, &column.key), &page.lines, k));
        page.measures.push(measure);
    }
    Ok(web::Json(page))
}

/// Each of these results, and before it the last one that was done alike, the latest first.
async fn with_before(scope: &mut Scope, shelf: &Shelf, wanted: BTreeSet<Uuid>) -> ApiResult<BTreeMap<Uuid, WithEarlier>> {
    let wanted: Vec<Uuid> = wanted.into_iter().collect();
    let mut history = results::with_last(scope, &wanted, &quantity::inputs_of_bounds()).await?;
    let is_unlike = |WithEarlier { now, earlier }: &WithEarlier| {
        let Some(last) = earlier.first() else { return false };
        let Ok(protocol) = shelf.find(&now.protocol_id) else { return false };
        let key = protocol.headline();
        last.point(key).zip(now.point(key)).is_none_or(|(last, now)| !comparability::unlike(protocol, &last, &now).is_empty())
    };
    let unlike: Vec<Uuid> = history.iter().filter(|(_, tests)| is_unlike(tests)).map(|(id, _)| *id).collect();
    if !unlike.is_empty() {
        for (id, earlier) in results::before(scope, &unlike, LOOKED_BACK).await? {
            history.entry(id).and_modify(|tests| tests.earlier = earlier);
        }
    }
    Ok(history)
}

fn columns<'s>(visit: &GroupVisit, shelf: &'s Shelf) -> Vec<Column<'s>> {
    let tests = visit.battery.tests.iter().enumerate();
    let of = |(place, slot): (usize, &impulso_core::battery::Slot)| {
        let protocol = shelf.find(&slot.protocol).ok()?;
        Some(protocol.heard().into_iter().map(move |key| Column { place, protocol, key }).collect::<Vec<_>>())
    };
    tests.filter_map(of).flatten().collect()
}

/// What somebody has in a measure. `earlier`: their results of the test, oldest first, this one among them.
fn cell(
    column: &Column<'_>,
    now: &Stored,
    earlier: &[&Done],
    known: &progress::Known,
    marks: &[GroupMark],
    member: &Member,
) -> Option<StandingCell> {
    let (protocol, key) = (column.protocol, column.key.as_str());
    let value = now.value(key)?;
    let error: Option<TypicalError> = progress::typical_error(protocol, &now.done, key, known.get(&protocol.id));
    let since = progress::since_last(protocol, &now.done, earlier.iter().copied(), key, error.as_ref());
    let mark =
        squad::mark_for(marks, &protocol.id, key, member.playing_group.as_deref(), &now.facts).map(|m| m.judge(value, error.as_ref()));
    Some(StandingCell {
        result: now.id,
        value,
        shown: reading::shown(protocol, &now.conditions, key, value, Units::Metric),
        called: called(protocol, key, now),
        last: since.as_ref().map(|c| c.from_in(Units::Metric)),
        last_on: since.as_ref().map(|c| c.from_on),
        verdict: since.as_ref().map(|c| c.verdict),
        verdict_words: since.map(|c| c.verdict_words),
        mark,
        mark_words: mark.map(|m| m.words().to_owned()),
        norm: norm(protocol, key, value, &now.done),
        range: range(protocol, key, &now.done),
        self_reported: self_report::is_self_reported(&now.conditions),
        counts: !self_report::is_apart(&now.conditions),
        in_group: None,
        rank: None,
    })
}

/// Level and shuttle of a run to beeps.
fn called(protocol: &Protocol, key: &str, now: &Stored) -> Option<String> {
    let is_distance = key == "distance_m" && protocol.schedule().is_some();
    let (level, shuttle) = (now.value("level").filter(|_| is_distance)?, now.value("shuttle")?);
    Some(beeps::called_out(level, shuttle))
}

/// How far an estimate may be off, mL/kg/min; nothing of what is measured.
fn range(protocol: &Protocol, key: &str, done: &Done) -> Option<String> {
    if key != range::QUANTITY {
        return None;
    }
    let found = range::of_record(&done.record(protocol))?;
    Some(format!("{} to {}", rounded(found.low, 0), rounded(found.high, 0)))
}

/// Where a value stands among its norms, by the first table that says something.
fn norm(protocol: &Protocol, key: &str, value: f64, done: &Done) -> Option<String> {
    if self_report::is_apart(&done.conditions) {
        return None;
    }
    let tables = protocol.norms.iter().filter(|n| n.quantity == key && n.when.iter().all(|w| w.holds(&done.inputs)));
    tables
        .filter_map(|n| norms::table(&n.table))
        .map(|t| t.standing(value, &done.facts))
        .find(|s| s.mismatch.is_none())
        .map(|s| standing_words(&s))
}

/// A measure of everybody together; each one's place in the group is written to their cell.
fn measure(column: &Column<'_>, visit: &GroupVisit, lines: &mut [StandingLine], k: usize) -> StandingMeasure {
    let key = column.key.as_str();
    let counted = |l: &StandingLine| l.cells[k].as_ref().filter(|c| c.counts).map(|c| c.value);
    let values: Vec<Option<f64>> = lines.iter().map(counted).collect();
    let all: Vec<f64> = values.iter().flatten().copied().collect();
    let spread = squad::spread(&all);
    let ranks = squad::ranks(key, &values);
    for (line, rank) in lines.iter_mut().zip(ranks) {
        let Some(cell) = line.cells[k].as_mut().filter(|c| c.counts) else { continue };
        cell.in_group = spread.and_then(|s| s.place(key, cell.value, &all));
        cell.rank = rank;
    }
    let moved = squad::moved(lines.iter().filter_map(|l| l.cells[k].as_ref()).map(|c| c.verdict));
    let said = |v: f64| quantity::with_unit(key, v);
    let words = spread.map(|s| {
        format!(
            "mean {} (95 % {} to {}), standard deviation {}, median {}, quarter to quarter {} to {}",
            said(s.mean),
            quantity::shown(key, s.mean_low),
            quantity::shown(key, s.mean_high),
            quantity::shown(key, s.sd),
            said(s.median),
            quantity::shown(key, s.p25),
            quantity::shown(key, s.p75)
        )
    });
    StandingMeasure {
        place: column.place,
        protocol: column.protocol.id.clone(),
        quantity: key.to_owned(),
        test: match visit.battery.tests.iter().filter(|t| t.protocol == column.protocol.id).count() {
            1 => column.protocol.name.clone(),
            _ => visit::variant_name(Some(column.protocol), &visit.battery.tests[column.place]),
        },
        label: quantity::label(key).into_owned(),
        unit: quantity::unit_shown(key).to_owned(),
        has_better: quantity::better(key).is_some(),
        lower_is_better: quantity::lower_is_better(key),
        spread,
        words,
        moved_words: moved.sentence(),
        moved,
    }
}

/// A test, with its measure where it has more than one: `20 m shuttle run (VO₂max)`.
pub(super) fn called_in_full(protocol: &Protocol, test: &str, key: &str) -> String {
    if protocol.heard().len() > 1 { format!("{test} ({})", quantity::label(key)) } else { test.to_owned() }
}

/// Who lies beyond one standard deviation in a measure.
fn beyond(measure: &StandingMeasure, name: &str, lines: &[StandingLine], k: usize) -> Vec<String> {
    let side = |above: bool| {
        let is_beyond = |l: &&StandingLine| {
            let z = l.cells[k].as_ref().and_then(|c| c.in_group).map_or(0.0, |g| g.z);
            if above { z > 1.0 } else { z < -1.0 }
        };
        let names: Vec<&str> = lines.iter().filter(is_beyond).map(|l| l.name.as_str()).collect();
        let word = match (measure.has_better, above) {
            (true, true) => "better than most",
            (true, false) => "not as good as most",
            (false, true) => "higher than most",
            (false, false) => "lower than most",
        };
        (!names.is_empty()).then(|| format!("{name}: {word}: {}.", names.join(", ")))
    };
    [side(true), side(false)].into_iter().flatten().collect()
}

/// A measure of a group over its sessions.
#[derive(Serialize, ToSchema)]
pub struct GroupTrend {
    pub protocol: String,
    pub quantity: String,
    pub points: Vec<GroupTrendPoint>,
}

/// A measure of a group in a session.
#[derive(Serialize, ToSchema)]
pub struct GroupTrendPoint {
    pub visit: Uuid,
    pub on: NaiveDate,
    pub n: usize,
    /// Mean, its interval and the spread, of enough people.
    pub spread: Option<Spread>,
    /// The same in words.
    pub words: String,
}

/// The group's means over the sessions of one battery.
#[utoipa::path(tag = "groups", operation_id = "group_standing_trend", responses((status = 200, body = Vec<GroupTrend>), (status = 404, body = ApiError)))]
#[get("/groups/{id}/trend/{battery}")]
pub async fn trend(who: SignedIn, path: web::Path<(Uuid, String)>) -> ApiResult<web::Json<Vec<GroupTrend>>> {
    let (group, battery) = path.into_inner();
    let mut scope = who.scope().await?;
    groups::name(&mut scope, group).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let sessions = group_visits::of_group(&mut scope, group).await?;
    let Some(latest) = sessions.iter().find(|v| v.battery == battery) else { return Err(ApiError::not_found()) };
    let visit = group_visits::get(&mut scope, latest.id).await?;
    let columns = columns(&visit, &shelf);
    let keys: Vec<String> = columns.iter().map(|c| c.key.clone()).collect();
    let all = group_visits::means(&mut scope, group, &battery, &keys).await?;
    let mut shown: Vec<GroupTrend> = Vec::new();
    for column in &columns {
        if shown.iter().any(|t| t.protocol == column.protocol.id && t.quantity == column.key) {
            continue;
        }
        let own = all.iter().filter(|m| m.protocol == column.protocol.id && m.quantity == column.key);
        let point = |m: &group_visits::SessionMean| {
            let spread = squad::spread(&m.values);
            let words = spread.map_or_else(
                || format!("{} {}: too few for a mean", m.values.len(), if m.values.len() == 1 { "person" } else { "people" }),
                |s| {
                    format!(
                        "mean {}, 95 % {} to {}",
                        quantity::with_unit(&m.quantity, s.mean),
                        quantity::shown(&m.quantity, s.mean_low),
                        quantity::shown(&m.quantity, s.mean_high)
                    )
                },
            );
            GroupTrendPoint { visit: m.visit, on: m.on, n: m.values.len(), spread, words }
        };
        shown.push(GroupTrend { protocol: column.protocol.id.clone(), quantity: column.key.clone(), points: own.map(point).collect() });
    }
    Ok(web::Json(shown))
}
