//! The server: routes, sessions, static files. A handler parses, calls one function, renders; the rules are
//! `impulso-core`'s, the queries `impulso-store`'s.

pub mod api;
pub mod app;
pub mod auth;
pub mod body;
pub mod brakes;
pub mod darkroom;
pub mod demo;
pub mod docs;
pub mod dossier;
pub mod edge;
pub mod error;
pub mod intake;
pub mod live;
pub mod marking;
pub mod passwords;
pub mod planning;
mod recall;
pub mod recompute;
mod recording;
pub mod scoring;
pub mod serve;
pub mod session_store;
pub mod settings;
pub mod shelf;
pub mod statics;
pub mod transfer;
pub mod view;
pub mod visiting;

pub use error::{ApiError, ApiResult};
