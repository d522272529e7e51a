//! A simulated body in holds, counts, repeated starts and lifts: it tires, shakes before it breaks, cheats depth, swings. What
//! the assessor made of it is held against what should have counted.
//!
//! Source of the numbers: ours, spread as is usual among adults; they are for practice and say nothing of anybody.

use serde::{Deserialize, Serialize};

use super::told::{FaultReport, ReadAgainstTruth};
use crate::{
    attempts::Take,
    catalogue::{Family, PhaseKind, Protocol},
    quantity,
    run::{Event, Kind, State},
    simulate::{Client, Dice},
    units::rounded,
};

/// One repetition, one hold, one sprint. Times are ms of the run's clock.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Move {
    pub from_ms: f64,
    /// To.
    pub to_ms: f64,
    /// How far it goes: 1 is as far as it must.
    pub reach: f64,
    /// It is helped along: a swing, a sagging back.
    pub swings: bool,
}

impl Move {
    /// Whether it should count.
    pub fn counts(&self) -> bool {
        self.reach >= 1.0 && !self.swings
    }
}

/// What there is to see of a body in attempts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Exertion {
    /// What is done, in order.
    pub moves: Vec<Move>,
    /// From when a hold shakes.
    pub shakes_ms: Option<f64>,
    /// When the form goes for a moment, and comes back.
    pub dips_ms: Option<f64>,
    /// Whether it is one hold, repetitions, or starts.
    pub shape: Option<Shape>,
}

/// What kind of thing is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Shape {
    Hold,
    /// Repetitions.
    Count,
    /// Starts on the clock.
    Starts,
    /// Lifts; each is watched when it is tried.
    Load,
}

/// A lift as it was seen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Lift {
    pub seen: String,
    /// Whether it should be called made.
    #[serde(skip)]
    pub good: bool,
}

/// A key belongs to a repetition from this long before its end, ms.
const KEY_EARLY_MS: f64 = 400.0;
/// Off by no more than this is a good hand on the key, s. Source: common practice.
const HAND_S: f64 = 0.5;

/// What kind of attempts a protocol is rehearsed with; nothing where it is not.
pub fn shape(protocol: &Protocol) -> Option<Shape> {
    let shapes: Vec<Shape> = protocol.legs().iter().filter_map(|leg| of_take(&leg.take)).collect();
    let only_read = protocol.legs().iter().all(|l| of_take(&l.take).is_some() || matches!(l.take, Take::Read { .. }));
    (protocol.family() == Family::Attempts && shapes.len() == 1 && only_read).then(|| shapes[0])
}

const fn of_take(take: &Take) -> Option<Shape> {
    match take {
        Take::Hold { .. } => Some(Shape::Hold),
        Take::Count { seconds: None, .. } => Some(Shape::Count),
        Take::Starts { .. } => Some(Shape::Starts),
        Take::Load { .. } => Some(Shape::Load),
        Take::Count { .. } | Take::Read { .. } | Take::Watch { .. } | Take::Ladder { .. } | Take::Seen { .. } => None,
    }
}

/// How fit a client is for such work, in standard deviations of adults: their VO2max, and what it does not say.
fn form(client: &Client, dice: &mut Dice) -> f64 {
    0.6 * (client.vo2max - 38.0) / 8.0 + 0.8 * dice.normal()
}

