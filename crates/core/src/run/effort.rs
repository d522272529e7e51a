//! Efforts against the clock: as far or as often as possible in a fixed time, or a fixed distance as fast as possible.

use super::{
    decision::{Decision, DecisionCode, Due, Taken, Window, disagreement},
    engine::Engine,
    event::{Answer, Event, Kind},
    setup::Setup,
    state::{EffortState, FamilyState, State, Status},
    taps::TapTrain,
    timeline,
};
use crate::{
    catalogue::{Course, Input, PhaseKind, Protocol, Usual},
    pulse::{self, Taps},
    quantity,
    strap::Trace,
    test_record::Inputs,
    text,
    units::rounded,
};

/// The engine of the family.
pub(super) struct Effort<'a> {
    protocol: &'a Protocol,
    course: &'a Course,
    setup: &'a Setup,
    taps: TapTrain,
    of: EffortState,
}

impl<'a> Effort<'a> {
    pub(super) fn new(course: &'a Course, protocol: &'a Protocol, setup: &'a Setup, state: &State) -> Self {
        let start_ms = state.timeline.phase(PhaseKind::Work).map_or(0.0, |p| p.start_ms);
        let tally = course.tally.as_ref();
        let lap_m = tally.and_then(|t| t.length.as_ref()).and_then(|key| setup.conditions.get(key)).and_then(|a| match a {
            Answer::Number(n) => Some(*n),
            _ => None,
        });
        let pace = course.pace.as_deref();
        let of = EffortState {
            start_ms,
            counts: tally.map(|t| t.one.clone()),
            lap_m,
            of_m: course.distance_m,
            last_time: setup.last_value.zip(pace).map(|(v, key)| format!("Last time: {}.", quantity::with_unit(key, v))),
            takes_heart_rate: course.ask.iter().any(|key| is_heart_rate(key)),
            ..EffortState::default()
        };
        Self { protocol, course, setup, taps: TapTrain::default(), of }
    }

    /// When a timed effort is over, ms of the run's clock.
    fn timed_end(&self) -> Option<f64> {
        self.course.seconds.map(|s| self.of.start_ms + f64::from(s) * 1000.0)
    }

    fn tally(&mut self, state: &mut State, event: &Event, at: f64) {
        let (course, effort) = (self.course, &mut self.of);
        let Some(rule) = &course.tally else { return };
        let before = effort.tallies_ms.last().copied();
        let since = (at - before.unwrap_or(effort.start_ms)) / 1000.0;
        let soonest = effort.lap_m.map_or(0.0, |lap| lap / course.fastest_m_s).max(if before.is_some() { rule.closest_s } else { 0.0 });
        if since < soonest {
            let line = format!(
                "A {} after {} s is faster than possible. It wasn’t counted; the count stays at {}.",
                rule.one,
                rounded(since, 1),
                effort.tallies_ms.len()
            );
            state.decisions.push(Decision::new(DecisionCode::SetAside, at, line));
            return;
        }
        effort.tallies_ms.push(at);
        let number = effort.tallies_ms.len();
        state.can_undo(event, &format!("{} {number}", rule.one));
        if let Some(lap) = effort.lap_m {
            let clock = (at - effort.start_ms) / 1000.0;
            // Whole seconds of the clock, so that the laps add up to what it shows.
            let whole = |ms: f64| ((ms - effort.start_ms) / 1000.0).floor();
            let split = whole(at) - before.map_or(0.0, whole);
            let distance = lap * number as f64;
            effort.distance_m = Some(distance);
            let against = match (course.seconds, self.setup.last_value, course.pace.as_deref()) {
                (Some(seconds), Some(last), Some("distance_m")) => {
                    let ahead = distance - last * clock / f64::from(seconds);
                    let word = if ahead < 0.0 { "behind" } else { "ahead of" };
                    format!(", {} m {word} last time’s even pace", rounded(ahead.abs(), 0))
                }
                _ => String::new(),
            };
            effort.laps.push(format!(
                "{} {number}: {} m at {}, {} for it{against}",
                text::capital(&rule.one),
                rounded(distance, 1),
                quantity::minutes(whole(at)),
                quantity::minutes(split)
            ));
        }
    }

