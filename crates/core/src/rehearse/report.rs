//! What became of a rehearsal: the estimate against the truth, every reading against what it really was, every fault against
//! what was done about it.

use serde::{Deserialize, Serialize};

use super::{
    client::{demands, tally_a_minute},
    exert,
    told::{FaultReport, ReadAgainstTruth},
};
use crate::{
    catalogue::{PhaseKind, Protocol},
    quantity,
    run::{Event, Kind, Setup, State, Status, StopReason, Taken},
    simulate::{Client, Demand, Fault},
    test_record::{Circumstances, Options, TestRecord, compute},
    units::rounded,
};

/// A fault is noticed when something is done about it within this long of its end, s. Ours, common practice.
const NOTICED_WITHIN_S: f64 = 60.0;
/// Symptoms are to be acted upon at once: within this long, s. Ours, common practice.
const STOPPED_WITHIN_S: f64 = 20.0;

/// What is shown when a rehearsal is over.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RehearsalReport {
    pub sentence: String,
    /// The true VO2max, mL/kg/min; for a test in attempts, what should have been written down; of a squad, the mean score.
    pub truth: f64,
    /// The estimate, mL/kg/min, or what was written down, where the run got that far.
    pub estimate: Option<f64>,
    /// What was read when, beside what it really was.
    pub readings: Vec<ReadAgainstTruth>,
    /// Readings that were due and never taken, in words.
    pub missed: Vec<String>,
    /// What there was to notice.
    pub faults: Vec<FaultReport>,
    /// The unit of what was read, where it is the same for all and no heart rate.
    pub unit: Option<String>,
}

/// What became of a rehearsal. `state` is closed.
pub fn report(protocol: &Protocol, setup: &Setup, client: &Client, state: &State, events: &[Event]) -> RehearsalReport {
    let asked = demands(protocol, setup, client, state);
    let readings = readings(protocol, client, state, events, &asked);
    let estimate = estimate(protocol, setup, state);
    let end_s = state.finished_at.zip(state.started_at).map_or(f64::MAX, |(end, start)| (end - start).num_milliseconds() as f64 / 1000.0);
    let faults: Vec<FaultReport> =
        client.faults.iter().filter(|f| f.from_s() < end_s).map(|fault| fault_report(*fault, state, events)).collect();
    let missed = faults.iter().filter(|f| !f.noticed).count();
    let of_faults = match (faults.len(), missed) {
        (0, _) => String::new(),
        (_, 0) => " Everything that went wrong was noticed.".to_owned(),
        (1, _) => " One thing went wrong, and nothing was done about it.".to_owned(),
        (all, missed) => format!(" {missed} of {all} things that went wrong went unnoticed."),
    };
    if let Some(verdict) = exert::verdict(protocol, client, state, events) {
        let sentence = format!("{}{of_faults}", verdict.sentence);
        let faults = verdict.faults.into_iter().chain(faults).collect();
        let exert::Verdict { truth, read: estimate, readings, missed, .. } = verdict;
        return RehearsalReport { sentence, truth, estimate, readings, missed, faults, unit: None };
    }
    let truth = quantity::with_unit("vo2max", client.vo2max);
    let sentence = match estimate {
        Some(value) => {
            let off = 100.0 * (value - client.vo2max) / client.vo2max;
            let how_far = match rounded(off.abs(), 0).as_str() {
                "0" => "within half a percent".to_owned(),
                percent => format!("{percent} % {}", if off < 0.0 { "under" } else { "over" }),
            };
            format!("The estimate was {}, the truth {truth}: {how_far}.{of_faults}", quantity::with_unit("vo2max", value))
        }
        None => format!("There is no estimate; the truth was {truth}.{of_faults}"),
    };
    RehearsalReport { sentence, truth: client.vo2max, estimate, readings, missed: missed_readings(protocol, state), faults, unit: None }
}

