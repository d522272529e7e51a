//! The rules of the job from outside: one program, so that what they share is built once.
#![allow(clippy::unwrap_used, clippy::panic)]

mod admission;
mod any_run;
mod anything;
mod attempts;
mod beeps;
mod catalogue;
mod checks;
mod effort;
mod heart_rate;
mod library;
mod partner;
mod run;
mod screen;
mod section_b;
mod sheet;
mod staged;
mod strap_bytes;
mod usual;
mod watched;
