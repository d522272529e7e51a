//! Goals: a measure, from where, to where, by when, and the way there in words. Where the line should be today, and whether the
//! client is on the way, judged against the test’s measurement error.

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Protocol,
    error::{Code, InputError},
    quantity::{self, Better},
    text,
    typical_error::TypicalError,
    units::Units,
};

/// Where a client wants to be.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Goal {
    /// The test.
    pub protocol: String,
    /// Its measure.
    pub quantity: String,
    /// The value it began with, in the measure's unit.
    pub from: f64,
    /// The day of that value.
    pub from_on: NaiveDate,
    /// The value that is wanted.
    pub to: f64,
    /// By when.
    pub by: NaiveDate,
    /// Where to be on the way, by day.
    #[serde(default)]
    pub milestones: Vec<Milestone>,
    /// The way there, in words: what is done, how often.
    pub process: Option<String>,
    /// The day it was reached.
    pub reached_on: Option<NaiveDate>,
}

/// Where to be on the way to a goal.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Milestone {
    /// The day.
    pub on: NaiveDate,
    /// The value, in the measure's unit.
    pub value: f64,
}

/// The most milestones of a goal. Ours: more are a diary.
pub const MILESTONES_MAX: usize = 6;

/// The measure of a goal that is about the total of a battery.
pub const TOTAL: &str = "total_points";

/// How a client stands to a goal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Way {
    Reached,
    /// Clearly past where the line is today.
    Ahead,
    /// At the line, as far as the test can tell.
    OnTheWay,
    /// Clearly short of it.
    Behind,
    /// Not measured since, or the test's measurement error is not known.
    CannotTell,
}

impl Way {
    pub const fn words(self) -> &'static str {
        match self {
            Self::Reached => "reached",
            Self::Ahead => "ahead",
            Self::OnTheWay => "on the way",
            Self::Behind => "behind",
            Self::CannotTell => "cannot tell yet",
        }
    }
}

/// A goal as it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Standing {
    /// How the client stands to it.
    pub way: Way,
    /// The same in a sentence.
    pub sentence: String,
    /// Where the line is today, in the measure's unit.
    pub should_be: f64,
}

impl Goal {
    /// Holds a goal to what makes sense for its test.
    ///
    /// # Errors
    /// [`Code::UnknownField`] for a measure the test does not follow; [`Code::OutOfRange`] for a target that is no number, that is
    /// already reached or worse than today's value, or a day that is over.
    pub fn check(&self, protocol: &Protocol, today: NaiveDate) -> Result<(), InputError> {
        if protocol.change_rule(&self.quantity).is_none() {
            let message = format!("{} does not follow “{}” over time.", protocol.name, self.quantity);
            return Err(InputError::new(Code::UnknownField, "quantity", message));
        }
        self.check_line(quantity::better(&self.quantity), today)
    }

    /// The same for the total of a battery, of which more is better.
    ///
    /// # Errors
    /// As [`Self::check`], but for the measure.
    pub fn check_total(&self, today: NaiveDate) -> Result<(), InputError> {
        self.check_line(Some(Better::More), today)
    }

    fn check_line(&self, better: Option<Better>, today: NaiveDate) -> Result<(), InputError> {
        let bad = |field: &str, message: String| Err(InputError::new(Code::OutOfRange, field, message));
        if !self.to.is_finite() || self.to == self.from {
            return bad("to", "Type the value to reach. It must differ from today’s.".into());
        }
        let lower_is_better = better == Some(Better::Less);
        if better.is_some() && (self.to > self.from) == lower_is_better {
            let (better, from) = (if lower_is_better { "less" } else { "more" }, quantity::with_unit(&self.quantity, self.from));
            return bad(
                "to",
                format!("For {} {better} is better, and it is {from} now. Check the target.", quantity::label(&self.quantity)),
            );
        }
        if self.by <= today {
            return bad("by", "This day is over. Choose a later one.".into());
        }
        let (better, worse) = (self.to.max(self.from), self.to.min(self.from));
        let in_order = self.line().windows(2).all(|w| w[0].on < w[1].on);
        if self.milestones.len() > MILESTONES_MAX || !in_order || self.milestones.iter().any(|m| !(worse..=better).contains(&m.value)) {
            let message = format!(
                "Add at most {MILESTONES_MAX} milestones, each on a later day than the one before, between {} and {}.",
                quantity::with_unit(&self.quantity, self.from),
                quantity::with_unit(&self.quantity, self.to)
            );
            return bad("milestones", message);
        }
        text::note(self.process.as_deref().unwrap_or_default(), "process").map(drop)
    }

