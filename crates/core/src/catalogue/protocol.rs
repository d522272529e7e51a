//! A test as it is described: what is recorded, how it is run, how it is scored, who says so.

use serde::{Deserialize, Serialize};

use super::{
    care::{Caution, Equipment, Source, Unsuited},
    change_rule::ChangeRule,
    condition::Condition,
    input::{Input, InputKind},
    mark::PassMark,
    norm_use::NormUse,
    procedure::{CadenceRule, CountRule, Family, Phase, Preparation, Procedure},
    score::{Rule, Scoring},
};
use crate::{
    attempts::{Leg, Take},
    clamped::ClampRule,
    course::{Course, Schedule},
    error::{Code, InputError},
    hr_max::HrMaxMethod,
    inputs::Inputs,
    person::{Facts, Sex},
    picture::{BodyMap, Picture, body_map},
    quantity::base,
    staging::{Goal, StageRule},
    units::{Age, BodyMass, Height},
};

/// One test: what it is, how it is run, what it gives, who says so.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Protocol {
    /// Stable id, part of the public vocabulary.
    pub id: String,
    /// Its place in the library, smallest first.
    #[serde(default)]
    pub order: u16,
    /// Goes up when a change of the method makes older results incomparable.
    pub version: u32,
    /// What is done, in a few words. Never a person, a company or a trademark.
    pub name: String,
    /// The part of the test library it stands in.
    pub section: String,
    /// One sentence: what happens.
    pub summary: String,
    /// One or two sentences: what it tells and whom it suits.
    pub tells: String,
    /// How hard it is, for the readiness decision.
    pub effort: Effort,
    /// Whether the score depends on heart rate, and so on medicines that limit it.
    pub uses_heart_rate: bool,
    /// Minutes to plan, warm-up included.
    pub minutes: u16,
    /// The beat, where there is one.
    pub cadence: Option<CadenceRule>,
    /// What is done before the clock starts.
    #[serde(default)]
    pub prepare: Vec<Preparation>,
    /// What the clock runs through, in order. A test in attempts that says nothing is open until it is closed.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required))]
    pub phases: Vec<Phase>,
    /// What is done: the rules of its family.
    pub procedure: Procedure,
    /// How the maximal heart rate is predicted unless the assessor chooses otherwise.
    pub hr_max_method: Option<HrMaxMethod>,
    /// How many weeks until it is usually done again, where the test has a rhythm of its own.
    pub retest_weeks: Option<u32>,
    /// The test that comes first: this one opens once every point of that one was met.
    #[serde(default)]
    pub opens_after: Option<String>,
    /// What it looks like.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required))]
    pub pictures: Vec<Picture>,
    /// What has to be at hand.
    #[serde(default)]
    pub needs: Vec<String>,
    /// How many can be tested at once by one assessor.
    #[serde(default = "one")]
    pub people_at_once: u16,
    /// Readings the method page works through.
    pub example: Option<ExampleReadings>,
    /// For a practice's own copy: the built-in protocol it was made from.
    pub based_on: Option<String>,
    /// What is recorded.
    pub inputs: Vec<Input>,
    /// Of each of these inputs at least one is needed.
    #[serde(default)]
    pub any_of: Vec<Vec<String>>,
    /// What is computed, in order.
    pub scoring: Vec<Scoring>,
    /// Readings that cannot be, together.
    #[serde(default)]
    pub refuse: Vec<Rule>,
    /// What is worth a flag.
    #[serde(default)]
    pub flags: Vec<Rule>,
    /// What is beyond a limit of common practice: said where a person reads it; a batch does without.
    #[serde(default)]
    pub notable: Vec<Rule>,
    /// Which tables serve which quantity.
    #[serde(default)]
    pub norms: Vec<NormUse>,
    /// Marks that are passed or not.
    #[serde(default)]
    pub pass: Vec<PassMark>,
    /// What must be alike for two results to be compared.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required))]
    pub conditions: Vec<Condition>,
    /// How much each quantity moves when nothing has changed.
    #[serde(default)]
    pub change: Vec<ChangeRule>,
    /// Whom it does not suit, and what would suit better; the first rule that applies speaks.
    #[serde(default)]
    pub unsuited: Vec<Unsuited>,
    /// What to bring.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required))]
    pub equipment: Vec<Equipment>,
    /// What to be careful of.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(required))]
    pub cautions: Vec<Caution>,
    /// Who says so.
    pub sources: Vec<Source>,
}