    /// What was tapped since the effort was over.
    fn tapped(&self) -> Option<Taps> {
        self.taps.latest(self.timed_end().or(self.of.end_ms)?)
    }

    fn is_rest(&self, key: &str) -> bool {
        self.course.tally.as_ref().is_some_and(|t| t.rest.as_deref() == Some(key))
    }

    /// What is usual; the part of the last lap is no longer than one.
    fn usual(&self, input: &Input) -> Option<Usual> {
        let lap = self.of.lap_m.filter(|_| self.is_rest(&input.key));
        input.usual.map(|usual| Usual { to: lap.map_or(usual.to, |lap| usual.to.min(lap)), ..usual })
    }

    /// Whether what was set aside is still what happened last.
    fn is_last(&self, decision: &Decision) -> bool {
        let mut since = self.of.tallies_ms.last().copied().into_iter().chain(self.of.end_ms);
        decision.code != DecisionCode::SetAside || since.all(|at| at < decision.at_ms)
    }

    fn label(&self, key: &str) -> String {
        self.protocol.input(key).map_or_else(|| key.to_owned(), |i| i.label.clone())
    }
}

impl Engine for Effort<'_> {
    fn apply(&mut self, state: &mut State, event: &Event, at: f64, trace: &Trace) {
        let (course, timed_end) = (self.course, self.timed_end());
        let is_running = state.status == Status::Running && at >= self.of.start_ms;
        match &event.kind {
            Kind::SetOff if self.of.end_ms.is_none() && self.of.tallies_ms.is_empty() => {
                self.of.start_ms = state.set_off_ms.unwrap_or(self.of.start_ms);
            }
            Kind::Tallied if is_running && timed_end.is_none_or(|end| at <= end) && self.of.end_ms.is_none() => {
                self.tally(state, event, at);
            }
            Kind::Crossed if is_running && course.distance_m.is_some() && self.of.end_ms.is_none() => {
                let seconds = (at - self.of.start_ms) / 1000.0;
                let soonest = course.distance_m.unwrap_or_default() / course.fastest_m_s;
                if seconds < soonest {
                    let line = format!(
                        "The finish came after {}: nobody covers {} m that fast. It was set aside; press again when the client crosses the line.",
                        quantity::minutes(seconds.floor()),
                        rounded(course.distance_m.unwrap_or_default(), 0)
                    );
                    state.decisions.push(Decision::new(DecisionCode::SetAside, at, line));
                } else {
                    self.of.end_ms = Some(at);
                    state.can_undo(event, "the finish");
                }
            }
            Kind::ValueTyped { key, value } if state.status == Status::Running && course.ask.contains(key) => {
                self.of.values.insert(key.clone(), *value);
                if let Some(lap) = self.of.lap_m.filter(|_| self.is_rest(key)) {
                    self.of.distance_m = Some(lap * self.of.tallies_ms.len() as f64 + value);
                }
                if is_heart_rate(key) {
                    self.of.heart_rate_taken = Some(Taken::Typed);
                }
                state.can_undo(event, &format!("the {}", self.label(key).to_lowercase()));
            }
            Kind::Tap => self.taps.tap(event, at),
            Kind::HeartRateCounted { stage: 0, count, window_s, .. } if state.status == Status::Running => {
                if let (Some(key), Ok(bpm)) = (heart_rate_key(course), pulse::rate(*count, *window_s)) {
                    let apart = disagreement(bpm.value(), self.tapped().as_ref());
                    if let Some(line) = apart {
                        let line = format!("{line} Undo and count again, or keep it.");
                        state.decisions.push(Decision::new(DecisionCode::ReadingQuestioned, at, line));
                    }
                    self.of.values.insert(key.to_owned(), bpm.value());
                    self.of.heart_rate_taken = Some(Taken::Counted { count: *count, window_s: *window_s });
                    state.can_undo(event, &format!("the count of {}", rounded(*count, 1)));
                }
            }
            Kind::HeartRateTapped { stage: 0, .. } if state.status == Status::Running => {
                let tapped = self.tapped().and_then(|t| t.bpm);
                if let (Some(key), Some(bpm)) = (heart_rate_key(course), tapped) {
                    self.of.values.insert(key.to_owned(), bpm.round());
                    self.of.heart_rate_taken = Some(Taken::Tapped);
                    state.can_undo(event, "the taps");
                }
            }
            Kind::StrapHeard { .. } => {
                if let (Some(key), Some(end)) = (heart_rate_key(course), self.of.end_ms)
                    && !self.of.values.contains_key(key)
                    && let Some(bpm) = trace.reading(end)
                {
                    self.of.values.insert(key.to_owned(), bpm);
                    self.of.heart_rate_taken = Some(Taken::Strap);
                }
            }
            _ => {}
        }
    }

    /// Works out what screens draw: the end of the work, what is due, the timeline.
    fn settle(&mut self, state: &mut State, _: Option<f64>) {
        let (course, effort, timed_end) = (self.course, &self.of, self.timed_end());
        let end = timed_end.or(effort.end_ms);
        let counted = effort.tallies_ms.len() as f64;
        let tallied = course.tally.as_ref().map(|t| t.input.as_str());
        state.dues = course
            .ask
            .iter()
            .filter_map(|key| {
                let (input, at_ms) = (self.protocol.input(key)?, end?);
                Some(Due {
                    stage: 0,
                    minute: 0,
                    key: key.clone(),
                    label: input.label.clone(),
                    unit: input.unit.clone(),
                    from_ms: at_ms,
                    at_ms,
                    value: effort.values.get(key).copied(),
                    suggested: (tallied == Some(key)).then_some(counted),
                    usual: self.usual(input),
                    question: None,
                    window: is_heart_rate(key).then(|| Window::beginning(at_ms)),
                    tapped: self.tapped().filter(|_| is_heart_rate(key) && !effort.values.contains_key(key)),
                })
            })
            .collect();
        state.over_ms = effort.end_ms;
        if timed_end.is_none() {
            state.timeline = timeline::with_work_end(self.protocol, self.setup, effort.end_ms);
        }
        state.decision = state.decisions.last().filter(|d| self.is_last(d)).cloned();
        state.can_finish = self.has_result(state);
    }

    /// The whole work was done and every number asked for is in.
    fn has_result(&self, state: &State) -> bool {
        let (course, effort) = (self.course, &self.of);
        let done = match self.timed_end() {
            Some(end) => state.stopped_ms.is_none_or(|stopped| stopped >= end),
            None => effort.end_ms.is_some(),
        };
        let somewhere = course.tally.is_none() || !effort.tallies_ms.is_empty() || effort.values.values().any(|v| *v > 0.0);
        done && somewhere && course.ask.iter().all(|key| effort.values.contains_key(key))
    }

    fn hand_over(self: Box<Self>) -> FamilyState {
        FamilyState::Effort(self.of)
    }
}

