//! Runs to beeps: the schedule on the run's clock, with its pauses; a miss belongs to a judged beep, whoever taps and however often.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};

use super::{
    engine::Engine,
    event::{Answer, Event, Kind, StopReason},
    setup::Setup,
    state::{BeepState, Call, Ended, FamilyState, Piece, State, Status},
    timeline::Tone,
};
use crate::{
    beeps::{BeepKind, BeepMark, Beeps, EARLY_S, MissRule},
    catalogue::{PhaseKind, Protocol, Schedule},
    inputs::Inputs,
    strap::Trace,
    units::rounded,
};

/// After a pause the level begins so long after the key: time to stand at the line, ms. Ours, common practice.
pub const LEAD_MS: f64 = 5_000.0;
/// So long before a start what is called, s. Ours, common practice.
const LEAD: [(f64, &str); 2] = [(5.0, "Five seconds."), (2.0, "Ready.")];

/// Everything a screen draws and sounds of a schedule: it is asked for once, and laid along the pieces that are run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BeepCourse {
    /// In order of time.
    pub marks: Vec<BeepMark>,
    /// What is called, ms of the schedule.
    pub calls: Vec<Call>,
    /// What is called before every start, ms from it: less than nothing.
    pub lead: Vec<Call>,
    /// A miss belongs to its beep from so long before it on, s.
    pub early_s: f64,
    /// Metres from line to line.
    pub leg_m: f64,
    /// A runner within so many metres of the line has made it.
    pub zone_m: f64,
    /// Stages end by the clock, and are called by their speed.
    pub by_clock: bool,
}

impl Setup {
    /// The speed of the first stage, km/h, where it was chosen.
    pub fn start_kmh(&self) -> Option<f64> {
        match self.conditions.get("start_kmh") {
            Some(Answer::Number(n)) => Some(*n),
            Some(Answer::Text(t)) => t.parse().ok(),
            _ => None,
        }
    }

    pub(crate) fn miss_rule(&self) -> MissRule {
        let chosen = self.conditions.get("beep_rule").and_then(|a| if let Answer::Text(t) = a { MissRule::from_key(t) } else { None });
        chosen.unwrap_or(MissRule::Consecutive)
    }
}

/// The schedule of a run to beeps as it sounds under this set-up; nothing where the test has none, or none that begins so.
pub fn course(protocol: &Protocol, setup: &Setup) -> Option<BeepCourse> {
    let schedule = protocol.schedule()?;
    let Beeps { marks, .. } = schedule.beeps(setup.start_kmh()).ok()?;
    let calls = calls(schedule, &marks);
    let (leg_m, by_clock) = (schedule.leg_m(), schedule.run_s.is_some());
    Some(BeepCourse { marks, calls, lead: lead().collect(), early_s: EARLY_S, leg_m, zone_m: schedule.zone_m, by_clock })
}

/// What is called before every start.
fn lead() -> impl Iterator<Item = Call> {
    LEAD.iter().map(|(s, say)| Call { at_ms: -s * 1000.0, say: (*say).to_owned(), tone: Tone::Plain })
}

/// What is called: a level as it begins, the shuttle that a beep ends, where the next stage starts, and that a start is near.
fn calls(schedule: &Schedule, marks: &[BeepMark]) -> Vec<Call> {
    let mut calls = Vec::new();
    let mut say = |at_s: f64, say: String| calls.push(Call { at_ms: at_s * 1000.0, say, tone: Tone::Plain });
    for (k, mark) in marks.iter().enumerate() {
        let next = marks[k + 1..].iter().find(|m| m.kind == BeepKind::Start);
        let begins_level = marks.get(k + 1).is_some_and(|m| m.kind == BeepKind::Stage);
        let level = rounded(mark.level, 1);
        match mark.kind {
            BeepKind::Stage if schedule.run_s.is_some() => say(mark.at_s, format!("{} kilometres an hour.", rounded(mark.speed_kmh, 1))),
            BeepKind::Stage => say(mark.at_s, format!("Level {level}.")),
            BeepKind::Judged if schedule.run_s.is_none() && !begins_level => say(mark.at_s, format!("{level}, {}.", mark.shuttle)),
            BeepKind::Rest if schedule.run_s.is_some() => {
                let to = next.and_then(|n| Some((n.line, n.towards?)));
                let then = to.map_or_else(String::new, |(line, to)| format!(" Walk to line {line}. Next start: {line}, towards {to}."));
                say(mark.at_s, format!("End of stage.{then}"));
            }
            BeepKind::Start if k > 0 => lead().for_each(|c| say(mark.at_s + c.at_ms / 1000.0, c.say)),
            _ => {}
        }
    }
    calls.sort_by(|a, b| a.at_ms.total_cmp(&b.at_ms));
    calls
}

