//! When again: retest rules, their dates, and what became of each date.

use chrono::{Datelike, Days, Months, NaiveDate};
use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    person::day,
    text::plural,
};

/// A result this many days before its date counts as the retest. Common practice.
const EARLY_DAYS: i64 = 7;

/// How far ahead dates are laid out, months.
const HORIZON_MONTHS: u32 = 12;

/// When a test is repeated.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "rule", rename_all = "snake_case")]
pub enum RetestRule {
    /// Every so many weeks.
    EveryWeeks {
        /// 1 to 52.
        weeks: u32,
    },
    /// In weeks 4, 8 and 12 of a programme.
    Weeks4812,
    /// In weeks 0, 4, 8 and 12 of a programme that begins on a day.
    Programme {
        /// The day the programme begins: week 0.
        begins: NaiveDate,
    },
    /// At the start and at the end of a season.
    Season {
        /// Its first day.
        begins: NaiveDate,
        /// Its last day.
        ends: NaiveDate,
    },
    /// Each week of a stretch of training.
    TrainingWeeks {
        /// 1 to 26.
        weeks: u32,
    },
    FirstOfMonth,
    EveryThreeMonths,
    /// One more time.
    Once {
        /// The day.
        on: NaiveDate,
    },
}

impl RetestRule {
    /// The rule in words.
    pub fn words(&self) -> String {
        match self {
            Self::EveryWeeks { weeks: 1 } => "every week".to_owned(),
            Self::EveryWeeks { weeks } => format!("every {weeks} weeks"),
            Self::Weeks4812 => "weeks 4, 8 and 12".to_owned(),
            Self::Programme { begins } => format!("weeks 0, 4, 8 and 12 from {}", begins.format("%-d %B %Y")),
            Self::Season { begins, ends } => {
                format!("start and end of the season, {} and {}", begins.format("%-d %B %Y"), ends.format("%-d %B %Y"))
            }
            Self::TrainingWeeks { weeks } => format!("each training week, {}", plural(i64::from(*weeks), "week")),
            Self::FirstOfMonth => "the first of each month".to_owned(),
            Self::EveryThreeMonths => "every 3 months".to_owned(),
            Self::Once { on } => format!("once, on {}", on.format("%-d %B %Y")),
        }
    }

    /// The dates that follow `from` (the day of the test, not itself a date), a year ahead at the most. A month too
    /// short for the day gives its last day. Of a programme or a season that has begun, the dates that are left; one of them
    /// may be `from` itself.
    ///
    /// # Errors
    /// [`Code::OutOfRange`] for an interval outside 1 to 52 weeks, a single date not after `from`, a programme or
    /// a season that is over.
    pub fn dates(&self, from: NaiveDate) -> Result<Vec<NaiveDate>, InputError> {
        let bad = |field: &str, message: &str| Err(InputError::new(Code::OutOfRange, field, message));
        let from = day(from, "from")?;
        let horizon = from + Months::new(HORIZON_MONTHS);
        let weekly = |weeks: u32| (1u32..).map(move |k| from + Days::new(u64::from(7 * weeks * k)));
        Ok(match self {
            Self::EveryWeeks { weeks } if !(1..=52).contains(weeks) => return bad("weeks", "Choose 1 to 52 weeks between tests."),
            Self::EveryWeeks { weeks } => weekly(*weeks).take_while(|d| *d <= horizon).collect(),
            Self::Weeks4812 => weekly(4).take(3).collect(),
            Self::Programme { begins } if *begins > horizon => return bad("begins", "A programme begins within a year."),
            Self::Programme { begins } => {
                let weeks: Vec<NaiveDate> = (0..=3).filter_map(|k| begins.checked_add_days(Days::new(28 * k))).collect();
                let left: Vec<NaiveDate> = weeks.into_iter().filter(|d| *d >= from).collect();
                if left.is_empty() {
                    return bad("begins", "The last test of that programme, in week 12, has passed. Give the day the next one begins.");
                }
                left
            }
            Self::Season { ends, .. } if *ends < from => return bad("ends", "That season is over. Give the days of the next one."),
            Self::Season { begins, ends } if begins >= ends || *ends > begins.checked_add_months(Months::new(36)).unwrap_or(*begins) => {
                return bad("ends", "A season has a first day and a later last day, three years apart at the most.");
            }
            Self::Season { begins, .. } if *begins > from + Months::new(36) => {
                return bad("begins", "A season begins within three years.");
            }
            Self::Season { begins, ends } => [*begins, *ends].into_iter().filter(|d| *d >= from).collect(),
            Self::TrainingWeeks { weeks } if !(1..=26).contains(weeks) => return bad("weeks", "Choose 1 to 26 training weeks."),
            Self::TrainingWeeks { weeks } => weekly(1).take(*weeks as usize).collect(),
            Self::FirstOfMonth => {
                let first = from.with_day(1).unwrap_or(from);
                (1..=HORIZON_MONTHS).map(|k| first + Months::new(k)).collect()
            }
            Self::EveryThreeMonths => (1..=HORIZON_MONTHS / 3).map(|k| from + Months::new(3 * k)).collect(),
            Self::Once { on } if *on <= from => return bad("on", "Choose a day after the test."),
            Self::Once { on } if *on > from + Months::new(36) => return bad("on", "Choose a day within three years."),
            Self::Once { on } => vec![*on],
        })
    }
}