/// Whether an input is a heart rate that a strap can give: `hr_end`.
fn is_heart_rate(key: &str) -> bool {
    key.starts_with("hr_")
}

fn heart_rate_key(course: &Course) -> Option<&str> {
    course.ask.iter().map(String::as_str).find(|key| is_heart_rate(key))
}

/// The readings so far, with the length of a lap among them.
pub(super) fn so_far(effort: &EffortState, protocol: &Protocol) -> Inputs {
    let mut inputs = inputs(effort, protocol);
    let length = protocol.course().and_then(|c| c.tally.as_ref()?.length.clone());
    if let Some((key, lap)) = length.zip(effort.lap_m) {
        inputs.insert(key, lap);
    }
    inputs
}

/// The readings of a closed run.
pub(super) fn inputs(effort: &EffortState, protocol: &Protocol) -> Inputs {
    let mut inputs = Inputs::new();
    let Some(course) = protocol.course() else { return inputs };
    if let Some(end) = effort.end_ms.filter(|_| protocol.input("time_s").is_some()) {
        inputs.insert("time_s", ((end - effort.start_ms) / 100.0).round() / 10.0);
    }
    if let Some(tally) = &course.tally {
        inputs.insert(tally.input.clone(), effort.tallies_ms.len() as f64);
    }
    for (key, value) in &effort.values {
        inputs.insert(key.clone(), *value);
    }
    inputs
}
