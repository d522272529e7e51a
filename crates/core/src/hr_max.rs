//! The maximal heart rate, the reserve below it, and the ceiling a submaximal test stops at.

use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    person::{Facts, Sex},
    units::{Bpm, rounded},
};

/// How the maximal heart rate is known. The name is stored with the result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum HrMaxMethod {
    /// 220 − age. Source: Fox et al. 1971; recalled.
    Fox,
    /// 208 − 0.7 × age. Source: Tanaka et al. 2001; recalled.
    Tanaka,
    /// 206 − 0.88 × age, women. Source: Gulati et al. 2010; recalled.
    Gulati,
    /// Measured in a maximal test.
    Measured,
}

/// Share of the age-predicted maximum at which a submaximal test ends. Source: Golding 2000; recalled.
pub const CEILING_OF_MAX: f64 = 0.85;
/// Share of the heart-rate reserve at which it ends, where the resting rate is known. Source: ACSM guidelines; recalled.
pub const CEILING_OF_RESERVE: f64 = 0.70;

impl HrMaxMethod {
    /// All of them, in the order they are offered.
    pub const ALL: [Self; 4] = [Self::Fox, Self::Tanaka, Self::Gulati, Self::Measured];

    /// The stored name.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Fox => "fox",
            Self::Tanaka => "tanaka",
            Self::Gulati => "gulati",
            Self::Measured => "measured",
        }
    }

    /// The method with this name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|m| m.name() == name)
    }

    /// How far the true maximum lies from what the method says, bpm (one standard deviation); recalled from [`Self::prediction_source`].
    pub const fn prediction_sd(self) -> f64 {
        match self {
            Self::Fox | Self::Gulati => 12.0,
            Self::Tanaka => 10.0,
            Self::Measured => 0.0,
        }
    }

    /// Who says so.
    pub const fn prediction_source(self) -> &'static str {
        match self {
            Self::Fox => {
                "Robergs RA, Landwehr R. The surprising history of the HRmax = 220 - age equation. J Exerc Physiol Online 2002;5(2):1-10"
            }
            Self::Tanaka => "Tanaka H, Monahan KD, Seals DR. Age-predicted maximal heart rate revisited. J Am Coll Cardiol 2001;37:153-156",
            Self::Gulati => {
                "Gulati M, Shaw LJ, Thisted RA, Black HR, Bairey Merz CN, Arnsdorf MF. Heart rate response to exercise stress testing in asymptomatic women. Circulation 2010;122:130-137"
            }
            Self::Measured => "arithmetic",
        }
    }

    /// The rule in symbols.
    pub const fn formula(self) -> &'static str {
        match self {
            Self::Fox => "220 − age",
            Self::Tanaka => "208 − 0.7 × age",
            Self::Gulati => "206 − 0.88 × age (women)",
            Self::Measured => "measured",
        }
    }

    /// The maximal heart rate of a person, bpm.
    ///
    /// # Errors
    /// [`Code::NeedsAge`] without an age; [`Code::NotApplicable`] for a man under the women's rule;
    /// [`Code::MissingInput`] on `hr_max` where nothing was measured.
    pub fn of(self, facts: &Facts) -> Result<f64, InputError> {
        if self == Self::Measured {
            let measured = facts.hr_max.map(Bpm::value);
            return measured.ok_or_else(|| InputError::new(Code::MissingInput, "hr_max", "No measured maximal heart rate is on record."));
        }
        if self == Self::Gulati && facts.sex != Some(Sex::Female) {
            return Err(InputError::new(Code::NotApplicable, "hr_max_method", "206 − 0.88 × age was fitted on women only."));
        }
        let age = facts.age.ok_or_else(needs_age)?.value();
        Ok(match self {
            Self::Fox => 220.0 - age,
            Self::Tanaka => 208.0 - 0.7 * age,
            Self::Gulati | Self::Measured => 206.0 - 0.88 * age,
        })
    }
}

/// The method that counts for a person: a measured maximum wins over any rule.
pub fn method_for(facts: &Facts, chosen: Option<HrMaxMethod>, default: HrMaxMethod) -> HrMaxMethod {
    if facts.hr_max.is_some() { HrMaxMethod::Measured } else { chosen.unwrap_or(default) }
}

/// The heart rate at a share of the reserve: rest + share × (max − rest), bpm.
/// Source: Karvonen et al. 1957; recalled.
pub fn of_reserve(rest: f64, max: f64, share: f64) -> f64 {
    rest + share * (max - rest)
}

/// Which ceiling ends the test.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "rule", rename_all = "snake_case")]
pub enum CeilingRule {
    /// The lower of the two that can be worked out.
    #[default]
    Lower,
    /// 85 % of the maximum.
    OfMax,
    /// 70 % of the reserve.
    OfReserve,
    /// The assessor's own number.
    Chosen { bpm: Bpm },
}

/// A ceiling with its reason.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Ceiling {
    pub bpm: f64,
    /// Where it comes from: `85 % of 180`.
    pub because: String,
}

