//! What a quantity is called and how it is written.

use crate::units::rounded;

/// The quantity in the middle of a sentence.
pub fn label(key: &str) -> &str {
    match key {
        "recovery_hr" => "recovery heart rate",
        "vo2max" => "VO₂max",
        "vo2max_l_min" => "VO₂max, absolute",
        "distance_m" => "distance",
        "time_s" => "time",
        "reps" => "knee lifts",
        "speed_kmh" => "speed",
        "hrr60" => "heart rate drop in 60 s",
        "mean_power_1" => "mean power, stage 1",
        "mean_power_2" => "mean power, stage 2",
        "mean_power_3" => "mean power, stage 3",
        "mean_hr_1" => "mean heart rate, stage 1",
        "mean_hr_2" => "mean heart rate, stage 2",
        "mean_hr_3" => "mean heart rate, stage 3",
        "mean_cadence_1" => "mean cadence, stage 1",
        "mean_cadence_2" => "mean cadence, stage 2",
        "mean_cadence_3" => "mean cadence, stage 3",
        "rpe_1" => "exertion, stage 1",
        "rpe_2" => "exertion, stage 2",
        "rpe_3" => "exertion, stage 3",
        other => other,
    }
}

/// Its unit.
pub fn unit(key: &str) -> &'static str {
    match key {
        "recovery_hr" | "hrr60" | "mean_hr_1" | "mean_hr_2" | "mean_hr_3" => "bpm",
        "vo2max" => "mL/kg/min",
        "vo2max_l_min" => "L/min",
        "distance_m" => "m",
        "time_s" => "s",
        "reps" => "reps",
        "speed_kmh" => "km/h",
        "mean_power_1" | "mean_power_2" | "mean_power_3" => "W",
        "mean_cadence_1" | "mean_cadence_2" | "mean_cadence_3" => "rpm",
        "rpe_1" | "rpe_2" | "rpe_3" => "RPE",
        _ => "",
    }
}

/// The unit as it stands behind the value on a page: a time is written in minutes and seconds and needs none.
pub fn unit_shown(key: &str) -> &'static str {
    if key == "time_s" { "" } else { unit(key) }
}

/// The value as it is shown: as many decimals as the measure deserves.
pub fn shown(key: &str, value: f64) -> String {
    match key {
        "recovery_hr" | "distance_m" | "reps" | "hrr60" => rounded(value, 0),
        key if key.starts_with("mean_") => rounded(value, 0),
        key if key.starts_with("rpe_") => rounded(value, 1),
        "vo2max_l_min" => format!("{value:.2}"),
        "time_s" => minutes(value),
        _ => format!("{value:.1}").replace('-', "−"),
    }
}

/// Minutes and seconds: `7:02`, with a tenth where there is one.
pub fn minutes(seconds: f64) -> String {
    let tenths = (seconds * 10.0).round() as i64;
    let sign = if tenths < 0 { "−" } else { "" };
    let (whole, tenth) = (tenths.abs() / 10, tenths.abs() % 10);
    let tail = if tenth == 0 { String::new() } else { format!(".{tenth}") };
    format!("{sign}{}:{:02}{tail}", whole / 60, whole % 60)
}

/// Value and unit as it is shown.
pub fn with_unit(key: &str, value: f64) -> String {
    format!("{} {}", shown(key, value), unit_shown(key)).trim_end().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    #[test_case("time_s", 422.0, "7:02"; "a time")]
    #[test_case("time_s", 422.45, "7:02.5"; "a time with tenths")]
    #[test_case("time_s", -3.0, "−0:03"; "faster by three seconds")]
    #[test_case("distance_m", 2520.4, "2520 m"; "a distance")]
    #[test_case("vo2max", 45.05, "45.0 mL/kg/min"; "an estimate")]
    #[test_case("vo2max_l_min", 2.6, "2.60 L/min"; "litres")]
    fn written(key: &str, value: f64, text: &str) {
        assert_eq!(with_unit(key, value), text);
    }
}
