//! Staged steady state: a load until the heart rate is steady, then the next, until enough is known.

use std::collections::{BTreeMap, BTreeSet};

use super::{
    decision::{Decision, DecisionCode, Due, Taken, Window, disagreement},
    engine::Engine,
    event::{Event, Kind},
    setup::Setup,
    stage::{EARLY_MS, band, doubt, is_open, is_read, minute_ms, stage_input},
    state::{FamilyState, LoadDue, MinuteReading, StageState, StagedState, State, Status},
    taps::TapTrain,
    timeline,
};
use crate::{
    catalogue::{Goal, PhaseKind, Protocol, StageRule},
    estimate::cycle::{self, Load},
    inputs::{StageInput, minute_key},
    pulse::{self, Taps},
    strap::{Trace, WINDOW_S},
    units::rounded,
};

/// Taps from so long before a minute is full are taps for it, ms.
const TAPPED_BEFORE_MS: f64 = 20_000.0;

/// Where the running stage stands.
enum Verdict {
    /// A minute's reading is awaited.
    Waiting(u8),
    /// The last reading is doubted.
    Questioned(String),
    /// Not steady: one more minute.
    More(u8, String),
    /// Two readings agree, or the assessor says so.
    Steady(String),
    /// Not steady by the last minute.
    Unsteady(String),
    /// At or over the ceiling.
    Ceiling(f64),
}

/// The engine of the family.
pub(super) struct Staged<'a> {
    protocol: &'a Protocol,
    rule: &'a StageRule,
    setup: &'a Setup,
    /// The last minute the assessor asked for, by stage.
    wanted: BTreeMap<u8, u8>,
    /// Stages the assessor takes as steady.
    accepted: BTreeSet<u8>,
    /// Readings the assessor stands by.
    confirmed: Vec<(u8, u8)>,
    taps: TapTrain,
    of: StagedState,
}

impl<'a> Staged<'a> {
    pub(super) fn new(rule: &'a StageRule, protocol: &'a Protocol, setup: &'a Setup) -> Self {
        let of = StagedState { band: band(protocol, rule, setup), ..StagedState::default() };
        let (wanted, accepted, confirmed, taps) = Default::default();
        Self { protocol, rule, setup, wanted, accepted, confirmed, taps, of }
    }

    /// How many minutes a stage has unless it is prolonged.
    fn planned_minutes(&self) -> u8 {
        self.rule.read_at.last().copied().unwrap_or_default()
    }

    fn open(&mut self, number: u8, load: Option<Load>, start_ms: f64) {
        self.of.stages.push(StageState {
            number,
            load,
            start_ms,
            end_ms: None,
            planned_end_ms: start_ms + minute_ms(self.planned_minutes()),
            readings: Vec::new(),
            steady: None,
            counts: false,
            bpm: None,
        });
    }

    fn set_load(&mut self, state: &mut State, event: &Event, at: f64, stage: u8, kgm_min: f64, reason: Option<&str>) {
        let Some(rule) = &self.rule.load else { return };
        let load = Load::at(kgm_min, rule.rpm);
        let current = self.of.stages.last().map_or(0, |s| s.number);
        let planned = self.planned_minutes();
        if stage == current
            && let Some(open) = self.of.stages.last_mut().filter(|s| s.readings.is_empty())
        {
            open.load = Some(load);
            open.start_ms = open.start_ms.max(at);
            open.planned_end_ms = open.start_ms + minute_ms(planned);
        } else if stage == current + 1 && self.of.stages.last().is_some_and(|s| at >= s.start_ms) {
            if let Some(reason) = reason {
                overrule(state, &format!("{} instead: {reason}", load.words()));
            }
            if let Some(before) = self.of.stages.last_mut() {
                before.end_ms = Some(at);
            }
            self.open(stage, Some(load), at);
        } else {
            return;
        }
        state.can_undo(event, &format!("the load of stage {stage}"));
    }

    /// What was tapped for a minute of the running stage: taps that began in its window or later.
    fn tapped(&self, minute: u8) -> Option<Taps> {
        let due = self.of.stages.last()?.start_ms + minute_ms(minute);
        self.taps.latest(due - TAPPED_BEFORE_MS)
    }

