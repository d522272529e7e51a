//! Who is being tested: the facts equations and tables ask for.

use chrono::{Datelike, NaiveDate};
use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Protocol,
    error::{Code, InputError},
    quantity,
    units::{Age, BodyMass, Bpm, Height, Units},
};

/// The sex a published equation or table is split by. A person may have none on record: then whatever is split by sex
/// is refused with a reason, never guessed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Sex {
    /// Equations and tables printed for men.
    Male,
    /// Equations and tables printed for women.
    Female,
}

impl Sex {
    /// The plural the tables use: men, women.
    pub const fn plural(self) -> &'static str {
        match self {
            Self::Male => "men",
            Self::Female => "women",
        }
    }
}

/// What is known of a person on the day of a test. Everything may be absent; a protocol says what it needs.
#[derive(Debug, Clone, Copy, Default, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Facts {
    /// Sex (for equations and norms).
    pub sex: Option<Sex>,
    /// Age in completed years on the test day.
    pub age: Option<Age>,
    /// Body mass.
    pub mass: Option<BodyMass>,
    /// The day it was measured, where it is known.
    pub mass_on: Option<NaiveDate>,
    /// Standing height.
    pub height: Option<Height>,
    /// Resting heart rate.
    pub resting_hr: Option<Bpm>,
    /// A measured maximal heart rate; it wins over any age prediction.
    pub hr_max: Option<Bpm>,
}

impl Facts {
    /// The body mass with its age on a day of testing: "86.2 kg, weighed 12 weeks before".
    pub fn mass_on_day(&self, on: NaiveDate, units: Units) -> Option<String> {
        self.mass_said(on, units, "that day", "before")
    }

    /// The same on the day itself: "86.2 kg, weighed 12 weeks ago".
    pub fn mass_today(&self, today: NaiveDate, units: Units) -> Option<String> {
        self.mass_said(today, units, "today", "ago")
    }

    fn mass_said(&self, on: NaiveDate, units: Units, same: &str, earlier: &str) -> Option<String> {
        let mass = quantity::said("mass_kg", self.mass?.value(), units);
        let Some(weighed) = self.mass_on else { return Some(mass) };
        let days = (on - weighed).num_days();
        let span = match days.abs() {
            1 => "1 day".to_owned(),
            days @ ..14 => format!("{days} days"),
            days => format!("{} weeks", days / 7),
        };
        Some(match days {
            0 => format!("{mass}, weighed {same}"),
            1.. => format!("{mass}, weighed {span} {earlier}"),
            _ => format!("{mass}, weighed {span} later"),
        })
    }

    /// Whether the mass was measured so many weeks or more from a day of testing that it is asked for again.
    pub fn mass_is_old(&self, on: NaiveDate, weeks: u16) -> bool {
        self.mass.is_some() && self.mass_on.is_some_and(|day| (on - day).num_days().abs() > i64::from(weeks) * 7)
    }
}

/// What is said of a body mass that was measured long before the test.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Weighed {
    /// The mass on the day as it is typed: `80 kg`, `176 lb`. It is written into the record.
    #[serde(default)]
    pub mass: String,
    /// The mass on record is used although it is old.
    #[serde(default)]
    pub keep_mass: bool,
}

impl Weighed {
    /// The mass that was typed for a test on a day; nothing where the one on record is used. `weeks`: after so many it is asked for again.
    ///
    /// # Errors
    /// Where what was typed is no mass, and [`Code::MissingInput`] where the one on record is old and the test rests on it.
    pub fn mass(
        &self,
        protocol: &Protocol,
        facts: &Facts,
        on: NaiveDate,
        units: Units,
        weeks: u16,
    ) -> Result<Option<BodyMass>, InputError> {
        if !self.mass.trim().is_empty() {
            return BodyMass::parse_entry(self.mass.trim(), units == Units::Imperial).map(Some).map_err(|e| e.at("mass"));
        }
        if !self.keep_mass && protocol.asks_for_mass() && facts.mass_is_old(on, weeks) {
            let mass = facts.mass_on_day(on, units).unwrap_or_default();
            let message = format!("The result depends on the body mass: {mass}. Type the body mass of that day, or use this one.");
            return Err(InputError::new(Code::MissingInput, "mass", message));
        }
        Ok(None)
    }
}

