//! A person as a request sees them: fetched once, handed to whoever works something out.

use chrono::NaiveDate;
use impulso_core::{catalogue::Protocol, done::Done, life_event::LifeEvent, progress::Audience};
use impulso_store::{
    PersonId, Scope, life_events,
    people::{self, Person},
    results::{self, Stored},
};
use uuid::Uuid;

use crate::{ApiResult, auth, shelf::Shelf};

/// All that is known of a person today, with the protocols it is read by.
#[derive(Debug, Clone)]
pub struct Dossier {
    /// The protocols and batteries of the practice.
    pub shelf: Shelf,
    /// The record.
    pub person: Person,
    /// Every result, oldest first.
    pub history: Vec<Stored>,
    /// Events in the client’s life, with its key.
    pub noted: Vec<(Uuid, LifeEvent)>,
    /// The practice's day.
    pub today: NaiveDate,
}

impl Dossier {
    /// Fetches it.
    ///
    /// # Errors
    /// Where the practice has no such person.
    pub async fn of(scope: &mut Scope, person: PersonId) -> ApiResult<Self> {
        Ok(Self {
            person: people::get(scope, person).await?,
            shelf: Shelf::of(scope).await?,
            history: results::of_person(scope, person).await?,
            noted: life_events::of_person(scope, person).await?,
            today: auth::today(scope).await?,
        })
    }

    /// Every test that was done, oldest first.
    pub fn tests(&self) -> impl DoubleEndedIterator<Item = &Done> + Clone {
        self.history.iter().map(|r| &r.done)
    }

    /// The test of a result.
    pub fn test(&self, id: Uuid) -> Option<&Done> {
        self.tests().find(|r| r.id == id)
    }

    /// A protocol of the practice, where it still has it.
    pub fn protocol(&self, id: &str) -> Option<&Protocol> {
        self.shelf.find(id).ok()
    }

    /// What a sentence to the person takes into account, in their own units.
    pub fn audience(&self) -> Audience {
        Audience { noted: self.events(), units: self.person.profile.units }
    }

    /// Events in the client’s life.
    pub fn events(&self) -> Vec<LifeEvent> {
        self.noted.iter().map(|(_, event)| event.clone()).collect()
    }
}