/// Where in the schedule a moment of the run's clock lies, s; of a pause, where it was paused.
pub(crate) fn schedule_s(pieces: &[Piece], at_ms: f64) -> f64 {
    let begun = |p: &&Piece| p.from_ms - EARLY_S * 1000.0 <= at_ms;
    match pieces.iter().rfind(begun) {
        Some(piece) => piece.at_s + (at_ms.min(piece.until_ms.unwrap_or(at_ms)) - piece.from_ms).max(-EARLY_S * 1000.0) / 1000.0,
        None => f64::NEG_INFINITY,
    }
}

/// The engine of the family.
pub(super) struct ToBeeps {
    beeps: Beeps,
    rule: MissRule,
    start_ms: f64,
    misses: BTreeSet<u32>,
    of: BeepState,
}

impl ToBeeps {
    /// Nothing where no level begins at the speed that was chosen.
    pub(super) fn new(schedule: &Schedule, setup: &Setup, state: &State) -> Option<Self> {
        let start_ms = state.timeline.phase(PhaseKind::Work).map_or(0.0, |p| p.start_ms);
        let rule = setup.miss_rule();
        let of = BeepState { from_kmh: setup.start_kmh(), clears: rule == MissRule::Consecutive, ..BeepState::default() };
        let beeps = schedule.beeps(of.from_kmh).ok()?;
        let last = |key: &str| setup.last_values.get(key).copied();
        let further_than = match (last("distance_m"), last("speed_kmh")) {
            (Some(metres), _) => Some((metres, (|m| m.distance_m) as fn(&BeepMark) -> f64)),
            (None, Some(speed)) => Some((speed, (|m| m.speed_kmh) as fn(&BeepMark) -> f64)),
            (None, None) => None,
        };
        let past =
            further_than.and_then(|(value, of)| (1..=beeps.count()).find(|beep| beeps.completed(*beep).is_some_and(|m| of(m) > value)));
        let of = BeepState { past, ..of };
        Some(Self { beeps, rule, start_ms, misses: BTreeSet::new(), of })
    }

    fn schedule_s(&self, at_ms: f64) -> f64 {
        schedule_s(&self.of.pieces, at_ms)
    }

    /// When the whole schedule was run, ms of the run's clock.
    fn over_ms(&self) -> Option<f64> {
        let piece = self.of.pieces.last().filter(|p| p.until_ms.is_none())?;
        Some(piece.from_ms + (self.beeps.beep(self.beeps.count())?.at_s - piece.at_s) * 1000.0)
    }

    fn end(&mut self, at_ms: f64, left: Option<StopReason>, beep: u32) {
        let beep = if self.of.joined.is_some_and(|first| beep < first) { 0 } else { beep };
        let done = self.beeps.completed(beep);
        let values = self.beeps.readings(beep).iter().filter_map(|(k, v)| Some((k.clone(), v.number()?))).collect();
        self.of.ended = Some(Ended {
            at_ms,
            left,
            beep,
            speed_kmh: done.map_or(0.0, |m| m.speed_kmh),
            distance_m: done.map_or(0.0, |m| m.distance_m),
            values,
        });
    }

    fn judge(&mut self, at_ms: f64) {
        if let Some(end) = self.rule.ends_at(&self.misses) {
            self.end(at_ms, None, self.rule.last_before(end));
        }
    }

    fn pause(&mut self, at: f64) {
        if let Some(piece) = self.of.pieces.last_mut().filter(|p| p.until_ms.is_none()) {
            piece.until_ms = Some(at.max(piece.from_ms));
            self.of.paused_ms = Some(at);
            self.of.pauses = self.of.pauses.saturating_add(1);
        }
    }

