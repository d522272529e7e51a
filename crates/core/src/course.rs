//! The rules of an effort against the clock and of runs to beeps, as data.

use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    inputs::Inputs,
    units::rounded,
};

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
    /// The input with the part of the last one, m: usually no longer than one.
    #[serde(default)]
    pub rest: Option<String>,
    /// Two closer together than this are one, seconds.
    pub closest_s: f64,
}

/// The levels of an audio-paced test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Schedule {
    pub score: ScheduleScore,
    /// Metres of one shuttle; of a level that is run to a clock, of the whole course.
    pub shuttle_m: f64,
    /// Metres from line to line, where a shuttle passes more than one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line_m: Option<f64>,
    /// Seconds a level is run, where that is what ends it and not its shuttles.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub run_s: Option<f64>,
    /// Seconds that are allowed for a turn.
    #[serde(default)]
    pub turn_s: f64,
    /// A runner within so many metres of the line at the beep has made it.
    #[serde(default)]
    pub zone_m: f64,
    /// Seconds between shuttles, or between levels that are run to a clock.
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
pub struct CoursePoint {
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
    pub fn place(&self, level: f64, shuttle: f64) -> Result<CoursePoint, InputError> {
        // Nothing completed is a score.
        if level == 0.0 && shuttle == 0.0 {
            return Ok(CoursePoint { speed_kmh: 0.0, distance_m: 0.0 });
        }
        let mut before = 0;
        for step in &self.levels {
            if step.level == level {
                if shuttle < 1.0 || shuttle > f64::from(step.shuttles) || shuttle.fract() != 0.0 {
                    let message = format!("Level {level} has shuttles 1 to {}. Give the last one that was completed.", step.shuttles);
                    return Err(InputError::new(Code::OutOfRange, "shuttle", message));
                }
                return Ok(CoursePoint { speed_kmh: step.speed_kmh, distance_m: (f64::from(before) + shuttle) * self.shuttle_m });
            }
            before += step.shuttles;
        }
        let names: Vec<String> = self.levels.iter().map(|l| format!("{}", l.level)).collect();
        Err(InputError::new(Code::OutOfRange, "level", format!("There is no level {level}. The levels are {}.", names.join(", "))))
    }

    /// Holds what was typed of a run together: a speed that is a stage, a distance that is whole shuttles, and both as far as the
    /// level and shuttle that stand beside them.
    ///
    /// # Errors
    /// [`Code::OutOfRange`] naming the field that differs, with what the schedule has there.
    pub fn check(&self, inputs: &Inputs) -> Result<(), InputError> {
        let no = |field: &str, message: String| Err(InputError::new(Code::OutOfRange, field, message));
        let (speed, distance) = (inputs.get("speed_kmh"), inputs.get("distance_m"));
        if let Some(speed) = speed.filter(|s| *s > 0.0) {
            self.level_at("speed_kmh", speed)?;
        }
        if let Some(distance) = distance
            && (distance / self.shuttle_m).fract() != 0.0
        {
            let (shown, shuttle) = (rounded(distance, 1), rounded(self.shuttle_m, 0));
            return no(
                "distance_m",
                format!("{shown} m isn’t a whole number of shuttles of {shuttle} m. Type the distance at the last completed shuttle."),
            );
        }
        let (Some(level), Some(shuttle)) = (inputs.get("level"), inputs.get("shuttle")) else { return Ok(()) };
        let place = self.place(level, shuttle)?;
        let at = format!("Level {}, shuttle {}", rounded(level, 1), rounded(shuttle, 0));
        match (distance, speed) {
            (Some(distance), _) if distance != place.distance_m => {
                let (typed, is) = (rounded(distance, 0), rounded(place.distance_m, 0));
                no("distance_m", format!("{at} is {is} m; the distance says {typed} m. Correct one of them, or leave one out."))
            }
            (_, Some(speed)) if (speed - place.speed_kmh).abs() > 1e-9 => {
                let (typed, is) = (rounded(speed, 1), rounded(place.speed_kmh, 1));
                no("speed_kmh", format!("{at} is run at {is} km/h; the speed says {typed} km/h. Correct one of them, or leave one out."))
            }
            _ => Ok(()),
        }
    }

    /// Metres from line to line.
    pub fn leg_m(&self) -> f64 {
        self.line_m.unwrap_or(self.shuttle_m)
    }

    /// The seconds one shuttle of a level takes.
    pub fn shuttle_s(&self, level: &Level) -> f64 {
        self.shuttle_m / (level.speed_kmh / 3.6)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;
    use test_case::test_case;

    #[test_case("interval-30-15", &[("speed_kmh", 18.25)], Some("No stage is run at 18.25 km/h. Near it: 18 and 18.5 km/h."); "between two stages")]
    #[test_case("interval-30-15", &[("speed_kmh", 18.5)], None; "a stage")]
    #[test_case("shuttle-recovery-2", &[("distance_m", 400.0), ("level", 20.0), ("shuttle", 4.0)], Some("is 600 m; the distance says 400 m"); "distance and level")]
    #[test_case("shuttle-recovery-1", &[("distance_m", 410.0)], Some("shuttles of 40 m"); "no whole shuttle")]
    #[test_case("shuttle-recovery-1", &[("distance_m", 400.0)], None; "ten shuttles")]
    #[test_case("shuttle-20m", &[("level", 9.0), ("shuttle", 11.0)], Some("shuttles 1 to 10"); "no such shuttle")]
    #[test_case("shuttle-20m", &[("level", 9.0), ("shuttle", 4.0)], None; "a shuttle")]
    fn what_was_typed_of_a_run_holds_together(id: &str, typed: &[(&str, f64)], refused: Option<&str>) {
        let inputs: Inputs = typed.iter().map(|(key, value)| ((*key).to_owned(), *value)).collect();
        let schedule = catalogue::find(id).unwrap().schedule().unwrap();
        match (schedule.check(&inputs), refused) {
            (Ok(()), None) => {}
            (Err(error), Some(words)) => assert!(error.message.contains(words), "{}", error.message),
            (found, _) => panic!("{found:?}"),
        }
    }

    #[test]
    fn every_shuttle_agrees_with_its_own_distance() {
        for schedule in catalogue::all().iter().filter_map(|p| p.schedule()) {
            for (level, shuttle) in schedule.levels.iter().flat_map(|l| (1..=l.shuttles).map(move |s| (l.level, f64::from(s)))) {
                let place = schedule.place(level, shuttle).unwrap();
                let typed = [("level", level), ("shuttle", shuttle), ("distance_m", place.distance_m), ("speed_kmh", place.speed_kmh)];
                schedule.check(&typed.into_iter().map(|(k, v)| (k.to_owned(), v)).collect()).unwrap();
            }
        }
    }
}
