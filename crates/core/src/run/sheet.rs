//! The sheet of a test in attempts: what is read, counted, timed, started again and again, or lifted, try by try and side by
//! side. Nothing on it is lost: a try that did not count stays, crossed out.

use std::collections::BTreeMap;

use super::{
    decision::{Due, Window},
    engine::Engine,
    event::{Event, Kind},
    lift::{advice, first_load, question},
    setup::Setup,
    state::{Call, Choice, FamilyState, MissedBeats, RestState, SheetCell, SheetRow, SheetState, State, Status, WatchState},
    taps::TapTrain,
    timeline::timeline,
};
use crate::{
    attempts::{Leg, Take},
    catalogue::{InputKind, PhaseKind, Protocol, Tone, Usual, difference},
    inputs::{Inputs, Value},
    pulse, reading,
    strap::Trace,
    units::{Bpm, rounded},
};

/// The engine of everything that is taken try by try.
pub(super) struct Sheet<'a> {
    protocol: &'a Protocol,
    setup: &'a Setup,
    taps: TapTrain,
    of: SheetState,
}

impl<'a> Sheet<'a> {
    pub(super) fn new(protocol: &'a Protocol, setup: &'a Setup, state: &State) -> Self {
        Self { protocol, setup, taps: TapTrain::default(), of: SheetState::begin(protocol, setup, state) }
    }

    /// The heart rates that are called and not yet read: the row of each, and when, ms of the run's clock.
    fn called(&self, state: &State) -> Vec<(usize, f64)> {
        let Some(end_ms) = state.timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms) else { return Vec::new() };
        let of_leg = |leg: usize| self.of.rows.iter().enumerate().filter(move |(_, row)| row.leg == leg);
        let legs = self.protocol.legs().iter().enumerate();
        let every =
            legs.filter_map(|(k, leg)| if let Take::Read { every_s, .. } = &leg.take { Some((k, f64::from((*every_s)?))) } else { None });
        every
            .flat_map(|(leg, every_s)| of_leg(leg).enumerate().map(move |(n, (row, _))| (row, end_ms + n as f64 * every_s * 1000.0)))
            .filter(|(row, _)| self.of.rows[*row].cells.is_empty())
            .collect()
    }

    fn due(&self, row: usize, at_ms: f64) -> Due {
        let row = &self.of.rows[row];
        Due {
            stage: 0,
            minute: 0,
            key: row.input.clone(),
            label: row.label.clone(),
            unit: row.unit.clone(),
            from_ms: at_ms,
            at_ms,
            value: None,
            suggested: None,
            usual: row.usual,
            question: None,
            window: Some(Window::beginning(at_ms)),
            tapped: self.taps.latest(at_ms),
        }
    }

    /// A heart rate for the one that is called now: the earliest that is open.
    fn read(&mut self, state: &mut State, event: &Event, at: f64, bpm: impl Fn(&Due) -> Option<f64>, what: &str) {
        let Some((row, due)) = self.called(state).first().map(|(row, at_ms)| (*row, self.due(*row, *at_ms))) else { return };
        if let Some(bpm) = bpm(&due).filter(|_| at >= due.from_ms)
            && self.of.put(row, None, Value::Number(bpm), at)
        {
            state.can_undo(event, what);
        }
    }
}

impl Engine for Sheet<'_> {
    fn apply(&mut self, state: &mut State, event: &Event, at: f64, trace: &Trace) {
        match &event.kind {
            Kind::Tap => self.taps.tap(event, at),
            Kind::HeartRateCounted { stage: 0, count, window_s, .. } => {
                let bpm = pulse::rate(*count, *window_s).ok().map(Bpm::value);
                self.read(state, event, at, |_| bpm, &format!("the count of {}", rounded(*count, 1)));
            }
            Kind::HeartRateTapped { stage: 0, .. } => {
                self.read(state, event, at, |due| due.tapped.and_then(|t| t.bpm).map(f64::round), "the taps");
            }
            Kind::StrapHeard { .. } => {
                for (row, due_ms) in self.called(state) {
                    if let Some(bpm) = trace.reading(due_ms).filter(|_| at >= due_ms) {
                        self.of.put(row, None, Value::Number(bpm), at);
                    }
                }
            }
            _ => {
                if let Kind::Taken { input, attempt: None, .. } = &event.kind
                    && let Some(set) = self.of.put_set_away(self.protocol, input, self.setup.units)
                {
                    state.notes.push(set);
                }
                self.of.apply(self.protocol, self.setup, state, event, at);
            }
        }
    }

    fn settle(&mut self, state: &mut State, now_ms: Option<f64>) {
        state.timeline = timeline(self.protocol, self.setup);
        self.of.settle(self.protocol, self.setup, state, now_ms);
        state.dues = self.called(state).into_iter().map(|(row, at_ms)| self.due(row, at_ms)).collect();
    }

    fn has_result(&self, state: &State) -> bool {
        self.of.has_result(self.protocol, self.setup, state)
    }

    fn hand_over(self: Box<Self>) -> FamilyState {
        FamilyState::Sheet(self.of)
    }
}

