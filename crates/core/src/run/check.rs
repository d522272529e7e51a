//! May this event be stored now? Asked before it is, so that a slip is told to the one who made it.

use chrono::{DateTime, TimeDelta, Utc};

use super::{
    effort,
    event::{Event, Kind},
    stage::{EARLY_MS, is_read, minute_ms},
    state::{SheetRow, SheetState, State},
};
use crate::{
    attempts::Take,
    catalogue::Protocol,
    error::{Code, InputError},
    inputs::{LAST_MINUTE, Value},
    pulse, quantity,
    test_record::{Inputs, LOAD_MAX, check_beside, check_inputs},
    text,
    units::{Bpm, rounded},
};

/// The most events of one run: hours of a strap's seconds and the taps of a whole class.
pub const EVENTS_MAX: usize = 20_000;
/// Beyond [`EVENTS_MAX`] so many more are taken of what an assessor decides: a full run can still be stopped and finished.
pub const DECISIONS_MAX: usize = 500;
/// The most events handed over at once.
pub const BATCH_MAX: usize = 500;
/// And of those, so many that are judged by the state they arrive in: each is held against the whole run.
pub const DECISIONS_AT_ONCE: usize = 50;
/// An event lies at most this long before its run was set up, hours: set-up may come late, a test lasts hours.
pub const BEFORE_SETUP_H: i64 = 12;
/// An event lies at most this far ahead of the server's clock, s.
pub const AHEAD_S: i64 = 120;

/// The most a screen's own clock shows, ms: far longer than any has run, and a number that an exported practice brings back.
const MONO_MAX_MS: f64 = 1e15;

/// The longest notification a chest strap sends, as hexadecimal digits: far more than the radio's packet holds.
const BYTES_MAX: usize = 1024;

/// The longest key of an input, in bytes.
const KEY_MAX: usize = 80;

/// Whether an event can only be judged by the state it arrives in. Taps, a strap's seconds and laps come many at a time and
/// depend on nothing.
pub const fn depends_on_state(kind: &Kind) -> bool {
    !matches!(kind, Kind::Tap | Kind::StrapHeard { .. } | Kind::Tallied | Kind::ClockStarted)
}

/// Holds an event to what any event must be, whenever it arrives.
///
/// # Errors
/// [`Code::OutOfRange`] or [`Code::MissingInput`], naming the field.
pub fn check_alone(event: &Event) -> Result<(), InputError> {
    if event.mono_ms.is_nan() || event.mono_ms.abs() > MONO_MAX_MS {
        return Err(refuse("mono_ms", "A screen's clock is a number of milliseconds.".into()));
    }
    match &event.kind {
        Kind::StrapHeard { bytes, .. } if bytes.len() > BYTES_MAX => {
            Err(refuse("bytes", "A notification this long does not come from a heart-rate strap.".into()))
        }
        Kind::Noted { text } => text::note(text, "text").map(|_| ()),
        Kind::Lifted { reason: Some(text), .. } => text::note(text, "reason").map(|_| ()),
        Kind::Seen { what, .. } if what.len() > KEY_MAX => Err(refuse("what", "Nothing that is looked for has a name this long.".into())),
        Kind::StopExplained { note: Some(text), .. } | Kind::RecountWaived { reason: Some(text) } => text::note(text, "note").map(|_| ()),
        Kind::LoadSet { reason: Some(text), .. } | Kind::MinuteAdded { reason: text, .. } | Kind::StageAccepted { reason: text, .. } => {
            text::note(text, "reason").map(|_| ())
        }
        Kind::ValueTyped { key, .. }
        | Kind::Marked { mark: key }
        | Kind::Taken { input: key, .. }
        | Kind::Struck { input: key, .. }
        | Kind::Passed { input: key, .. }
        | Kind::Counted { input: key, .. }
        | Kind::WatchStarted { input: key, .. }
        | Kind::StageTried { input: key, .. }
        | Kind::Seen { input: key, .. }
        | Kind::MovementOver { input: key }
            if key.len() > KEY_MAX =>
        {
            Err(refuse("key", "No reading has a name this long.".into()))
        }
        _ => Ok(()),
    }
}

