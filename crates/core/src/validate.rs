//! How good are the estimates? A thousand simulated clients through each estimating protocol, against the truth that is
//! known of them.
//!
//! The simulated body is not the equation under test run backwards: a cyclist's heart follows the load with kinetics, drift
//! and noise and a maximum that no rule predicts exactly; a runner holds a share of the maximum with an economy of their
//! own. What comes out says how an equation behaves on such people, and where the model and the equation disagree: it is no
//! substitute for a laboratory. Shares and spreads are ours, common practice.

use chrono::TimeDelta;
use uuid::Uuid;

use crate::{
    catalogue::{self, Protocol, ScheduleScore},
    estimate::cycle::{self, least_squares},
    inputs::Inputs,
    range::{self, Range},
    rehearse,
    run::{Event, Kind, Setup, State, fold},
    simulate::{Client, Demand, Dice, RESTING_VO2, stepping},
    trial::{Circumstances, Trial, compute_as_given},
};

/// How a protocol's estimates lie against the truth.
#[derive(Debug, Clone, PartialEq)]
pub struct Quality {
    pub protocol: &'static Protocol,
    /// Truth and estimate of every client who got one, mL/kg/min.
    pub points: Vec<(f64, f64)>,
    /// Clients whose readings allowed no estimate.
    pub withheld: usize,
    /// Mean of estimate minus truth, mL/kg/min.
    pub bias: f64,
    /// Standard error of estimate: scatter of the truth around the line on the estimate, mL/kg/min.
    pub see: f64,
    /// Share within 10 % of the truth.
    pub within_10_percent: f64,
    /// The published standard error, in words, where one is known.
    pub published_see: Option<&'static str>,
    /// The shares of clients whose truth lies in their 50, 80 and 95 % range.
    pub held: [f64; 3],
    /// The same after the bias is taken off every estimate: whether the range is as wide as the scatter.
    pub held_unbiased: [f64; 3],
}

/// Half of all, four fifths and 95 of 100 lie within so many standard deviations.
const Z: [f64; 3] = [0.674_489_750, 1.281_551_566, 1.959_963_985];

/// The protocols that are simulated, with the published standard error where one is known.
const SIMULATED: [(&str, Option<&str>); 12] = [
    ("bench-step-3min", None),
    ("single-stage-step", Some("about 10 % trained, 15 % untrained")),
    ("single-stage-cycle", Some("about 10 % trained, 15 % untrained")),
    ("multistage-cycle", None),
    ("mile-walk", Some("5.0")),
    ("run-12min", None),
    ("run-1-5mile", None),
    ("shuttle-20m", None),
    ("shuttle-recovery-1", None),
    ("shuttle-recovery-2", None),
    ("interval-30-15", None),
    ("row-2000m", None),
];

/// Puts `clients` simulated clients, made from `seed`, through each estimating protocol.
pub fn all(clients: u32, seed: u64) -> Vec<Quality> {
    SIMULATED.iter().filter_map(|(id, see)| Some(quality(catalogue::find(id).ok()?, *see, clients, seed))).collect()
}

fn quality(protocol: &'static Protocol, published_see: Option<&'static str>, clients: u32, seed: u64) -> Quality {
    let mut points = Vec::with_capacity(clients as usize);
    let mut ranges = Vec::with_capacity(clients as usize);
    for k in 0..clients {
        let own = seed.wrapping_mul(1_000_003).wrapping_add(u64::from(k));
        // The intermittent runs are for squads; everything else is for anyone.
        let for_squads = protocol.schedule().is_some_and(|s| s.recovery_s > 0.0);
        let client = if for_squads { Client::of_a_squad(own) } else { Client::from_seed(own) };
        let Some((value, range)) = estimate(protocol, &client, &mut Dice::new(own ^ 0xA5A5)) else { continue };
        points.push((client.vo2max, value));
        ranges.push(range);
    }
    let n = points.len() as f64;
    let bias = points.iter().map(|(truth, estimate)| estimate - truth).sum::<f64>() / n;
    let turned: Vec<(f64, f64)> = points.iter().map(|(truth, estimate)| (*estimate, *truth)).collect();
    let (slope, intercept) = least_squares(&turned).unwrap_or((0.0, 0.0));
    let squares: f64 = turned.iter().map(|(e, t)| (t - intercept - slope * e).powi(2)).sum();
    let near = points.iter().filter(|(truth, estimate)| (estimate - truth).abs() <= 0.1 * truth).count() as f64;
    Quality {
        protocol,
        withheld: clients as usize - points.len(),
        bias,
        see: (squares / (n - 2.0)).sqrt(),
        within_10_percent: near / n,
        published_see,
        held: Z.map(|z| held(&points, &ranges, z, 0.0)),
        held_unbiased: Z.map(|z| held(&points, &ranges, z, bias)),
        points,
    }
}

