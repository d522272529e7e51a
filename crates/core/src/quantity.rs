//! What a quantity is called and how it is written.

use crate::units::rounded;

/// The quantity in the middle of a sentence.
pub fn label(key: &str) -> &str {
    match key {
        "recovery_hr" => "recovery heart rate",
        "vo2max" => "VO₂max",
        other => other,
    }
}

/// Its unit.
pub fn unit(key: &str) -> &'static str {
    match key {
        "recovery_hr" => "bpm",
        "vo2max" => "mL/kg/min",
        _ => "",
    }
}

/// The value as it is shown: as many decimals as the measure deserves.
pub fn shown(key: &str, value: f64) -> String {
    match key {
        "recovery_hr" => rounded(value, 0),
        _ => format!("{value:.1}").replace('-', "−"),
    }
}

/// Value and unit as it is shown.
pub fn with_unit(key: &str, value: f64) -> String {
    format!("{} {}", shown(key, value), unit(key))
}