/// The years a date of this work lies in: nobody alive was born before the first, nothing is planned beyond the second.
pub const YEARS: std::ops::RangeInclusive<i32> = 1900..=2199;

/// A date that can be one: a slip in the year is caught before it reaches a calendar or a table.
///
/// # Errors
/// [`Code::OutOfRange`] on `field`, outside [`YEARS`].
pub fn day(on: NaiveDate, field: &str) -> Result<NaiveDate, InputError> {
    if YEARS.contains(&on.year()) {
        return Ok(on);
    }
    let message = format!("{} can’t be the year of a test. Choose a year between {} and {}.", on.year(), YEARS.start(), YEARS.end());
    Err(InputError::new(Code::OutOfRange, field, message))
}

/// Holds a birth date to what one can be.
///
/// # Errors
/// On `born`: in the future, or further back than people live.
pub fn check_born(born: NaiveDate, today: NaiveDate) -> Result<(), InputError> {
    if born > today {
        return Err(InputError::new(Code::OutOfRange, "born", "The birth date is in the future. Check the year."));
    }
    age_on(born, today).map(|_| ()).map_err(|e| InputError::new(e.code, "born", format!("{} Check the birth date.", e.message)))
}

/// Completed years from `born` to `on`, counted in birthdays; someone born on 29 February completes a year on 1 March
/// when there is no 29th.
///
/// # Errors
/// [`Code::OutOfRange`] where `born` is after `on`, or the age is outside [`Age`]'s limits.
pub fn age_on(born: NaiveDate, on: NaiveDate) -> Result<Age, InputError> {
    if born > on {
        return Err(InputError::new(Code::OutOfRange, "born", format!("The birth date {born} is after {on}. Check the year.")));
    }
    let had_birthday = (on.month(), on.day()) >= (born.month(), born.day());
    let years = on.year() - born.year() - i32::from(!had_birthday);
    Age::new(f64::from(years)).map_err(|e| e.at("born"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    #[test_case("1990-04-02", "2026-04-01", 35; "the day before the birthday")]
    #[test_case("1990-04-02", "2026-04-02", 36; "the birthday")]
    #[test_case("2008-02-29", "2026-02-28", 17; "leap day, 28 February of a common year")]
    #[test_case("2008-02-29", "2026-03-01", 18; "leap day counts from 1 March")]
    #[test_case("2008-02-29", "2028-02-29", 20; "leap day in a leap year")]
    fn completed_years(born: &str, on: &str, years: i32) {
        assert_eq!(age_on(born.parse().unwrap(), on.parse().unwrap()).unwrap().value(), f64::from(years));
    }

    #[test_case("2026-11-28", "weighed that day", false; "that day")]
    #[test_case("2026-11-27", "weighed 1 day before", false; "the day before")]
    #[test_case("2026-10-03", "weighed 8 weeks before", false; "eight weeks")]
    #[test_case("2026-10-02", "weighed 8 weeks before", true; "a day more")]
    #[test_case("2026-09-05", "weighed 12 weeks before", true; "twelve weeks")]
    #[test_case("2027-02-20", "weighed 12 weeks later", true; "a test of an earlier day")]
    fn a_mass_has_an_age(weighed: &str, said: &str, is_old: bool) {
        let facts = Facts { mass: BodyMass::new(86.2).ok(), mass_on: weighed.parse().ok(), ..Facts::default() };
        let on = "2026-11-28".parse().unwrap();
        assert_eq!(facts.mass_on_day(on, Units::Metric), Some(format!("86.2 kg, {said}")));
        assert_eq!(facts.mass_is_old(on, 8), is_old);
    }

    #[test_case("-9999-01-01"; "long before")]
    #[test_case("+262142-12-31"; "as late as a date can be")]
    fn a_year_nobody_lives_in_is_a_slip(on: &str) {
        let error = day(on.parse().unwrap(), "on").unwrap_err();
        assert_eq!((error.code, error.field.as_deref()), (Code::OutOfRange, Some("on")));
    }

    #[test_case("2026-11-24"; "tomorrow")]
    #[test_case("2024-01-01"; "a toddler")]
    #[test_case("1900-01-01"; "a century and a quarter")]
    fn refused(born: &str) {
        let error = age_on(born.parse().unwrap(), "2026-11-23".parse().unwrap()).unwrap_err();
        assert_eq!((error.code, error.field.as_deref()), (Code::OutOfRange, Some("born")));
    }
}