/// What the body does from the start of the work on.
pub fn exertion(protocol: &Protocol, client: &Client, state: &State) -> Exertion {
    let Some(shape) = shape(protocol) else { return Exertion::default() };
    let mut dice = Dice::new(client.seed ^ 0x0E_4E27);
    let form = form(client, &mut dice);
    let work = state.timeline.phase(PhaseKind::Work);
    let start = work.map_or(0.0, |w| w.start_ms);
    let mut seen = Exertion { shape: Some(shape), ..Exertion::default() };
    match shape {
        Shape::Hold => {
            let held_ms = 1000.0 * (80.0 + 30.0 * form).clamp(18.0, 240.0);
            seen.shakes_ms = Some(start + held_ms * (0.5 + 0.2 * dice.uniform()));
            seen.dips_ms = Some(start + held_ms * (0.78 + 0.1 * dice.uniform()));
            seen.moves.push(Move { from_ms: start, to_ms: start + held_ms, reach: 1.0, swings: false });
        }
        Shape::Count => {
            let able = (24.0 + 8.0 * form).clamp(6.0, 60.0);
            let bell = work.and_then(|w| w.end_ms).unwrap_or(f64::MAX);
            let mut from = start + 700.0;
            for k in 0..able as u32 {
                let tired = f64::from(k) / able;
                let takes = 1000.0 * (1.7 + 1.5 * tired.powi(2) + 0.1 * dice.normal().abs());
                let (cheats, helps) = (dice.uniform() < 0.04 + 0.35 * tired.powi(2), dice.uniform() < 0.08 * tired);
                let reach = if cheats { 0.55 + 0.25 * dice.uniform() } else { 1.0 };
                // What the bell would cut is not begun: the client looks at the clock too.
                if from + takes > bell {
                    break;
                }
                seen.moves.push(Move { from_ms: from, to_ms: from + takes, reach, swings: helps });
                from += takes + 300.0 + 1500.0 * tired.powi(3);
            }
        }
        Shape::Starts => {
            let fresh = (7.4 - 0.35 * form).clamp(5.4, 10.0);
            for (k, start) in state.sheet().into_iter().flat_map(|s| &s.starts_ms).enumerate() {
                let seconds = fresh * (1.0 + 0.008 * k as f64 * (1.5 - 0.3 * form).clamp(0.5, 2.5)) + 0.04 * dice.normal();
                seen.moves.push(Move { from_ms: *start, to_ms: start + 1000.0 * seconds, reach: 1.0, swings: false });
            }
        }
        Shape::Load => {}
    }
    seen
}

/// The most a client can lift once, kg.
pub fn strength(client: &Client) -> f64 {
    let form = form(client, &mut Dice::new(client.seed ^ 0x0E_4E27));
    let of_mass = if client.sex == crate::person::Sex::Male { 0.95 } else { 0.6 };
    (client.mass * (of_mass + 0.14 * form)).clamp(20.0, 260.0)
}

/// How the next lift of `load_kg` goes, after so many.
pub fn lift(client: &Client, before: usize, load_kg: f64) -> Lift {
    let able = strength(client) * (1.0 - 0.012 * before as f64);
    let mut dice = Dice::new(client.seed ^ (load_kg * 10.0) as u64 ^ ((before as u64 + 1) << 32));
    let hard = load_kg / able;
    let (seen, good) = match hard {
        h if h > 1.0 => ("The bar stops halfway. The spotter takes it.", false),
        h if h > 0.94 && dice.uniform() < 0.4 => ("The bar goes up, but the body twists and the hips leave the bench.", false),
        h if h > 0.94 => ("The bar goes up slowly, stops for a moment, and locks out.", true),
        h if h > 0.8 => ("The bar goes up, slower at the end, and locks out.", true),
        _ => ("The bar goes up easily.", true),
    };
    Lift { seen: seen.into(), good }
}

/// What became of a rehearsal in attempts: what was read beside the truth, what should not have counted, and a sentence.
#[derive(Debug, Clone, Default)]
pub(super) struct Verdict {
    pub(super) sentence: String,
    pub(super) truth: f64,
    pub(super) read: Option<f64>,
    pub(super) readings: Vec<ReadAgainstTruth>,
    pub(super) missed: Vec<String>,
    pub(super) faults: Vec<FaultReport>,
}

pub(super) fn verdict(protocol: &Protocol, client: &Client, state: &State, events: &[Event]) -> Option<Verdict> {
    let seen = exertion(protocol, client, state);
    Some(match seen.shape? {
        Shape::Hold => of_hold(&seen, state),
        Shape::Count => of_count(&seen, state, events),
        Shape::Starts => of_starts(&seen, state),
        Shape::Load => of_lifts(client, state),
    })
}