    fn read(&mut self, minute: u8, bpm: f64, at: f64, taken: Taken) {
        let Some(k) = self.of.stages.len().checked_sub(1) else { return };
        let due = self.of.stages[k].start_ms + minute_ms(minute);
        if at < due - EARLY_MS || !is_read(self.protocol, minute) {
            return;
        }
        let apart = match taken {
            Taken::Counted { .. } => disagreement(bpm, self.tapped(minute).as_ref()),
            _ => None,
        };
        let question = apart.or_else(|| doubt(&self.of.stages, minute, bpm, self.hr_max()));
        let readings = &mut self.of.stages[k].readings;
        readings.retain(|r| r.minute != minute);
        readings.push(MinuteReading { minute, at_ms: due, bpm, taken, question });
        readings.sort_by_key(|r| r.minute);
    }

    /// The strap reads each minute that is full and still open.
    fn read_strap(&mut self, state: &mut State, at: f64, trace: &Trace) {
        while let Some(Verdict::Waiting(minute) | Verdict::More(minute, _)) = self.verdict() {
            let Some(stage) = self.of.stages.last() else { return };
            let full = |m: u8| stage.start_ms + minute_ms(m);
            let until = self.rule.until_minute.max(minute);
            let heard = (minute..=until).take_while(|m| full(*m) <= at).find_map(|m| Some((m, trace.reading(full(m))?)));
            let Some((minute, bpm)) = heard else { return };
            self.read(minute, bpm, at, Taken::Strap);
            self.judge(state, at);
        }
    }

    fn hr_max(&self) -> Option<f64> {
        self.setup.hr_max_method(self.protocol).of(&self.setup.facts()).ok()
    }

    fn verdict(&self) -> Option<Verdict> {
        let (rule, stage) = (self.rule, self.of.stages.last()?);
        let first = rule.read_at.first().copied().unwrap_or(1);
        let Some(last) = stage.readings.last() else { return Some(Verdict::Waiting(first)) };
        let doubt = |r: &&MinuteReading| r.question.is_some() && !self.confirmed.contains(&(stage.number, r.minute));
        if let Some(doubted) = stage.readings.iter().find(doubt) {
            return doubted.question.clone().map(Verdict::Questioned);
        }
        if matches!(rule.goal, Goal::Line { .. }) && self.of.band.as_ref().is_some_and(|b| last.bpm >= b.high) {
            return Some(Verdict::Ceiling(last.bpm));
        }
        // The last two, where they are a minute apart.
        let pair = match stage.readings.as_slice() {
            [.., a, b] if a.minute + 1 == b.minute => Some((a.bpm, b.bpm)),
            _ => None,
        };
        let said = pair.map_or_else(|| rounded(last.bpm, 0), |(a, b)| format!("{}, then {}", rounded(a, 0), rounded(b, 0)));
        if let Some(wanted) = self.wanted.get(&stage.number).filter(|w| **w > last.minute) {
            return Some(Verdict::Waiting(*wanted));
        }
        if self.accepted.contains(&stage.number) {
            return Some(Verdict::Steady(said));
        }
        if let Some(next) = rule.read_at.iter().find(|m| **m > last.minute) {
            return Some(Verdict::Waiting(*next));
        }
        Some(match pair.map(|(a, b)| (b - a).abs()) {
            Some(apart) if apart <= rule.agree_within_bpm => Verdict::Steady(said),
            Some(apart) if last.minute < rule.until_minute => {
                Verdict::More(last.minute + 1, format!("{said}: {} apart, not steady. One more minute.", rounded(apart, 0)))
            }
            None if last.minute < rule.until_minute => {
                Verdict::More(last.minute + 1, format!("{said} alone: a minute was missed, so one more is needed for two in a row."))
            }
            _ => Verdict::Unsteady(format!("{said}: not steady by minute {}", last.minute)),
        })
    }

