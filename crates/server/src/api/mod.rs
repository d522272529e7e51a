//! The HTTP interface: one file a noun, one function a route. Types here are the contract with the front end; the
//! OpenAPI document is made from them.

pub mod assess;
pub mod best_vo2max;
pub mod entries;
pub mod everything;
pub mod goals;
pub mod group_visit_page;
pub mod group_visits;
pub mod groups;
pub mod health;
pub mod history;
pub mod join;
pub mod library;
pub mod life_events;
pub mod made_up;
pub mod people;
pub mod photos;
pub mod points;
pub mod practice;
pub mod readiness;
pub mod rehearsals;
pub mod reports;
pub mod results;
pub mod retests;
pub mod ride;
pub mod roster;
pub mod row_time;
pub mod runs;
pub mod session;
pub mod today;
pub mod trend;
pub mod visits;