fn of_hold(seen: &Exertion, state: &State) -> Verdict {
    let (Some(hold), Some(done)) = (state.hold(), seen.moves.first()) else { return Verdict::default() };
    let since = |ms: f64| ((ms - hold.start_ms) / 100.0).round() / 10.0;
    let cap = hold.limit_ms.unwrap_or(f64::MAX);
    let truth = since(done.to_ms.min(cap));
    let over = hold.over_ms().map(since);
    let mut readings = vec![];
    let mut missed = vec![];
    let moments = [seen.shakes_ms, seen.dips_ms];
    for (mark, at) in hold.marks.iter().zip(moments).filter_map(|(m, at)| Some((m, at.filter(|at| *at < cap)?))) {
        match mark.at_ms {
            Some(ms) => readings.push(ReadAgainstTruth {
                label: mark.mark.label.clone(),
                when: "with the key".into(),
                read: since(ms),
                truth: since(at),
            }),
            None => missed.push(format!("{}, at {} s", mark.mark.label, since(at))),
        }
    }
    readings.extend(over.map(|read| ReadAgainstTruth { label: hold.ends.clone(), when: "with the key".into(), read, truth }));
    let sentence = match over {
        Some(read) if (read - truth).abs() <= HAND_S => {
            format!("The hold lasted {}, and you stopped the clock at the end.", quantity::with_unit("seconds", truth))
        }
        Some(read) if read > truth => {
            let late = rounded(read - truth, 1);
            format!("The position was lost at {}; the clock ran {late} s longer.", quantity::with_unit("seconds", truth))
        }
        Some(read) => {
            let early = rounded(truth - read, 1);
            format!("The clock was stopped {early} s too early: the position held until {}.", quantity::with_unit("seconds", truth))
        }
        None => format!("The clock was never stopped; the position held until {}.", quantity::with_unit("seconds", truth)),
    };
    Verdict { sentence, truth, read: over, readings, missed, faults: vec![] }
}

fn of_count(seen: &Exertion, state: &State, events: &[Event]) -> Verdict {
    let start = state.started_at;
    let at = |e: &Event| start.map_or(0.0, |s| (e.wall - s).num_milliseconds() as f64);
    let undone: Vec<uuid::Uuid> =
        events.iter().filter_map(|e| if let Kind::Undone { event } = e.kind { Some(event) } else { None }).collect();
    let keys: Vec<(f64, i32)> = events
        .iter()
        .filter(|e| !undone.contains(&e.id))
        .filter_map(|e| if let Kind::Counted { by, .. } = e.kind { Some((at(e), i32::from(by))) } else { None })
        .collect();
    let end = state
        .stopped_ms
        .or(state.over_ms)
        .unwrap_or(f64::MAX)
        .min(state.finished_at.zip(start).map_or(f64::MAX, |(f, s)| (f - s).num_milliseconds() as f64));
    let done: Vec<&Move> = seen.moves.iter().filter(|m| m.to_ms <= end).collect();
    let truth = done.iter().filter(|m| m.counts()).count() as f64;
    let read: f64 = keys.iter().map(|(_, by)| f64::from(*by)).sum();
    let mut faults = Vec::new();
    for (k, rep) in done.iter().enumerate() {
        let until = done.get(k + 1).map_or(f64::MAX, |next| next.to_ms - KEY_EARLY_MS);
        let net: i32 = keys.iter().filter(|(at, _)| (rep.to_ms - KEY_EARLY_MS..until).contains(at)).map(|(_, by)| by).sum();
        let (n, counted) = (k + 1, net > 0);
        let what = match (rep.swings, rep.reach < 1.0) {
            (true, _) => format!("Repetition {n} was helped along with a swing."),
            (false, true) => format!("Repetition {n} went only {} % of the way.", rounded(100.0 * rep.reach, 0)),
            (false, false) if counted => continue,
            (false, false) => format!("Repetition {n} was good."),
        };
        let (noticed, then) = match (rep.counts(), counted) {
            (false, false) => (true, "You did not count it."),
            (false, true) => (false, "It was counted: remove it with the key."),
            (true, _) => (false, "It was not counted."),
        };
        faults.push(FaultReport { what, noticed, then: then.into() });
    }
    let sentence = if (read - truth).abs() < 0.5 {
        format!("You counted {read}, and {truth} of {} should have counted.", done.len())
    } else {
        format!("You counted {read}; of {} repetitions {truth} should have counted.", done.len())
    };
    let readings = vec![ReadAgainstTruth { label: "Repetitions".into(), when: "with the key".into(), read, truth }];
    Verdict { sentence, truth, read: Some(read), readings, missed: vec![], faults }
}

fn of_starts(seen: &Exertion, state: &State) -> Verdict {
    let cells = state.sheet().and_then(|s| s.rows.first()).map(|r| r.cells.as_slice()).unwrap_or_default();
    let mut readings = Vec::new();
    let mut missed = Vec::new();
    for (k, run) in seen.moves.iter().enumerate() {
        let truth = ((run.to_ms - run.from_ms) / 10.0).round() / 100.0;
        match cells.get(k).filter(|c| c.counts).and_then(|c| c.value.number()) {
            Some(read) => readings.push(ReadAgainstTruth { label: format!("Start {}", k + 1), when: "with the key".into(), read, truth }),
            None => missed.push(format!("The finish of start {}", k + 1)),
        }
    }
    let total = |of: &dyn Fn(&ReadAgainstTruth) -> f64| readings.iter().map(of).sum::<f64>();
    let (read, truth) = (total(&|r| r.read), total(&|r| r.truth));
    let off = total(&|r| (r.read - r.truth).abs()) / readings.len().max(1) as f64;
    let sentence = if readings.is_empty() {
        "No finish was taken.".to_owned()
    } else {
        format!(
            "You took {} finishes, {} s off on average. All starts together took {} s.",
            readings.len(),
            rounded(off, 2),
            rounded(truth, 1)
        )
    };
    Verdict { sentence, truth, read: (!readings.is_empty()).then_some(read), readings, missed, faults: vec![] }
}

