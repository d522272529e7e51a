//! The interface as a client uses it: a real server on a fresh database of a real PostgreSQL.
//!
//! The databases are made in the cluster that `IMPULSO_TEST_OWNER_URL` and `IMPULSO_TEST_APP_URL` name; `script/test`
//! starts one and sets both. Without them these tests fail and say so.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod access;
#[path = "../../../core/tests/rules/anything/mod.rs"]
mod anything;
mod app;
mod attack;
mod beeps;
mod breadth;
mod chaos;
mod comes_back;
mod contract;
mod corrections;
mod doors;
mod everything;
mod fuzz;
mod group_visits;
mod groups;
mod guard;
mod isolation;
mod job;
mod line;
mod lists;
mod live;
mod offline;
mod partners;
mod photos;
mod points;
mod protocols;
mod release;
#[path = "../../../core/tests/rules/screen/mod.rs"]
mod screen;
mod screens;
mod self_entry;
mod sessions;
mod together;
mod trouble;
mod visits;
mod weighing;