/// The share of clients whose truth lies within `z` standard deviations of their estimate, once `bias` is taken off.
fn held(points: &[(f64, f64)], ranges: &[Option<Range>], z: f64, bias: f64) -> f64 {
    let is_held = |((truth, value), range): &(&(f64, f64), &Option<Range>)| {
        let Some((low, high)) = range.as_ref().map(|r| r.bounds(*value, z)) else { return false };
        (low..=high).contains(&(truth + bias))
    };
    points.iter().zip(ranges).filter(is_held).count() as f64 / points.len().max(1) as f64
}

/// The estimate and how far it may be off.
fn estimate(protocol: &Protocol, client: &Client, dice: &mut Dice) -> Option<(f64, Option<Range>)> {
    let setup = rehearse::setup(protocol, client);
    let inputs = match protocol.id.as_str() {
        "bench-step-3min" => bench_step(client, &setup, dice),
        "single-stage-step" | "single-stage-cycle" | "multistage-cycle" => staged(protocol, &setup, client),
        "mile-walk" => mile_walk(client, dice),
        "run-12min" => Inputs::from_iter([("distance_m", 720.0 * run_speed(client, 0.93, dice))]),
        "run-1-5mile" => Inputs::from_iter([("time_s", 2414.0 / run_speed(client, 0.94, dice))]),
        "shuttle-20m" => shuttle(protocol, client, dice),
        "shuttle-recovery-1" | "shuttle-recovery-2" | "interval-30-15" => intermittent(protocol, client, dice),
        _ => row(client, dice),
    };
    let facts = client.facts();
    let circumstances = Circumstances { conditioned: setup.conditioned(), ..Circumstances::default() };
    let trial = Trial { circumstances, ..Trial::of(protocol, facts, &inputs) };
    let outcome = compute_as_given(&trial).ok()?;
    Some((outcome.result(range::QUANTITY)?.value, range::of(&trial, &outcome)))
}

/// The pulse counted 5 to 20 s after three minutes on the bench, to the whole beat.
fn bench_step(client: &Client, setup: &Setup, dice: &mut Dice) -> Inputs {
    let steps = setup.cadence.map_or(24.0, |c| c.value() / 4.0);
    let asked = [Demand { from_s: 0.0, vo2: stepping(steps, 41.3) }, Demand { from_s: 180.0, vo2: RESTING_VO2 }];
    let beats: f64 = (185..200).map(|s| client.heart_rate(&asked, f64::from(s)) / 60.0).sum();
    Inputs::from_iter([("pulse_count", (beats + dice.uniform()).floor()), ("pulse_window_s", 15.0), ("bench_cm", 41.3)])
}