/// Readings that the method page works through.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ExampleReadings {
    pub age_years: f64,
    /// Body mass, kg.
    pub mass_kg: f64,
    #[serde(default)]
    pub height_cm: Option<f64>,
    /// The readings.
    #[cfg_attr(feature = "schema", schema(value_type = Object))]
    pub inputs: Inputs,
}

impl ExampleReadings {
    /// The person they were taken of, as a man or a woman.
    pub fn facts(&self, sex: Sex) -> Facts {
        Facts {
            sex: Some(sex),
            age: Age::new(self.age_years).ok(),
            mass: BodyMass::new(self.mass_kg).ok(),
            height: self.height_cm.and_then(|cm| Height::new(cm).ok()),
            ..Facts::default()
        }
    }
}

const fn one() -> u16 {
    1
}

/// How hard a test is, for the readiness decision (after Riebe et al. 2015).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Effort {
    /// Light to moderate for nearly everyone.
    LightToModerate,
    /// Moderate for those who train, vigorous for those who do not.
    VigorousUnlessActive,
    /// Vigorous for everyone, maximal tests included.
    Vigorous,
}

impl Protocol {
    /// How the maximal heart rate is predicted unless the assessor chooses otherwise.
    pub fn hr_max_default(&self) -> HrMaxMethod {
        self.hr_max_method.unwrap_or(HrMaxMethod::Tanaka)
    }

    /// The beat, where these answers ask for one.
    pub fn beat(&self, conditions: &crate::conditions::Conditions) -> Option<&CadenceRule> {
        self.cadence.as_ref().filter(|rule| rule.when.as_ref().is_none_or(|w| w.holds(conditions)))
    }

    /// The rule family that runs it.
    pub const fn family(&self) -> Family {
        self.procedure.family()
    }

    /// How the pulse is counted, where it is.
    pub const fn count(&self) -> Option<&CountRule> {
        if let Procedure::CountedRecovery(rule) = &self.procedure { Some(rule) } else { None }
    }

    /// The stages, where it is staged.
    pub const fn stages(&self) -> Option<&StageRule> {
        if let Procedure::StagedSteadyState(rule) = &self.procedure { Some(rule) } else { None }
    }

    /// The effort against the clock, where it is one.
    pub const fn course(&self) -> Option<&Course> {
        if let Procedure::TimedEffort(course) | Procedure::DistanceEffort(course) = &self.procedure { Some(course) } else { None }
    }

    /// The levels, where it is run to beeps.
    pub const fn schedule(&self) -> Option<&Schedule> {
        if let Procedure::AudioPaced(schedule) = &self.procedure { Some(schedule) } else { None }
    }

    /// The stages at clamped heart rates, where it has them.
    pub const fn clamp(&self) -> Option<&ClampRule> {
        if let Procedure::ClampedHeartRate(rule) = &self.procedure { Some(rule) } else { None }
    }

    /// What is taken in attempts, in order; nothing where it is done otherwise.
    pub fn legs(&self) -> &[Leg] {
        if let Procedure::Attempts(attempts) = &self.procedure { &attempts.legs } else { &[] }
    }

    /// What the test is heard through first: its measure, or both sides of it; of a run to beeps how far, and what is estimated from it.
    pub fn heard(&self) -> Vec<String> {
        if self.schedule().is_some() {
            // Level and shuttle are how a distance is called out.
            let is_called = |s: &&Scoring| matches!(s.quantity.as_str(), "level" | "shuttle");
            let mut heard: Vec<String> = self.scoring.iter().filter(|s| !is_called(s)).map(|s| s.quantity.clone()).collect();
            heard.sort_by_key(|quantity| quantity != "distance_m");
            return heard;
        }
        let headline = self.headline();
        let of_a_side = ["right", "left"].map(|side| format!("{}.{side}", base(headline)));
        let is_known = |key: &String| self.scored(key).is_some();
        if of_a_side.iter().all(is_known) { of_a_side.to_vec() } else { vec![headline.to_owned()] }
    }

