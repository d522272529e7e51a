//! What a practice knows of its measures, fetched; and the figures that are kept beside results.

use std::collections::BTreeMap;

use impulso_core::{
    catalogue::Protocol,
    life_event::LifeEvent,
    progress::{self, Known},
    typical_error::Own,
};
use impulso_store::{PersonId, Scope, Store, life_events, practices, repeats, results, set_aside, typed_errors};

use crate::{ApiResult, shelf::Shelf};

/// Brings a database up to date, or as far as a version: its tables, and then the figures that are kept beside results and were not
/// yet. What cannot be read any more is named and set aside; it stops nobody else.
pub async fn migrate(owner_url: &str, version: Option<i64>) -> ApiResult<()> {
    impulso_store::migrate(owner_url, version).await?;
    if version.is_some() {
        return Ok(());
    }
    let store = Store::connect_lazy(owner_url)?;
    for practice in practices::all(&store).await? {
        let mut scope = store.scope(practice).await?;
        set_aside::look(&mut scope).await?;
        scope.commit().await?;
    }
    for practice in practices::without_repeats(&store).await? {
        let mut scope = store.long_scope(practice).await?;
        recount_repeats(&mut scope).await?;
        scope.commit().await?;
    }
    Ok(())
}

/// Counts a practice's own repeats anew from its results.
pub async fn recount_repeats(scope: &mut Scope) -> ApiResult<()> {
    repeats::clear(scope).await?;
    let shelf = Shelf::of(scope).await?;
    let mut after = None;
    loop {
        let repeated = results::repeated(scope, after.clone(), 500).await?;
        for (person, id) in &repeated {
            let Ok(protocol) = shelf.find(id) else { continue };
            let of_person = results::of_protocol(scope, *person, id).await?;
            for scoring in &protocol.scoring {
                repeats::add(
                    scope,
                    id,
                    &scoring.quantity,
                    progress::repeats(protocol, of_person.iter().map(|r| &r.done), &scoring.quantity),
                )
                .await?;
            }
        }
        match repeated.into_iter().last() {
            Some(last) => after = Some(last),
            None => return Ok(()),
        }
    }
}

/// What the practice knows of every measure of these protocols: its own repeats, and what it typed in.
pub async fn known(scope: &mut Scope, protocols: &[&Protocol]) -> ApiResult<Known> {
    let mut known = Known::new();
    if protocols.is_empty() {
        return Ok(known);
    }
    let ids: Vec<String> = protocols.iter().map(|p| p.id.clone()).collect();
    for (protocol, quantity, repeats) in repeats::of_protocols(scope, &ids).await? {
        known.entry(protocol).or_default().entry(quantity).or_default().repeats = repeats;
    }
    for (protocol, quantity, typed) in typed_errors::of_protocols(scope, &ids).await? {
        known.entry(protocol).or_default().entry(quantity).or_default().typed = Some(typed);
    }
    Ok(known)
}

/// The same of one protocol, by measure.
pub async fn own(scope: &mut Scope, protocol: &Protocol) -> ApiResult<BTreeMap<String, Own>> {
    Ok(known(scope, &[protocol]).await?.remove(&protocol.id).unwrap_or_default())
}

/// The events of a person’s life.
pub async fn noted(scope: &mut Scope, person: PersonId) -> ApiResult<Vec<LifeEvent>> {
    Ok(life_events::of_person(scope, person).await?.into_iter().map(|(_, event)| event).collect())
}
