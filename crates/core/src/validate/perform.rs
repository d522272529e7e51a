//! What a simulated client reaches in a test: beats counted, metres run, levels finished.
//!
//! Nothing of the equations under test is in here. What a movement costs and how long it can be kept up comes from other
//! publications, named where they stand; all are recalled. Spreads without a source are common practice.

use chrono::TimeDelta;
use uuid::Uuid;

use crate::{
    catalogue::{Protocol, ScheduleScore},
    inputs::Inputs,
    rehearse,
    run::{Event, Kind, Setup, State, fold},
    simulate::{Client, Demand, Dice, RESTING_VO2, stepping},
};

/// Work that takes more than this share of the maximum is not kept up for six minutes without a struggle.
const SIX_MINUTES: f64 = 0.95;

/// The readings of a test; nothing where the client cannot do it.
pub(super) fn readings(protocol: &Protocol, setup: &Setup, client: &Client, dice: &mut Dice) -> Option<Inputs> {
    Some(match protocol.id.as_str() {
        "bench-step-3min" => return bench_step(client, setup, dice),
        "single-stage-step" => {
            let steps = setup.cadence.map_or(22.5, |c| c.value() / 4.0);
            let bench = protocol.condition("bench_cm").and_then(|c| c.expected_for(Some(client.sex))).unwrap_or(33.0);
            // How one steps differs more from one to the next than how one pedals.
            let client = Client { cost: client.cost * (1.0 + 0.08 * dice.normal()), ..client.upright() };
            if client.needs(stepping(steps, bench)) > SIX_MINUTES * client.vo2max {
                return None;
            }
            staged(protocol, setup, &client)
        }
        "single-stage-cycle" | "multistage-cycle" => {
            // An ergometer's load is right to 2 %.
            let client = Client { cost: client.cost * (1.0 + 0.02 * dice.normal()), ..client.clone() };
            staged(protocol, setup, &client)
        }
        "mile-walk" => mile_walk(&client.upright(), dice),
        "run-12min" => Inputs::from_iter([("distance_m", 720.0 * Runner::of(client, dice).speed_for(720.0))]),
        "run-1-5mile" => Inputs::from_iter([("time_s", Runner::of(client, dice).time_for(2414.0))]),
        "shuttle-20m" => return shuttle(protocol, client, dice),
        "shuttle-recovery-1" | "shuttle-recovery-2" | "interval-30-15" => intermittent(protocol, client, dice),
        _ => row(client, dice),
    })
}

/// The pulse counted 5 to 20 s after three minutes on the bench, to the whole beat; nothing for one whom the bench asks more of than
/// they have.
fn bench_step(client: &Client, setup: &Setup, dice: &mut Dice) -> Option<Inputs> {
    let client = client.upright();
    let steps = setup.cadence.map_or(24.0, |c| c.value() / 4.0);
    let work = client.needs(stepping(steps, 41.3));
    if work > client.vo2max {
        return None;
    }
    let asked = [Demand { from_s: 0.0, vo2: work }, Demand { from_s: 180.0, vo2: RESTING_VO2 }];
    let beats: f64 = (185..200).map(|s| client.heart_rate(&asked, f64::from(s)) / 60.0).sum();
    Some(Inputs::from_iter([("pulse_count", (beats + dice.uniform()).floor()), ("pulse_window_s", 15.0), ("bench_cm", 41.3)]))
}