/// A staged test as the engine decides it, with a strap's minute means.
fn staged(protocol: &Protocol, setup: &Setup, client: &Client) -> Inputs {
    let mut events: Vec<Event> = Vec::new();
    let add = |events: &mut Vec<Event>, ms: f64, kind: Kind| {
        let seq = events.len() as u32 + 1;
        let wall = chrono::DateTime::UNIX_EPOCH + TimeDelta::milliseconds(ms as i64);
        events.push(Event { id: Uuid::from_u128(u128::from(seq)), device: Uuid::nil(), seq, mono_ms: ms, wall, slot: None, kind });
    };
    add(&mut events, 0.0, Kind::ClockStarted);
    let mut now = 0.0;
    loop {
        let state = fold(protocol, setup, &events);
        if state.over_ms.is_some() || events.len() > 60 {
            add(&mut events, now + 1_000.0, Kind::Finished);
            return fold(protocol, setup, &events).inputs(protocol, setup);
        }
        now += 1_000.0;
        if let Some(load) = state.staged().and_then(|s| s.load_due.as_ref()) {
            add(&mut events, now, Kind::LoadSet { stage: load.stage, kgm_min: load.decided.kgm_min, reason: None });
        } else if let Some(due) = state.dues.iter().find(|d| d.value.is_none()) {
            now = due.at_ms;
            let bpm = minute_mean(protocol, setup, client, &state, due.at_ms);
            add(&mut events, now, Kind::HeartRateRead { stage: due.stage, minute: due.minute, bpm });
        } else if let Some(doubted) = state.dues.iter().rev().find(|d| d.question.is_some()) {
            add(&mut events, now, Kind::HeartRateConfirmed { stage: doubted.stage, minute: doubted.minute });
        } else {
            return Inputs::new();
        }
    }
}

fn minute_mean(protocol: &Protocol, setup: &Setup, client: &Client, state: &State, at_ms: f64) -> f64 {
    let asked = rehearse::demands(protocol, setup, client, state);
    let end = (at_ms / 1000.0) as u32;
    let heard: Vec<f64> = (end.saturating_sub(14)..=end).filter_map(|s| client.strap(&asked, s).bpm.map(f64::from)).collect();
    (heard.iter().sum::<f64>() / heard.len().max(1) as f64).round()
}

/// The share of the maximum a runner holds, and what a metre a minute costs them: ACSM's running equation with an economy
/// of their own, 5 % either way. m/s.
fn run_speed(client: &Client, share: f64, dice: &mut Dice) -> f64 {
    let held = (share + 0.03 * dice.normal()).min(1.0) * client.vo2max;
    let cost = 0.2 * (1.0 + 0.05 * dice.normal());
    ((held - RESTING_VO2) / cost / 60.0).max(1.2)
}

/// A mile at two thirds of the maximum, never faster than people walk: ACSM's walking equation, an economy of one's own.
fn mile_walk(client: &Client, dice: &mut Dice) -> Inputs {
    let share = (0.66 + 0.05 * dice.normal()).clamp(0.4, 0.85);
    // Beyond a brisk walk each metre costs more.
    let cost = 0.13 * (1.0 + 0.06 * dice.normal());
    let speed = ((share * client.vo2max - RESTING_VO2) / cost / 60.0).clamp(1.2, 2.2);
    let vo2 = RESTING_VO2 + cost * speed * 60.0;
    let hr = client.steady_hr(vo2) + client.drift * 5.0 + 2.0 * dice.normal();
    Inputs::from_iter([("time_s", 1609.0 / speed), ("hr_end", hr.round().clamp(60.0, 220.0))])
}

/// The last level whose speed the runner can turn at: turning costs a tenth more.
fn shuttle(protocol: &Protocol, client: &Client, dice: &mut Dice) -> Inputs {
    let speed_kmh = run_speed(client, 0.99, dice) * 3.6 / 1.1;
    let levels = protocol.schedule().map_or(&[][..], |s| &s.levels);
    let level = levels.iter().rev().find(|l| l.speed_kmh <= speed_kmh).or(levels.first()).map_or(1.0, |l| l.level);
    Inputs::from_iter([("level", level), ("shuttle", 1.0)])
}

