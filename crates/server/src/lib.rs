//! The server: routes, sessions, static files. A handler parses, calls one function, renders; the rules are
//! `impulso-core`'s, the queries `impulso-store`'s.

pub mod api;
pub mod app;
pub mod auth;
pub mod body;
pub mod channels;
pub mod demo;
pub mod docs;
pub mod dossier;
pub mod error;
pub mod intake;
mod keys;
pub mod live;
pub mod marking;
pub mod middleware;
pub mod passwords;
pub mod photo_work;
pub mod planning;
pub mod rate_limit;
pub mod recompute;
mod recording;
mod run_cache;
#[cfg(test)]
mod sample_run;
pub mod scoring;
mod second_factor;
pub mod serve;
pub mod session_store;
pub mod settings;
pub mod shelf;
pub mod statics;
pub mod transfer;
pub mod view;
pub mod visiting;

pub use error::{ApiError, ApiResult};