fn of_lifts(client: &Client, state: &State) -> Verdict {
    let truth = (strength(client) / 2.5).floor() * 2.5;
    let rows = state.sheet().map(|s| s.rows.as_slice()).unwrap_or_default();
    let cells = |k: usize| rows.get(k).map(|r| r.cells.as_slice()).unwrap_or_default();
    let mut faults = Vec::new();
    let mut best: Option<f64> = None;
    for (k, (load, made)) in cells(0).iter().zip(cells(1)).enumerate() {
        let (Some(load), made) = (load.value.number(), made.value.number() == Some(1.0)) else { continue };
        let was = lift(client, k, load);
        best = if made { Some(best.map_or(load, |b: f64| b.max(load))) } else { best };
        if was.good != made || !was.good {
            let then = match (was.good, made) {
                (false, false) => "You called it missed.",
                (false, true) => "You called it made; it should not have counted.",
                (true, _) => "You called it missed; it was good.",
            };
            let what = format!("Attempt {} with {} kg: {}", k + 1, rounded(load, 1), crate::text::small(&was.seen));
            faults.push(FaultReport { what, noticed: was.good == made, then: then.into() });
        }
    }
    let sentence = match best {
        Some(best) => format!(
            "You wrote down {} kg in {} attempts; the most this client can lift once is {} kg.",
            rounded(best, 1),
            cells(0).len(),
            rounded(truth, 1)
        ),
        None => format!("No attempt was called made; the most this client can lift once is {} kg.", rounded(truth, 1)),
    };
    Verdict { sentence, truth, read: best, readings: vec![], missed: vec![], faults }
}

#[cfg(test)]
mod tests {
    use chrono::TimeDelta;
    use uuid::Uuid;

    use super::*;
    use crate::{
        catalogue,
        inputs::Value,
        rehearse::{RehearsalReport, report, setup},
        run::{Setup, fold},
    };

    struct Floor {
        protocol: &'static Protocol,
        client: Client,
        setup: Setup,
        events: Vec<Event>,
    }

    impl Floor {
        fn of(id: &str, seed: u64) -> Self {
            let (protocol, client) = (catalogue::find(id).unwrap(), Client { faults: vec![], ..Client::from_seed(seed) });
            let setup = setup(protocol, &client);
            setup.check(protocol).unwrap();
            let mut floor = Self { protocol, client, setup, events: vec![] };
            floor.at(0.0, Kind::ClockStarted);
            floor
        }

        fn at(&mut self, ms: f64, kind: Kind) {
            let wall = "2026-11-23T09:00:00Z".parse::<chrono::DateTime<chrono::Utc>>().unwrap() + TimeDelta::milliseconds(ms as i64);
            let seq = self.events.len() as u32 + 1;
            let (id, device) = (Uuid::from_u128(u128::from(seq)), Uuid::from_u128(1));
            self.events.push(Event { id, device, seq, mono_ms: ms, wall, slot: None, kind });
        }

        fn state(&self) -> State {
            fold(self.protocol, &self.setup, &self.events)
        }

        fn seen(&self) -> Exertion {
            exertion(self.protocol, &self.client, &self.state())
        }

        fn report(&mut self, at_ms: f64) -> RehearsalReport {
            self.at(at_ms, Kind::Finished);
            report(self.protocol, &self.setup, &self.client, &self.state(), &self.events)
        }
    }

