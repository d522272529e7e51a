//! May we test today, how hard, and what to watch.
//!
//! The decision follows Riebe D et al. 2015 (Med Sci Sports Exerc 47:2473-2479; source recalled): three facts — regularly
//! active, known disease, signs or symptoms — and the effort intended. Blood pressure limits are common practice. The
//! questions are in our own words. Nothing here diagnoses or clears anyone: the advice can be overruled with a reason.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Effort,
    error::{Code, InputError},
};

/// What the client answers.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Answers {
    /// Planned exercise of 30 minutes at moderate intensity, 3 days a week, for the last 3 months.
    pub regularly_active: bool,
    /// A known disease of heart, vessels, metabolism (diabetes included) or kidneys.
    pub known_disease: bool,
    /// Signs or symptoms, now or lately with effort.
    #[serde(default)]
    pub symptoms: Vec<Symptom>,
    /// A doctor has cleared the client for vigorous exercise within 12 months.
    #[serde(default)]
    pub cleared_within_12_months: bool,
    /// On medicine that limits the heart rate, such as a beta-blocker.
    #[serde(default)]
    pub rate_limiting_drug: bool,
    /// Knees, hips or ankles that do not take stepping or running.
    #[serde(default)]
    pub sore_joints: bool,
    /// Resting systolic blood pressure, mmHg.
    pub systolic: Option<u16>,
    /// Resting diastolic blood pressure, mmHg.
    pub diastolic: Option<u16>,
}

/// A sign or symptom that stops testing until a doctor has looked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Symptom {
    /// Pain or pressure in chest, neck, jaw or arm.
    ChestDiscomfort,
    /// Out of breath at rest or with little effort.
    Breathlessness,
    /// Dizzy or fainting.
    Dizziness,
    /// Heart racing or stumbling.
    Palpitations,
    /// Swollen ankles.
    AnkleSwelling,
    /// Calf pain that comes with walking.
    CalfPain,
    /// Fever or feeling ill today.
    UnwellToday,
}

impl Symptom {
    /// The symptom in a sentence.
    pub const fn words(self) -> &'static str {
        match self {
            Self::ChestDiscomfort => "pain or pressure in the chest",
            Self::Breathlessness => "breathlessness at rest or with little effort",
            Self::Dizziness => "dizziness or fainting",
            Self::Palpitations => "a racing or stumbling heart",
            Self::AnkleSwelling => "swollen ankles",
            Self::CalfPain => "calf pain on walking",
            Self::UnwellToday => "fever or feeling ill today",
        }
    }
}

/// What is advised for one level of effort. Ordered: each is stricter than the one before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Permit {
    /// Nothing speaks against it.
    Go,
    /// Too hard for now; build up first.
    TooHardYet,
    /// A doctor's clearance first.
    ClearanceFirst,
    /// Not today.
    DoNotTest,
}

/// The advice with its reasons.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Advice {
    /// For light to moderate effort.
    pub moderate: Permit,
    /// For vigorous and maximal effort.
    pub vigorous: Permit,
    /// One sentence: what to do.
    pub headline: String,
    /// Why, one fact a line.
    pub reasons: Vec<String>,
    /// What to watch during the test.
    pub watch: Vec<String>,
}

impl Advice {
    /// The advice for a protocol's effort. A test that is vigorous only for the untrained counts as vigorous for
    /// everyone here: the fit get [`Permit::Go`] on both.
    pub fn permit(&self, effort: Effort) -> Permit {
        match effort {
            Effort::LightToModerate => self.moderate,
            Effort::VigorousUnlessActive | Effort::Vigorous => self.vigorous,
        }
    }
}

/// Holds blood pressure to what a cuff can show.
///
/// # Errors
/// [`Code::OutOfRange`] on `systolic` or `diastolic`.
pub fn check(answers: &Answers) -> Result<(), InputError> {
    for (field, value, range) in [("systolic", answers.systolic, 60..=280), ("diastolic", answers.diastolic, 30..=180)] {
        if value.is_some_and(|v| !range.contains(&v)) {
            return Err(InputError::new(
                Code::OutOfRange,
                field,
                format!("Blood pressure {field} must be {} to {} mmHg. Measure again or leave it empty.", range.start(), range.end()),
            ));
        }
    }
    if let (Some(high), Some(low)) = (answers.systolic, answers.diastolic)
        && low >= high
    {
        return Err(InputError::new(Code::OutOfRange, "diastolic", "The lower blood pressure value must be below the upper one."));
    }
    Ok(())
}