/// Holds an event's time to the run it belongs to: `set_up` when the run was set up, `now` the run's clock at the server.
///
/// # Errors
/// [`Code::OutOfRange`] on `wall`, saying which clock is wrong and by how much.
pub fn check_time(event: &Event, set_up: DateTime<Utc>, now: DateTime<Utc>) -> Result<(), InputError> {
    let earliest = set_up - TimeDelta::hours(BEFORE_SETUP_H);
    let latest = now + TimeDelta::seconds(AHEAD_S);
    if (earliest..=latest).contains(&event.wall) {
        return Ok(());
    }
    let side = if event.wall < earliest { "behind" } else { "ahead of" };
    let message = format!(
        "The clock of this screen says {}; that is {side} the run it belongs to, which was set up at {}. Set the date and time of the \
         device, reload this page, then enter it again.",
        event.wall.format("%-d %B %Y, %H:%M"),
        set_up.format("%-d %B %Y, %H:%M"),
    );
    Err(refuse("wall", message))
}

/// Whether a run that holds so many events takes one more of this kind.
///
/// # Errors
/// [`Code::OutOfRange`] on `events`.
pub fn check_room(held: usize, kind: &Kind) -> Result<(), InputError> {
    let most = if depends_on_state(kind) { EVENTS_MAX + DECISIONS_MAX } else { EVENTS_MAX };
    if held < most {
        return Ok(());
    }
    Err(refuse("events", format!("This run holds {held} entries, which is the most one run takes. Finish it and set up the next one.")))
}