    /// Whether the values of many can be written down on one grid.
    pub fn suits_grid(&self) -> bool {
        let is_typed = |i: &Input| !i.required || i.kind == InputKind::Number || self.condition(&i.key).is_some();
        !self.legs().is_empty() && self.legs().iter().all(|leg| leg.take.suits_grid()) && self.inputs.iter().all(is_typed)
    }

    /// What a stage of a ladder is in words, from 1 on, where this input is what a ladder comes to.
    pub fn stage_words(&self, input: &str, stage: f64) -> Option<&str> {
        let stages = self.legs().iter().find_map(|leg| match &leg.take {
            Take::Ladder { input: of, stages, .. } if of == input => Some(stages),
            _ => None,
        })?;
        let is_stage = stage >= 1.0 && stage.fract() == 0.0;
        is_stage.then(|| stages.get(stage as usize - 1)).flatten().map(String::as_str)
    }

    /// Whether readings stand in stages and not under keys of their own.
    pub fn records_stages(&self) -> bool {
        self.stages().is_some_and(|s| matches!(s.goal, Goal::Line { .. }))
    }

    /// Whether anything rests on how high the heart rate can go.
    pub fn uses_hr_max(&self) -> bool {
        self.records_stages() || self.clamp().is_some()
    }

    /// Whether anything it gives rests on a body mass that it does not measure itself.
    pub fn uses_mass(&self) -> bool {
        self.records_stages() || self.scoring.iter().any(|s| self.rests_on_mass(s))
    }

    /// Whether what is judged rests on it, so that an old one is asked for again; not where only a detail does.
    pub fn asks_for_mass(&self) -> bool {
        let is_judged = |s: &&Scoring| !s.in_detail || self.norms.iter().any(|n| n.quantity == s.quantity);
        self.records_stages() || self.scoring.iter().filter(is_judged).any(|s| self.rests_on_mass(s))
    }

    fn rests_on_mass(&self, scoring: &Scoring) -> bool {
        let in_formula = || scoring.formulas().any(|f| f.names().contains(&"mass_kg"));
        self.input("mass_kg").is_none() && (scoring.equation.uses_mass() || in_formula())
    }

    /// The condition with this key.
    pub fn condition(&self, key: &str) -> Option<&Condition> {
        self.conditions.iter().find(|c| c.key == key)
    }

    /// Where on the body its readings are taken; nothing where none is.
    pub fn body_map(&self) -> Option<BodyMap> {
        body_map(self.inputs.iter().filter_map(|i| Some(((i.key.as_str(), i.label.as_str(), i.sides.as_slice()), i.site.as_ref()?))))
    }

    /// The input with this key.
    pub fn input(&self, key: &str) -> Option<&Input> {
        self.inputs.iter().find(|i| i.key == key)
    }

    /// That an input is missing, and what needs it.
    pub(crate) fn missing(&self, key: &str) -> InputError {
        let label = self.input(key).map_or(key, |i| &i.label);
        InputError::new(Code::MissingInput, key, format!("{label} is missing. {} needs it.", self.name))
    }

    /// The two sides it is done on, in order; none where it has none.
    pub fn sides(&self) -> &[String] {
        self.inputs.iter().map(|i| i.sides.as_slice()).find(|s| !s.is_empty()).unwrap_or_default()
    }

    /// The scoring of a quantity.
    pub fn scored(&self, quantity: &str) -> Option<&Scoring> {
        self.scoring.iter().find(|s| s.quantity == quantity)
    }

    /// The change rule of a quantity; a side goes by the rule of its quantity.
    pub fn change_rule(&self, quantity: &str) -> Option<&ChangeRule> {
        let of = |wanted: &str| self.change.iter().find(|c| c.quantity == wanted);
        of(quantity).or_else(|| of(base(quantity)))
    }

    /// The quantity a client hears first: an estimate where there is one, else the reading.
    pub fn headline(&self) -> &str {
        let heard = self.scoring.iter().rfind(|s| !s.in_detail).or_else(|| self.scoring.last());
        heard.map_or("recovery_hr", |s| &s.quantity)
    }

    /// The method's name and version, stored with every result.
    pub fn method_version(&self) -> String {
        format!("{}/{}", self.id, self.version)
    }
}
