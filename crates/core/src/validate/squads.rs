//! What a recorder's slips do to a squad's scores: simulated squads run to the beeps, and simulated recorders tap on the floor.

use chrono::{DateTime, TimeDelta};
use uuid::Uuid;

use crate::{
    beeps::Beeps,
    catalogue::Protocol,
    rehearse::{
        SimulatedRunner,
        recorded::{Tally, tally},
        squad,
        squad::NAMES,
    },
    run::{Event, Kind, Setup, State, StopReason, event::Answer, fold, timeline},
    simulate::Dice,
};

/// Somebody who records a squad. How well people do is ours: nobody measured it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Recorder {
    /// In a few words.
    pub name: &'static str,
    /// The share of misses that are seen where one runner misses a line; of two at one beep each is seen with its square, and so on.
    pub sees: f64,
    /// The share of taps on the tile of a neighbour.
    pub wrong: f64,
    /// Seconds from the beep to the tap: mean, and standard deviation upwards.
    pub delay_s: (f64, f64),
}

/// The recorders that are simulated.
pub const RECORDERS: [Recorder; 4] = [
    Recorder { name: "sees everything, at once", sees: 1.0, wrong: 0.0, delay_s: (0.6, 0.2) },
    Recorder { name: "attentive", sees: 0.97, wrong: 0.01, delay_s: (0.8, 0.6) },
    Recorder { name: "usual", sees: 0.9, wrong: 0.02, delay_s: (1.0, 1.0) },
    Recorder { name: "distracted", sees: 0.75, wrong: 0.05, delay_s: (1.5, 2.0) },
];

/// How a recorder did with many squads.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SquadQuality {
    /// The share of misses that were recorded at their beep.
    pub seen: f64,
    /// The share of scores that are right.
    pub right: f64,
    /// Mean of recorded minus true over all runners, and of its size over those that are wrong: m, or km/h.
    pub bias: f64,
    pub off: f64,
    /// The share that is off by more than one line, or one stage.
    pub far_off: f64,
}

/// `squads` squads of fourteen, made from `seed`, in a run to beeps, recorded by one recorder under a rule.
pub fn squads(protocol: &Protocol, recorder: &Recorder, rule: &str, squads: u32, seed: u64) -> Option<SquadQuality> {
    let schedule = protocol.schedule()?;
    let beeps = schedule.beeps(None).ok()?;
    let rule = ("beep_rule".to_owned(), Answer::Text(rule.to_owned()));
    let setup = Setup { together: true, conditions: [rule].into(), ..Setup::default() };
    let tallies: Vec<Tally> = (0..squads)
        .filter_map(|k| {
            let own = seed.wrapping_mul(1_000_003).wrapping_add(u64::from(k));
            let squad = squad(protocol, &beeps, NAMES.len() as u16, own);
            let (states, events) = recorded(protocol, &setup, &beeps, &squad, recorder, &mut Dice::new(own ^ 0x7A9));
            tally(protocol, &setup, &squad, &states, &events)
        })
        .collect();
    let step =
        if schedule.run_s.is_some() { schedule.levels.get(1)?.speed_kmh - schedule.levels.first()?.speed_kmh } else { schedule.shuttle_m };
    let of = |count: &dyn Fn(&Tally) -> usize| tallies.iter().map(count).sum::<usize>() as f64;
    let runners = of(&|t| t.scores.len());
    let off: Vec<f64> = tallies.iter().flat_map(Tally::off).collect();
    Some(SquadQuality {
        seen: of(&|t| t.seen) / of(&|t| t.misses),
        right: of(&Tally::right) / runners,
        bias: off.iter().sum::<f64>() / runners,
        off: off.iter().map(|o| o.abs()).sum::<f64>() / off.len().max(1) as f64,
        far_off: off.iter().filter(|o| o.abs() > step + 1e-9).count() as f64 / runners,
    })
}

