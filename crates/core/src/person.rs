//! Who is being tested: the facts equations and tables ask for.

use chrono::{Datelike, NaiveDate};
use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    units::{Age, BodyMass, Bpm, Height},
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
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Facts {
    /// Sex as the equations use it.
    pub sex: Option<Sex>,
    /// Age in completed years on the test day.
    pub age: Option<Age>,
    /// Body mass.
    pub mass: Option<BodyMass>,
    /// Standing height.
    pub height: Option<Height>,
    /// Resting heart rate.
    pub resting_hr: Option<Bpm>,
    /// A measured maximal heart rate; it wins over any age prediction.
    pub hr_max: Option<Bpm>,
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
    let message = format!("The year {} is none that a test lies in ({} to {}). Check the date.", on.year(), YEARS.start(), YEARS.end());
    Err(InputError::new(Code::OutOfRange, field, message))
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
