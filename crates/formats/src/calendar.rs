//! iCalendar (RFC 5545): retests that any calendar can show.

use chrono::{DateTime, NaiveDate, Utc};
use icalendar::{Alarm, Calendar, Component, Event, EventLike, EventStatus};
use uuid::Uuid;

/// One retest as a calendar shows it.
#[derive(Debug, Clone)]
pub struct Appointment {
    /// Stays the same across exports, so that an update replaces and does not double.
    pub uid: Uuid,
    /// The day.
    pub on: NaiveDate,
    /// The heading.
    pub summary: String,
    /// What to know.
    pub description: String,
}

/// Writes appointments as an iCalendar file: all-day events with a reminder the day before.
pub fn write(name: &str, appointments: &[Appointment], stamped: DateTime<Utc>) -> String {
    let mut calendar = Calendar::new();
    calendar.name(name);
    for appointment in appointments {
        let mut event = Event::new();
        event
            .uid(&format!("{}@impulso", appointment.uid))
            .timestamp(stamped)
            .all_day(appointment.on)
            .summary(&appointment.summary)
            .description(&appointment.description)
            .status(EventStatus::Confirmed)
            .alarm(
                Alarm::display(&appointment.summary, -chrono::Duration::hours(24))
                    .uid(&format!("{}-reminder@impulso", appointment.uid))
                    .done(),
            );
        calendar.push(event.done());
    }
    calendar.to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use icalendar::parser::{read_calendar, unfold};

    #[test]
    fn what_is_written_can_be_read_back() {
        let on = NaiveDate::from_ymd_opt(2027, 1, 4).unwrap();
        let summary = "Retest, 3-minute bench step: Ødegård; Lía, lock 4";
        let text = write(
            "Retests",
            &[Appointment { uid: Uuid::from_u128(5), on, summary: summary.into(), description: "Bench 41.3 cm\nSame place".into() }],
            DateTime::UNIX_EPOCH,
        );
        assert!(text.starts_with("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n"), "{text}");
        assert!(text.lines().all(|l| l.len() <= 75), "folded at 75 octets");
        let unfolded = unfold(&text);
        let parsed = read_calendar(&unfolded).unwrap();
        let event = parsed.components.iter().find(|c| c.name == "VEVENT").unwrap();
        assert_eq!(event.find_prop("DTSTART").unwrap().val.as_str(), "20270104");
        assert_eq!(event.find_prop("SUMMARY").unwrap().val.as_str().replace("\\,", ",").replace("\\;", ";"), summary);
        assert_eq!(event.find_prop("UID").unwrap().val.as_str(), "00000000-0000-0000-0000-000000000005@impulso");
    }

    #[test]
    fn an_empty_calendar_is_a_calendar() {
        assert!(write("Retests", &[], DateTime::UNIX_EPOCH).trim_end().ends_with("END:VCALENDAR"));
    }
}
