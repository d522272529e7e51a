//! Who may do a test, and how it is set up: from what the record says of somebody and what was settled before the clock. The server and a
//! browser that was given the same come to the same.

use std::{borrow::Cow, collections::BTreeMap};

use chrono::{DateTime, NaiveDate, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{
    event::{Answer, Conditions},
    outcome::Earlier,
    setup::Setup,
    view::{PerformerFacts, RunFacts},
};
use crate::{
    battery::Slot,
    catalogue::Protocol,
    consent::{self, ConsentKind},
    done::{self, Done},
    error::{Code, InputError},
    hr_max::{CeilingRule, HrMaxMethod},
    person::{Facts, Weighed},
    progress, text,
    typical_error::Own,
    units::{BodyMass, Bpm, Cadence, Units},
    visit,
};

/// How a test is set up, as it is typed before the clock.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SetUpTyped {
    /// Beats a minute, where the protocol leaves a choice.
    #[serde(default)]
    pub cadence: Option<f64>,
    /// The circumstances.
    #[cfg_attr(feature = "schema", schema(value_type = BTreeMap<String, Answer>))]
    pub conditions: Conditions,
    /// Why this test although another suits better, or although readiness advises against it; of one person.
    #[serde(default)]
    pub overrule_reason: Option<String>,
    /// The same for each of many: one person's reason admits nobody else.
    #[serde(default)]
    pub reasons: BTreeMap<Uuid, String>,
    /// The body mass, where the one on record is old; of one person.
    #[serde(flatten)]
    pub weighed: Weighed,
    /// The first load, kgm/min, where loads are set.
    #[serde(default)]
    pub first_load: Option<f64>,
    /// How the maximal heart rate is predicted.
    #[serde(default)]
    pub hr_max_method: Option<HrMaxMethod>,
    /// Which ceiling ends the test.
    #[serde(default)]
    pub ceiling: Option<CeilingRule>,
    /// Resting heart rate, where it was taken.
    #[serde(default)]
    pub resting_hr: Option<f64>,
    /// A measured maximal heart rate.
    #[serde(default)]
    pub hr_max: Option<f64>,
    /// Many do it on one clock, and are not written down one by one.
    #[serde(default)]
    pub together: bool,
    /// Where starts come again and again: so long after one another the lanes start, s.
    #[serde(default)]
    pub apart_s: f64,
}

/// The most seconds that two lanes start apart.
const APART_MAX_S: f64 = 30.0;

/// The place of somebody's visit that a test fills.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct InPlace {
    /// The visit.
    pub visit: Uuid,
    /// The place in its battery, from 0.
    pub place: usize,
    /// The test as the battery has it.
    pub slot: Slot,
    /// What all tests of the visit share.
    pub shared: Conditions,
    /// What is this member's own, before what is said for all.
    pub own: Conditions,
}

/// What the record says of somebody who is about to do a test.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Ready {
    /// The person's key.
    pub person: Uuid,
    /// Who they are to partners' phones.
    pub tag: Uuid,
    pub name: String,
    /// The units that numbers are shown and typed in.
    pub units: Units,
    /// The day of the test.
    pub on: NaiveDate,
    /// The person on that day.
    pub facts: Facts,
    /// After so many weeks a body mass is asked for again.
    pub mass_weeks: u16,
    /// What speaks against this test, where something does.
    pub against: Option<String>,
    /// Whether readiness was asked on the day.
    pub asked: bool,
    /// The practice asks for consent before a test, and it was not given.
    #[serde(default)]
    pub lacks_consent: bool,
    /// The reason that was given with it, or for the whole visit.
    pub reason: Option<String>,
    /// The place in a visit that the test fills.
    pub place: Option<InPlace>,
    /// Their tests of this kind, oldest first.
    pub tests: Vec<Done>,
}

