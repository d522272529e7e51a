//! Bytes to core types and back: the batch interface, the calendar, a ride's recording.

pub mod batch;
pub mod calendar;
pub mod photo;
pub mod practice;
pub mod ride;
pub mod table;