/// Everybody's state after a recorder followed a squad to its end, and what was tapped.
pub(crate) fn recorded(
    protocol: &Protocol,
    setup: &Setup,
    beeps: &Beeps,
    squad: &[SimulatedRunner],
    recorder: &Recorder,
    dice: &mut Dice,
) -> (Vec<State>, Vec<Event>) {
    let start_ms =
        timeline(protocol, setup).phases.iter().find(|p| p.kind == crate::catalogue::PhaseKind::Work).map_or(0.0, |p| p.start_ms);
    let mut events = vec![event(1, 0.0, None, Kind::ClockStarted)];
    let mut states: Vec<State> = squad.iter().map(|_| fold(protocol, setup, &events)).collect();
    let is_in = |state: &State| state.beeps().is_some_and(|of| of.ended.is_none());
    for beep in 1..=beeps.count() {
        let Some(mark) = beeps.beep(beep) else { break };
        let at_ms = start_ms + mark.at_s * 1000.0;
        let in_sight = |one: &&SimulatedRunner| is_in(&states[usize::from(one.slot)]);
        // Whoever stopped at the line before is seen standing there.
        let missing: Vec<u16> = squad.iter().filter(in_sight).filter(|one| one.misses(beep)).map(|one| one.slot).collect();
        let stopped: Vec<u16> = squad.iter().filter(in_sight).filter(|one| one.has_stopped(beep)).map(|one| one.slot).collect();
        let at_once = recorder.sees.powi(i32::try_from(missing.len()).unwrap_or(1));
        for slot in missing.into_iter().chain(stopped.iter().copied()) {
            if dice.uniform() >= if stopped.contains(&slot) { recorder.sees } else { at_once } {
                continue;
            }
            let delay_ms = 1000.0 * (recorder.delay_s.0 + recorder.delay_s.1 * dice.normal().abs());
            let neighbour = (slot + 1) % u16::try_from(squad.len()).unwrap_or(1);
            let slot = if dice.uniform() < recorder.wrong && !stopped.contains(&slot) { neighbour } else { slot };
            let kind = if stopped.contains(&slot) { Kind::LeftRun { reason: StopReason::Volitional } } else { Kind::LineMissed };
            // Somebody who stops is taken out before the line they do not run to.
            let ms = if stopped.contains(&slot) { at_ms - 1500.0 } else { at_ms + delay_ms };
            events.push(event(events.len() as u32 + 1, ms, Some(slot), kind));
            states[usize::from(slot)] = fold(protocol, setup, events.iter().filter(|e| e.slot.is_none_or(|s| s == slot)));
        }
        if !states.iter().any(is_in) {
            break;
        }
    }
    (states, events)
}

