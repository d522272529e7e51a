//! Tests that a client takes away from the coach: what is asked of them, and the result that something sent would be.

use std::collections::BTreeMap;

use impulso_core::{
    catalogue::Protocol,
    conditions::Conditions,
    done::{self, Done},
    inputs::Value,
    person::Weighed,
    self_entry, self_report,
    suitability::{self, FitVerdict},
    visit,
};
use impulso_store::{ResultId, Scope, readiness, results::Stored, self_entries::SelfEntry, visits::Visit};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{assess::client, stops::stopped_today};
use crate::{
    ApiError, ApiResult,
    dossier::Dossier,
    recording::{self, Typed},
};

/// What a client typed of a test.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SelfTyped {
    /// Readings by key: a number, yes or no, a choice's key, a list of tries, an object of sides.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, serde_json::Value>)]
    pub inputs: BTreeMap<String, Value>,
    /// The circumstances.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
    /// Anything worth adding.
    #[serde(default)]
    pub remark: String,
}

/// Something that was sent.
pub type Sent = SelfEntry<SelfTyped>;

/// What the coach says of a result that is taken in.
#[derive(Debug, Clone, Copy, Default, Deserialize, ToSchema)]
pub struct TakenAs {
    /// It is held against measured results.
    #[serde(default)]
    pub compared: bool,
    /// The body mass on record is used although it is old.
    #[serde(default)]
    pub keep_mass: bool,
}

/// A visit whose tests a client takes from afar.
#[derive(Debug)]
pub struct FromAfar<'a> {
    pub of: &'a Dossier,
    pub visit: &'a Visit,
    /// What differs for this client, as their group has it.
    pub set_up: &'a Conditions,
}

impl<'a> FromAfar<'a> {
    /// The test at a place.
    ///
    /// # Errors
    /// Where there is none, or the practice has it no more.
    pub fn protocol(&self, place: usize) -> ApiResult<&'a Protocol> {
        let slot = self.visit.battery.tests.get(place).ok_or_else(ApiError::not_found)?;
        Ok(self.of.shelf.find(&slot.protocol)?)
    }

    /// What a test starts from.
    pub fn conditions(&self, place: usize, protocol: &Protocol, typed: &Conditions) -> Conditions {
        let slot = &self.visit.battery.tests[place];
        let own = typed.iter().filter(|(key, _)| !slot.given.contains_key(*key)).map(|(k, a)| (k.clone(), a.clone()));
        let said: Conditions = self.set_up.clone().into_iter().chain(own).collect();
        let tests: Vec<&Done> = self.of.tests().collect();
        let last = done::last_scored(tests.iter().copied(), &protocol.id).map(|r| &r.conditions);
        visit::conditions(protocol, self.of.person.profile.sex, last, Some((slot, &self.visit.conditions)), &said)
    }

    /// Why a client does not take a test from afar, in words for them; by test of the visit.
    pub async fn why_not(&self, scope: &mut Scope) -> ApiResult<Vec<Option<String>>> {
        let mut checked = readiness::latest(scope, self.of.person.id).await?;
        let stopped = stopped_today(scope, self.of.person.id, checked.as_mut(), self.of.today).await?;
        let about = client(&self.of.person, checked.as_ref(), self.of.today, &self.of.history, stopped);
        let is_overruled = checked.as_ref().is_some_and(|c| c.overrule_reason.is_some());
        let why = |place: usize| {
            let Ok(protocol) = self.protocol(place) else { return Some("Your coach takes this test with you.".to_owned()) };
            if !self_entry::suits(protocol) {
                return Some("Your coach takes this test with you: somebody else has to watch or to steer it.".to_owned());
            }
            let fit = suitability::judge(protocol, &about);
            let speaks_against = fit.verdict != FitVerdict::Suits && !is_overruled;
            speaks_against.then(|| format!("Not now: {} Ask your coach.", fit.because))
        };
        Ok((0..self.visit.battery.tests.len()).map(why).collect())
    }

    /// The result that something sent would be.
    ///
    /// # Errors
    /// What is missing or impossible, naming the field, in the client's units.
    pub async fn result(&self, scope: &mut Scope, sent: &Sent, taken: TakenAs) -> ApiResult<Stored> {
        let protocol = self.protocol(sent.place)?;
        let typed = Typed {
            on: sent.on,
            at: None,
            inputs: sent.typed.inputs.clone(),
            stages: Vec::new(),
            series_csv: None,
            conditions: self.conditions(sent.place, protocol, &sent.typed.conditions),
            hr_max_method: None,
            ceiling: None,
            resting_hr: None,
            hr_max: None,
            weighed: Weighed { mass: String::new(), keep_mass: taken.keep_mass },
            remark: Some(sent.typed.remark.clone()),
        };
        let units = self.of.person.profile.units;
        let mut result =
            recording::build(scope, protocol, &self.of.person, ResultId(sent.id), typed, None).await.map_err(|e| e.in_units(units))?;
        self_report::mark(&mut result.done.conditions, taken.compared);
        Ok(result)
    }
}