/// What is usual of a count on the floor: where its window is known, no more than a minute's usual count in it.
fn usual_within(take: &Take, usual: Usual) -> Usual {
    match take {
        Take::Count { seconds: Some(window_s), fills: Some(_), .. } => Usual { to: usual.to * f64::from(*window_s) / 60.0, ..usual },
        _ => usual,
    }
}

impl SheetState {
    /// An empty sheet.
    fn begin(protocol: &Protocol, setup: &Setup, state: &State) -> Self {
        let mut sheet = Self { together: setup.together, ..Self::default() };
        let legs = protocol.legs().iter().enumerate();
        for (place, leg, input) in legs.flat_map(|(k, leg)| leg.take.inputs().into_iter().map(move |input| (k, leg, input))) {
            let Some(input) = protocol.input(input).filter(|i| protocol.is_asked(i, &setup.conditions, &setup.takes)) else { continue };
            let sides = if input.sides.is_empty() { vec![None] } else { input.sides.iter().cloned().map(Some).collect() };
            let row = |side: Option<String>| SheetRow {
                input: input.key.clone(),
                label: input.label.clone(),
                leg: place,
                leg_label: leg.label.clone(),
                rest_s: leg.rest_s,
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
                side: side.clone(),
                tries: input.tries.unwrap_or(1),
                agree_within: input.agree_within,
                how: input.site.as_ref().map(|s| s.how.clone()),
                again: None,
                cells: Vec::new(),
                signs: input.signs_under(&setup.conditions).cloned(),
                last_time: last_time(protocol, setup, &input.key, side.as_deref()),
                usual: input.usual.map(|usual| usual_within(&leg.take, usual)),
                after_bell: false,
                tried: Vec::new(),
                stage: None,
                seen: Vec::new(),
            };
            sheet.rows.extend(sides.into_iter().map(row));
        }
        if let (Some(Take::Starts { every_s, starts, .. }), Some(work)) =
            (sheet.rows.first().map(|r| &r.take), state.timeline.phase(PhaseKind::Work))
        {
            let first = work.start_ms + setup.start_after_s.unwrap_or(0.0) * 1000.0;
            sheet.starts_ms = (0..*starts).map(|k| first + f64::from(k) * f64::from(*every_s) * 1000.0).collect();
        }
        sheet.beats = protocol.beat(&setup.conditions).and_then(|_| {
            let most = |leg: &Leg| if let Take::Count { missed_beats, .. } = &leg.take { *missed_beats } else { None };
            protocol.legs().iter().find_map(most).map(|most| MissedBeats { most, missed: 0, over_ms: None })
        });
        sheet.last_time = setup
            .last_value
            .map(|v| format!("Last time: {}.", reading::said(protocol, &setup.conditions, protocol.headline(), v, setup.units)));
        sheet.next = (!sheet.rows.is_empty()).then_some(0);
        sheet
    }

    /// The row of an input and side.
    pub fn row(&self, input: &str, side: Option<&str>) -> Option<usize> {
        self.rows.iter().position(|r| r.input == input && r.side.as_deref() == side)
    }

    /// The row that a count of an input goes to: where one style of several is agreed, whatever style a partner's phone names.
    pub(super) fn row_counted(&self, input: &str, side: Option<&str>) -> Option<usize> {
        let is_agreed = |r: &&SheetRow| matches!(&r.take, Take::Count { agreed: Some(_), .. }) && r.take.inputs().contains(&input);
        let agreed = || {
            let only = self.rows.iter().filter(is_agreed).count() == 1;
            self.rows.iter().position(|r| is_agreed(&r)).filter(|_| only)
        };
        self.row(input, side).or_else(|| agreed().filter(|_| self.together))
    }