/// Holds an event to its protocol and to the state it arrives in.
///
/// # Errors
/// [`Code::OutOfRange`], [`Code::MissingInput`], [`Code::UnknownField`] or [`Code::NotApplicable`], naming the field, with
/// what to do.
pub fn check_event(protocol: &Protocol, state: &State, event: &Event) -> Result<(), InputError> {
    let at = state.started_at.map(|t| (event.wall - t).num_milliseconds() as f64);
    match &event.kind {
        Kind::CountTyped { count } => {
            let window = protocol.count().map_or(60, |c| c.window_s);
            pulse::rate(*count, f64::from(window)).map(|_| ()).map_err(|e| e.at("count"))
        }
        Kind::HeartRateRead { stage, minute, bpm } => {
            Bpm::new(*bpm).map_err(|e| e.at("bpm"))?;
            heart_rate(protocol, state, *stage, *minute, at)
        }
        Kind::HeartRateCounted { stage, minute, count, window_s } => {
            pulse::rate(*count, *window_s).map_err(|e| e.at("count"))?;
            if *stage == 0 { after_effort(state, at) } else { heart_rate(protocol, state, *stage, *minute, at) }
        }
        Kind::HeartRateTapped { stage, minute } => {
            if *stage == 0 { after_effort(state, at) } else { heart_rate(protocol, state, *stage, *minute, at) }?;
            let tapped = state.dues.iter().any(|d| (d.stage, d.minute) == (*stage, *minute) && d.tapped.is_some());
            let missing =
                || InputError::new(Code::MissingInput, "taps", "Tap along with at least three beats first, or type the heart rate.");
            tapped.then_some(()).ok_or_else(missing)
        }
        Kind::LoadSet { stage, kgm_min, reason } => load(state, *stage, *kgm_min, reason.as_deref(), at),
        Kind::MinuteAdded { stage, reason } | Kind::StageAccepted { stage, reason } => {
            why(Some(reason))?;
            let open = state.stages().last().filter(|s| s.number == *stage && !s.readings.is_empty());
            open.map(|_| ()).ok_or_else(|| refuse("stage", format!("Stage {stage} is not the current stage.")))
        }
        Kind::ValueTyped { key, value } => {
            if !protocol.course().is_some_and(|c| c.ask.contains(key)) {
                let message = format!("{} does not ask for “{key}”.", protocol.name);
                return Err(InputError::new(Code::UnknownField, key, message));
            }
            if let Some(due) = state.dues.iter().find(|d| d.key == *key)
                && at.is_some_and(|at| at < due.from_ms)
            {
                return Err(refuse(key, format!("{} is due when the effort is over.", due.label)));
            }
            check_inputs(protocol, &Inputs::from_iter([(key.clone(), *value)]))?;
            let before = state.effort().map(|e| effort::so_far(e, protocol)).unwrap_or_default();
            check_beside(protocol, before, key, None, &Value::Number(*value))
        }
        Kind::Marked { mark } => {
            let hold = state.hold().filter(|h| h.marks.iter().any(|m| m.mark.input == *mark));
            if hold.is_none() {
                return Err(InputError::new(Code::UnknownField, mark, format!("{} marks no “{mark}”.", protocol.name)));
            }
            in_hold(state, at)
        }
        Kind::PositionLost if state.sheet().is_some() => started(at),
        Kind::PositionLost => in_hold(state, at),
        Kind::Crossed | Kind::TimeKeyed | Kind::Named { .. } | Kind::SetOff => {
            started(at)?;
            let start = state.set_off_ms.or(state.effort().map(|e| e.start_ms)).unwrap_or(0.0);
            if event.kind == Kind::Crossed && at.is_some_and(|at| at < start) {
                return Err(refuse("at", "That is before the start. Press again at the finish.".into()));
            }
            Ok(())
        }
        Kind::Taken { input, side, attempt, value } => taken(protocol, state, input, side.as_deref(), *attempt, value),
        Kind::Passed { input, side } => room(protocol, row_of(protocol, state, input, side.as_deref())?),
        Kind::Struck { input, side, attempt } => {
            let row = row_of(protocol, state, input, side.as_deref())?;
            let there = row.is_struck_from() && (1..=row.cells.len()).contains(&usize::from(*attempt));
            there.then_some(()).ok_or_else(|| refuse("attempt", format!("There is no try {attempt} to cross out.")))
        }
        Kind::Counted { input, side, by } => {
            let row = row_of(protocol, state, input, side.as_deref())?;
            if by.abs() != 1 {
                return Err(refuse("by", "One repetition at a time: 1, or −1 for one that did not count.".into()));
            }
            let held = row.cells.last().and_then(|c| c.value.number()).unwrap_or_default();
            let most = protocol.input(input).map_or(f64::MAX, |i| i.max);
            let more_follow = matches!(row.take, Take::Count { heavier: Some(_), .. });
            let most = if more_follow { SET_MAX } else { most };
            if held + f64::from(*by) < 0.0 {
                return Err(refuse("by", "There is no repetition to cross out.".into()));
            }
            if held + f64::from(*by) > most {
                let message = format!("{} is the most that is counted here. {}", rounded(most, 0), too_many(protocol));
                return Err(refuse(input, message.trim_end().to_owned()));
            }
            Ok(())
        }
        Kind::LineMissed | Kind::LeftRun { .. } | Kind::PutBackIn | Kind::Paused | Kind::WentOn { .. } => to_beeps(state, &event.kind, at),
        Kind::BeatMissed => {
            let has_beat = state.sheet().is_some_and(|s| s.beats.is_some());
            let none = || InputError::new(Code::NotApplicable, "beat", "There is no beat here, so none can be missed.");
            has_beat.then_some(()).ok_or_else(none)
        }
        Kind::StageTried { input, stage, .. } => {
            let row = row_of(protocol, state, input, None)?;
            if !matches!(row.take, Take::Ladder { .. }) {
                return Err(refuse("input", format!("{} has no stages that are passed or not.", row.label)));
            }
            let over = || refuse(input, format!("{}: the last stage has been tried. Take it back to try it again.", row.label));
            row.is_open().then_some(()).ok_or_else(over)?;
            let turn = || refuse("stage", format!("{}: another stage is next. Reload the page to see which.", row.label));
            stage.is_none_or(|s| row.may_try(s)).then_some(()).ok_or_else(turn)
        }
        Kind::Seen { input, what } => {
            let row = row_of(protocol, state, input, None)?;
            if !row.looks_for(what) {
                return Err(refuse("what", format!("{}: “{what}” is not looked for.", row.label)));
            }
            let most = protocol.input(input).map_or(f64::MAX, |i| i.max);
            let over = || refuse(input, format!("{}: {} are the most. Take one back.", row.label, rounded(most, 0)));
            ((row.seen.len() as f64) < most).then_some(()).ok_or_else(over)
        }
        Kind::MovementOver { input } => {
            let row = row_of(protocol, state, input, None)?;
            row.is_watched().then_some(()).ok_or_else(|| refuse("input", format!("{} is no movement that is watched.", row.label)))
        }
        Kind::WatchStarted { input, side } => {
            let row = row_of(protocol, state, input, side.as_deref())?;
            room(protocol, row)
        }
        Kind::WatchEnded | Kind::SidesSwapped => {
            state.sheet().map(|_| ()).ok_or_else(|| InputError::new(Code::UnknownField, "sheet", "This test has no such reading."))
        }
        Kind::Lifted { load_kg, reason, .. } => {
            if state.sheet().and_then(SheetState::is_beyond_plan) == Some(true) && reason.as_deref().is_none_or(|r| r.trim().is_empty()) {
                let message = "That is one attempt more than was planned. Give a reason. It is saved with the result.";
                return Err(InputError::new(Code::MissingInput, "reason", message));
            }
            let load = protocol.legs().iter().find_map(|leg| match &leg.take {
                Take::Load { load, .. } => Some(load.as_str()),
                _ => None,
            });
            let Some(load) = load else {
                return Err(InputError::new(Code::UnknownField, "load_kg", format!("{} lifts no loads.", protocol.name)));
            };
            taken(protocol, state, load, None, None, &Value::Number(*load_kg))
        }
        _ => Ok(()),
    }
}

