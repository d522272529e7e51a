//! How a recorder did with a simulated squad: every miss that was recorded beside those that were, every score beside what it should be.

use std::collections::{BTreeMap, BTreeSet};

use super::{
    report::RehearsalReport,
    squad::{NAMES, SimulatedRunner, squad},
    told::{FaultReport, ReadAgainstTruth},
};
use crate::{
    beeps::{Beeps, MissRule, called_out},
    catalogue::{Protocol, Schedule},
    quantity,
    run::{
        Event, Kind, Setup, State, StopReason,
        beeps::schedule_s,
        state::{BeepState, Ended},
    },
    units::rounded,
};

/// What a recorder made of a squad.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Tally {
    /// Misses that ought to have been recorded, and how many were.
    pub misses: usize,
    pub seen: usize,
    /// Recorded for somebody who made the line, while another missed it.
    pub wrong_names: usize,
    /// Recorded so late that they counted for the next line.
    pub too_late: usize,
    /// Recorded for somebody who made the line, for no such reason.
    pub made_up: usize,
    /// Seconds from the beep to the tap, of those that were right, on average.
    pub delay_s: Option<f64>,
    /// Scores beside what they should be, in the order of the slots; nothing for one who was never taken out.
    pub scores: Vec<(Option<f64>, f64)>,
}

impl Tally {
    /// How many scores are right.
    pub fn right(&self) -> usize {
        self.scores.iter().filter(|(read, truth)| *read == Some(*truth)).count()
    }

    /// By how much the others are off.
    pub fn off(&self) -> impl Iterator<Item = f64> + '_ {
        self.scores.iter().filter_map(|(read, truth)| Some((*read)? - truth)).filter(|off| *off != 0.0)
    }
}

/// What is judged: the squad, its schedule, and what was recorded.
struct Judged<'a> {
    squad: &'a [SimulatedRunner],
    beeps: &'a Beeps,
    rule: MissRule,
    /// A score is the speed of the last level, else the distance.
    by_speed: bool,
    states: &'a [State],
}

/// A line that was missed, or recorded as missed.
type Line = (u16, u32);

/// Every difference between what happened and what was recorded.
#[derive(Default)]
struct Differences {
    unseen: BTreeSet<Line>,
    /// The miss that was recorded, and the one that it should have been.
    wrong_names: BTreeMap<Line, Line>,
    too_late: BTreeMap<Line, Line>,
    made_up: BTreeSet<Line>,
    seen: Vec<Line>,
}

/// What stands of somebody's run.
fn run_of(states: &[State], slot: u16) -> Option<&BeepState> {
    states.get(usize::from(slot))?.beeps()
}

impl<'a> Judged<'a> {
    fn of(schedule: &Schedule, setup: &Setup, beeps: &'a Beeps, squad: &'a [SimulatedRunner], states: &'a [State]) -> Self {
        Self { squad, beeps, rule: setup.miss_rule(), by_speed: schedule.run_s.is_some(), states }
    }

    fn run(&self, slot: u16) -> Option<&'a BeepState> {
        run_of(self.states, slot)
    }

    /// How somebody's run ended as it was recorded.
    fn end(&self, slot: u16) -> Option<&'a Ended> {
        self.run(slot)?.ended.as_ref()
    }

    fn value(&self, beep: u32) -> f64 {
        self.beeps.completed(beep).map_or(0.0, |m| if self.by_speed { m.speed_kmh } else { m.distance_m })
    }

    fn score(&self, slot: u16) -> Option<f64> {
        self.end(slot).map(|ended| if self.by_speed { ended.speed_kmh } else { ended.distance_m })
    }

    fn differences(&self) -> Differences {
        let mut found = Differences::default();
        let mut extra: Vec<Line> = Vec::new();
        for one in self.squad {
            let recorded = self.run(one.slot).map_or(&[] as &[u32], |of| &of.misses);
            for beep in one.to_see(self.rule) {
                if recorded.contains(&beep) {
                    found.seen.push((one.slot, beep));
                } else if self.was_running(one.slot, beep) {
                    found.unseen.insert((one.slot, beep));
                }
            }
            // Whoever is past their last line misses every one: a tap on them is never wrong.
            extra.extend(recorded.iter().filter(|beep| **beep <= one.stops_after() && !one.missed.contains(beep)).map(|b| (one.slot, *b)));
        }
        for line in extra {
            let (slot, beep) = line;
            let before = (slot, beep - 1);
            let another = found.unseen.iter().copied().find(|(_, missed)| *missed == beep);
            if found.unseen.remove(&before) {
                found.too_late.insert(line, before);
            } else if let Some(another) = another {
                found.unseen.remove(&another);
                found.wrong_names.insert(line, another);
            } else {
                found.made_up.insert(line);
            }
        }
        found
    }

    /// Whether somebody had not been taken out before a beep.
    fn was_running(&self, slot: u16, beep: u32) -> bool {
        let Some((of, ended)) = self.run(slot).zip(self.end(slot)) else { return true };
        self.beeps.beep(beep).is_none_or(|m| m.at_s <= schedule_s(&of.pieces, ended.at_ms))
    }

    fn tally(&self, differences: &Differences, events: &[Event]) -> Tally {
        let delays: Vec<f64> = differences.seen.iter().filter_map(|line| self.delay_s(*line, events)).collect();
        let missing = differences.unseen.len() + differences.wrong_names.len() + differences.too_late.len();
        Tally {
            misses: differences.seen.len() + missing,
            seen: differences.seen.len(),
            wrong_names: differences.wrong_names.len(),
            too_late: differences.too_late.len(),
            made_up: differences.made_up.len(),
            delay_s: (!delays.is_empty()).then(|| delays.iter().sum::<f64>() / delays.len() as f64),
            scores: self.squad.iter().map(|one| (self.score(one.slot), self.value(one.score(self.rule)))).collect(),
        }
    }

    /// How long after its beep a miss was tapped, s.
    fn delay_s(&self, (slot, beep): Line, events: &[Event]) -> Option<f64> {
        let state = self.states.get(usize::from(slot))?;
        let (of, start) = state.beeps().zip(state.started_at)?;
        let at = |e: &Event| schedule_s(&of.pieces, (e.wall - start).num_milliseconds() as f64);
        let tap = events.iter().filter(|e| e.slot == Some(slot) && matches!(e.kind, Kind::LineMissed)).map(at);
        Some(tap.filter(|s| self.beeps.at(*s) == Some(beep)).reduce(f64::min)? - self.beeps.beep(beep)?.at_s)
    }
}

