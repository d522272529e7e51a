//! The protocols a practice can use: those that ship and its own.

use impulso_core::{
    InputError,
    battery::{self, Battery},
    catalogue::{self, Protocol},
    own,
};
use impulso_store::{Scope, pass_marks, protocols, visits};

use crate::ApiResult;

/// Every protocol of a practice, fetched once for a request.
#[derive(Debug, Clone)]
pub struct Shelf {
    own: Vec<Protocol>,
    /// Those that ship and are held to a mark of the practice's own.
    marked: Vec<Protocol>,
    /// The practice's own batteries, retired ones too.
    batteries: Vec<Battery>,
}

impl Shelf {
    /// Fetches the practice's own, and its marks.
    pub async fn of(scope: &mut Scope) -> ApiResult<Self> {
        let mut shelf = Self { own: protocols::own(scope).await?, marked: Vec::new(), batteries: visits::known_batteries(scope).await? };
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

    /// The battery with this id, where there is one.
    pub fn battery(&self, id: &str) -> Option<&Battery> {
        self.batteries.iter().find(|b| b.id == id).or_else(|| battery::find(id).ok())
    }

    /// The display name of a protocol or a battery; the id where there is neither any more.
    pub fn name(&self, id: &str) -> String {
        let of_battery = || self.battery(id).map(|b| b.name.clone());
        self.find(id).ok().map(|p| p.name.clone()).or_else(of_battery).unwrap_or_else(|| id.to_owned())
    }

    /// The names of a battery's tests; nothing where it is none.
    pub fn tests_of(&self, id: &str) -> Vec<String> {
        self.battery(id).map(|b| b.tests.iter().map(|t| self.name(&t.protocol)).collect()).unwrap_or_default()
    }
}
