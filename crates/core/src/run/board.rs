//! Many on one clock: a tile for each, what a tap on it says, times that nobody's name stands at yet. Nothing is decided here that the
//! test of one does not decide.

use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use uuid::Uuid;

use super::{
    event::{Event, Kind, StopReason, in_order},
    grid::Heard,
    setup::Setup,
    state::{BeepState, Ended, FamilyState, State, Status},
};
use crate::{
    attempts::Take,
    beeps::called_out,
    catalogue::{Procedure, Protocol, Usual},
    quantity::{self, Better},
    units::rounded,
};

/// What a tap on a tile says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum BoardKind {
    /// One start: over the finish line. A lap first, where the distance has laps.
    Finish,
    /// One lap more, until the time is up.
    Laps,
    /// A start again and again: over the line, once for each start.
    Lanes,
    /// One repetition more.
    Count,
    /// A beat went by without a repetition.
    Beat,
    /// The position was lost.
    Hold,
    /// A line was not reached by its beep.
    Line,
}

/// Many on one clock.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Board {
    pub kind: BoardKind,
    /// Everybody, in the order of the slots.
    pub tiles: Vec<Tile>,
    /// Times that were keyed and nobody's name stands at yet, the earliest first.
    pub times: Vec<KeyedTime>,
}

/// A time without a name.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct KeyedTime {
    /// The event that keyed it.
    pub event: Uuid,
    /// ms of the run's clock.
    pub at_ms: f64,
    /// From the common start, as it is shown.
    pub shown: String,
}

/// Where somebody stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum TileStand {
    /// The clock was not started.
    Waiting,
    Going,
    /// Finished, lost the position, or the count has ended.
    Done,
    /// Stopped early: what was done is kept, and it is no score.
    Out,
}

/// One of many.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tile {
    pub slot: u16,
    pub stand: TileStand,
    /// What it comes to so far, with its unit.
    pub shown: Option<String>,
    /// What is to be said of it: a missed beat, why somebody is out.
    pub note: Option<String>,
    /// What it came to last time, with its unit.
    pub last: Option<String>,
    /// Whether it is better than last time.
    pub better: bool,
    /// Who finished where; those with one time share a place.
    pub place: Option<u16>,
    /// The judged beep that was missed last, where a made line clears it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub missed: Option<u32>,
    /// From which judged beep on they are further than last time.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub past: Option<u32>,
    /// When this one set off, ms of the run's clock.
    pub since_ms: f64,
    /// Laps, repetitions or starts that were finished.
    pub done: u16,
    /// How many there are, where that is known.
    pub of: Option<u16>,
    /// The number that is typed for this one.
    pub entry: Option<Entry>,
    /// Whether it can be saved.
    pub complete: bool,
}

/// A number that is typed after the clock.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Entry {
    pub input: String,
    pub side: Option<String>,
    pub label: String,
    pub unit: String,
    pub usual: Option<Usual>,
    /// It is a reading of a sheet, and not a number that is due after an effort.
    pub reading: bool,
    /// The try that it is, where one was left out before others.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub attempt: Option<u8>,
}

impl Protocol {
    /// What a tap says where many do this test on one clock; nothing where they cannot.
    pub fn board_kind(&self) -> Option<BoardKind> {
        match &self.procedure {
            Procedure::DistanceEffort(_) => Some(BoardKind::Finish),
            Procedure::TimedEffort(course) => course.tally.as_ref().map(|_| BoardKind::Laps),
            Procedure::AudioPaced(_) => Some(BoardKind::Line),
            Procedure::Attempts(attempts) if attempts.legs.len() == 1 => self.board_kind_of(&attempts.legs[0].take),
            _ => None,
        }
    }

    /// Whether a class does it in pairs: one clock for all, and a count for each.
    pub fn is_done_in_pairs(&self) -> bool {
        self.people_at_once > 1 && self.family().runs_live() && self.board_kind().is_none()
    }

