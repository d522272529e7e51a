//! A rehearsal: an assessor practises on a simulated client whose true VO2max is hidden until the end.
//!
//! What the client does follows from the run: the loads set, the clock, the moment of the stop. At the end every reading
//! is held against the truth, and every fault against what the assessor did about it.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Family, PhaseKind, Protocol},
    estimate::field,
    quantity,
    run::{Event, Kind, Setup, State, Status, StopReason, Taken, event::Answer},
    simulate::{Client, Demand, Fault, RESTING_VO2, cycling, stepping},
    trial::{Circumstances, Options, Trial, compute},
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
    /// In a sentence.
    pub sentence: String,
    /// The true VO2max, mL/kg/min.
    pub truth: f64,
    /// The estimate, mL/kg/min, where the protocol gives one and the run got that far.
    pub estimate: Option<f64>,
    /// What was read when, beside what it really was.
    pub readings: Vec<ReadAgainstTruth>,
    /// Readings that were due and never taken, in words.
    pub missed: Vec<String>,
    /// What there was to notice.
    pub faults: Vec<FaultReport>,
}

/// A reading beside the truth.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ReadAgainstTruth {
    /// Which reading.
    pub label: String,
    /// When, and how: `at 3:04, typed`.
    pub when: String,
    /// As read, bpm or a count.
    pub read: f64,
    /// As it was.
    pub truth: f64,
}

/// A fault and whether it was noticed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FaultReport {
    /// What went wrong, and when, in a sentence.
    pub what: String,
    /// Whether something was done about it in time.
    pub noticed: bool,
    /// What was done, or what would have been right.
    pub then: String,
}

/// What the client's body was asked for so far.
pub fn demands(protocol: &Protocol, setup: &Setup, client: &Client, state: &State) -> Vec<Demand> {
    let seconds = |ms: f64| ms / 1000.0;
    let rest = |from_ms: f64| Demand { from_s: seconds(from_ms), vo2: RESTING_VO2 };
    let steps = setup.cadence.map_or(0.0, |c| c.value() / 4.0);
    let bench = match setup.conditions.get("bench_cm") {
        Some(Answer::Number(cm)) => *cm,
        _ => 30.0,
    };
    let mut asked: Vec<Demand> = Vec::new();
    match protocol.family {
        Family::StagedSteadyState => asked.extend(state.stages.iter().map(|s| Demand {
            from_s: seconds(s.start_ms),
            vo2: s.load.map_or_else(|| stepping(steps, bench), |l| cycling(client, l.kgm_min)),
        })),
        Family::CountedRecovery => {
            if let Some(work) = state.timeline.phase(PhaseKind::Work) {
                asked.push(Demand { from_s: seconds(work.start_ms), vo2: stepping(steps, bench) });
                asked.extend(work.end_ms.map(rest));
            }
        }
        Family::TimedEffort | Family::DistanceEffort => {
            if let Some(work) = state.timeline.phase(PhaseKind::Work) {
                let share = if protocol.effort == crate::catalogue::Effort::Vigorous { 0.95 } else { 0.7 };
                asked.push(Demand { from_s: seconds(work.start_ms), vo2: share * client.vo2max });
                asked.extend(work.end_ms.map(rest));
            }
        }
        Family::AudioPaced | Family::ClampedHeartRate => {}
    }
    asked.extend(state.over_ms.or(state.stopped_ms).map(rest));
    asked.sort_by(|a, b| a.from_s.total_cmp(&b.from_s));
    asked
}

/// What an assessor would see and hear up to a second of the run's clock: complaints, laps, the finish.
pub fn seen(protocol: &Protocol, client: &Client, state: &State, at_s: f64) -> Vec<(f64, String)> {
    let mut seen: Vec<(f64, String)> = client.said(at_s).into_iter().map(|(at, said)| (at, said.to_owned())).collect();
    if let (Some(course), Some(effort)) = (&protocol.course, &state.effort) {
        let start = effort.start_ms / 1000.0;
        let speed = speed(protocol, client);
        let lap = effort.lap_m;
        if let (Some(lap), Some(tally)) = (lap, &course.tally) {
            let until = course.seconds.map_or(at_s, |s| (start + f64::from(s)).min(at_s));
            let passed = ((until - start).max(0.0) * speed / lap).floor() as u32;
            seen.extend(
                (1..=passed).map(|n| (start + f64::from(n) * lap / speed, format!("The client passes the line: {} {n}.", tally.one))),
            );
            if course.seconds.is_some_and(|s| at_s >= start + f64::from(s)) {
                let extra = f64::from(course.seconds.unwrap_or_default()) * speed - f64::from(passed) * lap;
                let end = start + f64::from(course.seconds.unwrap_or_default());
                seen.push((end, format!("The client stands {} m past the line.", rounded(extra, 0))));
            }
        } else if let Some(distance) = course.distance_m {
            let finish = start + distance / speed;
            if at_s >= finish {
                seen.push((finish, "The client crosses the finish line.".to_owned()));
            }
        }
    }
    seen.sort_by(|a, b| a.0.total_cmp(&b.0));
    seen
}

