//! A rehearsal: an assessor practises on a simulated client whose true VO2max is hidden until the end.
//!
//! What the client does follows from the run: the loads set, the clock, the moment of the stop. At the end every reading
//! is held against the truth, and every fault against what the assessor did about it ([`mod@report`]).

use crate::{
    catalogue::{Family, PhaseKind, Protocol},
    estimate::field,
    run::{Setup, State, event::Answer},
    simulate::{Client, Demand, RESTING_VO2, cycling, stepping},
    units::rounded,
};

pub mod exert;
pub mod report;
pub mod told;

pub use exert::{Exertion, Lift, Move, Shape, exertion};
pub use report::{RehearsalReport, report};
pub use told::{FaultReport, ReadAgainstTruth};

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
    match protocol.family() {
        Family::StagedSteadyState => asked.extend(state.stages().iter().map(|s| Demand {
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
        // Nothing of it is read off the heart.
        Family::Attempts | Family::AudioPaced | Family::ClampedHeartRate => {}
    }
    asked.extend(state.over_ms.or(state.stopped_ms).map(rest));
    asked.sort_by(|a, b| a.from_s.total_cmp(&b.from_s));
    asked
}

/// What an assessor would see and hear up to a second of the run's clock: complaints, laps, the finish.
pub fn seen(protocol: &Protocol, client: &Client, state: &State, at_s: f64) -> Vec<(f64, String)> {
    let mut seen: Vec<(f64, String)> = client.said(at_s).into_iter().map(|(at, said)| (at, said.to_owned())).collect();
    if let (Some(course), Some(effort)) = (protocol.course(), state.effort()) {
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
    if let Some(exert::Shape::Count) = exert::shape(protocol)
        && let Some(last) = exertion(protocol, client, state).moves.last().filter(|m| at_s * 1000.0 >= m.to_ms + 2500.0)
    {
        seen.push(((last.to_ms + 2500.0) / 1000.0, "The client stays where they are: not one more.".to_owned()));
    }
    seen.sort_by(|a, b| a.0.total_cmp(&b.0));
    seen
}

/// Whether a simulated client can be tested by a protocol.
pub fn is_rehearsed(protocol: &Protocol) -> bool {
    protocol.family().is_rehearsed() || exert::shape(protocol).is_some()
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

/// How many of what is counted with the key the client does in a minute, where it covers no distance: knee lifts. A fitter
/// client does more; the numbers are ours.
pub fn tally_a_minute(protocol: &Protocol, client: &Client) -> Option<f64> {
    let tally = protocol.course()?.tally.as_ref()?;
    tally.length.is_none().then(|| (30.0 + 0.6 * client.vo2max).round())
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
                // A spotter stands there, the chair is held: a test in attempts asks for nothing else.
                K::YesNo => Answer::YesNo(c.must_hold || protocol.family() == Family::Attempts),
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
    use crate::{
        run::{Event, Kind, Status, StopReason},
        simulate::Fault,
    };

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
            if let Some(load) = state.staged().and_then(|s| s.load_due.as_ref()) {
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
        assert!(!state.stages()[0].readings.iter().any(|r| r.minute == 2), "{:?}", state.stages()[0].readings);
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
        for protocol in catalogue::all().iter().filter(|p| p.family().runs_live()) {
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
