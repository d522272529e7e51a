//! The sheet of a test in attempts: what is read, counted, timed, started again and again, or lifted, try by try and side by
//! side. Nothing on it is lost: a try that did not count stays, struck out.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::{
    decision::{Decision, DecisionCode},
    event::{Event, Kind, Setup},
    fold::{State, Status},
    timeline::{Call, Tone},
};
use crate::{
    attempts::Take,
    catalogue::{InputKind, PhaseKind, Protocol},
    inputs::{Inputs, Value},
    quantity,
    units::rounded,
};

/// Everything that is taken in a run, and what comes next.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SheetState {
    /// A row for each input and side, in the order in which they are taken.
    pub rows: Vec<SheetRow>,
    /// The row that is next, where one is still open.
    pub next: Option<usize>,
    /// The stopwatch that runs: its row, and when it was started, ms of the run's clock.
    pub watch: Option<WatchState>,
    /// The rest that runs.
    pub rest: Option<RestState>,
    /// The load that is advised next, where loads are lifted.
    pub advice: Option<LoadAdvice>,
    /// When each start of a test on the clock is called, ms of the run's clock.
    pub starts_ms: Vec<f64>,
    /// How it was last time, in words.
    pub last_time: Option<String>,
}

/// One input of one side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SheetRow {
    /// The input.
    pub input: String,
    /// What it is called.
    pub label: String,
    /// The leg it belongs to.
    pub leg: String,
    /// Unit as it is written.
    pub unit: String,
    /// What kind of value it takes.
    pub kind: InputKind,
    /// Resolution of the entry.
    pub step: f64,
    /// Key and wording of each choice, or of each point of performance.
    pub choices: Vec<Choice>,
    /// How it is taken.
    pub take: Take,
    /// Whether the test cannot be scored without it.
    pub required: bool,
    /// The side, where it is taken on two.
    pub side: Option<String>,
    /// How many tries it takes at the most.
    pub tries: u8,
    /// What was taken, in order.
    pub cells: Vec<SheetCell>,
}

/// A choice, or a point of performance.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Choice {
    /// Its key.
    pub key: String,
    /// In words.
    pub words: String,
}

/// One try.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SheetCell {
    /// What was taken.
    #[cfg_attr(feature = "schema", schema(value_type = serde_json::Value))]
    pub value: Value,
    /// Whether it counts.
    pub counts: bool,
    /// When, ms of the run's clock.
    pub at_ms: f64,
    /// Repetitions of a count that were struck out.
    pub struck: u32,
}

/// A stopwatch that runs.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct WatchState {
    /// Of which row.
    pub row: usize,
    /// Since when, ms of the run's clock.
    pub from_ms: f64,
    /// When it is over at the latest, ms of the run's clock.
    pub until_ms: Option<f64>,
}

/// A rest between two tries.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RestState {
    /// Since when, ms of the run's clock.
    pub from_ms: f64,
    /// When the next try is called, ms of the run's clock.
    pub until_ms: f64,
    /// When it has been too long, ms of the run's clock, where there is such a limit.
    pub at_most_ms: Option<f64>,
}

/// The load that is advised next.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LoadAdvice {
    /// kg; nothing where it is the assessor's to choose, or where it is over.
    pub kg: Option<f64>,
    /// Why.
    pub because: String,
}

/// The smallest and the largest step from one load to the next, kg, and what plates can be put on. Source: common practice.
const STEP_KG: (f64, f64) = (2.5, 20.0);