    /// Takes the decisions that follow from the running stage.
    fn judge(&mut self, state: &mut State, at: f64) {
        let (rule, Some(verdict)) = (self.rule, self.verdict()) else { return };
        let Some(k) = self.of.stages.len().checked_sub(1) else { return };
        let number = self.of.stages[k].number;
        (self.of.load_due, state.over_ms) = (None, None);
        self.of.stages[k].steady = None;
        self.of.stages[k].counts = false;
        self.of.stages[k].bpm = None;
        let last = self.of.stages[k].readings.last().map_or(0.0, |r| r.bpm);
        match verdict {
            Verdict::Waiting(minute) => {
                self.plan(minute);
                if let Some(read) = self.of.stages[k].readings.last() {
                    let line = format!("{} at minute {}. The next reading is at minute {minute}.", rounded(read.bpm, 0), read.minute);
                    decide(state, DecisionCode::ReadingNoted, at, line);
                }
            }
            Verdict::Questioned(why) => {
                decide(state, DecisionCode::ReadingQuestioned, at, format!("{why} Type it again, or keep it."));
            }
            Verdict::More(minute, line) => {
                self.plan(minute);
                decide(state, DecisionCode::OneMoreMinute, at, line);
            }
            Verdict::Ceiling(bpm) => {
                let band = self.of.band.clone();
                let (ceiling, because) = band.map_or_else(Default::default, |b| (rounded(b.high, 0), b.because));
                self.of.stages[k].bpm = Some(bpm);
                let line = format!("{} has reached the ceiling of {ceiling} ({because}): the test ends here.", rounded(bpm, 0));
                decide(state, DecisionCode::CeilingReached, at, line);
                state.over_ms = Some(at);
            }
            Verdict::Steady(said) => {
                self.of.stages[k].steady = Some(true);
                self.settled(state, rule, number, &said, last, at);
            }
            Verdict::Unsteady(said) => {
                self.of.stages[k].steady = Some(false);
                self.of.stages[k].bpm = Some(last);
                match rule.goal {
                    Goal::Band { .. } => {
                        let line = format!("{said}: no steady state. The result is kept and flagged.");
                        decide(state, DecisionCode::NoSteadyState, at, line);
                        state.over_ms = Some(at);
                    }
                    Goal::Line { .. } => {
                        let next = self.next_load(number, last, false);
                        decide(
                            state,
                            DecisionCode::NoSteadyState,
                            at,
                            format!("{said}: no steady state; the stage is kept and flagged. {next}"),
                        );
                    }
                }
            }
        }
    }

    /// A stage that settled: does it count, is the test complete, what comes next?
    fn settled(&mut self, state: &mut State, rule: &StageRule, number: u8, said: &str, last: f64, at: f64) {
        let k = self.of.stages.len() - 1;
        let whole = |bpm: f64| rounded(bpm, 0);
        match rule.goal {
            Goal::Line { from_bpm, .. } if last < from_bpm => {
                self.of.stages[k].bpm = Some(last);
                let next = self.next_load(number, last, false);
                let line = format!(
                    "{said}: steady, but below {} the stroke volume still rises, so stage {number} does not count. {next}",
                    whole(from_bpm)
                );
                decide(state, DecisionCode::StageTooLow, at, line);
            }
            Goal::Line { from_bpm, stages } => {
                self.of.stages[k].bpm = Some(last);
                self.of.stages[k].counts = true;
                let in_a_row = self.of.stages.iter().rev().take_while(|s| s.counts).count();
                if in_a_row >= usize::from(stages) {
                    let high = self.of.band.as_ref().map_or_else(String::new, |b| whole(b.high));
                    let line =
                        format!("{said}: steady. Two stages in a row stand between {} and {high}: the test is complete.", whole(from_bpm));
                    decide(state, DecisionCode::Complete, at, line);
                    state.over_ms = Some(at);
                } else {
                    let next = self.next_load(number, last, false);
                    let line = format!("{said}: steady, and above {}: stage {number} counts. {next}", whole(from_bpm));
                    decide(state, DecisionCode::StageCounts, at, line);
                }
            }
            Goal::Band { low, high } => {
                let readings = &self.of.stages[k].readings;
                let pair: Vec<f64> = readings.iter().rev().take(2).map(|r| r.bpm).collect();
                let mean = pair.iter().sum::<f64>() / pair.len().max(1) as f64;
                self.of.stages[k].bpm = Some(mean);
                let shown = rounded(mean, 1);
                if mean < low && rule.load.is_some() {
                    let next = self.next_load(number, mean, true);
                    let line = format!("{said}: steady, but the mean of {shown} is under {}. {next}", whole(low));
                    decide(state, DecisionCode::HeavierOffered, at, line);
                } else if mean < low {
                    let line = format!(
                        "{said}: steady, but the mean of {shown} is under {}: the work was light. The result is flagged.",
                        whole(low)
                    );
                    decide(state, DecisionCode::StageTooLow, at, line);
                    state.over_ms = Some(at);
                } else if mean > high {
                    let line = format!("{said}: the mean of {shown} is over {}: stop here. The result is kept and flagged.", whole(high));
                    decide(state, DecisionCode::TooHigh, at, line);
                    state.over_ms = Some(at);
                } else {
                    self.of.stages[k].counts = true;
                    let line = format!(
                        "{said}: steady, and the mean of {shown} lies between {} and {}: the test is complete.",
                        whole(low),
                        whole(high)
                    );
                    decide(state, DecisionCode::Complete, at, line);
                    state.over_ms = Some(at);
                }
            }
        }
    }

