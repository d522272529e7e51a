//! A ride at clamped heart rates as its page shows it: stage by stage, beside the ride before it, and what both say together.

use chrono::NaiveDate;
use impulso_core::{
    catalogue::Protocol,
    clamped::{self, Together},
    comparability::unlike,
    done::Done,
    quantity::{shown, unit},
    units::rounded,
};
use serde::Serialize;
use utoipa::ToSchema;

/// A ride in words and numbers.
#[derive(Serialize, ToSchema)]
pub struct RideReport {
    /// What it says, in a sentence.
    pub sentence: String,
    /// What was looked at, each with where it went.
    pub signs: Vec<String>,
    /// The stages in order.
    pub stages: Vec<RideStage>,
    /// The drop of the heart rate in the minute after.
    pub recovery: RideCell,
    /// How long the last stage took to its target; a sentence.
    pub reached: String,
    /// What counts as a change, in a sentence.
    pub measurement_error: String,
    /// The day of the ride it is held against.
    pub since: Option<NaiveDate>,
}

#[derive(Serialize, ToSchema)]
pub struct RideStage {
    /// `60 % of the maximum: 112 bpm`.
    pub target: String,
    /// Mean power.
    pub power: RideCell,
    /// Mean heart rate.
    pub heart_rate: RideCell,
    /// Mean cadence.
    pub cadence: RideCell,
    /// How hard it felt.
    pub rpe: RideCell,
}

/// A number and what it was on the ride before.
#[derive(Serialize, ToSchema, Default)]
pub struct RideCell {
    /// As shown, with its unit.
    pub now: String,
    /// As it was.
    pub then: Option<String>,
}

/// The report of a ride; nothing for another test, or one without a reading.
pub fn report<'r>(protocol: &Protocol, result: &Done, history: impl DoubleEndedIterator<Item = &'r Done> + Clone) -> Option<RideReport> {
    let rule = protocol.clamp()?;
    let now_point = result.point(protocol.headline())?;
    let earlier = history.filter(|r| r.is_earlier(result) && r.is_scored()).rev();
    let before = earlier.clone().find(|r| r.point(protocol.headline()).is_some_and(|p| unlike(protocol, &p, &now_point).is_empty()));
    let value = |of: &Done, key: &str| of.value(key);
    let cell = |key: &str| {
        let words = |v: f64| format!("{} {}", shown(key, v), unit(key));
        RideCell { now: value(result, key).map(words).unwrap_or_default(), then: before.and_then(|b| value(b, key)).map(words) }
    };
    let record = result.record(protocol);
    let hr_max = record.hr_max_method().of(&record.facts).ok()?;
    let stages = rule.stages.iter().zip(1u8..).map(|(stage, n)| RideStage {
        target: format!("{} % of the maximum: {} bpm", stage.percent_of_max, shown("recovery_hr", hr_max * stage.percent_of_max / 100.0)),
        power: cell(&format!("mean_power_{n}")),
        heart_rate: cell(&format!("mean_hr_{n}")),
        cadence: cell(&format!("mean_cadence_{n}")),
        rpe: cell(&format!("rpe_{n}")),
    });
    let goal = rule.stages.last().map_or(0.0, |s| s.percent_of_max);
    let read = before.and_then(|b| clamped::together(&rule.measurement_error, &|key| value(b, key), &|key| value(result, key)));
    let sentence = match (read, before, earlier.clone().next()) {
        (Some(read), ..) => read.pattern.sentence().to_owned(),
        (None, None, Some(_)) => "The ride before it was done differently, so the two are not read together.".to_owned(),
        _ => "The first ride. The first two or three only teach the pacing; from then on power, recovery and exertion are read together."
            .to_owned(),
    };
    Some(RideReport {
        sentence,
        signs: read.map(signs).unwrap_or_default(),
        stages: stages.collect(),
        recovery: cell("hrr60"),
        reached: match rule.reached_after(&result.inputs.series, hr_max) {
            Some(seconds) => format!("{goal} % was reached after {} s of stage {}.", rounded(seconds, 0), rule.stages.len()),
            None => format!("{goal} % was not reached."),
        },
        measurement_error: format!(
            "Power counts as changed beyond {} %, the recovery beyond {} bpm, exertion beyond {} point (recalled from practice).",
            rule.measurement_error.power_percent, rule.measurement_error.hrr60_bpm, rule.measurement_error.rpe
        ),
        since: before.map(|b| b.on),
    })
}

fn signs(read: Together) -> Vec<String> {
    use clamped::Way::{Down, Same, Up};
    let word = |way, up: &str, same: &str, down: &str| match way {
        Up => up.to_owned(),
        Same => same.to_owned(),
        Down => down.to_owned(),
    };
    vec![
        word(read.power_before, "More power in stage 2", "The same power in stage 2", "Less power in stage 2"),
        word(read.power_last, "more power in stage 3", "the same power in stage 3", "less power in stage 3"),
        word(read.recovery, "a faster recovery", "the same recovery", "a slower recovery"),
        word(read.rpe, "felt harder", "felt the same", "felt easier"),
    ]
}
