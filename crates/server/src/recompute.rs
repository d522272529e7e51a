//! Every stored score, rebuilt from the raw readings beside it: after a method was corrected, or to see that nothing drifted.

use std::collections::BTreeMap;

use impulso_core::catalogue::Protocol;
use impulso_store::{
    Scope, Store, practices,
    results::{self, Stored},
    runs, set_aside,
};

use crate::{ApiResult, scoring, shelf::Shelf};

/// So many results are written at once. A run that is interrupted has kept whole batches; the next one begins anew and finds
/// them as they should be.
const BATCH: i64 = 500;

/// Which protocol a result is computed with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum By {
    /// The one that was stored with it: its run's, or today's of the same version.
    Stored,
    /// Today's.
    Today,
}

/// A score that came out otherwise.
#[derive(Debug, Clone, PartialEq)]
pub struct Changed {
    pub result: uuid::Uuid,
    /// Protocol and version the result was stored with.
    pub method: String,
    pub quantity: String,
    /// What stood there; nothing where it is new.
    pub was: Option<f64>,
    /// What it is; nothing where it is no more.
    pub is: Option<f64>,
}

/// What was looked at and what came of it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Tally {
    /// Results looked at.
    pub looked_at: u64,
    /// Results that were written anew.
    pub rewritten: u64,
    /// Results whose protocol, or whose version of it, is not there any more, or whose readings it no longer takes.
    pub left: u64,
    /// What cannot be read any more: named on the practice's page, and passed over.
    pub set_aside: u64,
}

/// Recomputes every result of every practice, batch by batch, and tells each score that changed. `owner_url` is the
/// connection of the role that owns the database.
pub async fn recompute(owner_url: &str, by: By, mut tell: impl FnMut(&Changed)) -> ApiResult<Tally> {
    let store = Store::connect_lazy(owner_url)?;
    let mut tally = Tally::default();
    for practice in practices::all(&store).await? {
        let mut behind = None;
        let mut scope = store.scope(practice).await?;
        set_aside::forget(&mut scope, &["result"]).await?;
        tally.set_aside += set_aside::look(&mut scope).await? as u64;
        scope.commit().await?;
        loop {
            let mut scope = store.long_scope(practice).await?;
            let batch = results::after(&mut scope, behind, BATCH).await?;
            let Some((last, _)) = batch.last() else { break };
            behind = Some(*last);
            let shelf = Shelf::of(&mut scope).await?;
            for (id, result) in &batch {
                tally.looked_at += 1;
                let result = match result {
                    Ok(result) => result,
                    Err(why) => {
                        tally.set_aside += 1;
                        set_aside::name(&mut scope, "result", &id.to_string(), &why.to_string()).await?;
                        continue;
                    }
                };
                let Some(computed) = anew(&mut scope, &shelf, result, by).await? else {
                    tally.left += 1;
                    continue;
                };
                let changed = changes(result, &computed);
                if !changed.is_empty() {
                    changed.iter().for_each(&mut tell);
                    results::recomputed(&mut scope, result.key(), &computed).await?;
                    tally.rewritten += 1;
                }
            }
            scope.commit().await?;
        }
        // Also where nothing was rewritten now: an earlier run may have been interrupted before it came to this.
        let mut scope = store.long_scope(practice).await?;
        scoring::recount_repeats(&mut scope).await?;
        scope.commit().await?;
    }
    Ok(tally)
}

/// What a result computes to; nothing where there is no protocol for it.
async fn anew(scope: &mut Scope, shelf: &Shelf, result: &Stored, by: By) -> ApiResult<Option<BTreeMap<String, f64>>> {
    let of_run;
    let protocol: Option<&Protocol> = match (by, result.run) {
        (By::Stored, Some(run)) => {
            // A run that cannot be read any more takes no other result with it.
            let Some(run) = runs::readable(scope, run).await? else { return Ok(None) };
            of_run = run.protocol;
            Some(&of_run)
        }
        (By::Stored, None) => shelf.find(&result.protocol_id).ok().filter(|p| p.method_version() == result.method),
        (By::Today, _) => shelf.find(&result.protocol_id).ok(),
    };
    Ok(protocol.and_then(|p| result.scores(p).ok()))
}

/// Every quantity whose value is not what it was. Two values closer than the last digits of a double are one.
fn changes(result: &Stored, computed: &BTreeMap<String, f64>) -> Vec<Changed> {
    let same = |a: f64, b: f64| (a - b).abs() <= 1e-9 * a.abs().max(b.abs()).max(1.0);
    let quantities: std::collections::BTreeSet<&String> = result.computed.keys().chain(computed.keys()).collect();
    quantities
        .into_iter()
        .filter_map(|quantity| {
            let (was, is) = (result.computed.get(quantity).copied(), computed.get(quantity).copied());
            let stands = matches!((was, is), (Some(a), Some(b)) if same(a, b));
            let method = result.method.clone();
            (!stands).then(|| Changed { result: result.id, method, quantity: quantity.clone(), was, is })
        })
        .collect()
}