/// Decides.
pub fn advise(answers: &Answers) -> Advice {
    let mut reasons = Vec::new();
    let mut moderate = Permit::Go;
    let mut vigorous = Permit::Go;
    let mut hold = |permits: (Permit, Permit), reason: String| {
        moderate = moderate.max(permits.0);
        vigorous = vigorous.max(permits.1);
        reasons.push(reason);
    };
    if !answers.symptoms.is_empty() {
        let named: Vec<String> = answers.symptoms.iter().map(|s| s.words().to_owned()).collect();
        hold(
            (Permit::DoNotTest, Permit::DoNotTest),
            format!("Reports {}: stop. The client sees a doctor first, active or not.", crate::text::list(&named)),
        );
    }
    match (answers.regularly_active, answers.known_disease) {
        (false, true) => hold(
            (Permit::ClearanceFirst, Permit::ClearanceFirst),
            "Not regularly active and a known disease: a doctor's clearance before any test.".into(),
        ),
        (true, true) if !answers.cleared_within_12_months => hold(
            (Permit::Go, Permit::ClearanceFirst),
            "Active with a known disease: moderate effort may go on; vigorous needs a clearance from the last 12 months.".into(),
        ),
        (true, true) => hold((Permit::Go, Permit::Go), "Active, a known disease, cleared within 12 months.".into()),
        (false, false) => hold(
            (Permit::Go, Permit::TooHardYet),
            "Not regularly active: light to moderate effort may start; build up before anything vigorous.".into(),
        ),
        (true, false) => hold((Permit::Go, Permit::Go), "Regularly active and no known disease.".into()),
    }
    let (high, low) = (answers.systolic.unwrap_or(0), answers.diastolic.unwrap_or(0));
    if high > 200 || low > 110 {
        hold((Permit::DoNotTest, Permit::DoNotTest), format!("Resting blood pressure {high}/{low}: above 200/110, do not test."));
    } else if high >= 160 || low >= 100 {
        hold(
            (Permit::ClearanceFirst, Permit::ClearanceFirst),
            format!("Resting blood pressure {high}/{low}: from 160/100 a doctor's clearance comes first."),
        );
    }
    let headline = match (moderate, vigorous) {
        (Permit::DoNotTest, _) => "Do not test today. Ask for medical clearance first.",
        (Permit::ClearanceFirst, _) => "Ask for a doctor's clearance before testing.",
        (_, Permit::ClearanceFirst) => "Light to moderate tests may go on. Vigorous ones need a doctor's clearance first.",
        (_, Permit::TooHardYet) => "Start with a light to moderate test. Leave vigorous ones for later.",
        _ => "Nothing here speaks against testing today.",
    };
    Advice { moderate, vigorous, headline: headline.to_owned(), reasons, watch: watch(answers) }
}

fn watch(answers: &Answers) -> Vec<String> {
    let mut watch = vec!["Stop on chest discomfort, unusual breathlessness, light-headedness, pale or cold skin, an irregular pulse, or when the client asks.".to_owned()];
    if answers.rate_limiting_drug {
        watch.push(
            "A medicine lowers the heart rate, so heart rate says little about effort. Go by breathing and by what the client says.".into(),
        );
    }
    if answers.known_disease {
        watch.push("A known disease: have the medicines at hand and know the local emergency number.".into());
    }
    if !answers.regularly_active {
        watch.push("New to exercise: warm up longer and watch for breathlessness.".into());
    }
    watch
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    fn answers(active: bool, disease: bool, symptoms: bool) -> Answers {
        Answers {
            regularly_active: active,
            known_disease: disease,
            symptoms: if symptoms { vec![Symptom::Dizziness] } else { vec![] },
            ..Answers::default()
        }
    }

    // Riebe et al. 2015 (Med Sci Sports Exerc 47:2473-2479), the figure's branches; source recalled.
    #[test_case(true, false, false, Permit::Go, Permit::Go; "active, healthy")]
    #[test_case(false, false, false, Permit::Go, Permit::TooHardYet; "not active, healthy")]
    #[test_case(true, true, false, Permit::Go, Permit::ClearanceFirst; "active, disease")]
    #[test_case(false, true, false, Permit::ClearanceFirst, Permit::ClearanceFirst; "not active, disease")]
    #[test_case(true, false, true, Permit::DoNotTest, Permit::DoNotTest; "active, symptoms")]
    #[test_case(false, true, true, Permit::DoNotTest, Permit::DoNotTest; "not active, disease, symptoms")]
    fn decisions(active: bool, disease: bool, symptoms: bool, moderate: Permit, vigorous: Permit) {
        let advice = advise(&answers(active, disease, symptoms));
        assert_eq!((advice.moderate, advice.vigorous), (moderate, vigorous));
        assert!(!advice.reasons.is_empty() && !advice.headline.is_empty());
    }

    #[test]
    fn a_recent_clearance_opens_vigorous_effort() {
        let cleared = Answers { cleared_within_12_months: true, ..answers(true, true, false) };
        assert_eq!(advise(&cleared).permit(Effort::Vigorous), Permit::Go);
        let untrained = Answers { cleared_within_12_months: true, ..answers(false, true, false) };
        assert_eq!(advise(&untrained).permit(Effort::Vigorous), Permit::ClearanceFirst);
    }

    #[test_case(158, 98, Permit::Go; "below both limits")]
    #[test_case(160, 80, Permit::ClearanceFirst; "upper value at the limit")]
    #[test_case(140, 100, Permit::ClearanceFirst; "lower value at the limit")]
    #[test_case(201, 90, Permit::DoNotTest; "upper value too high")]
    #[test_case(180, 111, Permit::DoNotTest; "lower value too high")]
    fn blood_pressure(systolic: u16, diastolic: u16, permit: Permit) {
        let given = Answers { systolic: Some(systolic), diastolic: Some(diastolic), ..answers(true, false, false) };
        check(&given).unwrap();
        assert_eq!(advise(&given).moderate, permit);
    }

    #[test]
    fn a_cuff_reading_that_cannot_be_is_refused() {
        let swapped = Answers { systolic: Some(80), diastolic: Some(120), ..Answers::default() };
        assert_eq!(check(&swapped).unwrap_err().field.as_deref(), Some("diastolic"));
        let slip = Answers { systolic: Some(1200), ..Answers::default() };
        assert_eq!(check(&slip).unwrap_err().field.as_deref(), Some("systolic"));
    }
}