fn event(seq: u32, ms: f64, slot: Option<u16>, kind: Kind) -> Event {
    let wall = DateTime::UNIX_EPOCH + TimeDelta::microseconds((ms * 1000.0) as i64);
    Event { id: Uuid::from_u128(u128::from(seq)), device: Uuid::nil(), seq, mono_ms: ms, wall, slot, kind }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue, inputs::Inputs, rehearse::recorded::report};
    use proptest::prelude::*;
    use serde_json::json;
    use test_case::test_case;

    const BEEPS: [&str; 4] = ["shuttle-20m", "shuttle-recovery-1", "shuttle-recovery-2", "interval-30-15"];

    fn of(id: &str, seed: u64) -> (&'static Protocol, Beeps, Vec<SimulatedRunner>) {
        let protocol = catalogue::find(id).unwrap();
        let beeps = protocol.schedule().unwrap().beeps(None).unwrap();
        let squad = squad(protocol, &beeps, 14, seed);
        (protocol, beeps, squad)
    }

    fn setup_under(rule: &str) -> Setup {
        Setup { together: true, conditions: [("beep_rule".to_owned(), Answer::Text(rule.to_owned()))].into(), ..Setup::default() }
    }

    fn setup() -> Setup {
        setup_under("consecutive")
    }

    proptest! {
        /// A squad's own misses give the scores that the batch reads out of them, and a recorder who sees everything records them.
        #[test]
        fn a_recorder_who_sees_everything_gets_every_score(which in 0usize..4, cumulative in any::<bool>(), seed in 0u64..1000) {
            let rule = if cumulative { "cumulative" } else { "consecutive" };
            let ((protocol, beeps, squad), setup) = (of(BEEPS[which], seed), setup_under(rule));
            let (states, events) = recorded(protocol, &setup, &beeps, &squad, &RECORDERS[0], &mut Dice::new(seed));
            let told = report(protocol, &setup, seed, &states, &events).unwrap();
            prop_assert!(told.faults.iter().all(|f| f.noticed), "{:?}", told.faults);
            prop_assert!(told.sentence.ends_with("All 14 scores are right."), "{}", told.sentence);
            for (one, state) in squad.iter().zip(&states) {
                let missed: Vec<u32> = (1..=one.late_s.len() as u32).filter(|beep| one.misses(*beep)).collect();
                let mut batch: Inputs = serde_json::from_value(json!({"misses": missed, "miss_rule": rule})).unwrap();
                if protocol.schedule().unwrap().settle_misses(&mut batch.clone()).is_err() {
                    let last = (0..=one.late_s.len()).rev().find(|beep| !one.misses(*beep as u32)).unwrap();
                    batch.insert("stopped_after", crate::inputs::Value::from(last as f64));
                }
                protocol.schedule().unwrap().settle_misses(&mut batch).unwrap();
                let ended = state.beeps().unwrap().ended.as_ref().unwrap();
                let floor: Inputs = ended.values.iter().map(|(k, v)| (k.clone(), crate::inputs::Value::from(*v))).collect();
                prop_assert_eq!(batch, floor);
            }
        }

        /// A runner goes forward, is never a whole line behind, and a miss can be seen: metres short of the line or of its zone.
        #[test]
        fn a_simulated_runner_moves_as_one_does(which in 0usize..4, seed in 0u64..1000) {
            let (protocol, beeps, squad) = of(BEEPS[which], seed);
            let zone_m = protocol.schedule().unwrap().zone_m;
            let mut lanes: Vec<u16> = squad.iter().map(|one| one.lane).collect();
            lanes.sort_unstable();
            prop_assert_eq!(lanes, (0..14).collect::<Vec<u16>>());
            for one in &squad {
                let mut before = 0.0;
                for (k, late_s) in one.late_s.iter().enumerate() {
                    let mark = beeps.beep(k as u32 + 1).unwrap();
                    prop_assert!(mark.at_s + late_s > before);
                    before = mark.at_s + late_s;
                    let short_m = late_s * mark.speed_kmh / 3.6;
                    prop_assert_eq!(one.misses(k as u32 + 1), short_m > zone_m + 1.0, "{} m short", short_m);
                }
            }
        }
    }

    /// What the report says where one thing was recorded otherwise.
    fn slip(change: impl Fn(&mut Vec<Event>, &Beeps, &[SimulatedRunner])) -> crate::rehearse::RehearsalReport {
        let (protocol, beeps, squad) = of("shuttle-20m", 3);
        let (_, mut events) = recorded(protocol, &setup(), &beeps, &squad, &RECORDERS[0], &mut Dice::new(3));
        change(&mut events, &beeps, &squad);
        let state = |slot: u16| fold(protocol, &setup(), events.iter().filter(|e| e.slot.is_none_or(|s| s == slot)));
        let states: Vec<State> = (0..14).map(state).collect();
        report(protocol, &setup(), 3, &states, &events).unwrap()
    }

    /// The first miss that ends somebody's test.
    fn last_miss(events: &[Event]) -> usize {
        let missed = |slot: u16| events.iter().filter(move |e| e.slot == Some(slot) && e.kind == Kind::LineMissed).count();
        events.iter().position(|e| e.kind == Kind::LineMissed && e.slot.is_some_and(|s| missed(s) >= 2)).unwrap()
    }

    #[test]
    fn a_miss_that_nobody_saw_is_told_with_what_it_did_to_the_score() {
        let told = slip(|events, _, _| {
            let at = last_miss(events);
            events.remove(at);
        });
        assert!(told.faults.iter().any(|f| !f.noticed && f.then == "It was not recorded."), "{:?}", told.faults);
    }

    #[test]
    fn a_tap_on_somebody_else_is_told_with_both_names() {
        let told = slip(|events, _, squad| {
            let at = last_miss(events);
            let fittest = squad.iter().max_by_key(|one| one.late_s.len()).unwrap().slot;
            events[at].slot = Some(fittest);
        });
        let wrong = told.faults.iter().find(|f| !f.noticed).unwrap();
        assert!(wrong.what.contains("missed level") && wrong.then.starts_with("You tapped "), "{wrong:?}");
        assert!(told.sentence.contains("1 tap was on another runner"), "{}", told.sentence);
    }

    #[test]
    fn a_tap_that_comes_too_late_is_told_with_the_line_it_counted_for() {
        // A miss in the middle of a run, of one who makes the next line.
        let told = slip(|events, beeps, squad| {
            let one = squad.iter().find(|one| (1..60).any(|b| one.misses(b) && b < one.late_s.len() as u32 && !one.misses(b + 1))).unwrap();
            let beep = (1..60).find(|b| one.misses(*b) && !one.misses(b + 1)).unwrap();
            let gap = TimeDelta::milliseconds(((beeps.beep(beep + 1).unwrap().at_s - beeps.beep(beep).unwrap().at_s) * 1000.0) as i64);
            events.iter_mut().find(|e| e.slot == Some(one.slot)).unwrap().wall += gap;
        });
        assert!(told.faults.iter().any(|f| f.then.starts_with("Your tap came so late")), "{:?}", told.faults);
        assert!(told.sentence.contains("1 tap came too late"), "{}", told.sentence);
    }

    #[test]
    fn a_miss_of_one_who_made_the_line_is_told() {
        let told = slip(|events, _, squad| {
            let fittest = squad.iter().max_by_key(|one| one.late_s.len()).unwrap().slot;
            let tapped = event(99, 30_000.0, Some(fittest), Kind::LineMissed);
            events.insert(1, tapped);
        });
        assert!(told.faults.iter().any(|f| f.then == "You recorded a miss."), "{:?}", told.faults);
    }

    #[test]
    fn whoever_still_ran_when_it_was_ended_for_all_is_held_to_what_they_had_run() {
        let told = slip(|events, beeps, squad| {
            let end = 10_000.0 + 1000.0 * beeps.beep(20).unwrap().at_s + 3_000.0;
            events.retain(|e| e.mono_ms < end);
            for one in squad {
                events.push(event(900 + u32::from(one.slot), end, Some(one.slot), Kind::LeftRun { reason: StopReason::Assessor }));
            }
        });
        assert!(told.faults.iter().all(|f| f.noticed) && told.sentence.ends_with("All 14 scores are right."), "{told:?}");
        assert!(told.readings.iter().any(|r| r.when == "still ran at 3-5"), "{:?}", told.readings);
    }

    #[test_case("shuttle-20m"; "20 m")]
    #[test_case("interval-30-15"; "intervals")]
    fn the_less_a_recorder_sees_the_fewer_scores_are_right(id: &str) {
        let protocol = catalogue::find(id).unwrap();
        let right: Vec<f64> = RECORDERS.iter().map(|r| squads(protocol, r, "consecutive", 5, 1).unwrap().right).collect();
        assert!((right[0] - 1.0).abs() < 1e-9 && right.is_sorted_by(|a, b| a >= b) && right[3] < 0.9, "{right:?}");
    }
}