impl SheetState {
    /// An empty sheet.
    pub(super) fn begin(protocol: &Protocol, setup: &Setup, state: &State) -> Self {
        let mut sheet = Self::default();
        for input in protocol.attempts.iter().flat_map(|a| &a.legs).flat_map(|leg| leg.take.inputs()) {
            let Some(input) = protocol.input(input).filter(|i| !setup.conditions.contains_key(&i.key)) else { continue };
            let sides = if input.sides.is_empty() { vec![None] } else { input.sides.iter().cloned().map(Some).collect() };
            let Some(leg) = protocol.attempts.as_ref().and_then(|a| a.leg_of(&input.key)) else { continue };
            let row = |side| SheetRow {
                input: input.key.clone(),
                label: input.label.clone(),
                leg: leg.label.clone(),
                unit: input.unit.clone(),
                kind: input.kind,
                step: input.step,
                choices: input
                    .choices
                    .iter()
                    .chain(&input.points)
                    .map(|(key, words)| Choice { key: key.clone(), words: words.clone() })
                    .collect(),
                take: leg.take.clone(),
                required: input.required,
                side,
                tries: input.tries.unwrap_or(1),
                cells: Vec::new(),
            };
            sheet.rows.extend(sides.into_iter().map(row));
        }
        if let (Some(Take::Starts { every_s, starts, .. }), Some(work)) =
            (protocol.attempts.iter().flat_map(|a| &a.legs).map(|l| &l.take).next(), state.timeline.phase(PhaseKind::Work))
        {
            sheet.starts_ms = (0..*starts).map(|k| work.start_ms + f64::from(k) * f64::from(*every_s) * 1000.0).collect();
        }
        sheet.last_time = setup.last_value.map(|v| format!("Last time: {}.", quantity::with_unit(protocol.headline(), v)));
        sheet.next = (!sheet.rows.is_empty()).then_some(0);
        sheet
    }

    /// The row of an input and side.
    pub fn row(&self, input: &str, side: Option<&str>) -> Option<usize> {
        self.rows.iter().position(|r| r.input == input && r.side.as_deref() == side)
    }