/// Works the ceiling out, bpm.
///
/// # Errors
/// As [`HrMaxMethod::of`]; [`Code::MissingInput`] on `resting_hr` where the reserve is asked for without a resting rate.
pub fn ceiling_bpm(facts: &Facts, method: HrMaxMethod, rule: CeilingRule) -> Result<f64, InputError> {
    let of_max = || Ok(CEILING_OF_MAX * method.of(facts)?);
    let of_rest = |rest: Bpm| Ok(of_reserve(rest.value(), method.of(facts)?, CEILING_OF_RESERVE));
    match (rule, facts.resting_hr) {
        (CeilingRule::Chosen { bpm }, _) => Ok(bpm.value()),
        (CeilingRule::OfMax, _) | (CeilingRule::Lower, None) => of_max(),
        (CeilingRule::OfReserve, Some(rest)) => of_rest(rest),
        (CeilingRule::Lower, Some(rest)) => Ok(of_max()?.min(of_rest(rest)?)),
        (CeilingRule::OfReserve, None) => {
            Err(InputError::new(Code::MissingInput, "resting_hr", "70 % of the reserve needs the resting heart rate."))
        }
    }
}

/// The same with its reason in words.
///
/// # Errors
/// As [`ceiling_bpm`].
pub fn ceiling(facts: &Facts, method: HrMaxMethod, rule: CeilingRule) -> Result<Ceiling, InputError> {
    let bpm = ceiling_bpm(facts, method, rule)?;
    if matches!(rule, CeilingRule::Chosen { .. }) {
        return Ok(Ceiling { bpm, because: "the assessor’s choice".into() });
    }
    let max = method.of(facts)?;
    let because = match facts.resting_hr {
        Some(rest) if bpm == of_reserve(rest.value(), max, CEILING_OF_RESERVE) => format!(
            "{} % of the reserve between {} and {}",
            rounded(CEILING_OF_RESERVE * 100.0, 0),
            rounded(rest.value(), 0),
            rounded(max, 0)
        ),
        _ => format!("{} % of {} ({})", rounded(CEILING_OF_MAX * 100.0, 0), rounded(max, 0), method.formula()),
    };
    Ok(Ceiling { bpm, because })
}

fn needs_age() -> InputError {
    InputError::new(Code::NeedsAge, "age_years", "The age-predicted maximum needs the age: record the birth date, or a measured maximum.")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::Age;
    use test_case::test_case;

    fn of(sex: Option<Sex>, age: f64, rest: Option<f64>) -> Facts {
        Facts { sex, age: Some(Age::new(age).unwrap()), resting_hr: rest.map(|r| Bpm::new(r).unwrap()), ..Facts::default() }
    }

    #[test_case(HrMaxMethod::Fox, None, 180.0; "220 minus age")]
    #[test_case(HrMaxMethod::Tanaka, None, 180.0; "they agree at forty")]
    #[test_case(HrMaxMethod::Gulati, Some(Sex::Female), 170.8; "for women")]
    fn predicted(method: HrMaxMethod, sex: Option<Sex>, max: f64) {
        assert!((method.of(&of(sex, 40.0, None)).unwrap() - max).abs() < 1e-9);
    }

    #[test]
    fn what_cannot_be_predicted_says_why() {
        let code = |m: HrMaxMethod, f: &Facts| m.of(f).unwrap_err().code;
        assert_eq!(code(HrMaxMethod::Gulati, &of(Some(Sex::Male), 40.0, None)), Code::NotApplicable);
        assert_eq!(code(HrMaxMethod::Measured, &of(None, 40.0, None)), Code::MissingInput);
        assert_eq!(code(HrMaxMethod::Fox, &Facts::default()), Code::NeedsAge);
    }

    #[test_case(CeilingRule::Lower, None, 153.0; "without a resting rate 85 percent")]
    #[test_case(CeilingRule::Lower, Some(60.0), 144.0; "the reserve where it is lower")]
    #[test_case(CeilingRule::Lower, Some(95.0), 153.0; "85 percent where that is lower")]
    #[test_case(CeilingRule::OfMax, Some(60.0), 153.0; "the coach picks 85 percent")]
    #[test_case(CeilingRule::OfReserve, Some(95.0), 154.5; "the coach picks the reserve")]
    fn ceilings(rule: CeilingRule, rest: Option<f64>, bpm: f64) {
        assert!((ceiling(&of(None, 40.0, rest), HrMaxMethod::Fox, rule).unwrap().bpm - bpm).abs() < 1e-9);
    }

    #[test]
    fn the_reserve_needs_a_resting_rate_and_a_chosen_number_needs_nothing() {
        assert_eq!(ceiling(&of(None, 40.0, None), HrMaxMethod::Fox, CeilingRule::OfReserve).unwrap_err().field.unwrap(), "resting_hr");
        let chosen = CeilingRule::Chosen { bpm: Bpm::new(140.0).unwrap() };
        assert_eq!(ceiling(&Facts::default(), HrMaxMethod::Fox, chosen).unwrap().bpm, 140.0);
    }

    #[test]
    fn names_are_those_that_are_stored() {
        for method in HrMaxMethod::ALL {
            assert_eq!(serde_json::to_value(method).unwrap(), method.name());
            assert_eq!(HrMaxMethod::named(method.name()), Some(method));
        }
    }
}