/// How a squad was recorded. `states`: everybody's, in the order of the slots.
pub(crate) fn tally(protocol: &Protocol, setup: &Setup, squad: &[SimulatedRunner], states: &[State], events: &[Event]) -> Option<Tally> {
    let schedule = protocol.schedule()?;
    let beeps = schedule.beeps(setup.start_kmh()).ok()?;
    let judged = Judged::of(schedule, setup, &beeps, squad, states);
    Some(judged.tally(&judged.differences(), events))
}

/// How a rehearsal with a squad went, in sentences and beside what each runner did; nothing where the test has no beeps.
pub fn report(protocol: &Protocol, setup: &Setup, seed: u64, states: &[State], events: &[Event]) -> Option<RehearsalReport> {
    let schedule = protocol.schedule()?;
    let beeps = schedule.beeps(setup.start_kmh()).ok()?;
    // Whoever still ran when the test was ended for all is held to what they had run by then.
    let cut = |one: SimulatedRunner| match run_of(states, one.slot) {
        Some(BeepState { ended: Some(Ended { left: Some(StopReason::Assessor), at_ms, .. }), pieces, .. }) => {
            one.until(beeps.sounded(schedule_s(pieces, *at_ms)))
        }
        _ => one,
    };
    let squad: Vec<_> = squad(protocol, &beeps, u16::try_from(states.len()).ok()?, seed).into_iter().map(cut).collect();
    let judged = Judged::of(schedule, setup, &beeps, &squad, states);
    let differences = judged.differences();
    let tally = judged.tally(&differences, events);
    let quantity = if judged.by_speed { "speed_kmh" } else { "distance_m" };
    let readings = squad.iter().zip(&tally.scores).filter_map(|(one, (read, truth))| {
        let when = judged.ended(one);
        Some(ReadAgainstTruth { label: name(one.slot), when, read: (*read)?, truth: *truth })
    });
    let known: Vec<(f64, f64)> = tally.scores.iter().filter_map(|(read, truth)| Some(((*read)?, *truth))).collect();
    let mean = |of: fn(&(f64, f64)) -> f64| known.iter().map(of).sum::<f64>() / known.len().max(1) as f64;
    Some(RehearsalReport {
        sentence: sentence(&tally, quantity),
        truth: mean(|(_, truth)| *truth),
        estimate: (!known.is_empty()).then(|| mean(|(read, _)| *read)),
        readings: readings.collect(),
        missed: squad.iter().filter(|one| judged.score(one.slot).is_none()).map(|one| name(one.slot)).collect(),
        faults: judged.faults(&differences),
        unit: Some(quantity::unit(quantity).into()),
    })
}

fn name(slot: u16) -> String {
    let name = NAMES.get(usize::from(slot)).copied().unwrap_or("Runner");
    format!("{} {name}", slot + 1)
}