/// Runs to beeps with rests between, until what can be run beyond the critical speed is spent. The reserve refills below the
/// critical speed, the faster the further below. Source of the model: critical speed with a refilling reserve, common practice;
/// its numbers are ours, and nothing of the protocols' equations is in it.
fn intermittent(protocol: &Protocol, client: &Client, dice: &mut Dice) -> Inputs {
    let Some(schedule) = protocol.schedule() else { return Inputs::new() };
    let critical = run_speed(client, 0.88, dice);
    let full = (190.0 + 45.0 * dice.normal()).clamp(90.0, 320.0);
    // Every turn costs as much as some metres more, and the interval run has half as many.
    let turns = if schedule.score == ScheduleScore::Speed { 0.05 } else { 0.1 };
    let turning = 1.0 + turns * (1.0 + 0.2 * dice.normal());
    let mut reserve = full;
    let mut last = None;
    for level in &schedule.levels {
        for shuttle in 1..=level.shuttles {
            let speed = level.speed_kmh / 3.6 * turning;
            // A stage of the interval run lasts 30 s whatever its speed; the others last as long as the shuttle.
            let seconds = if schedule.score == ScheduleScore::Speed { INTERVAL_S } else { schedule.shuttle_s(level) };
            reserve = spend(reserve, full, critical - speed, seconds);
            if reserve <= 0.0 {
                return last.unwrap_or_default();
            }
            reserve = spend(reserve, full, critical - WALKING, schedule.recovery_s);
            last = Some(match schedule.score {
                ScheduleScore::Speed => Inputs::from_iter([("speed_kmh", level.speed_kmh)]),
                ScheduleScore::Distance => Inputs::from_iter([("level", level.level), ("shuttle", f64::from(shuttle))]),
            });
        }
    }
    last.unwrap_or_default()
}

/// The length of a run of the interval test, s.
const INTERVAL_S: f64 = 30.0;
/// The reserve refills so many times more slowly than it is spent.
const REFILL: f64 = 5.0;
/// How fast one walks between runs, m/s.
const WALKING: f64 = 1.2;

/// The reserve, m, after some seconds at a speed so far below (above, where negative) the critical one, m/s.
fn spend(reserve: f64, full: f64, below: f64, seconds: f64) -> f64 {
    if below <= 0.0 {
        return reserve + below * seconds;
    }
    let tau = REFILL * full / below;
    full - (full - reserve) * (-seconds / tau).exp()
}

/// 2000 m at 95 % of the maximum; power from oxygen at a rower's efficiency, speed from power by the flywheel's cube.
fn row(client: &Client, dice: &mut Dice) -> Inputs {
    let litres = 0.95 * client.vo2max * client.mass / 1000.0;
    let watts = ((litres - 0.5) * 72.0 * (1.0 + 0.05 * dice.normal())).max(60.0);
    let time = 2000.0 / (watts / 2.8).cbrt();
    Inputs::from_iter([("time_s", time), ("trained", f64::from(u8::from(client.vo2max > 45.0)))])
}

/// An equation held against measurements of others.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AgainstMeasured {
    /// How many measurements.
    pub rows: usize,
    /// Mean of equation minus measurement, mL/kg/min.
    pub bias: f64,
    /// Standard deviation of the same, mL/kg/min.
    pub spread: f64,
}