/// The most repetitions of one set that are counted.
const SET_MAX: f64 = 100.0;

fn row_of<'s>(protocol: &Protocol, state: &'s State, input: &str, side: Option<&str>) -> Result<&'s SheetRow, InputError> {
    let sheet = state.sheet();
    let found = sheet.and_then(|s| s.rows.get(s.row_counted(input, side)?));
    found.ok_or_else(|| {
        let of = side.map(|s| format!(" of the side “{s}”")).unwrap_or_default();
        InputError::new(Code::UnknownField, input, format!("{} takes no “{input}”{of} here.", protocol.name))
    })
}

/// What more than the most means, where the protocol says it.
fn too_many(protocol: &Protocol) -> &str {
    protocol.cautions.first().map_or("", |c| c.text.as_str())
}

/// Whether a row takes one more try.
fn room(protocol: &Protocol, row: &SheetRow) -> Result<(), InputError> {
    if row.is_open() {
        return Ok(());
    }
    let label = protocol.input(&row.input).map_or(row.input.as_str(), |i| &i.label);
    Err(refuse(&row.input, format!("{label}: {} are the most. Strike one that did not count, or correct one.", row.tries)))
}

fn taken(
    protocol: &Protocol,
    state: &State,
    input: &str,
    side: Option<&str>,
    attempt: Option<u8>,
    value: &Value,
) -> Result<(), InputError> {
    let row = row_of(protocol, state, input, side)?;
    match attempt {
        None if row.tries > 1 => room(protocol, row)?,
        Some(n) if !(1..=row.cells.len()).contains(&usize::from(n)) => {
            return Err(refuse("attempt", format!("There is no try {n} to correct.")));
        }
        _ => {}
    }
    if let Some(input) = protocol.input(input) {
        input.check_one(value)?;
    }
    let before = state.sheet().map(SheetState::inputs).unwrap_or_default();
    check_beside(protocol, before, input, side, value)
}

/// What is recorded of a run to beeps: of one who runs, while the beeps go on.
fn to_beeps(state: &State, kind: &Kind, at: Option<f64>) -> Result<(), InputError> {
    let Some(of) = state.beeps() else {
        return Err(InputError::new(Code::NotApplicable, "beeps", "This test is not run to beeps."));
    };
    started(at)?;
    match (kind, &of.ended) {
        (Kind::Paused, _) if of.paused_ms.is_some() => Err(refuse("paused", "The beeps are paused already.".into())),
        (Kind::WentOn { .. }, _) if of.paused_ms.is_none() => Err(refuse("paused", "The beeps are not paused.".into())),
        (Kind::LineMissed | Kind::LeftRun { .. }, Some(_)) => {
            Err(refuse("out", "This runner is out already. Put them back in first, or undo what took them out.".into()))
        }
        (Kind::PutBackIn, None) => Err(refuse("out", "This runner is not out.".into())),
        (Kind::LineMissed, _) if of.pieces.first().is_none_or(|p| at.is_some_and(|at| at < p.from_ms)) => {
            Err(refuse("at", "Nobody has set off yet: the first line is judged at its beep.".into()))
        }
        _ => Ok(()),
    }
}