    /// Asks for the next load and says why it is that one.
    fn next_load(&mut self, number: u8, bpm: f64, optional: bool) -> String {
        let Some(rule) = &self.rule.load else { return String::new() };
        let now = self.of.stages.last().and_then(|s| s.load).map_or(0.0, |l| l.kgm_min);
        let (next, because) = rule.next(usize::from(number), now, bpm);
        let decided = Load::at(next, rule.rpm);
        let lighter = next - rule.step_kgm_min;
        let choices: Vec<Load> =
            [lighter, next, next + rule.step_kgm_min].into_iter().filter(|l| *l > 0.0).map(|l| Load::at(l, rule.rpm)).collect();
        self.of.load_due = Some(LoadDue { stage: number + 1, decided, choices, optional });
        match (optional, because.as_str()) {
            (true, _) => {
                format!("A heavier load and {} more minutes: {}.", self.planned_minutes(), decided.words())
            }
            (false, "") => format!("Next {}: {} more.", decided.words(), rounded(rule.step_kgm_min, 0)),
            (false, why) => format!("Next {}, because {} {why}.", decided.words(), rounded(bpm, 0)),
        }
    }

    fn plan(&mut self, minute: u8) {
        let minutes = minute.max(self.planned_minutes());
        if let Some(stage) = self.of.stages.last_mut() {
            stage.planned_end_ms = stage.start_ms + minute_ms(minutes);
        }
    }

    fn dues(&self, state: &State, rule: &StageRule) -> Vec<Due> {
        let mut dues = Vec::new();
        for stage in &self.of.stages {
            let mut minutes: Vec<u8> = stage.readings.iter().map(|r| r.minute).collect();
            if is_open(state, stage) {
                let last = minutes.last().copied().unwrap_or(0);
                minutes.extend(rule.read_at.iter().filter(|m| **m > last));
                match self.verdict() {
                    Some(Verdict::Waiting(minute) | Verdict::More(minute, _)) if !minutes.contains(&minute) => minutes.push(minute),
                    _ => {}
                }
            }
            dues.extend(minutes.into_iter().map(|minute| self.due(state, stage, minute)));
        }
        dues
    }

    /// The minutes of the running stage beyond those that are asked for.
    fn later(&self, state: &State, rule: &StageRule) -> Vec<Due> {
        let Some(stage) = self.of.stages.last().filter(|s| is_open(state, s)) else { return Vec::new() };
        let asked = state.dues.last().map_or(0, |d| d.minute);
        (asked + 1..=rule.until_minute).map(|minute| self.due(state, stage, minute)).collect()
    }

    fn due(&self, state: &State, stage: &StageState, minute: u8) -> Due {
        let reading = stage.readings.iter().find(|r| r.minute == minute);
        let at_ms = stage.start_ms + minute_ms(minute);
        Due {
            stage: stage.number,
            minute,
            key: minute_key(minute).unwrap_or_default().to_owned(),
            label: format!("Heart rate, minute {minute}"),
            unit: "bpm".into(),
            from_ms: at_ms,
            at_ms,
            value: reading.map(|r| r.bpm),
            suggested: None,
            usual: None,
            question: reading.filter(|r| !self.confirmed.contains(&(stage.number, r.minute))).and_then(|r| r.question.clone()),
            window: Some(Window::beginning(at_ms - WINDOW_S * 1000.0)),
            tapped: self.tapped(minute).filter(|_| is_open(state, stage) && reading.is_none()),
        }
    }
}