/// The cycling equation against the oxygen uptake of trained cyclists at a measured power: `data/open/cycling-uptake.csv`, where
/// the source stands.
pub fn cycling_against_measured() -> AgainstMeasured {
    let mut reader = csv::ReaderBuilder::new().comment(Some(b'#')).from_reader(include_str!("../data/open/cycling-uptake.csv").as_bytes());
    let rows: Vec<(u8, f64, f64)> = reader.deserialize().filter_map(Result::ok).collect();
    let off = |(_, watts, uptake): &(u8, f64, f64)| cycle::cycling_vo2(watts / cycle::WATTS_PER_KGM_MIN, 1.0) - uptake;
    let n = rows.len() as f64;
    let bias = rows.iter().map(off).sum::<f64>() / n;
    let spread = (rows.iter().map(|r| (off(r) - bias).powi(2)).sum::<f64>() / (n - 1.0)).sqrt();
    AgainstMeasured { rows: rows.len(), bias, spread }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::run::event::Answer;

    #[test]
    fn every_simulated_protocol_gives_nearly_everyone_an_estimate_that_follows_the_truth() {
        for quality in all(120, 7) {
            let id = &quality.protocol.id;
            assert!(quality.withheld <= 40, "{id}: {} without an estimate", quality.withheld);
            let (slope, _) = least_squares(&quality.points).unwrap();
            assert!(slope > 0.15, "{id}: the estimate rises with the truth, slope {slope}");
            assert!(quality.bias.abs() < 15.0 && quality.see.is_finite(), "{id}: bias {}", quality.bias);
        }
    }

    #[test]
    fn a_reserve_is_spent_above_the_critical_speed_and_refills_more_slowly_below_it() {
        let after = spend(100.0, 200.0, -1.0, 10.0);
        assert_eq!(after, 90.0);
        let rested = spend(after, 200.0, 1.0, 10.0);
        assert!(after < rested && rested < 100.0, "{rested}");
        assert!((spend(rested, 200.0, 1.0, 1e6) - 200.0).abs() < 1e-6, "full again in the end");
    }

    #[test]
    fn a_longer_reserve_and_a_higher_critical_speed_both_go_further() {
        for id in ["shuttle-recovery-1", "shuttle-recovery-2", "interval-30-15"] {
            let protocol = catalogue::find(id).unwrap();
            let reached = |vo2max: f64| {
                let client = Client { vo2max, ..Client::of_a_squad(4) };
                let inputs = intermittent(protocol, &client, &mut Dice::new(9));
                inputs.get("speed_kmh").unwrap_or_else(|| {
                    let schedule = protocol.schedule().unwrap();
                    schedule.place(inputs.get("level").unwrap(), inputs.get("shuttle").unwrap()).unwrap().distance_m
                })
            };
            assert!(reached(48.0) < reached(56.0) && reached(56.0) < reached(64.0), "{id}");
        }
    }

    #[test]
    fn a_wider_range_holds_the_truth_of_more_clients() {
        for quality in all(200, 5) {
            let [half, most, nearly_all] = quality.held;
            assert!(half <= most && most <= nearly_all && nearly_all > 0.0, "{}: {:?}", quality.protocol.id, quality.held);
        }
    }

    #[test]
    fn the_same_seed_gives_the_same_numbers() {
        assert_eq!(all(20, 3), all(20, 3));
        assert_ne!(all(20, 3)[3].points, all(20, 4)[3].points);
    }

    #[test]
    fn a_measured_maximum_takes_the_largest_error_out_of_the_multistage_cycle() {
        let protocol = catalogue::find("multistage-cycle").unwrap();
        let spread = |measured: bool| {
            let errors: Vec<f64> = (0..150)
                .filter_map(|k| {
                    let client = Client { drift: 0.0, noise: 0.0, ..Client::from_seed(k) };
                    let setup = rehearse::setup(protocol, &client);
                    let inputs = staged(protocol, &setup, &client);
                    let mut facts = client.facts();
                    facts.hr_max = measured.then(|| crate::units::Bpm::new(client.hr_max).unwrap());
                    let trial = Trial::of(protocol, facts, &inputs);
                    let value = compute_as_given(&trial).ok()?.result("vo2max")?.value;
                    Some((value - client.vo2max) / client.vo2max)
                })
                .collect();
            (errors.iter().map(|e| e * e).sum::<f64>() / errors.len() as f64).sqrt()
        };
        assert!(spread(true) < 0.7 * spread(false), "{} {}", spread(true), spread(false));
    }

    #[test]
    fn the_answers_a_set_up_needs_are_there() {
        for (id, _) in SIMULATED {
            let protocol = catalogue::find(id).unwrap();
            let setup = rehearse::setup(protocol, &Client::from_seed(1));
            assert!(setup.conditions.values().all(|a| !matches!(a, Answer::Text(t) if t.is_empty())), "{id}");
        }
    }
}
