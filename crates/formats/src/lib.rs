//! Bytes to core types and back: the batch interface and the calendar.

pub mod batch;
pub mod calendar;
pub mod heart_rate;