/// Somebody who may be tested.
#[derive(Debug, Clone, PartialEq)]
pub struct Admitted {
    pub setup: Setup,
    /// Why, where something spoke against it.
    pub reason: Option<String>,
    /// The body mass that was typed: it belongs into the record.
    pub weighed: Option<BodyMass>,
}

impl Ready {
    /// Sets the test up for this person. `nth` of `many`: the order in which lanes start.
    ///
    /// # Errors
    /// What is missing or impossible, naming the field; [`Code::MissingInput`] on the reason where one is needed.
    pub fn admit(&self, protocol: &Protocol, form: &SetUpTyped, nth: usize, many: usize) -> Result<Admitted, InputError> {
        if self.lacks_consent {
            return Err(consent::missing(ConsentKind::Testing, &self.name));
        }
        let facts = self.facts.with_rates(form.resting_hr, form.hr_max)?;
        let weighed = form.weighed.mass(protocol, &facts, self.on, self.units, self.mass_weeks)?;
        let facts = Facts { mass: weighed.or(facts.mass), mass_on: if weighed.is_some() { Some(self.on) } else { facts.mass_on }, ..facts };
        let mut setup = Setup {
            cadence: cadence(protocol, &facts, form.cadence)?,
            conditions: self.conditions(protocol, form),
            hr_max_method: form.hr_max_method,
            ceiling: form.ceiling.unwrap_or_default(),
            first_load: form.first_load,
            units: self.units,
            ..Setup::of(&facts)
        };
        setup.check(protocol)?;
        self.recall(protocol, &mut setup);
        let reason = self.reason(protocol, form, &setup, many)?;
        if let Some(place) = &self.place {
            setup.takes.clone_from(&place.slot.takes);
        }
        if many > 1 {
            setup.together = form.together || !protocol.suits_grid();
            let after_s = form.apart_s.clamp(0.0, APART_MAX_S) * nth as f64;
            setup.start_after_s = (after_s > 0.0).then_some(after_s);
        }
        Ok(Admitted { setup, reason, weighed })
    }

    /// The circumstances: what was said, and in a visit what its battery has fixed, what its tests share and how it was last time.
    fn conditions(&self, protocol: &Protocol, form: &SetUpTyped) -> Conditions {
        let Some(at) = &self.place else { return form.conditions.clone() };
        let last = done::last_scored(self.tests.iter(), &protocol.id).map(|r| &r.conditions);
        let said: Conditions = form.conditions.iter().chain(&at.own).map(|(key, answer)| (key.clone(), answer.clone())).collect();
        visit::conditions(protocol, self.facts.sex, last, Some((&at.slot, &at.shared)), &said)
    }

    /// Last time's values, of a test whose pace is held against them.
    fn recall(&self, protocol: &Protocol, setup: &mut Setup) {
        let of_legs = || (!protocol.legs().is_empty()).then(|| protocol.headline());
        let Some(pace) = protocol.course().and_then(|c| c.pace.as_deref()).or_else(of_legs) else { return };
        let comparable = progress::last_comparable(protocol, &setup.recorded(protocol), self.tests.iter());
        setup.last_value = comparable.iter().find_map(|r| r.value(pace));
        for (quantity, value) in comparable.iter().flat_map(|r| &r.computed) {
            setup.last_values.entry(quantity.clone()).or_insert(*value);
        }
    }

    /// Why it is done although something speaks against it; nothing where nothing does.
    fn reason(&self, protocol: &Protocol, form: &SetUpTyped, setup: &Setup, many: usize) -> Result<Option<String>, InputError> {
        let of_many = text::note(form.reasons.get(&self.person).map_or("", String::as_str), "reasons")?;
        let of_one = text::note(form.overrule_reason.as_deref().unwrap_or_default(), "overrule_reason")?;
        let given = if many == 1 { of_one.or(of_many) } else { of_many };
        let refused = protocol.conditions.iter().find(|c| c.or_reason && setup.conditions.get(&c.key) == Some(&Answer::YesNo(false)));
        let because = refused.map(|c| format!("{}: no. {}.", c.label, text::capital(&c.why))).or_else(|| self.against.clone());
        let Some(because) = because else { return Ok(None) };
        if let Some(reason) = given.or_else(|| self.reason.clone()) {
            return Ok(Some(reason));
        }
        let (name, field) = if many == 1 { (String::new(), "overrule_reason") } else { (format!("{}: ", self.name), "reasons") };
        let message = format!("{name}{because} To test all the same, give your reason; it is saved with the record.");
        Err(InputError::new(Code::MissingInput, field, message))
    }
}

