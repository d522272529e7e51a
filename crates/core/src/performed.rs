//! A test as it was performed: what an equation works from.

use serde::{Deserialize, Serialize};

pub use crate::catalogue::FlagCode;
use crate::{
    catalogue::Protocol,
    conditions::{Answer, Conditions},
    hr_max::{self, CeilingRule, HrMaxMethod},
    inputs::Inputs,
    person::Facts,
    units::Bpm,
};

/// A finished test, parsed: what the computation needs and nothing else.
#[derive(Debug, Clone)]
pub struct TestRecord<'a> {
    /// The test.
    pub protocol: &'a Protocol,
    /// The person on the day.
    pub facts: Facts,
    /// Readings by key.
    pub inputs: &'a Inputs,
    /// What the assessor chose.
    pub options: Options,
    /// The circumstances that decide flags.
    pub circumstances: Circumstances,
}

impl<'a> TestRecord<'a> {
    /// A record under no special circumstances, with nothing chosen.
    pub fn of(protocol: &'a Protocol, facts: Facts, inputs: &'a Inputs) -> Self {
        Self { protocol, facts, inputs, options: Options::default(), circumstances: Circumstances::default() }
    }

    /// A record as its conditions have it: the method of the maximal heart rate, the ceiling and the circumstances are among them.
    pub fn under(protocol: &'a Protocol, facts: Facts, inputs: &'a Inputs, conditions: &Conditions) -> Self {
        let yes = |key: &str| match conditions.get(key) {
            Some(Answer::YesNo(yes)) => Some(*yes),
            _ => None,
        };
        let hr_max_method = match conditions.get("hr_max_method") {
            Some(Answer::Text(name)) => HrMaxMethod::named(name),
            _ => None,
        };
        let ceiling = match conditions.get("ceiling_bpm") {
            Some(Answer::Number(bpm)) => Bpm::new(*bpm).map_or(CeilingRule::Lower, |bpm| CeilingRule::Chosen { bpm }),
            _ => CeilingRule::Lower,
        };
        let circumstances = Circumstances {
            warm_up: yes("warm_up"),
            heart_rate_drug: yes("heart_rate_drug").unwrap_or(false),
            conditioned: yes("conditioned"),
        };
        Self { protocol, facts, inputs, options: Options { hr_max_method, ceiling }, circumstances }
    }

    /// How the maximal heart rate is known here: measured, chosen, or as the protocol has it.
    pub fn hr_max_method(&self) -> HrMaxMethod {
        hr_max::method_for(&self.facts, self.options.hr_max_method, self.protocol.hr_max_default())
    }
}

/// What the assessor chose.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Options {
    /// How the maximal heart rate is predicted; the protocol's own method where nothing was chosen.
    pub hr_max_method: Option<HrMaxMethod>,
    /// Which ceiling ends a submaximal test.
    pub ceiling: CeilingRule,
}

/// Circumstances that make a result questionable though computable.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Circumstances {
    /// `Some(false)`: it is known that no warm-up was done.
    pub warm_up: Option<bool>,
    /// On medicine that limits the heart rate.
    pub heart_rate_drug: bool,
    /// Used to endurance work, where it is known.
    pub conditioned: Option<bool>,
}

/// Something unusual: never a refusal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Flag {
    /// What kind.
    pub code: FlagCode,
    /// The field it is about.
    pub field: String,
    /// In words.
    pub message: String,
}
