//! The recording of a made-up ride: one line a second, the heart on its way to each target, a little unrest everywhere.

use impulso_core::{catalogue::Protocol, clamped::Sample, test_record::Inputs};

use super::cast::Ride;

/// How fast the heart gets there, s.
const TAU_S: f64 = 18.0;

/// What the instruments of a ride gave, with what the rider said.
pub fn recorded(protocol: &Protocol, ride: &Ride, age: u32) -> Inputs {
    let mut inputs: Inputs = ["rpe_1", "rpe_2", "rpe_3"].into_iter().zip(ride.rpe).collect();
    let Some(rule) = protocol.clamp() else { return inputs };
    let hr_max = 208.0 - 0.7 * f64::from(age);
    let (mut bpm, mut at) = (74.0, 0u32);
    for (stage, power) in rule.stages.iter().zip(ride.power) {
        let target = hr_max * stage.percent_of_max / 100.0;
        for _ in 0..stage.seconds as u32 {
            at += 1;
            bpm += (target - bpm) / TAU_S;
            let unrest = (f64::from(at) / 3.7).sin();
            inputs.series.push(Sample {
                time_s: f64::from(at),
                power_w: Some((power + 6.0 * unrest).round()),
                hr_bpm: Some((bpm + 0.6 * unrest).round()),
                cadence_rpm: Some((91.0 + 2.0 * unrest).round()),
            });
        }
    }
    let end = bpm;
    for second in 1..=rule.recovery_s as u32 {
        bpm = end - ride.drop * f64::from(second) / rule.recovery_s;
        inputs.series.push(Sample {
            time_s: f64::from(at + second),
            power_w: Some(0.0),
            hr_bpm: Some(bpm.round()),
            cadence_rpm: Some(0.0),
        });
    }
    inputs
}