impl Facts {
    /// The person on the day, with the heart rates that were taken then.
    ///
    /// # Errors
    /// [`Code::OutOfRange`], naming the rate.
    pub fn with_rates(self, resting_hr: Option<f64>, hr_max: Option<f64>) -> Result<Self, InputError> {
        let bpm = |value: Option<f64>, field: &str| value.map(|v| Bpm::new(v).map_err(|e| e.at(field))).transpose();
        Ok(Self { resting_hr: bpm(resting_hr, "resting_hr")?, hr_max: bpm(hr_max, "hr_max")?, ..self })
    }
}

fn cadence(protocol: &Protocol, facts: &Facts, chosen: Option<f64>) -> Result<Option<Cadence>, InputError> {
    let Some(rule) = &protocol.cadence else { return Ok(None) };
    let Some(beat) = chosen.or_else(|| rule.for_sex(facts.sex)) else { return Ok(None) };
    if !rule.choices().contains(&beat) {
        return Err(InputError::new(Code::OutOfRange, "cadence", format!("The protocol's beat is {:?} a minute.", rule.choices())));
    }
    Cadence::new(beat).map(Some).map_err(|e| e.at("cadence"))
}

/// A test that is ready to be set up, for one or for several.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Prepared {
    pub protocol: Protocol,
    /// Who can be tested.
    pub people: Vec<Ready>,
    /// The group visit it belongs to.
    pub group_visit: Option<Uuid>,
    /// What the practice knows of each measure of the test.
    pub own: BTreeMap<String, Own>,
    /// How fast the run's clock passes.
    pub clock_rate: f64,
}

impl Prepared {
    /// Sets a run of these `people` up, with what there was before it. `id`: made by the screen. `at`: when.
    ///
    /// # Errors
    /// As [`Ready::admit`], and where somebody is not among those who are prepared.
    pub fn set_up(
        &self,
        id: Uuid,
        people: &[Uuid],
        form: &SetUpTyped,
        at: DateTime<Utc>,
    ) -> Result<(RunFacts<'static>, Earlier), InputError> {
        let mut earlier = Earlier { own: self.own.clone(), tests: Vec::new() };
        let mut performers = Vec::with_capacity(people.len());
        let mut visit = None;
        for (nth, person) in people.iter().enumerate() {
            let not_prepared = || InputError::new(Code::MissingInput, "people", "Somebody is not prepared on this device. Leave them out.");
            let ready = self.people.iter().find(|r| r.person == *person).ok_or_else(not_prepared)?;
            let admitted = ready.admit(&self.protocol, form, nth, people.len())?;
            performers.push(PerformerFacts {
                slot: u16::try_from(nth).unwrap_or(u16::MAX),
                tag: ready.tag,
                person: Some(*person),
                name: ready.name.clone().into(),
                setup: Cow::Owned(admitted.setup),
                result: None,
            });
            visit = ready.place.as_ref().map(|p| p.visit);
            earlier.tests.push(ready.tests.clone());
        }
        let facts = RunFacts {
            id,
            protocol: Cow::Owned(self.protocol.clone()),
            visit: visit.filter(|_| self.group_visit.is_none()),
            performers,
            join_code: None,
            group_visit: self.group_visit,
            rehearsal_rate: None,
            created_at: at,
            clock_rate: self.clock_rate,
            closed: false,
        };
        Ok((facts, earlier))
    }
}
