//! Consent of a client: to being tested and to the record being kept, and to being photographed. It is asked once and can change on any day.
//! It stops nothing by itself; a practice may ask for it first.

use chrono::{Months, NaiveDate};
use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    person, text,
};

/// Below this age a guardian agrees, years. Common practice; local rules come before it.
pub const OF_AGE: u32 = 18;

/// Subject of a consent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ConsentKind {
    /// Being tested and the record being kept.
    Testing,
    /// Photographs being taken and kept.
    Photographs,
}

impl ConsentKind {
    /// In words: what somebody agrees to.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Testing => "being tested and to the record being kept",
            Self::Photographs => "photographs being taken and kept",
        }
    }

    /// As it is stored.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Testing => "testing",
            Self::Photographs => "photographs",
        }
    }
}

/// An answer as it is typed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ConsentTyped {
    /// True if it is agreed to.
    pub agreed: bool,
    /// The day it was said.
    pub on: NaiveDate,
    /// Name of the client, or of the guardian of a minor.
    pub by: String,
}

/// An answer that can be kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Consent {
    /// True if it is agreed to.
    pub agreed: bool,
    /// The day it was said.
    pub on: NaiveDate,
    /// Name of whoever answered.
    pub by: String,
    /// True if that is the guardian of a minor.
    pub guardian: bool,
}

/// True if somebody is a minor on a day.
pub fn is_minor(born: NaiveDate, on: NaiveDate) -> bool {
    born.checked_add_months(Months::new(12 * OF_AGE)).is_some_and(|of_age| on < of_age)
}

impl ConsentTyped {
    /// Holds an answer to what can be kept, for a client of this name who was born that day.
    ///
    /// # Errors
    /// [`Code::MissingInput`] or [`Code::OutOfRange`], naming `by` or `on`.
    pub fn check(&self, name: &str, born: NaiveDate, today: NaiveDate) -> Result<Consent, InputError> {
        let on = person::day(self.on, "on")?;
        if on > today || on < born {
            return Err(InputError::new(Code::OutOfRange, "on", "Choose today or an earlier day on which this was said."));
        }
        let guardian = is_minor(born, on);
        let by = text::name(&self.by, "by").map_err(|_| {
            let message = if guardian { "Type the name of the guardian who answered." } else { "Type the name of who answered." };
            InputError::new(Code::MissingInput, "by", message)
        })?;
        if guardian && text::name_key(&by) == text::name_key(name) {
            let message = format!("{name} is under {OF_AGE}: a guardian answers. Type the guardian’s name.");
            return Err(InputError::new(Code::OutOfRange, "by", message));
        }
        Ok(Consent { agreed: self.agreed, on, by, guardian })
    }
}

/// Error for a step that needs a consent which was not given. `who`: the client's name.
///
/// # Errors
/// [`Code::MissingInput`] on `consent`.
pub fn missing(kind: ConsentKind, who: &str) -> InputError {
    let words = kind.words();
    InputError::new(
        Code::MissingInput,
        "consent",
        format!("{who} has not agreed to {words}. This practice asks for that first: record it on the client’s page."),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(text: &str) -> NaiveDate {
        text.parse().unwrap()
    }

    fn typed(on: &str, by: &str) -> ConsentTyped {
        ConsentTyped { agreed: true, on: day(on), by: by.into() }
    }

    #[test]
    fn a_guardian_answers_until_the_eighteenth_birthday() {
        let born = day("2010-05-04");
        assert!(is_minor(born, day("2028-05-03")) && !is_minor(born, day("2028-05-04")));
        assert!(is_minor(day("2008-02-29"), day("2026-02-27")) && !is_minor(day("2008-02-29"), day("2026-02-28")));
        let kept = typed("2026-12-01", " Ada  Lund ").check("Teo Lund", born, day("2026-12-02")).unwrap();
        assert_eq!((kept.guardian, kept.by.as_str()), (true, "Ada Lund"));
        let own = typed("2026-12-01", "teo lund").check("Teo Lund", born, day("2026-12-02")).unwrap_err();
        assert!(own.field.as_deref() == Some("by") && own.message.contains("guardian"), "{own:?}");
        assert!(!typed("2026-12-01", "Teo Lund").check("Teo Lund", day("1990-05-04"), day("2026-12-02")).unwrap().guardian);
    }

    #[test]
    fn what_was_said_on_a_day_that_cannot_be_or_by_nobody_is_refused() {
        let born = day("1990-05-04");
        for (on, by, field) in [("2026-12-03", "Teo", "on"), ("1980-01-01", "Teo", "on"), ("2026-12-01", "  ", "by")] {
            assert_eq!(typed(on, by).check("Teo", born, day("2026-12-02")).unwrap_err().field.as_deref(), Some(field));
        }
    }
}
