//! What the simulated client does in a run: what the body is asked for, what is seen and heard, how fast it goes.

use super::exert::{Shape, exertion, shape};
use crate::{
    catalogue::{Effort, Equation, Family, PhaseKind, Protocol},
    inputs::Numbers,
    run::{Setup, State, event::Answer},
    simulate::{Client, Demand, RESTING_VO2, cycling, stepping},
    units::rounded,
};

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
            vo2: s.load.map_or_else(|| client.needs(stepping(steps, bench)), |l| cycling(client, l.kgm_min)),
        })),
        Family::CountedRecovery => {
            if let Some(work) = state.timeline.phase(PhaseKind::Work) {
                asked.push(Demand { from_s: seconds(work.start_ms), vo2: client.needs(stepping(steps, bench)) });
                asked.extend(work.end_ms.map(rest));
            }
        }
        Family::TimedEffort | Family::DistanceEffort => {
            if let Some(work) = state.timeline.phase(PhaseKind::Work) {
                let share = if protocol.effort == Effort::Vigorous { 0.95 } else { 0.7 };
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
    if let Some(Shape::Count) = shape(protocol)
        && let Some(last) = exertion(protocol, client, state).moves.last().filter(|m| at_s * 1000.0 >= m.to_ms + 2500.0)
    {
        seen.push(((last.to_ms + 2500.0) / 1000.0, "The client stops: no more repetitions.".to_owned()));
    }
    seen.sort_by(|a, b| a.0.total_cmp(&b.0));
    seen
}

/// Whether a simulated client can be tested by a protocol.
pub fn is_rehearsed(protocol: &Protocol) -> bool {
    protocol.family().is_rehearsed() || shape(protocol).is_some() || protocol.schedule().is_some()
}

/// How fast a client walks, m/s: from out for a stroll to as fast as a walk can be. Common practice.
const WALKS: (f64, f64) = (1.2, 2.45);

/// How fast the client goes over a course, m/s: as fast as the protocol's own formula gives the true VO2max for.
fn speed(protocol: &Protocol, client: &Client) -> f64 {
    let runs = protocol.effort == Effort::Vigorous;
    let (slow, fast) = if runs { (0.5, 12.0) } else { WALKS };
    // A rower's equation is no formula: a time that a rower of this VO2max would be content with, ours.
    if protocol.scoring.iter().any(|s| s.equation == Equation::Hagerman1984) {
        return 2000.0 / (60.0 * (13.5 - 0.09 * client.vo2max).clamp(6.2, 12.0));
    }
    if estimated(protocol, client, slow).is_none() {
        return 1.3;
    }
    // The estimate grows with the speed: halve the interval until it is a hair.
    let (slow, fast) = (0..40).fold((slow, fast), |(slow, fast), _| {
        let middle = f64::midpoint(slow, fast);
        if estimated(protocol, client, middle).is_some_and(|vo2max| vo2max < client.vo2max) { (middle, fast) } else { (slow, middle) }
    });
    f64::midpoint(slow, fast)
}

/// The VO2max, mL/kg/min, that the protocol's formula gives a client who goes at a speed, m/s; nothing where it has none.
fn estimated(protocol: &Protocol, client: &Client, speed: f64) -> Option<f64> {
    let course = protocol.course()?;
    let facts = client.facts();
    let formula = protocol.scored("vo2max")?.formula_for(facts.sex)?;
    let reading = |name: &str| match name {
        "distance_m" => course.seconds.map(|s| f64::from(s) * speed),
        "time_s" => course.distance_m.map(|m| m / speed),
        "hr_end" => Some(client.steady_hr(0.7 * client.vo2max)),
        "age_years" => Some(client.age),
        "mass_kg" => Some(client.mass),
        _ => None,
    };
    formula.value(&|name| reading(name).map(Numbers::from)).ok()
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
