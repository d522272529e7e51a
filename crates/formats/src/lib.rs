//! Bytes to core types and back: the batch interface, the calendar, a strap's notifications, a ride's recording.

pub mod batch;
pub mod calendar;
pub mod heart_rate;
pub mod photo;
pub mod practice;
pub mod ride;
pub mod table;
