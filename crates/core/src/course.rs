//! The rules of an effort against the clock and of runs to beeps, as data.

use serde::{Deserialize, Serialize};

use crate::error::{Code, InputError};

/// An effort against the clock.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Course {
    /// How long it lasts, seconds, for a timed effort.
    pub seconds: Option<u32>,
    /// How far it is, metres, for a measured one.
    pub distance_m: Option<f64>,
    /// Nobody this test is made for is faster than this, m/s: a lap or a finish before that is a slip.
    pub fastest_m_s: f64,
    /// What is counted on the way with one key.
    pub tally: Option<TallyRule>,
    /// Inputs asked for when the effort is over, in order.
    #[serde(default)]
    pub ask: Vec<String>,
    /// The quantity whose last value is the pace to beat.
    pub pace: Option<String>,
}

/// What is counted on the way.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct TallyRule {
    /// One of them: `lap`, `knee lift`.
    pub one: String,
    /// The input the count fills.
    pub input: String,
    /// The condition with the length of one, m, where each covers a distance.
    pub length: Option<String>,
    /// Two closer together than this are one, seconds.
    pub closest_s: f64,
}

/// The levels of an audio-paced test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Schedule {
    /// What the score is.
    pub score: ScheduleScore,
    /// Metres of one shuttle.
    pub shuttle_m: f64,
    /// Seconds between shuttles.
    #[serde(default)]
    pub recovery_s: f64,
    /// In order.
    pub levels: Vec<Level>,
}

/// What a shuttle test is scored by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ScheduleScore {
    /// The speed of the last completed level.
    Speed,
    /// The distance up to the last completed shuttle.
    Distance,
}

/// One level of a schedule.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Level {
    /// As it is called out.
    pub level: f64,
    /// Running speed, km/h.
    pub speed_kmh: f64,
    /// How many shuttles it has.
    pub shuttles: u32,
}

/// A shuttle of a level on the schedule.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Place {
    /// Running speed, km/h.
    pub speed_kmh: f64,
    /// Distance up to its end, m.
    pub distance_m: f64,
}

impl Schedule {
    /// Where a shuttle of a level stands.
    ///
    /// # Errors
    /// [`Code::OutOfRange`] naming what the schedule has.
    pub fn place(&self, level: f64, shuttle: f64) -> Result<Place, InputError> {
        let mut before = 0;
        for step in &self.levels {
            if step.level == level {
                if shuttle < 1.0 || shuttle > f64::from(step.shuttles) || shuttle.fract() != 0.0 {
                    let message = format!("Level {level} has shuttles 1 to {}. Give the last one that was completed.", step.shuttles);
                    return Err(InputError::new(Code::OutOfRange, "shuttle", message));
                }
                return Ok(Place { speed_kmh: step.speed_kmh, distance_m: (f64::from(before) + shuttle) * self.shuttle_m });
            }
            before += step.shuttles;
        }
        let names: Vec<String> = self.levels.iter().map(|l| format!("{}", l.level)).collect();
        Err(InputError::new(Code::OutOfRange, "level", format!("There is no level {level}. The levels are {}.", names.join(", "))))
    }

    /// The seconds one shuttle of a level takes.
    pub fn shuttle_s(&self, level: &Level) -> f64 {
        self.shuttle_m / (level.speed_kmh / 3.6)
    }
}