/// Days on which a match is played or trained hard: the day after one is no day for a test.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct HardDays {
    /// Every week on these days, 1 is Monday.
    #[serde(default)]
    pub weekdays: Vec<u8>,
    /// And on these.
    #[serde(default)]
    pub dates: Vec<NaiveDate>,
}

/// The furthest a date is moved, days.
const MOVED_AT_MOST: u64 = 6;

impl HardDays {
    /// Whether a day is one of them.
    pub fn contains(&self, day: NaiveDate) -> bool {
        self.weekdays.contains(&(day.weekday().number_from_monday() as u8)) || self.dates.contains(&day)
    }

    /// Holds them to what leaves a day to test on.
    ///
    /// # Errors
    /// [`Code::OutOfRange`] for a weekday that is none, or where every day of the week is hard.
    pub fn check(&self) -> Result<(), InputError> {
        let bad = |message: &str| Err(InputError::new(Code::OutOfRange, "hard_days", message));
        if self.weekdays.iter().any(|d| !(1..=7).contains(d)) || self.dates.len() > 400 {
            return bad("Weekdays are 1 for Monday to 7 for Sunday, and 400 single days are the most.");
        }
        if (1..=7).all(|d| self.weekdays.contains(&d)) {
            bad("Something hard is planned on every day of the week. Leave one day free for the test.")
        } else {
            Ok(())
        }
    }

    /// The date itself, or the first day after it that does not follow a hard one; the date itself where there is none within
    /// a week.
    pub fn clear(&self, date: NaiveDate) -> NaiveDate {
        let rested = |d: &NaiveDate| !d.pred_opt().is_some_and(|before| self.contains(before)) && !self.contains(*d);
        (0..=MOVED_AT_MOST).map(|k| date + Days::new(k)).find(rested).unwrap_or(date)
    }
}

/// A planned date with what is known of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Planned {
    /// The day.
    pub due_on: NaiveDate,
    /// The day it was done, where it was.
    pub done_on: Option<NaiveDate>,
    pub skipped: bool,
}

/// What became of a planned date.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum RetestStatus {
    /// Its day has passed without a test.
    Overdue,
    DueToday,
    /// Still to come.
    Upcoming,
    /// Done on or before its day.
    Done,
    /// Done after its day.
    DoneLate,
    /// Skipped with a reason.
    Skipped,
}

/// Says what became of a date.
pub fn status(planned: &Planned, today: NaiveDate) -> RetestStatus {
    match planned.done_on {
        Some(done) if done > planned.due_on => RetestStatus::DoneLate,
        Some(_) => RetestStatus::Done,
        None if planned.skipped => RetestStatus::Skipped,
        None if planned.due_on < today => RetestStatus::Overdue,
        None if planned.due_on == today => RetestStatus::DueToday,
        None => RetestStatus::Upcoming,
    }
}

