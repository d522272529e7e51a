//! A run that was just set up, for tests that need one and no database.

use chrono::Utc;
use impulso_core::{catalogue, run::Setup};
use impulso_store::{
    RunId,
    runs::{Performer, Run},
};
use uuid::Uuid;

/// A performer whom no record knows.
pub fn performer(slot: u16, setup: Setup) -> Performer {
    Performer { slot, person: None, name: format!("Runner {slot}"), setup, result: None, visit: None }
}

/// A run of a protocol by its id.
pub fn run(protocol: &str, performers: Vec<Performer>) -> Run {
    Run {
        id: RunId(Uuid::now_v7()),
        protocol: catalogue::find(protocol).unwrap().clone(),
        performers,
        overrule_reason: None,
        rehearsal: None,
        join_code: None,
        visit: None,
        group_visit: None,
        created_at: Utc::now(),
        closed_at: None,
    }
}