    fn put(&mut self, row: usize, attempt: Option<u8>, value: Value, at: f64) -> bool {
        let Some(row) = self.rows.get_mut(row) else { return false };
        let place = attempt.map_or(row.cells.len(), |n| usize::from(n).saturating_sub(1));
        let is_open = row.is_open();
        if matches!(row.take, Take::Ladder { .. }) {
            // The last stage passed, typed instead of climbed to.
            row.cells = vec![SheetCell::of(value, at)];
            row.tried.clear();
            return true;
        }
        // The finish that nobody saw, typed afterwards, counts.
        let is_unseen = row.is_unseen(place);
        match row.cells.get_mut(place) {
            Some(cell) => (cell.value, cell.counts) = (value, cell.counts || is_unseen),
            None if is_open => row.cells.push(SheetCell::of(value, at)),
            // A lone reading is typed again.
            None if row.tries == 1 => row.cells = vec![SheetCell::of(value, at)],
            None => return false,
        }
        true
    }

    /// A rest begins where the leg has one and something is still to be done.
    fn rest_after(&mut self, row: usize, at: f64) {
        let row = &self.rows[row];
        let at_most_ms = match &row.take {
            Take::Load { rest_at_most_s, .. } => Some(at + f64::from(*rest_at_most_s) * 1000.0),
            _ => None,
        };
        self.rest = row.rest_s.map(|rest| RestState { from_ms: at, until_ms: at + f64::from(rest) * 1000.0, at_most_ms });
    }

