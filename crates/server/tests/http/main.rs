//! The interface as a client uses it: a real server on a fresh database of a real PostgreSQL.
//!
//! The databases are made in the cluster that `IMPULSO_TEST_OWNER_URL` and `IMPULSO_TEST_APP_URL` name; `script/test`
//! starts one and sets both. Without them these tests fail and say so.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod app;
mod attack;
mod beeps;
mod breadth;
mod chaos;
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
mod self_entry;
mod sessions;
mod together;
mod trouble;
mod visits;
mod weighing;