    /// Goes on with the level that was run, or from the beginning: what was missed of what is run again counts no more.
    fn go_on(&mut self, at: f64, anew: bool) {
        let Some(paused) = self.of.paused_ms.take() else { return };
        let was = self.schedule_s(paused).max(0.0);
        let at_s = if anew { 0.0 } else { self.beeps.level_at(was).map_or(0.0, |m| m.at_s) };
        self.of.pieces.push(Piece { from_ms: at + LEAD_MS, at_s, until_ms: None });
        let first = self.beeps.sounded_before(at_s) + 1;
        let is_out = self.of.ended.as_ref().is_some_and(|e| e.left.is_some() || !anew);
        if is_out {
            return;
        }
        self.of.ended = None;
        self.misses.retain(|beep| *beep < first);
        self.of.joined = self.of.joined.map(|joined| joined.min(first)).filter(|joined| *joined > 1);
    }
}

impl Engine for ToBeeps {
    fn begin(&mut self, _: &mut State) {
        self.of.pieces.push(Piece { from_ms: self.start_ms, at_s: 0.0, until_ms: None });
    }

    fn apply(&mut self, state: &mut State, event: &Event, at: f64, _: &Trace) {
        if state.status != Status::Running {
            return;
        }
        match &event.kind {
            Kind::LineMissed if self.of.ended.is_none() => {
                let first = self.of.joined.unwrap_or(1);
                let Some(beep) = self.beeps.at(self.schedule_s(at)).filter(|beep| *beep >= first) else { return };
                if self.misses.insert(beep) {
                    self.judge(at);
                }
                state.can_undo(event, "the miss");
            }
            Kind::LeftRun { reason } if self.of.ended.is_none() => {
                // A line that was missed and not made up for by the next is not completed.
                let mut beep = self.beeps.sounded(self.schedule_s(at));
                while self.misses.contains(&beep) {
                    beep -= 1;
                }
                self.end(at, Some(*reason), beep);
                state.can_undo(event, "leaving");
            }
            Kind::PutBackIn => {
                let Some(ended) = self.of.ended.take() else { return };
                if let Some(end) = self.rule.ends_at(&self.misses).filter(|_| ended.left.is_none()) {
                    self.misses.remove(&end);
                }
                state.can_undo(event, "back in");
            }
            Kind::SetOff => {
                self.of.ended = None;
                self.misses.clear();
                self.of.joined = Some(self.beeps.sounded(self.schedule_s(at)) + 1).filter(|first| *first > 1);
            }
            Kind::Paused => {
                self.pause(at);
                state.can_undo(event, "the pause");
            }
            Kind::WentOn { anew } => {
                self.go_on(at, *anew);
                state.can_undo(event, "going on");
            }
            _ => {}
        }
    }

    fn settle(&mut self, state: &mut State, now_ms: Option<f64>) {
        self.of.misses = self.misses.iter().copied().collect();
        let over = self.over_ms().filter(|over| now_ms.is_some_and(|now| now >= *over + EARLY_S * 1000.0));
        if let Some(over) = over.filter(|_| self.of.ended.is_none() && state.status == Status::Running) {
            let mut beep = self.beeps.count();
            while self.misses.contains(&beep) {
                beep -= 1;
            }
            self.end(over, None, beep);
        }
        state.over_ms = self.of.ended.as_ref().map(|e| e.at_ms);
        state.can_finish = self.has_result(state);
    }

    fn has_result(&self, state: &State) -> bool {
        self.of.ended.is_some() && state.stopped_ms.is_none()
    }

    fn hand_over(self: Box<Self>) -> FamilyState {
        FamilyState::Beeps(self.of)
    }
}

impl BeepState {
    /// Its circumstances that the run itself records: how it ended, whether it began late, whether it was paused.
    pub(super) fn conditions(&self) -> BTreeMap<&'static str, Answer> {
        let mut found = BTreeMap::new();
        if self.joined.is_some() {
            found.insert("joined_late", Answer::YesNo(true));
        }
        if self.pauses > 0 {
            found.insert("paused", Answer::YesNo(true));
        }
        if let Some(reason) = self.ended.as_ref().and_then(|e| e.left) {
            found.insert("left_because", Answer::Text(reason.words().to_owned()));
        }
        found
    }
}

/// The readings of a run that is over.
pub(super) fn inputs(of: &BeepState) -> Inputs {
    of.ended.iter().flat_map(|e| &e.values).map(|(key, value)| (key.clone(), *value)).collect()
}