    /// Whether a value is as good as the goal or better.
    pub fn is_met_by(&self, value: f64) -> bool {
        if self.to > self.from { value >= self.to } else { value <= self.to }
    }

    /// From where it began over the milestones to the goal, in their order.
    pub fn line(&self) -> Vec<Milestone> {
        let begin = Milestone { on: self.from_on, value: self.from };
        let end = Milestone { on: self.by, value: self.to };
        std::iter::once(begin).chain(self.milestones.iter().copied()).chain([end]).collect()
    }

    /// Where the line from the beginning over the milestones to the goal is on a day, in the measure's unit.
    pub fn should_be(&self, on: NaiveDate) -> f64 {
        let line = self.line();
        let at = line.windows(2).find(|w| on <= w[1].on).unwrap_or(&line[line.len() - 2..]);
        let all = (at[1].on - at[0].on).num_days().max(1) as f64;
        let share = ((on - at[0].on).num_days() as f64 / all).clamp(0.0, 1.0);
        at[0].value + (at[1].value - at[0].value) * share
    }

    /// How the client stands, said in these units: `latest` is the newest comparable value with its day.
    pub fn standing(
        &self,
        latest: Option<(NaiveDate, f64)>,
        typical_error: Option<&TypicalError>,
        today: NaiveDate,
        units: Units,
    ) -> Standing {
        let said = |v: f64| quantity::said(&self.quantity, v, units);
        let should_be = self.should_be(latest.map_or(today, |(on, _)| on));
        let measured = latest.filter(|(on, _)| *on > self.from_on);
        let way = match (self.reached_on, measured, typical_error) {
            (Some(_), ..) => Way::Reached,
            (None, Some((_, value)), Some(te)) => {
                let ahead = if self.to > self.from { value - should_be } else { should_be - value };
                if ahead > te.possible {
                    Way::Ahead
                } else if ahead < -te.possible {
                    Way::Behind
                } else {
                    Way::OnTheWay
                }
            }
            _ => Way::CannotTell,
        };
        let sentence = match (way, measured) {
            (Way::Reached, _) => {
                let on = self.reached_on.unwrap_or(today).format("%-d %B %Y");
                format!("{} was reached on {on}.", said(self.to))
            }
            (_, Some((on, value))) => {
                let day = on.format("%-d %B");
                let within = way == Way::OnTheWay && said(value) != said(should_be);
                let why = if within { " (the difference is within measurement error)" } else { "" };
                format!("{} on {day}, where the line is at {}: {}{why}.", said(value), said(should_be), way.words())
            }
            (_, None) => format!("{} since {}: the next test will tell.", said(self.from), self.from_on.format("%-d %B %Y")),
        };
        Standing { way, sentence, should_be }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        typical_error::{Repeats, RestsOn},
    };
    use proptest::prelude::*;