/// How fast the client goes over a course, m/s: what the protocol's own equation says of the true VO2max.
fn speed(protocol: &Protocol, client: &Client) -> f64 {
    match protocol.id.as_str() {
        "run-12min" => field::twelve_minute_distance(client.vo2max) / 720.0,
        "run-1-5mile" => 2414.0 / field::mile_and_a_half_time(client.vo2max),
        "mile-walk" => {
            let hr = client.steady_hr(0.7 * client.vo2max);
            let time = field::mile_walk_time(client.sex, client.age, client.mass, client.vo2max, hr);
            1609.0 / time.clamp(660.0, 1320.0)
        }
        "row-2000m" => 2000.0 / (60.0 * (13.5 - 0.09 * client.vo2max).clamp(6.2, 12.0)),
        _ => 1.3,
    }
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
    let truth = quantity::with_unit("vo2max", client.vo2max);
    let sentence = match estimate {
        Some(value) => {
            let off = 100.0 * (value - client.vo2max) / client.vo2max;
            let side = if off < 0.0 { "under" } else { "over" };
            format!(
                "The estimate was {}, the truth {truth}: {} % {side}.{of_faults}",
                quantity::with_unit("vo2max", value),
                rounded(off.abs(), 0)
            )
        }
        None => format!("There is no estimate; the truth was {truth}.{of_faults}"),
    };
    RehearsalReport { sentence, truth: client.vo2max, estimate, readings, missed: missed_readings(protocol, state), faults }
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
    for (number, reading) in state.stages.iter().flat_map(|s| s.readings.iter().map(move |r| (s.number, r))) {
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
    readings.extend(state.readings.iter().filter_map(|r| {
        let by = if r.typed.is_some() { Taken::Typed } else { Taken::Tapped };
        Some(ReadAgainstTruth {
            label: "Recovery count".into(),
            when: when(by, &|kind| matches!(kind, Kind::CountTyped { .. } | Kind::Tap)),
            read: r.bpm?,
            truth: truth(f64::midpoint(r.start_ms, r.end_ms)),
        })
    }));
    if let (Some(effort), Some(end)) = (&state.effort, state.timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms)) {
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
        let counted = protocol.course.as_ref().and_then(|c| c.tally.as_ref()).and_then(|t| effort.values.get(&t.input));
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
    let Some(rule) = &protocol.stages else { return Vec::new() };
    let mut missed = Vec::new();
    for stage in &state.stages {
        let end = stage.end_ms.or(state.over_ms).or(state.stopped_ms).unwrap_or(f64::MAX);
        let full = |minute: &&u8| stage.start_ms + f64::from(**minute) * 60_000.0 <= end;
        let unread = rule.read_at.iter().filter(full).filter(|m| stage.readings.iter().all(|r| r.minute != **m));
        missed.extend(unread.map(|m| format!("Stage {}, minute {m}", stage.number)));
    }
    missed
}

/// How many of what is counted with the key the client does in a minute, where it covers no distance: knee lifts. A fitter
/// client does more; the numbers are ours.
pub fn tally_a_minute(protocol: &Protocol, client: &Client) -> Option<f64> {
    let tally = protocol.course.as_ref()?.tally.as_ref()?;
    tally.length.is_none().then(|| (30.0 + 0.6 * client.vo2max).round())
}

fn estimate(protocol: &Protocol, setup: &Setup, state: &State) -> Option<f64> {
    let inputs = state.inputs(protocol, setup);
    let options = Options { hr_max_method: setup.hr_max_method, ceiling: setup.ceiling };
    let circumstances = Circumstances { conditioned: setup.conditioned(), ..Circumstances::default() };
    compute(&Trial { options, circumstances, ..Trial::of(protocol, setup.facts(), &inputs) }).ok()?.result("vo2max").map(|e| e.value)
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
            "Say the beat aloud and note it: the work is no longer what the equation takes it for.",
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
            }) || state.stages.iter().any(|s| s.readings.len() > 2),
            "You took the heart rate another way, or gave the stage another minute.",
            "Take the pulse by hand, or note that the strap was silent.",
        ),
        Fault::DoesNotSettle { .. } => {
            let waited = state.stages.iter().any(|s| s.readings.len() > 2 || s.steady == Some(false));
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

/// The set-up of a rehearsal: what a record and a careful set-up would hold of this client.
pub fn setup(protocol: &Protocol, client: &Client) -> Setup {
    let conditions = protocol
        .conditions
        .iter()
        .filter(|c| c.required)
        .map(|c| {
            use crate::catalogue::ConditionKind as K;
            let answer = match c.kind {
                K::YesNo => Answer::YesNo(c.must_hold),
                K::Number => Answer::Number(c.expected_for(Some(client.sex)).unwrap_or(30.0)),
                K::Choice => Answer::Text(
                    c.choices.iter().find(|(key, _)| key == "strap").or(c.choices.first()).map_or_else(String::new, |(k, _)| k.clone()),
                ),
                K::Text => Answer::Text("rehearsal".into()),
            };
            (c.key.clone(), answer)
        })
        .collect();
    let facts = client.facts();
    let cadence = protocol.cadence.as_ref().and_then(|c| c.for_sex(facts.sex)).and_then(|c| crate::units::Cadence::new(c).ok());
    Setup { cadence, conditions, ..Setup::of(&facts) }
}

#[cfg(test)]
mod tests {
    use chrono::TimeDelta;
    use uuid::Uuid;

    use super::*;
    use crate::{catalogue, run::fold};

    fn client(faults: Vec<Fault>) -> Client {
        Client { faults, ..Client::from_seed(11) }
    }

    fn event(seq: u32, ms: f64, kind: Kind) -> Event {
        let wall = "2026-11-23T09:00:00Z".parse::<chrono::DateTime<chrono::Utc>>().unwrap() + TimeDelta::milliseconds(ms as i64);
        Event { id: Uuid::from_u128(u128::from(seq)), device: Uuid::from_u128(1), seq, mono_ms: ms, wall, slot: None, kind }
    }

    /// Plays a multistage cycle by the engine's own decisions, with the strap.
    fn play(client: &Client) -> (Vec<Event>, State, Setup) {
        let protocol = catalogue::find("multistage-cycle").unwrap();
        let setup = setup(protocol, client);
        setup.check(protocol).unwrap();
        let mut events = vec![event(1, 0.0, Kind::ClockStarted)];
        for second in 0..1800u32 {
            let state = fold(protocol, &setup, &events);
            let (seq, ms) = (events.len() as u32 + 1, f64::from(second) * 1000.0);
            if state.over_ms.is_some() {
                events.push(event(seq, ms, Kind::Finished));
                break;
            }
            if let Some(load) = &state.load_due {
                events.push(event(seq, ms, Kind::LoadSet { stage: load.stage, kgm_min: load.decided.kgm_min, reason: None }));
                continue;
            }
            if second % 5 == 0 || state.dues.iter().any(|d| d.value.is_none() && (0.0..20_000.0).contains(&(d.at_ms - ms))) {
                let heard = client.strap(&demands(protocol, &setup, client, &state), second);
                events.push(event(seq, ms, Kind::StrapHeard { bytes: String::new(), heard: Some(heard) }));
            }
        }
        let state = fold(protocol, &setup, &events);
        (events, state, setup)
    }

    #[test]
    fn a_rehearsal_played_by_the_engines_decisions_ends_near_the_truth() {
        let client = client(Vec::new());
        let (events, state, setup) = play(&client);
        assert_eq!(state.status, Status::Finished, "{:?}", state.decision);
        let report = report(catalogue::find("multistage-cycle").unwrap(), &setup, &client, &state, &events);
        let off = (report.estimate.unwrap() - client.vo2max).abs() / client.vo2max;
        assert!(off < 0.4, "{}", report.sentence);
        assert!(report.readings.iter().all(|r| (r.read - r.truth).abs() <= 6.0), "{:?}", report.readings);
    }

    #[test]
    fn a_dropout_leaves_the_minute_open_and_is_told_at_the_end() {
        let client = client(vec![Fault::StrapDropsOut { from_s: 100.0, until_s: 140.0 }]);
        let (events, state, setup) = play(&client);
        assert!(!state.stages[0].readings.iter().any(|r| r.minute == 2), "{:?}", state.stages[0].readings);
        let report = report(catalogue::find("multistage-cycle").unwrap(), &setup, &client, &state, &events);
        assert_eq!(report.faults.len(), 1);
        assert!(report.faults[0].what.starts_with("At 1:40"));
    }

    #[test]
    fn dizziness_is_noticed_by_stopping_at_once() {
        let protocol = catalogue::find("multistage-cycle").unwrap();
        let client = client(vec![Fault::Dizzy { at_s: 90.0 }]);
        let setup = setup(protocol, &client);
        for (stopped_at, noticed) in [(95_000.0, true), (140_000.0, false)] {
            let events = [
                event(1, 0.0, Kind::ClockStarted),
                event(2, stopped_at, Kind::Stopped),
                event(3, stopped_at + 2_000.0, Kind::StopExplained { reason: StopReason::Symptoms, note: None }),
                event(4, stopped_at + 4_000.0, Kind::Finished),
            ];
            let state = fold(protocol, &setup, &events);
            assert_eq!(report(protocol, &setup, &client, &state, &events).faults[0].noticed, noticed);
        }
    }

    #[test]
    fn every_live_protocol_can_be_set_up_for_anyone() {
        for protocol in catalogue::all().iter().filter(|p| p.family.runs_live()) {
            for seed in 0..20 {
                setup(protocol, &Client::from_seed(seed)).check(protocol).unwrap();
            }
        }
    }

    #[test]
    fn the_runner_passes_the_line_as_often_as_the_true_vo2max_says() {
        let protocol = catalogue::find("run-12min").unwrap();
        let client = client(Vec::new());
        let setup = Setup { conditions: [("lap_m".to_owned(), Answer::Number(400.0))].into(), ..setup(protocol, &client) };
        let state = fold(protocol, &setup, &[event(1, 0.0, Kind::ClockStarted)]);
        let seen = seen(protocol, &client, &state, 800.0);
        let distance = 44.73 * client.vo2max + 504.9;
        assert_eq!(seen.iter().filter(|(_, s)| s.contains("passes the line")).count() as f64, (distance / 400.0).floor());
    }

    #[test]
    fn the_report_says_how_each_heart_rate_was_taken_and_which_minute_nobody_read() {
        let protocol = catalogue::find("multistage-cycle").unwrap();
        let client = client(Vec::new());
        let setup = setup(protocol, &client);
        let counted = Kind::HeartRateCounted { stage: 1, minute: 3, count: 29.0, window_s: 15.0 };
        let mut events = vec![event(1, 0.0, Kind::ClockStarted), event(2, 186_000.0, counted)];
        events.push(event(3, 190_000.0, Kind::Stopped));
        events.push(event(4, 192_000.0, Kind::Finished));
        let state = fold(protocol, &setup, &events);
        let report = report(protocol, &setup, &client, &state, &events);
        assert_eq!(report.readings.iter().map(|r| (r.read, r.when.as_str())).collect::<Vec<_>>(), [(116.0, "counted at 3:06")]);
        assert_eq!(report.missed, ["Stage 1, minute 2"]);
        assert!(report.readings[0].truth > client.resting_hr, "beside what it really was");
    }

    #[test]
    fn after_a_walk_the_heart_rate_is_held_against_the_one_at_the_line() {
        let protocol = catalogue::find("mile-walk").unwrap();
        let client = client(Vec::new());
        let setup = setup(protocol, &client);
        let end = 5_000.0 + 900_000.0;
        let events = [
            event(1, 0.0, Kind::ClockStarted),
            event(2, end, Kind::Crossed),
            event(3, end + 8_000.0, Kind::ValueTyped { key: "hr_end".into(), value: 120.0 }),
            event(4, end + 10_000.0, Kind::Finished),
        ];
        let state = fold(protocol, &setup, &events);
        let report = report(protocol, &setup, &client, &state, &events);
        assert_eq!(report.readings[0].when, "typed at 15:13");
        let asked = demands(protocol, &setup, &client, &state);
        assert_eq!(report.readings[0].truth, client.heart_rate(&asked, end / 1000.0).round());
        assert!(report.estimate.is_some());
    }

    #[test]
    fn a_fitter_client_lifts_the_knees_more_often_and_laps_are_no_lifts() {
        let (march, run) = (catalogue::find("march-2min").unwrap(), catalogue::find("run-12min").unwrap());
        let of = |vo2max: f64| tally_a_minute(march, &Client { vo2max, ..client(Vec::new()) }).unwrap();
        assert!(of(25.0) < of(45.0));
        assert_eq!(tally_a_minute(run, &client(Vec::new())), None);
    }
}
