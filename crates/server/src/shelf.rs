//! The protocols a practice can use: those that ship and its own.

use impulso_core::{
    InputError,
    catalogue::{self, Protocol},
};
use impulso_store::{Scope, protocols};

use crate::ApiResult;

/// Every protocol of a practice, fetched once for a request.
#[derive(Debug, Clone)]
pub struct Shelf {
    own: Vec<Protocol>,
}

impl Shelf {
    /// Fetches the practice's own.
    pub async fn of(scope: &mut Scope) -> ApiResult<Self> {
        Ok(Self { own: protocols::own(scope).await? })
    }

    /// All of them, those that ship first.
    pub fn all(&self) -> impl Iterator<Item = &Protocol> {
        catalogue::all().iter().chain(&self.own)
    }

    /// The protocol with this id.
    ///
    /// # Errors
    /// [`impulso_core::Code::UnknownProtocol`] naming the id.
    pub fn find(&self, id: &str) -> Result<&Protocol, InputError> {
        self.own.iter().find(|p| p.id == id).map_or_else(|| catalogue::find(id), Ok)
    }

    /// Its display name; the id where there is no such protocol any more.
    pub fn name(&self, id: &str) -> String {
        self.find(id).map_or_else(|_| id.to_owned(), |p| p.name.clone())
    }
}
