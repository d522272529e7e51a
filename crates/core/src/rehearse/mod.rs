//! A rehearsal: an assessor practises on a simulated client whose true VO2max is hidden until the end.
//!
//! What the client does follows from the run: the loads set, the clock, the moment of the stop. At the end every reading
//! is held against the truth, and every fault against what the assessor did about it ([`mod@report`]).

pub mod client;
pub mod exert;
pub mod recorded;
pub mod report;
pub mod squad;
pub mod told;

pub use client::{demands, is_rehearsed, seen, setup, tally_a_minute};
pub use exert::{Exertion, Lift, Move, Shape, exertion};
pub use report::{RehearsalReport, report};
pub use squad::{SimulatedRunner, squad};
pub use told::{FaultReport, ReadAgainstTruth};

#[cfg(test)]
mod tests {
    use chrono::TimeDelta;
    use uuid::Uuid;

    use super::*;
    use crate::{
        catalogue,
        run::{Event, Kind, Setup, State, Status, StopReason, event::Answer, fold},
        simulate::{Client, Fault},
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