/// A staged test as the engine decides it, with a strap's minute means.
pub(super) fn staged(protocol: &Protocol, setup: &Setup, client: &Client) -> Inputs {
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

/// What walking costs on the flat: metres a minute and mL/kg/min. Source: Ainsworth et al., Compendium of Physical Activities, Med Sci
/// Sports Exerc 2011;43:1575-1581; recalled (2.5 to 5 miles an hour).
const WALKING_COST: [(f64, f64); 6] = [(67.0, 10.5), (80.5, 12.3), (93.9, 15.1), (107.3, 17.5), (120.7, 24.5), (134.1, 29.0)];

fn between(points: &[(f64, f64)], x: f64) -> f64 {
    let k = points.iter().position(|p| x < p.0).unwrap_or(points.len() - 1).max(1);
    let ((x0, y0), (x1, y1)) = (points[k - 1], points[k]);
    y0 + (x - x0) / (x1 - x0) * (y1 - y0)
}

/// How fast an oxygen uptake lets one walk, m/min; never faster than people walk.
fn walking_speed(vo2: f64) -> f64 {
    let turned = WALKING_COST.map(|(speed, cost)| (cost, speed));
    between(&turned, vo2).clamp(40.0, WALKING_COST[WALKING_COST.len() - 1].0)
}

/// A mile as briskly as one can: 107 m/min and some more for the fitter, SD 8, never more than four fifths of the maximum. Cost: SD 5 %.
fn mile_walk(client: &Client, dice: &mut Dice) -> Inputs {
    let cost = 1.0 + 0.05 * dice.normal();
    let most = walking_speed((0.8 + 0.04 * dice.normal()) * client.vo2max / cost);
    let speed = most.min(107.0 + 0.9 * (client.vo2max - 35.0) + 8.0 * dice.normal());
    let minutes = 1609.0 / speed;
    let hr = client.steady_hr(cost * between(&WALKING_COST, speed)) + client.drift * minutes + 2.0 * dice.normal();
    Inputs::from_iter([("time_s", 60.0 * minutes), ("hr_end", hr.round().clamp(60.0, 220.0))])
}

/// A runner's body: what running costs them and how their speed falls with time.
struct Runner {
    vo2max: f64,
    /// Their cost beside others', SD 5 %.
    cost: f64,
    /// By how much the share of the maximum falls with the logarithm of the time beyond seven minutes. Source: Péronnet &
    /// Thibault, J Appl Physiol 1989;67:453-465; recalled. SD ours.
    endurance: f64,
}

impl Runner {
    fn of(client: &Client, dice: &mut Dice) -> Self {
        Self { vo2max: client.vo2max, cost: 1.0 + 0.045 * dice.normal(), endurance: (0.06 + 0.01 * dice.normal()).max(0.01) }
    }

    /// Speed at an oxygen uptake, m/s. Source of the cost of running, 2.209 + 3.163 km/h: Léger & Mercier, Sports Med 1984;1:270-277;
    /// recalled. Who walks faster than they would run, walks.
    fn speed_at(&self, vo2: f64) -> f64 {
        let running = (vo2 / self.cost - 2.209) / 3.163 / 3.6;
        running.max(walking_speed(vo2 / self.cost).min(120.0) / 60.0)
    }

    /// Speed that is kept up for so many seconds, m/s.
    fn speed_for(&self, seconds: f64) -> f64 {
        self.speed_at(self.vo2max * (1.0 - self.endurance * (seconds / 420.0).ln()).min(1.0))
    }

    /// The time for a distance, s.
    fn time_for(&self, metres: f64) -> f64 {
        (0..30).fold(720.0, |seconds, _| f64::midpoint(seconds, metres / self.speed_for(seconds)))
    }
}

/// What a turn costs: this share of the energy of the movement, made again at an efficiency of a quarter; SD a fifth. Ours.
const TURNING: f64 = 0.45;

/// Oxygen for turning every `shuttle_m` metres at a speed, mL/kg/min: the energy of the movement is braked and made again.
fn turning_vo2(speed: f64, shuttle_m: f64) -> f64 {
    const EFFICIENCY: f64 = 0.25;
    const JOULES_A_ML: f64 = 20.9;
    let watts = 0.5 * speed.powi(2) / EFFICIENCY * speed / shuttle_m;
    60.0 * watts / JOULES_A_ML
}

/// The last level the runner can keep up with: in the last minutes some 5 % more than oxygen alone lets them (SD 4 %, some give up
/// before). Nothing for one who is too slow for the first.
fn shuttle(protocol: &Protocol, client: &Client, dice: &mut Dice) -> Option<Inputs> {
    let schedule = protocol.schedule()?;
    let runner = Runner::of(client, dice);
    let turning = TURNING * (1.0 + 0.2 * dice.normal());
    let most = client.vo2max * (1.05 + 0.04 * dice.normal());
    let asked = |speed: f64| runner.cost * (2.209 + 3.163 * 3.6 * speed) + turning * turning_vo2(speed, schedule.shuttle_m);
    let level = schedule.levels.iter().take_while(|l| asked(l.speed_kmh / 3.6) <= most).last()?;
    Some(Inputs::from_iter([("level", level.level), ("shuttle", 1.0)]))
}

/// Runs to beeps with rests between, until what can be run beyond the critical speed is spent. The reserve refills below the
/// critical speed, the faster the further below. Source of the model: critical speed with a refilling reserve, common practice;
/// its numbers are ours.
pub(super) fn intermittent(protocol: &Protocol, client: &Client, dice: &mut Dice) -> Inputs {
    let Some(schedule) = protocol.schedule() else { return Inputs::new() };
    let critical = Runner::of(client, dice).speed_at(client.vo2max * (0.92 + 0.03 * dice.normal()).min(1.0));
    let full = (220.0 + 45.0 * dice.normal()).clamp(110.0, 350.0);
    // Turns cost as much as running faster would; the interval run has half as many.
    let leg_m = if schedule.run_s.is_some() { schedule.shuttle_m } else { schedule.leg_m() };
    let turning = TURNING * (1.0 + 0.2 * dice.normal());
    let with_turns = |speed: f64| speed + turning * turning_vo2(speed, leg_m) / 3.163 / 3.6;
    let mut reserve = full;
    let mut last = None;
    for level in &schedule.levels {
        for shuttle in 1..=level.shuttles {
            let speed = with_turns(level.speed_kmh / 3.6);
            let seconds = schedule.run_s.unwrap_or_else(|| schedule.shuttle_s(level));
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

/// The reserve refills so many times more slowly than it is spent.
const REFILL: f64 = 4.0;
/// How fast one walks between runs, m/s.
const WALKING: f64 = 1.2;

/// The reserve, m, after some seconds at a speed so far below (above, where negative) the critical one, m/s.
pub(super) fn spend(reserve: f64, full: f64, below: f64, seconds: f64) -> f64 {
    if below <= 0.0 {
        return reserve + below * seconds;
    }
    let tau = REFILL * full / below;
    full - (full - reserve) * (-seconds / tau).exp()
}

/// 2000 m at 95 % of the maximum and 10 % (SD 5) without oxygen; power at 18 % of the energy (SD 1), speed from power by the
/// flywheel's cube. Common practice.
fn row(client: &Client, dice: &mut Dice) -> Inputs {
    const WATTS_A_LITRE: f64 = 348.0;
    let litres = 0.95 * client.vo2max * client.mass / 1000.0 * (1.1 + 0.05 * dice.normal());
    let watts = (litres * WATTS_A_LITRE * (0.18 + 0.01 * dice.normal())).max(50.0);
    let time = 2000.0 / (watts / 2.8).cbrt();
    Inputs::from_iter([("time_s", time), ("trained", f64::from(u8::from(client.vo2max > 45.0)))])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;

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

    /// At 4 miles an hour 5 METs (Compendium 2011), and between its points along the line.
    #[test]
    fn walking_costs_what_the_compendium_says() {
        assert!((between(&WALKING_COST, 107.3) - 17.5).abs() < 1e-9);
        assert!((walking_speed(17.5) - 107.3).abs() < 1e-9);
        assert!((walking_speed(21.0) - 114.0).abs() < 1e-9);
        assert_eq!(walking_speed(60.0), 134.1, "beyond that people run");
    }

    /// 12 km/h costs 2.209 + 3.163 × 12 = 40.165 mL/kg/min (Léger & Mercier 1984); 12 minutes are run at
    /// 1 − 0.06 × ln(720 / 420) = 96.8 % of the maximum (Péronnet & Thibault 1989).
    #[test]
    fn a_runner_keeps_up_less_the_longer_it_lasts() {
        let runner = Runner { vo2max: 40.165 / 0.967_66, cost: 1.0, endurance: 0.06 };
        assert!((runner.speed_for(720.0) * 3.6 - 12.0).abs() < 0.01, "{}", runner.speed_for(720.0) * 3.6);
        assert!(runner.speed_for(420.0) > runner.speed_for(720.0) && runner.speed_for(720.0) > runner.speed_for(1500.0));
        let time = runner.time_for(2414.0);
        assert!((runner.speed_for(time) * time - 2414.0).abs() < 1.0, "{time}");
    }

    /// 3 m/s and 20 m: 4.5 J/kg made again at an efficiency of a quarter every 6.67 s are 2.7 W/kg, or 7.75 mL/kg/min.
    #[test]
    fn a_turn_costs_the_energy_of_the_movement() {
        assert!((turning_vo2(3.0, 20.0) - 7.75).abs() < 0.01, "{}", turning_vo2(3.0, 20.0));
    }

    #[test]
    fn whom_the_bench_asks_too_much_of_has_no_result() {
        let protocol = catalogue::find("bench-step-3min").unwrap();
        let weak = Client { vo2max: 20.0, ..Client::from_seed(1) };
        let setup = rehearse::setup(protocol, &weak);
        assert!(readings(protocol, &setup, &weak, &mut Dice::new(1)).is_none());
        let fit = Client { vo2max: 50.0, ..weak };
        assert!(readings(protocol, &setup, &fit, &mut Dice::new(1)).is_some());
    }
}
