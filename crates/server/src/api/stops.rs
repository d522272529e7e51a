//! Who stopped a test today with pain or symptoms: before another one, readiness is asked again.

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::catalogue;
use impulso_store::{PersonId, Scope, readiness::Check, results};

use crate::ApiResult;

/// The test that somebody stopped today with pain or symptoms, where readiness was not asked since. See [`after_stop`].
pub async fn stopped_today(
    scope: &mut Scope,
    person: PersonId,
    checked: Option<&mut Check>,
    today: NaiveDate,
) -> ApiResult<Option<String>> {
    let mut found = results::symptoms_on(scope, &[person.0], today).await?;
    Ok(after_stop(found.remove(&person.0), checked))
}

/// The name of the test that was stopped, unless readiness was asked since. A reason to test all the same that was given before the stop
/// is taken out of the check.
pub fn after_stop(stop: Option<(String, DateTime<Utc>)>, checked: Option<&mut Check>) -> Option<String> {
    let (protocol, at) = stop?;
    if let Some(check) = checked {
        if check.at >= at {
            return None;
        }
        check.overrule_reason = None;
    }
    Some(catalogue::find(&protocol).map_or_else(|_| "a test".to_owned(), |p| p.name.clone()))
}
