//! The protocols a practice can use: those that ship and its own.

use impulso_core::{
    InputError,
    catalogue::{self, Protocol},
    own,
};
use impulso_store::{Scope, pass_marks, protocols};

use crate::ApiResult;

/// Every protocol of a practice, fetched once for a request.
#[derive(Debug, Clone)]
pub struct Shelf {
    own: Vec<Protocol>,
    /// Those that ship and are held to a mark of the practice's own.
    marked: Vec<Protocol>,
}

impl Shelf {
    /// Fetches the practice's own, and its marks.
    pub async fn of(scope: &mut Scope) -> ApiResult<Self> {
        let mut shelf = Self { own: protocols::own(scope).await?, marked: Vec::new() };
        for mark in pass_marks::all(scope).await? {
            let Ok(protocol) = shelf.find(&mark.protocol) else { continue };
            let held = own::hold_to(protocol, &mark.quantity, mark.mark, &mark.source);
            let kept = if held.based_on.is_some() { &mut shelf.own } else { &mut shelf.marked };
            kept.retain(|p| p.id != held.id);
            kept.push(held);
        }
        Ok(shelf)
    }

    /// All of them, those that ship first.
    pub fn all(&self) -> impl Iterator<Item = &Protocol> {
        let as_held = |p: &'static Protocol| self.marked.iter().find(|m| m.id == p.id).unwrap_or(p);
        catalogue::all().iter().map(as_held).chain(&self.own)
    }

    /// The protocol with this id.
    ///
    /// # Errors
    /// [`impulso_core::Code::UnknownProtocol`] naming the id.
    pub fn find(&self, id: &str) -> Result<&Protocol, InputError> {
        self.own.iter().chain(&self.marked).find(|p| p.id == id).map_or_else(|| catalogue::find(id), Ok)
    }

    /// Its display name; the id where there is no such protocol any more.
    pub fn name(&self, id: &str) -> String {
        self.find(id).map_or_else(|_| id.to_owned(), |p| p.name.clone())
    }
}