    /// The same of a test of one leg.
    fn board_kind_of(&self, take: &Take) -> Option<BoardKind> {
        match take {
            Take::Watch { inputs, laps: false, .. } => {
                let [input] = inputs.as_slice() else { return None };
                let input = self.input(input).filter(|i| i.sides.is_empty())?;
                // The longer the better: a position that is held.
                if quantity::better(self.headline()) == Some(Better::More) {
                    return Some(BoardKind::Hold);
                }
                input.tries.is_none().then_some(BoardKind::Finish)
            }
            Take::Starts { .. } => Some(BoardKind::Lanes),
            Take::Count { heavier: None, fills: None, missed_beats: Some(_), .. } => Some(BoardKind::Beat),
            Take::Count { heavier: None, fills: None, seconds, .. } => {
                let is_sided = take.inputs().iter().any(|key| self.input(key).is_some_and(|i| !i.sides.is_empty()));
                let is_timed = seconds.is_some() || self.phases.iter().any(|p| p.seconds.is_some());
                (is_timed && !is_sided).then_some(BoardKind::Count)
            }
            Take::Hold { .. } => Some(BoardKind::Hold),
            _ => None,
        }
    }
}

/// The board of those who do a test on one clock.
pub fn board(protocol: &Protocol, performers: &[(u16, &Setup, &State)], events: &[Event]) -> Option<Board> {
    let kind = match protocol.board_kind()? {
        // Only who is counted to a beat misses one.
        BoardKind::Beat if performers.iter().all(|(_, setup, _)| protocol.beat(&setup.conditions).is_none()) => BoardKind::Count,
        kind => kind,
    };
    let mut tiles: Vec<Tile> = performers.iter().map(|(slot, setup, state)| tile(protocol, kind, *slot, setup, state)).collect();
    let start = performers.iter().find_map(|(_, _, state)| state.started_at);
    let times = start.map(|start| keyed(events, start, performers)).unwrap_or_default();
    if kind == BoardKind::Finish {
        let starts: Vec<f64> = performers.iter().map(|(_, _, state)| start_ms(state)).collect();
        let is_staggered = starts.windows(2).any(|two| (two[0] - two[1]).abs() > f64::EPSILON);
        let own: Vec<Option<f64>> = performers.iter().map(|(_, _, state)| finished_s(state)).collect();
        // A time without a name is somebody's too. Where not all set off together nobody knows how long that one took.
        let nameless = times.iter().map(|t| (t.at_ms - starts.first().copied().unwrap_or_default()) / 1000.0);
        let all: Vec<f64> = own.iter().copied().flatten().chain(nameless).collect();
        for (tile, own) in tiles.iter_mut().zip(&own).filter(|_| times.is_empty() || !is_staggered) {
            let Some(own) = own else { continue };
            let before = all.iter().filter(|t| **t < *own - f64::EPSILON).count();
            tile.place = u16::try_from(before + 1).ok();
        }
    }
    Some(Board { kind, tiles, times })
}

/// How long somebody took for the whole of it, s.
fn finished_s(state: &State) -> Option<f64> {
    match &state.of {
        FamilyState::Effort(of) => Some((of.end_ms? - of.start_ms) / 1000.0),
        FamilyState::Sheet(of) => of.rows.first()?.cells.last().filter(|c| c.counts)?.value.number(),
        _ => None,
    }
}

/// Times that were keyed and are nobody's: neither named nor taken back.
fn keyed(events: &[Event], start: chrono::DateTime<chrono::Utc>, performers: &[(u16, &Setup, &State)]) -> Vec<KeyedTime> {
    let undone: HashSet<Uuid> =
        events.iter().filter_map(|e| if let Kind::Undone { event } = &e.kind { Some(*event) } else { None }).collect();
    let stands = |e: &&Event| !undone.contains(&e.id);
    let named: HashSet<Uuid> = events
        .iter()
        .filter(stands)
        .filter(|e| e.slot.is_some_and(|slot| performers.iter().any(|(s, ..)| *s == slot)))
        .filter_map(|e| if let Kind::Named { time } = &e.kind { Some(*time) } else { None })
        .collect();
    let from = performers.first().map_or(0.0, |(_, _, state)| start_ms(state));
    in_order(events.iter().filter(stands).filter(|e| e.kind == Kind::TimeKeyed && !named.contains(&e.id)))
        .into_iter()
        .map(|e| {
            let at_ms = (e.wall - start).num_milliseconds() as f64;
            KeyedTime { event: e.id, at_ms, shown: clock(((at_ms - from) / 100.0).round() / 10.0) }
        })
        .collect()
}