/// Everything that was read, beside the truth at its moment.
fn readings(protocol: &Protocol, client: &Client, state: &State, events: &[Event], asked: &[Demand]) -> Vec<ReadAgainstTruth> {
    let truth = |ms: f64| client.heart_rate(asked, ms / 1000.0).round();
    let clock = |e: &Event| {
        let since = state.started_at.map_or(0.0, |start| (e.wall - start).num_milliseconds() as f64 / 1000.0);
        quantity::minutes(since.max(0.0).floor())
    };
    let when = |by: Taken, is_it: &dyn Fn(&Kind) -> bool| {
        let how = match by {
            Taken::Typed => "typed",
            Taken::Counted { .. } => "counted",
            Taken::Tapped => "tapped",
            Taken::Strap => return "by the strap".to_owned(),
        };
        events.iter().rev().find(|e| is_it(&e.kind)).map_or_else(|| how.to_owned(), |e| format!("{how} at {}", clock(e)))
    };
    let mut readings: Vec<ReadAgainstTruth> = Vec::new();
    for (number, reading) in state.stages().iter().flat_map(|s| s.readings.iter().map(move |r| (s.number, r))) {
        let is_it = |kind: &Kind| match kind {
            Kind::HeartRateRead { stage, minute, .. }
            | Kind::HeartRateCounted { stage, minute, .. }
            | Kind::HeartRateTapped { stage, minute } => (*stage, *minute) == (number, reading.minute),
            _ => false,
        };
        readings.push(ReadAgainstTruth {
            label: format!("Stage {number}, minute {}", reading.minute),
            when: when(reading.taken, &is_it),
            read: reading.bpm,
            truth: truth(reading.at_ms),
        });
    }
    readings.extend(state.readings().iter().filter_map(|r| {
        let by = if r.typed.is_some() { Taken::Typed } else { Taken::Tapped };
        Some(ReadAgainstTruth {
            label: "Recovery count".into(),
            when: when(by, &|kind| matches!(kind, Kind::CountTyped { .. } | Kind::Tap)),
            read: r.bpm?,
            truth: truth(f64::midpoint(r.start_ms, r.end_ms)),
        })
    }));
    if let (Some(effort), Some(end)) = (state.effort(), state.timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms)) {
        let of_heart = |kind: &Kind| {
            matches!(kind, Kind::HeartRateCounted { .. } | Kind::HeartRateTapped { .. })
                || matches!(kind, Kind::ValueTyped { key, .. } if key.starts_with("hr_"))
        };
        readings.extend(effort.heart_rate_taken.zip(effort.values.get("hr_end")).map(|(by, bpm)| ReadAgainstTruth {
            label: "Heart rate at the end".into(),
            when: when(by, &of_heart),
            read: *bpm,
            truth: truth(end),
        }));
        let counted = protocol.course().and_then(|c| c.tally.as_ref()).and_then(|t| effort.values.get(&t.input));
        readings.extend(tally_a_minute(protocol, client).zip(counted).map(|(a_minute, counted)| ReadAgainstTruth {
            label: "Counted".into(),
            when: "with the key".into(),
            read: *counted,
            truth: (a_minute * (end - effort.start_ms) / 60_000.0).floor(),
        }));
    }
    readings
}

/// Minutes of a stage that was done whose heart rate nobody took.
fn missed_readings(protocol: &Protocol, state: &State) -> Vec<String> {
    let Some(rule) = protocol.stages() else { return Vec::new() };
    let mut missed = Vec::new();
    for stage in state.stages() {
        let end = stage.end_ms.or(state.over_ms).or(state.stopped_ms).unwrap_or(f64::MAX);
        let full = |minute: &&u8| stage.start_ms + f64::from(**minute) * 60_000.0 <= end;
        let unread = rule.read_at.iter().filter(full).filter(|m| stage.readings.iter().all(|r| r.minute != **m));
        missed.extend(unread.map(|m| format!("Stage {}, minute {m}", stage.number)));
    }
    missed
}

fn estimate(protocol: &Protocol, setup: &Setup, state: &State) -> Option<f64> {
    let inputs = state.inputs(protocol, setup);
    let options = Options { hr_max_method: setup.hr_max_method, ceiling: setup.ceiling };
    let circumstances = Circumstances { conditioned: setup.conditioned(), ..Circumstances::default() };
    compute(&TestRecord { options, circumstances, ..TestRecord::of(protocol, setup.facts(), &inputs) })
        .ok()?
        .result("vo2max")
        .map(|e| e.value)
}

fn fault_report(fault: Fault, state: &State, events: &[Event]) -> FaultReport {
    let start = state.started_at;
    let at = |e: &Event| start.map_or(0.0, |s| (e.wall - s).num_milliseconds() as f64 / 1000.0);
    let done =
        |from: f64, until: f64, what: &dyn Fn(&Kind) -> bool| events.iter().any(|e| what(&e.kind) && (from..=until).contains(&at(e)));
    let what = format!("At {} {}.", quantity::minutes(fault.from_s().floor()), fault.words());
    let (noticed, right, wrong) = match fault {
        Fault::CadenceDrifts { from_s, until_s } => (
            done(from_s, until_s + NOTICED_WITHIN_S, &|k| {
                matches!(k, Kind::CadenceLost | Kind::CadenceRegained | Kind::Noted { .. } | Kind::Stopped)
            }),
            "You noted it.",
            "Say the beat aloud and note it: the work is no longer what the equation assumes.",
        ),
        Fault::StrapDropsOut { from_s, until_s } => (
            done(from_s, until_s + NOTICED_WITHIN_S, &|k| {
                matches!(
                    k,
                    Kind::HeartRateRead { .. }
                        | Kind::HeartRateCounted { .. }
                        | Kind::HeartRateTapped { .. }
                        | Kind::CountTyped { .. }
                        | Kind::Noted { .. }
                        | Kind::ValueTyped { .. }
                        | Kind::MinuteAdded { .. }
                )
            }) || state.stages().iter().any(|s| s.readings.len() > 2),
            "You took the heart rate another way, or gave the stage another minute.",
            "Take the pulse by hand, or note that the strap was silent.",
        ),
        Fault::DoesNotSettle { .. } => {
            let waited = state.stages().iter().any(|s| s.readings.len() > 2 || s.steady == Some(false));
            (waited, "You waited for a steady state.", "A stage that is not steady needs another minute.")
        }
        Fault::Dizzy { at_s } => {
            let stopped = state.stopped_ms.is_some_and(|ms| (at_s..=at_s + STOPPED_WITHIN_S).contains(&(ms / 1000.0)));
            let said = state.stop_reason == Some(StopReason::Symptoms) || matches!(state.status, Status::Stopped);
            (
                stopped && said,
                "You stopped at once and named the symptoms.",
                "Dizziness means stop, sit down, and the reason “pain or symptoms”.",
            )
        }
    };
    FaultReport { what, noticed, then: if noticed { right } else { wrong }.to_owned() }
}