    fn day(n: u64) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 1, 1).unwrap() + chrono::Days::new(n)
    }

    fn goal(from: f64, to: f64) -> Goal {
        Goal {
            protocol: "plank".into(),
            quantity: "seconds".into(),
            from,
            from_on: day(0),
            to,
            by: day(100),
            milestones: vec![],
            process: None,
            reached_on: None,
        }
    }

    fn typical_error() -> TypicalError {
        let te = TypicalError::from_repeats((0..12).map(|k| if k % 2 == 0 { 5.0 } else { -5.0 }).collect::<Repeats>()).unwrap();
        assert_eq!(te.rests_on, RestsOn::Repeats);
        te
    }

    #[test]
    fn at_the_line_is_on_the_way_and_only_beyond_the_measurement_error_is_it_more_or_less() {
        let (goal, te) = (goal(60.0, 120.0), typical_error());
        let way = |value: f64| goal.standing(Some((day(50), value)), Some(&te), day(60), Units::Metric).way;
        assert_eq!(goal.should_be(day(50)), 90.0);
        assert_eq!([way(90.0), way(90.0 + te.possible - 0.1), way(90.0 + te.possible + 0.1)], [Way::OnTheWay, Way::OnTheWay, Way::Ahead]);
        assert_eq!(way(90.0 - te.possible - 0.1), Way::Behind);
        assert_eq!(
            goal.standing(Some((day(50), 200.0)), None, day(60), Units::Metric).way,
            Way::CannotTell,
            "nothing is known of the measurement error"
        );
        assert_eq!(goal.standing(Some((day(0), 60.0)), Some(&te), day(60), Units::Metric).way, Way::CannotTell, "not measured since");
    }

    #[test]
    fn the_line_goes_over_its_milestones() {
        let by_way = |on: u64, value: f64| Milestone { on: day(on), value };
        let goal = Goal { milestones: vec![by_way(20, 100.0), by_way(60, 110.0)], ..goal(60.0, 120.0) };
        assert_eq!([10, 20, 40, 80, 300].map(|n| goal.should_be(day(n))), [80.0, 100.0, 105.0, 115.0, 120.0]);
        let plank = catalogue::find("plank").unwrap();
        assert!(goal.check(plank, day(1)).is_ok());
        for bad in [vec![by_way(60, 90.0), by_way(20, 80.0)], vec![by_way(20, 130.0)], vec![by_way(100, 110.0)]] {
            let odd = Goal { milestones: bad, ..goal.clone() };
            assert_eq!(odd.check(plank, day(1)).unwrap_err().field.as_deref(), Some("milestones"));
        }
    }

    #[test]
    fn a_target_on_the_wrong_side_is_asked_about() {
        let (plank, stand) = (catalogue::find("plank").unwrap(), catalogue::find("chair-stand-5x").unwrap());
        assert!(goal(60.0, 120.0).check(plank, day(1)).is_ok());
        assert_eq!(goal(60.0, 50.0).check(plank, day(1)).unwrap_err().field.as_deref(), Some("to"));
        let faster = |to: f64| Goal { quantity: "time_s".into(), ..goal(14.0, to) };
        assert!(faster(11.0).check(stand, day(1)).is_ok());
        assert!(faster(16.0).check(stand, day(1)).unwrap_err().message.contains("less is better"));
        assert_eq!(goal(60.0, 120.0).check(plank, day(100)).unwrap_err().field.as_deref(), Some("by"));
        let other = Goal { quantity: "colour".into(), ..goal(1.0, 2.0) };
        assert_eq!(other.check(plank, day(1)).unwrap_err().code, Code::UnknownField);
    }

    proptest! {
        #[test]
        fn the_line_stays_between_its_ends_and_more_is_never_judged_worse(from in 1.0..200.0f64, gain in 1.0..200.0f64, on in 0u64..200, value in 0.0..400.0f64) {
            let goal = goal(from, from + gain);
            let line = goal.should_be(day(on));
            prop_assert!(line >= from - 1e-9 && line <= from + gain + 1e-9);
            let te = typical_error();
            let rank = |v: f64| match goal.standing(Some((day(on.max(1)), v)), Some(&te), day(300), Units::Metric).way {
                Way::Behind => 0,
                Way::OnTheWay => 1,
                _ => 2,
            };
            prop_assert!(rank(value) <= rank(value + 10.0));
        }
    }
}