impl Engine for Staged<'_> {
    /// The clock starts: the first stage begins with the work.
    fn begin(&mut self, state: &mut State) {
        let start = state.timeline.phase(PhaseKind::Work).map_or(0.0, |p| p.start_ms);
        let load = self.rule.load.as_ref().map(|rule| {
            let usual = rule.first_for(self.setup.sex, self.setup.conditioned()).first().copied().unwrap_or_default();
            Load::at(self.setup.first_load.unwrap_or(usual), rule.rpm)
        });
        self.open(1, load, start);
    }

    fn apply(&mut self, state: &mut State, event: &Event, at: f64, trace: &Trace) {
        if state.status != Status::Running {
            return;
        }
        let current = self.of.stages.last().map_or(0, |s| s.number);
        match &event.kind {
            Kind::HeartRateRead { stage, minute, bpm } if *stage == current => {
                self.read(*minute, *bpm, at, Taken::Typed);
                state.can_undo(event, &format!("{} bpm at minute {minute}", rounded(*bpm, 0)));
            }
            Kind::HeartRateCounted { stage, minute, count, window_s } if *stage == current => {
                let Ok(bpm) = pulse::rate(*count, *window_s) else { return };
                self.read(*minute, bpm.value(), at, Taken::Counted { count: *count, window_s: *window_s });
                state.can_undo(event, &format!("the count of {} at minute {minute}", rounded(*count, 1)));
            }
            Kind::HeartRateTapped { stage, minute } if *stage == current => {
                let Some(bpm) = self.tapped(*minute).and_then(|t| t.bpm) else { return };
                self.read(*minute, bpm.round(), at, Taken::Tapped);
                state.can_undo(event, &format!("the taps at minute {minute}"));
            }
            Kind::Tap => {
                self.taps.tap(event, at);
                return;
            }
            Kind::HeartRateConfirmed { stage, minute } if *stage == current => self.confirmed.push((*stage, *minute)),
            Kind::StrapHeard { .. } => {
                self.read_strap(state, at, trace);
                return;
            }
            Kind::LoadSet { stage, kgm_min, reason } => self.set_load(state, event, at, *stage, *kgm_min, reason.as_deref()),
            Kind::MinuteAdded { stage, reason } if *stage == current => {
                let last = self.of.stages.last().and_then(|s| s.readings.last()).map_or(0, |r| r.minute);
                self.wanted.insert(*stage, last + 1);
                overrule(state, &format!("one more minute all the same: {reason}"));
                state.can_undo(event, "the added minute");
            }
            Kind::StageAccepted { stage, reason } if *stage == current => {
                self.accepted.insert(*stage);
                overrule(state, &format!("taken as steady: {reason}"));
                state.can_undo(event, "taking the stage as steady");
            }
            _ => return,
        }
        self.judge(state, at);
    }

    /// Works out what screens draw: dues, line, timeline.
    fn settle(&mut self, state: &mut State, _: Option<f64>) {
        let rule = self.rule;
        state.decision = state.decisions.last().cloned();
        state.can_finish = self.has_result(state);
        state.dues = self.dues(state, rule);
        state.later = self.later(state, rule);
        if state.status == Status::Stopped {
            self.of.load_due = None;
        }
        let step = rule.load.as_ref().zip(self.of.stages.last().and_then(|s| s.load));
        self.of.heavier = step.map(|(rule, load)| Load::at(load.kgm_min + rule.step_kgm_min, rule.rpm));
        state.timeline = timeline::staged(self.protocol, self.setup, &self.of.stages, state);
        if let Goal::Line { from_bpm, .. } = rule.goal
            && let Some(band) = &self.of.band
        {
            let judged: Vec<StageInput> = self.of.stages.iter().filter(|s| s.bpm.is_some()).map(stage_input).collect();
            self.of.line =
                cycle::stage_line(&judged, &self.setup.facts(), self.setup.hr_max_method(self.protocol), from_bpm, band.high).ok();
        }
    }

    /// Enough for a result: a stage that was judged, or whatever was read when the work was stopped.
    fn has_result(&self, state: &State) -> bool {
        let judged = self.of.stages.iter().any(|s| s.bpm.is_some());
        match state.status {
            Status::Stopped => judged,
            _ => judged && (state.over_ms.is_some() || self.of.load_due.as_ref().is_some_and(|l| l.optional)),
        }
    }

    fn hand_over(self: Box<Self>) -> FamilyState {
        FamilyState::Staged(self.of)
    }
}

fn decide(state: &mut State, code: DecisionCode, at_ms: f64, because: String) {
    if state.decisions.last().is_none_or(|d| d.because != because || d.overruled.is_some()) {
        state.decisions.push(Decision::new(code, at_ms, because));
    }
}

/// Writes what the assessor decided instead onto the decision that stood.
fn overrule(state: &mut State, instead: &str) {
    if let Some(standing) = state.decisions.last_mut() {
        standing.overruled = Some(instead.to_owned());
    }
}