/// A time of a race: `5:12.3`.
fn clock(seconds: f64) -> String {
    let tenths = (seconds * 10.0).round().max(0.0) as u64;
    format!("{}:{:02}.{}", tenths / 600, tenths / 10 % 60, tenths % 10)
}

fn start_ms(state: &State) -> f64 {
    state.set_off_ms.unwrap_or_else(|| match &state.of {
        FamilyState::Effort(of) => of.start_ms,
        FamilyState::Held(of) => of.start_ms,
        _ => state.timeline.phase(crate::catalogue::PhaseKind::Work).map_or(0.0, |w| w.start_ms),
    })
}

fn tile(protocol: &Protocol, kind: BoardKind, slot: u16, setup: &Setup, state: &State) -> Tile {
    let heard = Heard::of(protocol, setup, &state.read(protocol));
    let count = |n: usize| u16::try_from(n).unwrap_or(u16::MAX);
    let (mut done, mut of, mut shown, mut note, mut is_done) = (0, None, heard.now.clone(), None, state.can_finish);
    match (&state.of, kind) {
        (FamilyState::Effort(effort), _) => {
            done = count(effort.tallies_ms.len());
            of = effort.of_m.zip(effort.lap_m).map(|(whole, lap)| (whole / lap).ceil().clamp(1.0, 999.0) as u16);
            is_done = effort.end_ms.is_some() || (kind == BoardKind::Laps && state.can_finish);
            let counts_laps = done > 0 || kind == BoardKind::Laps;
            if counts_laps && (shown.is_none() || kind == BoardKind::Laps && !state.can_finish) {
                let far = effort.distance_m.map(|m| format!(", {} m", rounded(m, 1))).unwrap_or_default();
                shown = Some(format!("{}{far}", laps(done, of)));
            }
        }
        (FamilyState::Beeps(of), _) => {
            is_done = of.ended.is_some();
            shown = of.ended.as_ref().map(|e| scored(protocol, e));
            note = line_note(of);
        }
        (FamilyState::Held(held), _) => is_done = held.over_ms().is_some() || held.is_zero,
        (FamilyState::Sheet(sheet), BoardKind::Lanes) => {
            let cells = sheet.rows.first().map(|r| &r.cells[..]).unwrap_or_default();
            (done, of) = (count(cells.iter().filter(|c| c.counts).count()), Some(count(sheet.starts_ms.len())));
            let last = cells.last().filter(|c| c.counts).and_then(|c| c.value.number());
            note = last.map(|s| format!("no. {}: {}", cells.len(), quantity::with_unit("time_s", s)));
            is_done = of == Some(done);
        }
        (FamilyState::Sheet(sheet), BoardKind::Hold) => is_done = sheet.rows.first().is_some_and(|r| !r.cells.is_empty()),
        (FamilyState::Sheet(sheet), _) => {
            let counted = sheet.rows.iter().filter_map(|r| r.cells.last()?.value.number()).sum::<f64>();
            if matches!(kind, BoardKind::Count | BoardKind::Beat) {
                done = counted.clamp(0.0, f64::from(u16::MAX)) as u16;
                shown = Some(rounded(counted, 1));
                is_done = sheet.beats.as_ref().is_some_and(|b| b.over_ms.is_some());
            }
            note = sheet.beats.as_ref().and_then(|b| match (b.over_ms, b.missed) {
                (Some(_), _) => Some(format!("{} missed in a row: over", b.most)),
                (None, 0) => None,
                (None, 1) => Some("missed one".to_owned()),
                (None, n) => Some(format!("missed {n}")),
            });
        }
        _ => {}
    }
    if let (BoardKind::Finish, Some(seconds)) = (kind, finished_s(state)) {
        shown = Some(clock(seconds));
    }
    let stand = match state.status {
        Status::Stopped | Status::FinishedEarly | Status::Discarded => TileStand::Out,
        _ if is_done => TileStand::Done,
        Status::Ready => TileStand::Waiting,
        _ => TileStand::Going,
    };
    if stand == TileStand::Out {
        note = Some(state.stop_reason.map_or_else(|| "stopped".to_owned(), |r| format!("out: {}", r.words())));
    }
    let said = stand != TileStand::Out;
    Tile {
        slot,
        stand,
        shown: shown.filter(|_| said && state.started_at.is_some()),
        note,
        better: said && is_done && heard.better,
        last: heard.last,
        place: None,
        missed: state.beeps().filter(|of| of.clears && of.ended.is_none()).and_then(|of| of.misses.last().copied()),
        past: state.beeps().filter(|of| of.ended.is_none()).and_then(|of| of.past),
        since_ms: start_ms(state),
        done,
        of,
        entry: entry(protocol, kind, state),
        complete: state.can_finish,
    }
}