    fn take_of<'p>(protocol: &'p Protocol, row: &SheetRow) -> Option<&'p Take> {
        Some(&protocol.attempts.as_ref()?.leg_of(&row.input)?.take)
    }

    fn put(&mut self, row: usize, attempt: Option<u8>, value: Value, at: f64) -> bool {
        let Some(row) = self.rows.get_mut(row) else { return false };
        let place = attempt.map_or(row.cells.len(), |n| usize::from(n).saturating_sub(1));
        let has_room = row.cells.len() < usize::from(row.tries);
        match row.cells.get_mut(place) {
            Some(cell) => cell.value = value,
            None if has_room => row.cells.push(SheetCell { value, counts: true, at_ms: at, struck: 0 }),
            // A lone reading is typed again.
            None if row.tries == 1 => row.cells = vec![SheetCell { value, counts: true, at_ms: at, struck: 0 }],
            None => return false,
        }
        true
    }

    /// A rest begins where the leg has one and something is still to be done.
    fn rest_after(&mut self, protocol: &Protocol, row: usize, at: f64) {
        let leg = self.rows.get(row).and_then(|r| protocol.attempts.as_ref()?.leg_of(&r.input));
        let at_most = match leg.map(|l| &l.take) {
            Some(Take::Load { rest_at_most_s, .. }) => Some(at + f64::from(*rest_at_most_s) * 1000.0),
            _ => None,
        };
        self.rest =
            leg.and_then(|l| l.rest_s).map(|rest| RestState { from_ms: at, until_ms: at + f64::from(rest) * 1000.0, at_most_ms: at_most });
    }

    pub(super) fn apply(&mut self, protocol: &Protocol, state: &mut State, event: &Event, at: f64) {
        let stands = matches!(state.status, Status::Running | Status::Stopped);
        let running = state.status == Status::Running;
        match &event.kind {
            Kind::Taken { input, side, attempt, value } if stands => {
                let fits = protocol.input(input).is_some_and(|i| i.check_one(value).is_ok());
                let Some(row) = self.row(input, side.as_deref()).filter(|_| fits) else { return };
                if self.put(row, *attempt, value.clone(), at) {
                    self.rest_after(protocol, row, at);
                    state.can_undo(event, &format!("“{}”", protocol.input(input).map_or(input, |i| &i.label)));
                }
            }
            Kind::Struck { input, side, attempt } if stands => {
                let cell =
                    self.row(input, side.as_deref()).and_then(|row| self.rows[row].cells.get_mut(usize::from(*attempt).saturating_sub(1)));
                if let Some(cell) = cell {
                    cell.counts = !cell.counts;
                    state.can_undo(event, if cell.counts { "the try that counts again" } else { "the struck try" });
                }
            }
            Kind::Counted { input, side, by } if running || stands && *by < 0 => self.count(state, event, input, side.as_deref(), *by, at),
            Kind::WatchStarted { input, side } if running && self.watch.is_none() => {
                let Some(row) = self.row(input, side.as_deref()).filter(|r| self.rows[*r].cells.len() < usize::from(self.rows[*r].tries))
                else {
                    return;
                };
                let until_ms = match Self::take_of(protocol, &self.rows[row]) {
                    Some(Take::Watch { at_most_s, .. }) => at_most_s.map(|s| at + f64::from(s) * 1000.0),
                    _ => return,
                };
                self.watch = Some(WatchState { row, from_ms: at, until_ms });
                self.rest = None;
                state.can_undo(event, "the start");
            }
            Kind::WatchEnded if stands => {
                let Some(watch) = self.watch.filter(|w| at >= w.from_ms) else { return };
                // A stop while the watch runs is no end of the try.
                if state.stopped_ms.is_some_and(|stopped| at > stopped) {
                    return;
                }
                self.end_watch(protocol, watch, at);
                state.can_undo(event, "the end");
            }
            Kind::Crossed if running && !self.starts_ms.is_empty() => {
                let Some(k) = self.starts_ms.iter().rposition(|start| *start <= at) else { return };
                let step = protocol.input(&self.rows[0].input).map_or(0.1, |i| i.step);
                if self.rows[0].cells.len() <= k {
                    // A start whose finish was not seen stays open: its place is kept, struck.
                    while self.rows[0].cells.len() < k {
                        self.rows[0].cells.push(SheetCell { value: Value::Number(0.0), counts: false, at_ms: at, struck: 0 });
                    }
                    let seconds = to_step((at - self.starts_ms[k]) / 1000.0, step);
                    self.rows[0].cells.push(SheetCell { value: Value::Number(seconds), counts: true, at_ms: at, struck: 0 });
                    state.can_undo(event, &format!("the finish of start {}", k + 1));
                }
            }
            Kind::Lifted { load_kg, made } if stands => {
                let fits =
                    |row: usize| protocol.input(&self.rows[row].input).is_some_and(|i| i.check_one(&Value::Number(*load_kg)).is_ok());
                let Some((load, verdict)) = self.load_rows(protocol).filter(|(load, _)| fits(*load)) else { return };
                if self.put(load, None, Value::Number(*load_kg), at) && self.put(verdict, None, Value::Yes(*made), at) {
                    self.rest_after(protocol, load, at);
                    state.can_undo(event, "the attempt");
                }
            }
            Kind::SidesSwapped if stands => {
                let mut swapped = false;
                for k in 1..self.rows.len() {
                    if self.rows[k].side.is_some() && self.rows[k - 1].input == self.rows[k].input {
                        let (before, after) = self.rows.split_at_mut(k);
                        std::mem::swap(&mut before[k - 1].cells, &mut after[0].cells);
                        swapped = true;
                    }
                }
                if swapped {
                    state.can_undo(event, "the swap of the sides");
                }
            }
            _ => {}
        }
    }

    fn count(&mut self, state: &mut State, event: &Event, input: &str, side: Option<&str>, by: i8, at: f64) {
        let begun = state.timeline.phase(PhaseKind::Work).is_none_or(|w| at >= w.start_ms);
        let is_counted = |row: &usize| matches!(self.rows[*row].take, Take::Count { .. });
        let Some(row) = self.row(input, side).filter(is_counted).filter(|_| begun) else { return };
        let held = self.rows[row].cells.last().and_then(|c| c.value.number());
        let now = held.unwrap_or(0.0) + f64::from(by);
        if now < 0.0 {
            return;
        }
        match self.rows[row].cells.last_mut() {
            Some(cell) => {
                cell.value = Value::Number(now);
                cell.struck += u32::from(by < 0);
            }
            None => self.rows[row].cells.push(SheetCell { value: Value::Number(now), counts: true, at_ms: at, struck: 0 }),
        }
        state.can_undo(event, if by < 0 { "the struck repetition" } else { "the repetition" });
    }

    fn end_watch(&mut self, protocol: &Protocol, watch: WatchState, at: f64) {
        let end = watch.until_ms.map_or(at, |until| until.min(at));
        let step = self.rows.get(watch.row).and_then(|r| protocol.input(&r.input)).map_or(0.1, |i| i.step);
        let seconds = to_step((end - watch.from_ms) / 1000.0, step);
        self.watch = None;
        self.put(watch.row, None, Value::Number(seconds), end);
        self.rest_after(protocol, watch.row, end);
    }

    fn load_rows(&self, protocol: &Protocol) -> Option<(usize, usize)> {
        protocol.attempts.as_ref()?.legs.iter().find_map(|leg| match &leg.take {
            Take::Load { load, made, .. } => Some((self.row(load, None)?, self.row(made, None)?)),
            _ => None,
        })
    }

    /// What is decided once everything is known: a stopwatch that ran out, what is next, what is advised.
    pub(super) fn settle(&mut self, protocol: &Protocol, setup: &Setup, state: &mut State, now_ms: Option<f64>) {
        if let (Some(watch), Some(now)) = (self.watch, now_ms)
            && let Some(until) = watch.until_ms.filter(|until| now >= *until)
        {
            self.end_watch(protocol, watch, until);
        }
        let is_open = |row: &SheetRow| row.cells.len() < usize::from(row.tries);
        let wanted = |row: &SheetRow| match protocol.input(&row.input) {
            Some(input) => input.required || input.kind == InputKind::Number,
            None => false,
        };
        // Sides take turns: the row with the fewest tries of its input, in order.
        self.next = (0..self.rows.len()).filter(|k| is_open(&self.rows[*k]) && wanted(&self.rows[*k])).min_by_key(|k| {
            let first = self.rows.iter().position(|r| r.input == self.rows[*k].input).unwrap_or(*k);
            let leg = protocol.attempts.iter().flat_map(|a| &a.legs).position(|l| l.take.inputs().contains(&self.rows[*k].input.as_str()));
            let done = self.rows[*k].cells.len();
            // A leg that has a try of everything is done before the next; further tries come after it.
            (leg, done, first, *k)
        });
        let inputs = self.inputs();
        if let Some((load, _)) = self.load_rows(protocol) {
            self.advice = Some(advice(&self.rows[load], &inputs, protocol, setup));
        }
        if self.next.is_none() {
            self.rest = None;
        }
        if let Some(rest) = self.rest {
            state.timeline.calls.extend([
                Call { at_ms: rest.until_ms - 10_000.0, say: "Ten seconds of rest left.".into(), tone: Tone::Plain },
                Call { at_ms: rest.until_ms, say: "Rest is over. Next one.".into(), tone: Tone::Start },
            ]);
            state.timeline.calls.extend(rest.at_most_ms.map(|at_ms| Call {
                at_ms,
                say: "That is a long rest. Go, or close the test.".into(),
                tone: Tone::Warning,
            }));
        }
        if let Some(until) = self.watch.and_then(|w| w.until_ms) {
            state.timeline.calls.push(Call { at_ms: until, say: "That is the longest it is timed.".into(), tone: Tone::End });
        }
        for (k, start) in self.starts_ms.iter().enumerate() {
            let calls = [
                (start - 10_000.0, "Ten seconds.".to_owned(), Tone::Plain),
                (start - 3_000.0, "Three, two, one.".to_owned(), Tone::Warning),
                (*start, format!("Go: {} of {}.", k + 1, self.starts_ms.len()), Tone::Start),
            ];
            state.timeline.calls.extend(calls.into_iter().filter(|(at, ..)| *at >= 0.0).map(|(at_ms, say, tone)| Call {
                at_ms,
                say,
                tone,
            }));
        }
        state.timeline.calls.sort_by(|a, b| a.at_ms.total_cmp(&b.at_ms));
        state.decision = self.question(protocol, now_ms.unwrap_or(0.0));
        state.can_finish = self.has_result(protocol, setup, state);
    }

    /// What is worth a question: a heavier load missed before a lighter one was made.
    fn question(&self, protocol: &Protocol, at: f64) -> Option<Decision> {
        let (load, made) = self.load_rows(protocol)?;
        let lifts: Vec<(f64, bool)> = self.rows[load]
            .cells
            .iter()
            .zip(&self.rows[made].cells)
            .filter_map(|(l, m)| Some((l.value.number()?, m.value.number()? > 0.0)))
            .collect();
        let (last, was_made) = *lifts.last()?;
        let missed = lifts.iter().filter(|(kg, made)| !made && *kg < last).map(|(kg, _)| *kg).reduce(f64::min)?;
        was_made.then(|| {
            let because = format!(
                "{} kg was made after {} kg had been missed. Both are kept; was one of them written down wrong?",
                rounded(last, 1),
                rounded(missed, 1)
            );
            Decision::new(DecisionCode::ReadingQuestioned, at, because)
        })
    }

    /// Whether what the test needs is there. A stop keeps what was done before it.
    pub(super) fn has_result(&self, protocol: &Protocol, setup: &Setup, state: &State) -> bool {
        let mut inputs = self.inputs();
        if inputs.is_empty() || state.started_at.is_none() {
            return false;
        }
        setup.fill(protocol, &mut inputs);
        crate::trial::is_complete(protocol, &inputs)
    }

    /// The readings as a result keeps them.
    pub fn inputs(&self) -> Inputs {
        let mut inputs = Inputs::new();
        let mut sided: BTreeMap<&str, BTreeMap<String, Value>> = BTreeMap::new();
        for row in self.rows.iter().filter(|r| r.cells.iter().any(|c| c.counts)) {
            let Some(value) = row.value() else { continue };
            match &row.side {
                None => inputs.insert(row.input.clone(), value),
                Some(side) => {
                    sided.entry(&row.input).or_default().insert(side.clone(), value);
                }
            }
        }
        for (key, sides) in sided {
            inputs.insert(key, Value::Sides(sides));
        }
        inputs
    }
}

