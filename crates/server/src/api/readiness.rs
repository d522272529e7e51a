//! Readiness: may we test, how hard, what to watch.

use actix_web::{post, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    readiness::{self, Advice, Answers, Permit},
    text,
};
use impulso_store::{
    CoachId, PersonId, Scope,
    audit::{self, Action, Subject},
    people, readiness as store,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::stops::stopped_today;
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
};

/// A readiness check as shown.
#[derive(Serialize, ToSchema)]
pub struct ReadinessPage {
    /// The day.
    pub on: NaiveDate,
    /// Whether it was made today.
    pub is_today: bool,
    pub answers: Answers,
    pub advice: Advice,
    /// Why it was overruled.
    pub overrule_reason: Option<String>,
}

/// A readiness check to keep.
#[derive(Deserialize, ToSchema)]
pub struct ReadinessForm {
    /// What the client answered.
    pub answers: Answers,
    /// Why the coach goes on against the advice.
    pub overrule_reason: Option<String>,
}

/// What would be advised; nothing is kept.
#[utoipa::path(tag = "readiness", operation_id = "readiness_advise", responses((status = 200, body = Advice), (status = 422, body = ApiError)))]
#[post("/readiness/advice")]
pub async fn advise(_: SignedIn, answers: Json<Answers>) -> ApiResult<web::Json<Advice>> {
    readiness::check(&answers)?;
    Ok(web::Json(readiness::advise(&answers)))
}

/// Keeps a check.
#[utoipa::path(tag = "readiness", operation_id = "readiness_keep", responses((status = 200, body = ReadinessPage), (status = 422, body = ApiError)))]
#[post("/people/{id}/readiness")]
pub async fn keep(who: SignedIn, id: web::Path<Uuid>, form: Json<ReadinessForm>) -> ApiResult<web::Json<ReadinessPage>> {
    let form = form.into_inner();
    readiness::check(&form.answers)?;
    let advice = readiness::advise(&form.answers);
    let reason = text::note(form.overrule_reason.as_deref().unwrap_or_default(), "overrule_reason")?;
    if form.overrule_reason.is_some() && reason.is_none() {
        return Err(
            InputError::new(Code::MissingInput, "overrule_reason", "Give your reason for going on; it is saved with the record.").into()
        );
    }
    if reason.is_some() && advice.moderate == Permit::Go && advice.vigorous == Permit::Go {
        return Err(InputError::new(
            Code::NotApplicable,
            "overrule_reason",
            "Nothing speaks against testing, so there is nothing to overrule.",
        )
        .into());
    }
    let mut scope = who.scope().await?;
    let kept = add(&mut scope, who.coach, PersonId(*id), form.answers, advice, reason).await?;
    scope.commit().await?;
    Ok(web::Json(kept))
}

/// What was answered at the last check is answered again today: nothing has changed since.
///
/// # Errors
/// [`Code::MissingInput`] where nothing was ever asked, or what was said then has to be asked anew.
pub async fn say_again(scope: &mut Scope, coach: CoachId, person: PersonId) -> ApiResult<()> {
    let last = store::latest(scope, person).await?.filter(|c| c.advice.moderate == Permit::Go);
    let Some(last) = last else {
        return Err(InputError::new(Code::MissingInput, "answers", "There is nothing to repeat. Ask the questions.").into());
    };
    let advice = readiness::advise(&last.answers);
    add(scope, coach, person, last.answers, advice, None).await.map(|_| ())
}

async fn add(
    scope: &mut Scope,
    coach: CoachId,
    person: PersonId,
    answers: Answers,
    advice: Advice,
    reason: Option<String>,
) -> ApiResult<ReadinessPage> {
    people::lock(scope, person).await?;
    let on = auth::today(scope).await?;
    // The same answers on the same day are the same check, however often they are sent.
    let mut before = store::latest(scope, person).await?.filter(|c| c.on == on);
    // After a test that was stopped with symptoms they are another one.
    let is_after_stop = stopped_today(scope, person, before.as_mut(), on).await?.is_some();
    if !is_after_stop && before.is_some_and(|c| c.answers == answers && c.overrule_reason == reason) {
        return Ok(ReadinessPage { on, is_today: true, answers, advice, overrule_reason: reason });
    }
    let check = store::add(scope, coach, person, &answers, &advice, reason.as_deref(), on).await?;
    let action = if reason.is_some() { Action::ReadinessOverruled } else { Action::ReadinessKept };
    audit::record(scope, coach, action, Subject::of("readiness", check.0, person), serde_json::json!({ "reason": reason })).await?;
    Ok(ReadinessPage { on, is_today: true, answers, advice, overrule_reason: reason })
}