/// The score of a runner as it is written: level and shuttle, a distance, a speed.
fn scored(protocol: &Protocol, ended: &Ended) -> String {
    let far = quantity::with_unit("distance_m", ended.distance_m);
    match (ended.values.get("level"), ended.values.get("shuttle")) {
        _ if protocol.scored("distance_m").is_some_and(|s| !s.in_detail) => far,
        (Some(level), Some(shuttle)) => format!("{} · {far}", called_out(*level, *shuttle)),
        _ => quantity::with_unit("speed_kmh", ended.speed_kmh),
    }
}

/// Why a runner stopped, short enough for a tile.
fn left_note(reason: StopReason) -> String {
    match reason {
        StopReason::Volitional => "stopped by choice".to_owned(),
        _ => format!("stopped: {}", reason.words()),
    }
}

/// What is to be said of a runner.
fn line_note(of: &BeepState) -> Option<String> {
    let late = of.joined.map(|_| "started late".to_owned());
    match &of.ended {
        Some(ended) => {
            let missed = match (of.clears, of.misses.len()) {
                (_, 0 | 1) => None,
                (true, _) => Some("two in a row".to_owned()),
                (false, _) => Some("two misses".to_owned()),
            };
            ended.left.map(left_note).or(late).or(missed)
        }
        None if !of.clears && !of.misses.is_empty() => Some("one miss".to_owned()),
        None => late,
    }
}

fn laps(done: u16, of: Option<u16>) -> String {
    let word = if done == 1 && of.is_none() { "lap" } else { "laps" };
    of.map_or_else(|| format!("{done} {word}"), |of| format!("{done} of {of} laps"))
}