impl Judged<'_> {
    fn place(&self, beep: u32) -> String {
        let mark = self.beeps.beep(beep);
        mark.map_or_else(String::new, |m| {
            if self.by_speed {
                format!("line {} of {} km/h", m.shuttle, rounded(m.speed_kmh, 1))
            } else {
                format!("level {}, shuttle {}", rounded(m.level, 1), m.shuttle)
            }
        })
    }

    /// How somebody's test should have ended, in few words: `two in a row, 7-4`.
    fn ended(&self, one: &SimulatedRunner) -> String {
        let place = |beep: u32| match self.beeps.beep(beep) {
            Some(m) if self.by_speed => format!("{} km/h, line {}", rounded(m.speed_kmh, 1), m.shuttle),
            Some(m) => called_out(m.level, f64::from(m.shuttle)),
            None => "no line".to_owned(),
        };
        match (one.missed_out(self.rule), self.rule) {
            (Some(beep), MissRule::Consecutive) => format!("two in a row, {}", place(beep)),
            (Some(beep), MissRule::Cumulative) => format!("second miss, {}", place(beep)),
            (None, _) if one.was_running => format!("still ran at {}", place(one.stops_after())),
            (None, _) => format!("stopped after {}", place(one.stops_after())),
        }
    }

    /// Everything that was recorded otherwise than it was, and those who stopped by themselves, in the order of the beeps.
    fn faults(&self, differences: &Differences) -> Vec<FaultReport> {
        let missed = |(slot, beep): Line| format!("{} missed {}.", name(slot), self.place(beep));
        let fault = |what: String, then: String| FaultReport { what, noticed: false, then };
        let mut found: Vec<(u32, FaultReport)> = Vec::new();
        found.extend(differences.unseen.iter().map(|line| (line.1, fault(missed(*line), "It was not recorded.".into()))));
        found.extend(
            differences.wrong_names.iter().map(|(tapped, was)| (was.1, fault(missed(*was), format!("You tapped {}.", name(tapped.0))))),
        );
        found.extend(differences.too_late.iter().map(|(tapped, was)| {
            let then = format!("Your tap came so late that it counted for {}.", self.place(tapped.1));
            (was.1, fault(missed(*was), then))
        }));
        found.extend(differences.made_up.iter().map(|(slot, beep)| {
            let what = format!("{} made {}.", name(*slot), self.place(*beep));
            (*beep, fault(what, "You recorded a miss.".into()))
        }));
        let stopped = |one: &&SimulatedRunner| one.missed_out(self.rule).is_none() && !one.was_running;
        found.extend(self.squad.iter().filter(stopped).map(|one| {
            let beep = one.stops_after();
            let what = format!("{} stopped after {}.", name(one.slot), self.place(beep));
            (beep, self.stopped(one, what))
        }));
        found.sort_by_key(|(beep, _)| *beep);
        found.into_iter().map(|(_, fault)| fault).collect()
    }

    /// What was made of somebody who stopped by choice.
    fn stopped(&self, one: &SimulatedRunner, what: String) -> FaultReport {
        let ended = self.end(one.slot);
        let is_right = ended.is_some() && self.score(one.slot) == Some(self.value(one.score(self.rule)));
        let then = match ended {
            None => "Nobody wrote it down.".to_owned(),
            Some(e) if is_right && e.left.is_some_and(|why| why != StopReason::Assessor) => "You recorded it.".into(),
            Some(_) if is_right => "The score is right; hold the runner’s tile for a second to record that they stopped.".into(),
            Some(e) if e.beep > one.stops_after() => {
                format!("It was recorded only after {}: the score is too high.", self.place(e.beep))
            }
            Some(_) => "They were taken out before: the score is too low.".into(),
        };
        FaultReport { what, noticed: is_right, then }
    }
}

fn sentence(tally: &Tally, quantity: &str) -> String {
    let people = tally.scores.len();
    let mut said = vec![match (tally.seen, tally.misses) {
        (_, 0) => "Nobody missed a line while you recorded.".to_owned(),
        (1, 1) => "You recorded the one miss there was.".to_owned(),
        (seen, all) if seen == all => format!("You recorded all {all} misses."),
        (seen, all) => format!("You recorded {seen} of {all} misses."),
    }];
    let many = |n: usize, one: &str, more: &str| match n {
        0 => None,
        1 => Some(format!("1 {one}")),
        n => Some(format!("{n} {more}")),
    };
    let slips: Vec<String> = [
        many(tally.wrong_names, "tap was on another runner", "taps were on another runner"),
        many(tally.too_late, "tap came too late", "taps came too late"),
        many(tally.made_up, "tap was on a runner who made the line", "taps were on runners who made the line"),
    ]
    .into_iter()
    .flatten()
    .collect();
    if !slips.is_empty() {
        said.push(format!("{}.", slips.join(", ")));
    }
    if let Some(delay) = tally.delay_s {
        said.push(format!("You tapped {} s after the beep on average.", rounded(delay, 1)));
    }
    let off: Vec<f64> = tally.off().collect();
    let (least, most) =
        (off.iter().copied().fold(f64::MAX, |a, b| a.min(b.abs())), off.iter().copied().fold(0.0, |a: f64, b| a.max(b.abs())));
    let unit = |value: f64| quantity::with_unit(quantity, value);
    said.push(match (tally.right(), off.len()) {
        (right, _) if right == people => format!("All {people} scores are right."),
        (right, 0) => format!("{right} of {people} scores are right."),
        (right, _) if least == most => format!("{right} of {people} scores are right; the others are off by {}.", unit(most)),
        (right, _) => format!("{right} of {people} scores are right; the others are off by {} to {}.", unit(least), unit(most)),
    });
    said.join(" ")
}