/// What is timed needs a clock that runs.
fn started(at: Option<f64>) -> Result<(), InputError> {
    at.map(|_| ()).ok_or_else(|| refuse("at", "Start the clock first: the times count from there.".into()))
}

fn in_hold(state: &State, at: Option<f64>) -> Result<(), InputError> {
    match (state.hold(), at) {
        (None, _) => Err(InputError::new(Code::UnknownField, "mark", "Nothing is held in this test.")),
        (Some(hold), Some(at)) if at >= hold.start_ms => Ok(()),
        _ => Err(refuse("mark", "The hold has not begun yet: it begins when the count-in is over.".into())),
    }
}

fn after_effort(state: &State, at: Option<f64>) -> Result<(), InputError> {
    let Some(due) = state.dues.iter().find(|d| d.window.is_some()) else {
        return Err(refuse("bpm", "The heart rate is due when the effort is over.".into()));
    };
    if at.is_some_and(|at| at < due.from_ms) {
        return Err(refuse("bpm", format!("{} is due when the effort is over.", due.label)));
    }
    Ok(())
}

fn heart_rate(protocol: &Protocol, state: &State, stage: u8, minute: u8, at: Option<f64>) -> Result<(), InputError> {
    let Some(open) = state.stages().last() else {
        return Err(refuse("bpm", "Start the clock first: the minutes count from there.".into()));
    };
    if stage != open.number {
        let message =
            format!("Stage {} is running; this reading says stage {stage}. Readings of a finished stage cannot be changed.", open.number);
        return Err(refuse("stage", message));
    }
    if !(1..=LAST_MINUTE).contains(&minute) {
        return Err(refuse("minute", format!("A stage has minutes 1 to {LAST_MINUTE}.")));
    }
    if !is_read(protocol, minute) {
        let first = protocol.stages().and_then(|s| s.read_at.first()).copied().unwrap_or(1);
        return Err(refuse("minute", format!("{} reads the heart rate from minute {first} on.", protocol.name)));
    }
    let due = open.start_ms + minute_ms(minute);
    if at.is_some_and(|at| at < due - EARLY_MS) {
        let elapsed = quantity::minutes(((at.unwrap_or_default() - open.start_ms) / 1000.0).max(0.0).floor());
        return Err(refuse("minute", format!("Minute {minute} is full at {minute}:00 of the stage; it is {elapsed} now.")));
    }
    Ok(())
}

fn load(state: &State, stage: u8, kgm_min: f64, reason: Option<&str>, at: Option<f64>) -> Result<(), InputError> {
    if !(kgm_min.is_finite() && (0.0..=LOAD_MAX).contains(&kgm_min)) {
        return Err(refuse("kgm_min", format!("A load is 0 to {LOAD_MAX} kgm/min; {} was given.", rounded(kgm_min, 0))));
    }
    let Some(open) = state.stages().last() else {
        return Err(refuse("stage", "Start the clock first: the load of stage 1 is in the set-up.".into()));
    };
    if stage == open.number {
        return match (open.readings.first(), open.load) {
            (Some(read), Some(load)) => Err(refuse(
                "kgm_min",
                format!(
                    "Stage {stage} already has {} bpm at {}. Undo the reading to correct its load, or set the load of stage {}.",
                    rounded(read.bpm, 0),
                    load.words(),
                    stage + 1
                ),
            )),
            _ => Ok(()),
        };
    }
    if stage != open.number + 1 {
        return Err(refuse("stage", format!("Stage {} is running: the next load is that of stage {}.", open.number, open.number + 1)));
    }
    if at.is_some_and(|at| at < open.start_ms) {
        return Err(refuse("stage", format!("Stage {} has not begun yet: correct its load, or wait for its readings.", open.number)));
    }
    let as_decided = state.staged().and_then(|s| s.load_due.as_ref()).is_some_and(|due| due.decided.kgm_min == kgm_min);
    if as_decided { Ok(()) } else { why(reason) }
}

fn why(reason: Option<&str>) -> Result<(), InputError> {
    let given = text::note(reason.unwrap_or_default(), "reason")?;
    let missing =
        || InputError::new(Code::MissingInput, "reason", "This overrules the decision: give the reason in a few words. It is saved.");
    given.map(|_| ()).ok_or_else(missing)
}

fn refuse(field: &str, message: String) -> InputError {
    InputError::new(Code::OutOfRange, field, message)
}