/// The number that is typed for somebody: what is due after the effort, the count, the time of a second stopwatch.
fn entry(protocol: &Protocol, kind: BoardKind, state: &State) -> Option<Entry> {
    if let Some(due) = state.effort().and(state.dues.iter().find(|d| d.value.is_none()).or(state.dues.last())) {
        return Some(Entry {
            input: due.key.clone(),
            side: None,
            label: due.label.clone(),
            unit: due.unit.clone(),
            usual: due.usual,
            reading: false,
            attempt: None,
        });
    }
    let sheet = state.sheet()?;
    let row = sheet.next.and_then(|k| sheet.rows.get(k)).or(sheet.rows.first())?;
    let input = protocol.input(&row.input)?;
    let one = Entry {
        input: row.input.clone(),
        side: row.side.clone(),
        label: input.label.clone(),
        unit: row.unit.clone(),
        usual: row.usual,
        reading: true,
        attempt: None,
    };
    if kind != BoardKind::Lanes {
        return Some(one);
    }
    // A finish that nobody saw is typed when the starts are over: the first that is missing.
    let unseen = (0..row.cells.len()).find(|k| row.is_unseen(*k));
    let start = unseen.unwrap_or(row.cells.len());
    let attempt = unseen.and_then(|k| u8::try_from(k + 1).ok());
    (start < sheet.starts_ms.len()).then(|| Entry { label: format!("Time of start {}", start + 1), attempt, ..one })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue, conditions::Answer, inputs::Value, run::fold_slot};
    use chrono::{DateTime, TimeDelta, Utc};
    use proptest::prelude::*;

    fn at(s: f64) -> DateTime<Utc> {
        "2026-11-29T10:00:00Z".parse::<DateTime<Utc>>().unwrap() + TimeDelta::milliseconds((s * 1000.0) as i64)
    }

    struct Track {
        protocol: &'static Protocol,
        setup: Setup,
        slots: u16,
        events: Vec<Event>,
    }

    impl Track {
        fn of(id: &str, slots: u16, conditions: &[(&str, Answer)]) -> Self {
            let conditions = conditions.iter().map(|(k, a)| ((*k).to_owned(), a.clone())).collect();
            Self {
                protocol: catalogue::find(id).unwrap(),
                setup: Setup { conditions, together: true, ..Setup::default() },
                slots,
                events: Vec::new(),
            }
        }
        fn say(&mut self, s: f64, slot: Option<u16>, kind: Kind) -> Uuid {
            let n = self.events.len() as u128 + 1;
            let event =
                Event { id: Uuid::from_u128(n), device: Uuid::from_u128(1), seq: n as u32, mono_ms: s * 1000.0, wall: at(s), slot, kind };
            self.events.push(event);
            Uuid::from_u128(n)
        }
        fn board(&self) -> Board {
            let states: Vec<State> = (0..self.slots).map(|k| fold_slot(self.protocol, &self.setup, &self.events, k)).collect();
            let each: Vec<(u16, &Setup, &State)> = (0..self.slots).zip(&states).map(|(k, s)| (k, &self.setup, s)).collect();
            board(self.protocol, &each, &self.events).unwrap()
        }
        fn tile(&self, slot: u16) -> Tile {
            self.board().tiles[usize::from(slot)].clone()
        }
    }

    #[test]
    fn which_tests_many_do_on_one_clock() {
        let kind = |id: &str| catalogue::find(id).unwrap().board_kind();
        assert_eq!(kind("shuttle-1200m"), Some(BoardKind::Finish));
        assert_eq!(kind("run-1-5mile"), Some(BoardKind::Finish));
        assert_eq!(kind("run-12min"), Some(BoardKind::Laps));
        assert_eq!(kind("sprint-repeat-10x40s"), Some(BoardKind::Lanes));
        assert_eq!(kind("push-up"), Some(BoardKind::Beat));
        assert_eq!(kind("squat-1min"), Some(BoardKind::Count));
        assert_eq!(kind("chair-stand-30s"), Some(BoardKind::Count));
        assert_eq!(kind("wall-sit"), Some(BoardKind::Hold));
        assert_eq!(kind("vertical-jump"), None);
        assert_eq!(kind("trunk-endurance"), None, "several holds one after the other are no one clock");
    }

    #[test]
    fn names_after_times_and_names_at_the_line_make_one_list() {
        let mut track = Track::of("shuttle-1200m", 3, &[]);
        track.say(0.0, None, Kind::ClockStarted);
        track.say(300.0, Some(1), Kind::Crossed);
        let first = track.say(310.4, None, Kind::TimeKeyed);
        let second = track.say(312.0, None, Kind::TimeKeyed);
        assert_eq!(track.board().times.iter().map(|t| t.shown.as_str()).collect::<Vec<_>>(), ["5:10.4", "5:12.0"]);
        track.say(330.0, Some(2), Kind::Named { time: second });
        // Pressed again for one who has a time: the first stands.
        track.say(331.0, Some(1), Kind::Crossed);
        let board = track.board();
        assert_eq!(board.times.iter().map(|t| t.event).collect::<Vec<_>>(), [first]);
        assert_eq!(
            board.tiles.iter().map(|t| (t.stand, t.place)).collect::<Vec<_>>(),
            [(TileStand::Going, None), (TileStand::Done, Some(1)), (TileStand::Done, Some(3))],
            "who crossed second has no name yet"
        );
        assert_eq!((board.tiles[1].shown.as_deref(), board.tiles[2].shown.as_deref()), (Some("5:00.0"), Some("5:12.0")));
        let wrong = track.say(340.0, Some(0), Kind::Named { time: first });
        track.say(341.0, Some(0), Kind::Undone { event: wrong });
        assert_eq!(track.board().times.len(), 1, "the time is nobody's again");
        track.say(342.0, Some(0), Kind::Named { time: first });
        assert!(track.board().tiles.iter().all(|t| t.complete));
    }

    #[test]
    fn who_sets_off_later_is_timed_from_there_and_who_stops_is_out() {
        let mut track = Track::of("shuttle-1200m", 3, &[]);
        track.say(0.0, None, Kind::ClockStarted);
        track.say(30.0, Some(1), Kind::SetOff);
        track.say(320.0, Some(0), Kind::Crossed);
        track.say(340.0, Some(1), Kind::Crossed);
        track.say(200.0, Some(2), Kind::Stopped);
        track.say(201.0, Some(2), Kind::StopExplained { reason: StopReason::Fatigue, note: None });
        let board = track.board();
        assert_eq!((board.tiles[0].shown.as_deref(), board.tiles[0].place), (Some("5:20.0"), Some(2)));
        assert_eq!((board.tiles[1].shown.as_deref(), board.tiles[1].place), (Some("5:10.0"), Some(1)));
        assert_eq!(
            (board.tiles[2].stand, board.tiles[2].note.as_deref(), board.tiles[2].shown.as_deref()),
            (TileStand::Out, Some("out: fatigue"), None)
        );
        track.say(345.0, None, Kind::TimeKeyed);
        assert!(track.board().tiles.iter().all(|t| t.place.is_none()), "a time without a name may be of either start");
    }

    #[test]
    fn a_finish_before_the_start_or_too_soon_is_none() {
        let mut track = Track::of("shuttle-1200m", 1, &[]);
        track.say(0.0, None, Kind::ClockStarted);
        track.say(60.0, Some(0), Kind::SetOff);
        track.say(62.0, Some(0), Kind::Crossed);
        assert_eq!(track.tile(0).stand, TileStand::Going);
        let mut run = Track::of("run-1-5mile", 1, &[]);
        run.say(0.0, None, Kind::ClockStarted);
        run.say(20.0, Some(0), Kind::Crossed);
        assert_eq!(run.tile(0).stand, TileStand::Going, "nobody runs 2414 m in 15 s");
        run.say(700.0, Some(0), Kind::Crossed);
        assert_eq!((run.tile(0).stand, run.tile(0).place), (TileStand::Done, Some(1)));
    }

    #[test]
    fn laps_count_until_the_time_is_up_and_the_metres_are_typed() {
        let mut track = Track::of("run-12min", 2, &[("lap_m", Answer::Number(400.0))]);
        track.say(0.0, None, Kind::ClockStarted);
        for lap in 1..=5 {
            track.say(10.0 + 100.0 * f64::from(lap), Some(0), Kind::Tallied);
        }
        assert_eq!((track.tile(0).done, track.tile(0).shown.as_deref()), (5, Some("5 laps, 2000 m")));
        assert_eq!(track.tile(1).done, 0);
        let entry = track.tile(0).entry.unwrap();
        assert!(!entry.reading);
    }

    #[test]
    fn a_finish_that_nobody_saw_is_typed_when_the_starts_are_over() {
        let mut track = Track::of("sprint-repeat-10x40s", 2, &[("course_m", Answer::Number(40.0))]);
        track.say(0.0, None, Kind::ClockStarted);
        for start in (0..10).filter(|k| *k != 2 && *k != 9) {
            track.say(10.0 + 40.0 * f64::from(start) + 6.5, Some(0), Kind::Crossed);
        }
        let (tile, entry) = (track.tile(0), track.tile(0).entry.unwrap());
        assert_eq!((tile.done, tile.of, tile.stand, tile.complete), (8, Some(10), TileStand::Going, false));
        assert_eq!((entry.label.as_str(), entry.attempt), ("Time of start 3", Some(3)));
        let typed = |attempt, s: f64| Kind::Taken { input: "time_s".into(), side: None, attempt, value: Value::Number(s) };
        track.say(455.0, Some(0), Kind::Struck { input: "time_s".into(), side: None, attempt: 3 });
        track.say(460.0, Some(0), typed(Some(3), 6.8));
        let entry = track.tile(0).entry.unwrap();
        assert_eq!((entry.label.as_str(), entry.attempt), ("Time of start 10", None));
        track.say(470.0, Some(0), typed(None, 6.9));
        let tile = track.tile(0);
        assert_eq!((tile.done, tile.stand, tile.complete, tile.entry), (10, TileStand::Done, true, None));
        assert!(tile.shown.unwrap().starts_with("1:05.7"), "eight of 6.5, 6.8 and 6.9");
    }

    #[test]
    fn lanes_have_a_time_for_each_start() {
        let mut track = Track::of("sprint-repeat-10x40s", 2, &[]);
        track.say(0.0, None, Kind::ClockStarted);
        for start in 0..10 {
            track.say(10.0 + 40.0 * f64::from(start) + 6.0 + f64::from(start) / 10.0, Some(0), Kind::Crossed);
        }
        assert_eq!((track.tile(0).stand, track.tile(0).done, track.tile(0).of), (TileStand::Done, 10, Some(10)));
        assert_eq!((track.tile(1).stand, track.tile(1).done), (TileStand::Going, 0));
        let mut late = Track::of("sprint-repeat-10x40s", 1, &[]);
        late.say(0.0, None, Kind::ClockStarted);
        late.say(50.3, Some(0), Kind::Crossed);
        assert_eq!((late.tile(0).done, late.tile(0).note), (0, None), "nobody sprints in 0.3 s");
        late.say(56.4, Some(0), Kind::Crossed);
        assert_eq!((late.tile(0).done, late.tile(0).note.as_deref()), (1, Some("no. 2: 6.4 s")));
    }

    #[test]
    fn each_hold_ends_alone() {
        let mut track = Track::of("wall-sit", 2, &[]);
        track.say(0.0, None, Kind::ClockStarted);
        let begin = track.tile(0).since_ms / 1000.0;
        track.say(begin + 41.0, Some(1), Kind::PositionLost);
        assert_eq!((track.tile(0).stand, track.tile(1).stand), (TileStand::Going, TileStand::Done));
        assert_eq!(track.tile(1).shown.as_deref(), Some("41 s"));
    }

    #[test]
    fn three_missed_beats_end_one_count_and_no_other() {
        let mut track = Track::of("push-up", 2, &[("style", Answer::Text("toes".into())), ("pace", Answer::Text("cadence".into()))]);
        track.setup.cadence = crate::units::Cadence::new(40.0).ok();
        track.say(0.0, None, Kind::ClockStarted);
        let kind = track.board().kind;
        let begin = track.tile(0).since_ms / 1000.0;
        for k in 0..3 {
            track.say(begin + 20.0 + f64::from(k), Some(1), Kind::BeatMissed);
        }
        if kind == BoardKind::Beat {
            assert_eq!((track.tile(0).stand, track.tile(1).stand), (TileStand::Going, TileStand::Done));
            assert_eq!(track.tile(1).note.as_deref(), Some("3 missed in a row: over"));
        }
    }

    proptest! {
        /// Whatever the order in which the taps of two devices arrive, the same board comes of them.
        #[test]
        fn two_devices_make_one_board(seed in prop::collection::vec((0u16..4, 1u32..9000, any::<bool>()), 0..30)) {
            let mut track = Track::of("shuttle-1200m", 4, &[]);
            track.say(0.0, None, Kind::ClockStarted);
            let mut keyed = Vec::new();
            for (slot, tenth, tap) in seed {
                let s = f64::from(tenth) / 10.0;
                if tap {
                    track.say(s, Some(slot), Kind::Crossed);
                } else {
                    keyed.push(track.say(s, None, Kind::TimeKeyed));
                    track.say(s + 900.0, Some(slot), Kind::Named { time: *keyed.last().unwrap() });
                }
            }
            for (k, event) in track.events.iter_mut().enumerate() {
                event.device = Uuid::from_u128(k as u128 % 2 + 1);
            }
            let before = track.board();
            track.events.reverse();
            prop_assert_eq!(track.board(), before);
        }
    }
}