    fn apply(&mut self, protocol: &Protocol, setup: &Setup, state: &mut State, event: &Event, at: f64) {
        let stands = matches!(state.status, Status::Running | Status::Stopped);
        let running = state.status == Status::Running;
        // A key that ends a try at its limit ends that one, not the next.
        if !matches!(event.kind, Kind::WatchEnded) {
            self.run_out(Some(at));
        }
        match &event.kind {
            Kind::Taken { input, side, attempt, value } if stands => {
                let fits = protocol.input(input).is_some_and(|i| i.check_one(value).is_ok());
                let Some(row) = self.row_counted(input, side.as_deref()).filter(|_| fits) else { return };
                if self.put(row, *attempt, value.clone(), at) {
                    self.rest_after(row, at);
                    state.can_undo(event, &format!("“{}”", protocol.input(input).map_or(input, |i| &i.label)));
                }
            }
            Kind::Struck { input, side, attempt } if stands => {
                let row = self.row(input, side.as_deref()).filter(|row| self.rows[*row].is_struck_from());
                let place = usize::from(*attempt).saturating_sub(1);
                let seen = row.filter(|row| !self.rows[*row].is_unseen(place));
                let cell = seen.and_then(|row| self.rows[row].cells.get_mut(place));
                if let Some(cell) = cell.filter(|c| !c.passed) {
                    cell.counts = !cell.counts;
                    state.can_undo(event, if cell.counts { "the try that counts again" } else { "the struck try" });
                }
            }
            Kind::Passed { input, side } if stands => {
                if let Some(row) = self.row(input, side.as_deref()).filter(|row| self.rows[*row].is_open()) {
                    let nothing = SheetCell { counts: false, passed: true, ..SheetCell::of(Value::Number(0.0), at) };
                    self.rows[row].cells.push(nothing);
                    state.can_undo(event, "the passed try");
                }
            }
            Kind::PutLast if stands => {
                self.put_last += 1;
                state.can_undo(event, "going last");
            }
            Kind::BeatMissed if running => {
                let begun = state.timeline.phase(PhaseKind::Work).is_none_or(|w| at >= w.start_ms);
                let Some(beats) = self.beats.as_mut().filter(|b| b.over_ms.is_none() && begun) else { return };
                beats.missed += 1;
                beats.over_ms = (beats.missed >= beats.most).then_some(at);
                state.can_undo(event, "the missed beat");
            }
            Kind::Counted { by, .. } if running || stands && *by < 0 => self.count(protocol, state, event, at),
            Kind::StageTried { input, stage, passed } if running => {
                if let Some(tried) = self.try_stage(input, *stage, *passed, at) {
                    state.can_undo(event, &tried);
                }
            }
            Kind::Seen { input, what } if stands && self.see(input, what, at) => state.can_undo(event, &format!("“{what}”")),
            Kind::MovementOver { input } if stands => {
                if let Some(movement) = self.end_movement(input, at) {
                    state.can_undo(event, &format!("the end of “{movement}”"));
                }
            }
            Kind::WatchStarted { input, side } if running && self.watch.is_none() => {
                let Some(row) = self.row(input, side.as_deref()).filter(|r| self.rows[*r].is_open()) else { return };
                let within_s = match &self.rows[row].take {
                    Take::Watch { at_most_s, .. } => *at_most_s,
                    Take::Count { seconds: Some(s), .. } if !self.rows[row].is_beside() => Some(*s),
                    _ => return,
                };
                if matches!(self.rows[row].take, Take::Count { .. }) {
                    // None in the time there was is a reading too.
                    self.rows[row].cells.push(SheetCell::of(Value::Number(0.0), at));
                }
                let until_ms = within_s.map(|s| at + f64::from(s) * 1000.0);
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
                // A second press within the shortest possible round is none.
                let row = &self.rows[watch.row];
                let shortest_ms = protocol.input(&row.input).map_or(0.0, |i| i.min) * 1000.0;
                if matches!(row.take, Take::Watch { laps: true, .. }) && at - watch.from_ms < shortest_ms {
                    return;
                }
                self.end_watch(watch, at);
                state.can_undo(event, "the end");
            }
            Kind::Crossed | Kind::PositionLost if running && self.starts_ms.is_empty() && setup.together => {
                let began = state.set_off_ms.or(state.timeline.phase(PhaseKind::Work).map(|w| w.start_ms)).unwrap_or(0.0);
                let Some(row) = self.rows.first_mut().filter(|r| matches!(r.take, Take::Watch { .. }) && r.cells.is_empty()) else {
                    return;
                };
                let seconds = to_step((at - began) / 1000.0, row.step);
                // Sooner than anybody can: a key that was pressed by mistake.
                if protocol.input(&row.input).is_some_and(|i| i.check_one(&Value::Number(seconds)).is_ok()) {
                    row.cells.push(SheetCell::of(Value::Number(seconds), at));
                    state.can_undo(event, "the finish");
                }
            }
            Kind::Crossed if running && !self.starts_ms.is_empty() => {
                let Some(k) = self.starts_ms.iter().rposition(|start| *start <= at) else { return };
                let row = &mut self.rows[0];
                let seconds = to_step((at - self.starts_ms[k]) / 1000.0, row.step);
                // A key that is late for the start before is no finish of this one.
                let fits = protocol.input(&row.input).is_some_and(|i| i.check_one(&Value::Number(seconds)).is_ok());
                if row.cells.len() <= k && fits {
                    // A start whose finish was not seen stays open: its place is kept, struck.
                    row.cells.resize(k, SheetCell::unseen(at));
                    row.cells.push(SheetCell::of(Value::Number(seconds), at));
                    state.can_undo(event, &format!("the finish of start {}", k + 1));
                }
            }
            Kind::Lifted { load_kg, made, reason } if stands => {
                if self.is_beyond_plan() == Some(true) {
                    let Some(reason) = reason else { return };
                    state.notes.push(format!("One more attempt: {reason}"));
                }
                let fits =
                    |row: usize| protocol.input(&self.rows[row].input).is_some_and(|i| i.check_one(&Value::Number(*load_kg)).is_ok());
                let Some((load, verdict)) = self.load_rows().filter(|(load, _)| fits(*load)) else { return };
                if self.put(load, None, Value::Number(*load_kg), at) && self.put(verdict, None, Value::Yes(*made), at) {
                    self.rest_after(load, at);
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

    /// Ends a stopwatch that ran to its limit.
    fn run_out(&mut self, now_ms: Option<f64>) {
        if let (Some(watch), Some(now)) = (self.watch, now_ms)
            && let Some(until) = watch.until_ms.filter(|until| now >= *until)
        {
            self.end_watch(watch, until);
        }
    }

    fn end_watch(&mut self, watch: WatchState, at: f64) {
        let end = watch.until_ms.map_or(at, |until| until.min(at));
        let seconds = to_step((end - watch.from_ms) / 1000.0, self.rows[watch.row].step);
        self.watch = None;
        if let Take::Watch { laps, .. } = self.rows[watch.row].take {
            self.put(watch.row, None, Value::Number(seconds), end);
            if laps && self.rows[watch.row].is_open() {
                self.watch = Some(WatchState { from_ms: end, ..watch });
            }
        }
        self.rest_after(watch.row, end);
    }

    /// What is decided once everything is known: a stopwatch that ran out, what is next, what is advised.
    fn settle(&mut self, protocol: &Protocol, setup: &Setup, state: &mut State, now_ms: Option<f64>) {
        self.run_out(now_ms);
        for row in &mut self.rows {
            row.again = protocol.input(&row.input).and_then(|i| i.apart(&row.counting(), setup.units));
        }
        let heavier = self.ask_for_heavier(protocol, setup);
        self.call_stages();
        let why = self.asked_why();
        let wanted = |row: &SheetRow| row.required || row.kind == InputKind::Number || why.contains(&row.input);
        // Leg by leg; within one the sides take turns: the row with the fewest tries, in order. What must agree is taken again at
        // once.
        let turn = |row: &SheetRow| if row.agree_within.is_some() { 0 } else { row.cells.len() };
        // A pulse whose beats were counted silently is typed after its bell.
        let is_to_be_typed = |row: &SheetRow| {
            let least = protocol.input(&row.input).map_or(0.0, |i| i.min);
            let counts = matches!(row.take, Take::Count { fills: Some(_), .. });
            counts && row.cells.last().and_then(|c| c.value.number()).is_some_and(|n| n < least)
        };
        let is_open = |row: &SheetRow| {
            is_to_be_typed(row) || if row.is_watched() { !self.watched.contains(&row.leg) } else { row.is_open() && !row.is_beside() }
        };
        let first_open = |rows: &[SheetRow]| {
            let open = rows.iter().enumerate().filter(|(_, row)| is_open(row) && wanted(row));
            open.min_by_key(|(k, row)| (row.leg, turn(row), *k)).map(|(k, _)| k)
        };
        self.next = first_open(&self.rows);
        self.then = self.next.and_then(|next| {
            let mut rows = self.rows.clone();
            let like_before = rows[next].cells.last().map_or(Value::Number(0.0), |cell| cell.value.clone());
            rows[next].cells.push(SheetCell::of(like_before, 0.0));
            first_open(&rows)
        });
        if let Some((_, count, _)) = self.too_many(protocol) {
            self.next = Some(count);
        }
        let loads = self.load_rows();
        self.advice = match loads {
            Some(rows) => Some(advice(&self.lifts(rows), &self.planned(setup, rows.0))),
            None => heavier.or_else(|| self.next.and_then(|k| first_load(&self.rows[k].take, setup.last_value, setup.units))),
        };
        if self.next.is_none() {
            self.rest = None;
        }
        self.call(state);
        state.decision = loads.and_then(|rows| question(&self.lifts(rows), now_ms.unwrap_or(0.0)));
        state.can_finish = self.has_result(protocol, setup, state);
    }

    /// What is called out of itself: the end of a rest, beats missed in a row, a clock that ran out, the next start.
    fn call(&self, state: &mut State) {
        if let Some(rest) = self.rest {
            state.timeline.calls.extend([
                Call { at_ms: rest.until_ms - 10_000.0, say: "Ten seconds of rest left.".into(), tone: Tone::Plain },
                Call { at_ms: rest.until_ms, say: "Rest is over. Next one.".into(), tone: Tone::Start },
            ]);
            state.timeline.calls.extend(rest.at_most_ms.map(|at_ms| Call {
                at_ms,
                say: "That is a long rest. Start the next one, or finish the test.".into(),
                tone: Tone::Warning,
            }));
        }
        if let Some(beats) = self.beats
            && let Some(at_ms) = beats.over_ms
        {
            let say = format!("{} beats missed in a row. The count ends at the last good one.", beats.most);
            state.timeline.calls.push(Call { at_ms, say, tone: Tone::End });
            if let Some(beat) = &mut state.timeline.beat {
                beat.until_ms = beat.until_ms.min(at_ms);
            }
        }
        if let Some(until) = self.watch.and_then(|w| w.until_ms) {
            let is_counted = self.watch.is_some_and(|w| matches!(self.rows[w.row].take, Take::Count { .. }));
            let say = if is_counted { "Time." } else { "The rest timer has reached its end." };
            state.timeline.calls.push(Call { at_ms: until, say: say.into(), tone: Tone::End });
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
    }

    /// Whether what the test needs is there. A stop keeps what was done before it.
    fn has_result(&self, protocol: &Protocol, setup: &Setup, state: &State) -> bool {
        let mut inputs = self.inputs();
        let unseen = self.rows.iter().any(|r| r.is_watched() && !self.watched.contains(&r.leg));
        if inputs.is_empty() || unseen || state.started_at.is_none() || self.rows.iter().any(|r| r.again.is_some()) {
            return false;
        }
        setup.fill(protocol, &mut inputs);
        crate::test_record::is_complete(protocol, &inputs)
    }

    /// The readings as a result keeps them.
    pub fn inputs(&self) -> Inputs {
        let mut inputs = Inputs::new();
        let mut sided: BTreeMap<&str, BTreeMap<String, Value>> = BTreeMap::new();
        for row in self.rows.iter().filter(|r| r.cells.iter().any(|c| c.counts)) {
            let Some(value) = row.value() else { continue };
            if let Take::Count { seconds: Some(seconds), fills: Some(window), .. } = &row.take {
                inputs.insert(window.clone(), f64::from(*seconds));
            }
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

impl SheetCell {
    /// The place of a start whose finish nobody saw.
    fn unseen(at_ms: f64) -> Self {
        Self { counts: false, ..Self::of(Value::Number(0.0), at_ms) }
    }

    /// A try that counts.
    pub(super) const fn of(value: Value, at_ms: f64) -> Self {
        Self { value, counts: true, at_ms, struck: 0, passed: false }
    }
}

impl SheetRow {
    /// Whether this try is the place of a start whose finish nobody saw.
    pub(super) fn is_unseen(&self, place: usize) -> bool {
        let cell = self.cells.get(place).filter(|_| matches!(self.take, Take::Starts { .. }));
        cell.is_some_and(|c| !c.counts && c.value == Value::Number(0.0))
    }

    /// Whether it is counted beside something else.
    pub(super) fn is_beside(&self) -> bool {
        matches!(&self.take, Take::Count { also, .. } if also.iter().any(|k| k.input == self.input))
    }

    /// Whether it takes one more try.
    pub(super) fn is_open(&self) -> bool {
        if matches!(self.take, Take::Ladder { .. }) {
            return self.stage_passed().is_none();
        }
        // Two that agree are enough.
        let apart = |within: f64| matches!(self.counting()[..], [a, b] if difference(a, b) > within);
        let most =
            if self.agree_within.is_some_and(|within| self.cells.len() <= 2 && !apart(within)) { 2 } else { usize::from(self.tries) };
        self.cells.len() < most
    }

    /// The numbers that count.
    fn counting(&self) -> Vec<f64> {
        self.cells.iter().filter(|c| c.counts).filter_map(|c| c.value.number()).collect()
    }

    /// Its tries as one value: a list of numbers with the struck ones as nothing, of yes and no, or the only thing there is.
    pub fn value(&self) -> Option<Value> {
        if matches!(self.take, Take::Ladder { .. }) {
            return self.stage_passed().map(Value::Number);
        }
        if self.tries == 1 {
            return self.cells.last().filter(|c| c.counts).map(|c| c.value.clone());
        }
        if self.cells.iter().all(|c| matches!(c.value, Value::Yes(_))) {
            return Some(Value::Marks(self.cells.iter().map(|c| c.value == Value::Yes(true)).collect()));
        }
        Some(Value::Tries(self.cells.iter().map(|c| c.value.number().filter(|_| c.counts)).collect()))
    }
}

/// Last time's value of a reading, and of this side of it.
fn last_time(protocol: &Protocol, setup: &Setup, input: &str, side: Option<&str>) -> Option<String> {
    let key = side.map_or_else(|| input.to_owned(), |side| format!("{input}.{side}"));
    let value = setup.last_values.get(&key)?;
    Some(format!("Last time: {}.", reading::said(protocol, &setup.conditions, &key, *value, setup.units)))
}

/// To what the hand or the instrument can resolve.
fn to_step(value: f64, step: f64) -> f64 {
    if step <= 0.0 {
        return value;
    }
    let per = (1.0 / step).round();
    (value * per).round() / per
}