    #[test]
    fn a_body_shakes_before_it_breaks_and_a_good_eye_sees_when() {
        for seed in 0..30 {
            let mut floor = Floor::of("plank", seed);
            let seen = floor.seen();
            let (shakes, dips, over) = (seen.shakes_ms.unwrap(), seen.dips_ms.unwrap(), seen.moves[0].to_ms);
            assert!(seen.moves[0].from_ms < shakes && shakes < dips && dips < over);
            floor.at(shakes + 200.0, Kind::Marked { mark: "shake_s".into() });
            floor.at(over + 300.0, Kind::PositionLost);
            let report = floor.report(over + 4000.0);
            assert!(report.sentence.contains("you stopped the clock at the end"), "{}", report.sentence);
            assert!(report.readings.iter().all(|r| (r.read - r.truth).abs() <= 0.5), "{:?}", report.readings);
            assert!(report.missed.iter().any(|m| m.starts_with("Form lost once")), "{:?}", report.missed);
        }
    }

    #[test]
    fn what_went_half_way_is_told_apart_from_what_was_counted() {
        for counts_all in [false, true] {
            let mut floor = Floor::of("push-up", 3);
            let moves = floor.seen().moves;
            let bad = moves.iter().filter(|m| !m.counts()).count();
            assert!(bad > 0 && bad < moves.len() / 2, "{bad} of {}", moves.len());
            assert!(moves.last().unwrap().to_ms - moves.last().unwrap().from_ms > moves[0].to_ms - moves[0].from_ms, "it tires");
            for rep in moves.iter().filter(|m| counts_all || m.counts()) {
                floor.at(rep.to_ms + 150.0, Kind::Counted { input: "reps_toes".into(), side: None, by: 1 });
            }
            let report = floor.report(moves.last().unwrap().to_ms + 5000.0);
            assert_eq!((report.truth, report.faults.len()), ((moves.len() - bad) as f64, bad));
            assert_eq!(report.estimate.unwrap() == report.truth, !counts_all);
            assert!(report.faults.iter().all(|f| f.noticed != counts_all), "{:?}", report.faults);
        }
    }

    #[test]
    fn nobody_begins_what_the_bell_would_cut() {
        for seed in 0..40 {
            let floor = Floor::of("chair-stand-30s", seed);
            let bell = floor.state().timeline.phase(PhaseKind::Work).unwrap().end_ms.unwrap();
            let moves = floor.seen().moves;
            assert!(moves.len() >= 4 && moves.iter().all(|m| m.to_ms <= bell), "{seed}");
        }
    }

    #[test]
    fn a_runner_fades_over_ten_starts_and_the_key_is_held_against_each() {
        let mut floor = Floor::of("sprint-repeat-10x40s", 5);
        let moves = floor.seen().moves;
        assert_eq!(moves.len(), 10);
        assert!(moves.windows(2).all(|w| w[0].to_ms < w[1].from_ms));
        for run in moves.iter().take(9) {
            floor.at(run.to_ms + 120.0, Kind::Crossed);
        }
        let report = floor.report(moves[9].to_ms + 60_000.0);
        assert_eq!((report.readings.len(), report.missed.len()), (9, 1));
        assert!(report.sentence.contains("0.12 s off"), "{}", report.sentence);
    }

    #[test]
    fn a_load_beyond_the_client_is_not_made_and_a_twisted_one_does_not_count() {
        let mut floor = Floor::of("one-rm", 9);
        let most = (strength(&floor.client) / 2.5).floor() * 2.5;
        assert!(lift(&floor.client, 0, most * 0.6).good);
        assert!(!lift(&floor.client, 1, most * 1.1).good);
        let twisted = (0..400u64).any(|seed| {
            let client = Client::from_seed(seed);
            let seen = lift(&client, 0, (strength(&client) * 0.97 / 2.5).floor() * 2.5);
            !seen.good && seen.seen.contains("hips")
        });
        assert!(twisted);
        floor.at(1000.0, Kind::Lifted { load_kg: most * 0.6, made: true, reason: None });
        floor.at(200_000.0, Kind::Lifted { load_kg: most * 1.1, made: true, reason: None });
        let state = floor.state();
        assert_eq!(state.sheet().unwrap().rows[0].cells[0].value, Value::Number(most * 0.6));
        let report = floor.report(400_000.0);
        assert_eq!(report.faults.iter().filter(|f| !f.noticed).count(), 1, "{:?}", report.faults);
        assert!(report.sentence.contains("the most this client can lift once"), "{}", report.sentence);
    }

    #[test]
    fn what_is_rehearsed_is_known_from_the_data() {
        let rehearsed = |id: &str| crate::rehearse::is_rehearsed(catalogue::find(id).unwrap());
        assert!(["plank", "push-up", "chair-stand-30s", "one-rm", "sprint-repeat-10x40s"].into_iter().all(rehearsed));
        assert!(!rehearsed("blood-pressure") && rehearsed("shuttle-20m"));
    }
}