impl SheetRow {
    /// Its tries as one value: a list of numbers with the struck ones as nothing, of yes and no, or the only thing there is.
    fn value(&self) -> Option<Value> {
        if self.tries == 1 {
            return self.cells.last().filter(|c| c.counts).map(|c| c.value.clone());
        }
        if self.cells.iter().all(|c| matches!(c.value, Value::Yes(_))) {
            return Some(Value::Marks(self.cells.iter().map(|c| c.value == Value::Yes(true)).collect()));
        }
        Some(Value::Tries(self.cells.iter().map(|c| c.value.number().filter(|_| c.counts)).collect()))
    }
}

/// To what the hand or the instrument can resolve.
fn to_step(value: f64, step: f64) -> f64 {
    if step <= 0.0 {
        return value;
    }
    let per = (1.0 / step).round();
    (value * per).round() / per
}

/// The next load and why. Source: common practice, but for the first load, which is 50 to 70 % of what is expected.
fn advice(loads: &SheetRow, inputs: &Inputs, protocol: &Protocol, setup: &Setup) -> LoadAdvice {
    let made = match protocol.inputs.iter().find(|i| i.with.as_deref() == Some(&loads.input)).and_then(|i| inputs.value(&i.key)) {
        Some(Value::Marks(marks)) => marks.clone(),
        _ => Vec::new(),
    };
    let lifts: Vec<(f64, bool)> = loads.cells.iter().filter_map(|c| c.value.number()).zip(made).collect();
    let to_plates = |kg: f64| (kg / STEP_KG.0).round() * STEP_KG.0;
    let none = |because: String| LoadAdvice { kg: None, because };
    let Some((last, was_made)) = lifts.last().copied() else {
        return match setup.last_value {
            Some(before) => LoadAdvice {
                kg: Some(to_plates(before * 0.7)),
                because: format!("70 % of last time’s {} kg: a first attempt at 50 to 70 % of what is expected.", rounded(before, 1)),
            },
            None => none("First attempt: 50 to 70 % of what is expected, light enough for five clean ones.".into()),
        };
    };
    if lifts.len() >= usize::from(loads.tries) {
        return none(format!("{} attempts are the most: what comes after them is tiredness.", loads.tries));
    }
    let best = lifts.iter().filter(|(_, made)| *made).map(|(kg, _)| *kg).reduce(f64::max);
    match (was_made, best) {
        (true, _) => {
            // Ten per cent after the first, half as much after each further one.
            let share = 0.1 / f64::from(1 << (lifts.len() - 1).min(4));
            let step = to_plates(last * share).clamp(STEP_KG.0, STEP_KG.1);
            LoadAdvice {
                kg: Some(last + step),
                because: format!("Made: {} kg more. Less if it was slow or the form went.", rounded(step, 1)),
            }
        }
        (false, Some(best)) if best < last => {
            let between = to_plates(f64::midpoint(best, last)).max(best + STEP_KG.0);
            if between >= last {
                none(format!(
                    "{} kg stands: there is no plate between it and the {} kg that was missed.",
                    rounded(best, 1),
                    rounded(last, 1)
                ))
            } else {
                LoadAdvice {
                    kg: Some(between),
                    because: format!(
                        "Missed: between the {} kg that was made and the {} kg that was not.",
                        rounded(best, 1),
                        rounded(last, 1)
                    ),
                }
            }
        }
        (false, _) => LoadAdvice { kg: Some(to_plates(last * 0.9)), because: "Missed: a tenth less.".into() },
    }
}