/// The open date that a test on `on` fulfils: the latest one due by then or within a week after. Earlier open dates
/// stay as they are: one test cannot stand for two.
pub fn fulfilled(open: &[NaiveDate], on: NaiveDate) -> Option<NaiveDate> {
    open.iter().copied().filter(|due| (*due - on).num_days() <= EARLY_DAYS).max()
}

/// How a date is spoken: `in 10 days`, `9 days late`, `today`.
pub fn spoken(due_on: NaiveDate, today: NaiveDate) -> String {
    match (due_on - today).num_days() {
        0 => "today".to_owned(),
        1 => "tomorrow".to_owned(),
        days @ 2..=20 => format!("in {}", plural(days, "day")),
        days if days > 20 => format!("in {}", plural((days + 3) / 7, "week")),
        days if days >= -20 => format!("{} late", plural(-days, "day")),
        days => format!("{} late", plural((-days + 3) / 7, "week")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use test_case::test_case;

    fn day(text: &str) -> NaiveDate {
        text.parse().unwrap()
    }

    #[test_case(RetestRule::EveryWeeks { weeks: 6 }, "2026-11-23", &["2027-01-04", "2027-02-15"], 8; "every six weeks")]
    #[test_case(RetestRule::Weeks4812, "2026-11-23", &["2026-12-21", "2027-01-18", "2027-02-15"], 3; "weeks 4, 8, 12")]
    #[test_case(RetestRule::FirstOfMonth, "2026-11-23", &["2026-12-01", "2027-01-01"], 12; "first of the month")]
    #[test_case(RetestRule::FirstOfMonth, "2026-11-01", &["2026-12-01"], 12; "tested on a first")]
    #[test_case(RetestRule::EveryThreeMonths, "2026-11-30", &["2027-02-28", "2027-05-30", "2027-08-30", "2027-11-30"], 4; "short February")]
    #[test_case(RetestRule::Once { on: NaiveDate::from_ymd_opt(2027, 1, 9).unwrap() }, "2026-11-23", &["2027-01-09"], 1; "once")]
    fn dates(rule: RetestRule, from: &str, first: &[&str], count: usize) {
        let dates = rule.dates(day(from)).unwrap();
        assert_eq!(dates[..first.len()], first.iter().map(|d| day(d)).collect::<Vec<_>>());
        assert_eq!(dates.len(), count);
    }

    #[test_case(RetestRule::Programme { begins: NaiveDate::from_ymd_opt(2026, 11, 30).unwrap() }, "2026-11-23", &["2026-11-30", "2026-12-28", "2027-01-25", "2027-02-22"], 4; "a programme from its week 0")]
    #[test_case(RetestRule::Programme { begins: NaiveDate::from_ymd_opt(2026, 11, 2).unwrap() }, "2026-11-23", &["2026-11-30", "2026-12-28", "2027-01-25"], 3; "a programme in its third week")]
    #[test_case(RetestRule::Programme { begins: NaiveDate::from_ymd_opt(2026, 8, 31).unwrap() }, "2026-11-23", &["2026-11-23"], 1; "week 12 today")]
    #[test_case(RetestRule::Season { begins: NaiveDate::from_ymd_opt(2026, 8, 17).unwrap(), ends: NaiveDate::from_ymd_opt(2027, 5, 14).unwrap() }, "2026-11-23", &["2027-05-14"], 1; "a season that has begun")]
    #[test_case(RetestRule::TrainingWeeks { weeks: 3 }, "2026-11-23", &["2026-11-30", "2026-12-07", "2026-12-14"], 3; "each training week")]
    fn dates_of_programmes(rule: RetestRule, from: &str, first: &[&str], count: usize) {
        dates(rule, from, first, count);
    }

    #[test]
    fn no_test_the_day_after_a_match() {
        // 2026-11-28 is a Saturday.
        let hard = HardDays { weekdays: vec![6], dates: vec![day("2026-12-01")] };
        assert_eq!(hard.clear(day("2026-11-29")), day("2026-11-30"));
        assert_eq!(hard.clear(day("2026-11-28")), day("2026-11-30"), "nor on the day itself");
        assert_eq!(hard.clear(day("2026-12-02")), day("2026-12-03"));
        assert_eq!(hard.clear(day("2026-12-04")), day("2026-12-04"));
        assert!(HardDays { weekdays: (1..=7).collect(), ..HardDays::default() }.check().is_err());
        assert!(HardDays { weekdays: vec![8], ..HardDays::default() }.check().is_err());
    }

    #[test_case(RetestRule::Programme { begins: NaiveDate::from_ymd_opt(2026, 8, 30).unwrap() }; "a programme that is over")]
    #[test_case(RetestRule::Programme { begins: NaiveDate::from_ymd_opt(2028, 1, 1).unwrap() }; "a programme in years")]
    #[test_case(RetestRule::Season { begins: NaiveDate::from_ymd_opt(2026, 1, 1).unwrap(), ends: NaiveDate::from_ymd_opt(2026, 11, 22).unwrap() }; "a season that is over")]
    #[test_case(RetestRule::Season { begins: NaiveDate::from_ymd_opt(2026, 1, 1).unwrap(), ends: NaiveDate::from_ymd_opt(2032, 1, 1).unwrap() }; "a season of six years")]
    #[test_case(RetestRule::Season { begins: NaiveDate::from_ymd_opt(2027, 5, 1).unwrap(), ends: NaiveDate::from_ymd_opt(2027, 4, 1).unwrap() }; "a season that ends before it begins")]
    #[test_case(RetestRule::TrainingWeeks { weeks: 60 }; "more than a year of weeks")]
    #[test_case(RetestRule::EveryWeeks { weeks: 0 }; "no interval")]
    #[test_case(RetestRule::EveryWeeks { weeks: 400 }; "eight years")]
    #[test_case(RetestRule::Once { on: NaiveDate::from_ymd_opt(2026, 11, 23).unwrap() }; "the same day")]
    fn refused(rule: RetestRule) {
        assert_eq!(rule.dates(day("2026-11-23")).unwrap_err().code, Code::OutOfRange);
    }

    #[test_case("2026-11-14", None, false, RetestStatus::Overdue, "9 days late"; "late")]
    #[test_case("2026-11-23", None, false, RetestStatus::DueToday, "today"; "today")]
    #[test_case("2026-12-03", None, false, RetestStatus::Upcoming, "in 10 days"; "soon")]
    #[test_case("2026-11-14", Some("2026-11-20"), false, RetestStatus::DoneLate, "9 days late"; "done late")]
    #[test_case("2026-11-14", Some("2026-11-14"), false, RetestStatus::Done, "9 days late"; "done on the day")]
    #[test_case("2026-11-14", None, true, RetestStatus::Skipped, "9 days late"; "skipped")]
    fn statuses(due: &str, done: Option<&str>, skipped: bool, expected: RetestStatus, words: &str) {
        let planned = Planned { due_on: day(due), done_on: done.map(day), skipped };
        assert_eq!((status(&planned, day("2026-11-23")), spoken(planned.due_on, day("2026-11-23")).as_str()), (expected, words));
    }

    #[test]
    fn a_test_fulfils_the_latest_date_it_can() {
        let open = [day("2026-10-01"), day("2026-11-20"), day("2026-12-20")];
        assert_eq!(fulfilled(&open, day("2026-11-23")), Some(day("2026-11-20")));
        assert_eq!(fulfilled(&open, day("2026-12-14")), Some(day("2026-12-20")));
        assert_eq!(fulfilled(&open, day("2026-09-01")), None);
    }

    proptest! {
        #[test]
        fn dates_rise_and_all_lie_after_the_test(offset in 0u64..4000, weeks in 1u32..=52) {
            let from = day("2020-01-01") + Days::new(offset);
            for rule in [RetestRule::EveryWeeks { weeks }, RetestRule::Weeks4812, RetestRule::FirstOfMonth, RetestRule::EveryThreeMonths] {
                let dates = rule.dates(from).unwrap();
                prop_assert!(!dates.is_empty() && dates[0] > from);
                prop_assert!(dates.windows(2).all(|w| w[0] < w[1]));
            }
        }
    }
}
