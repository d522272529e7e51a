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
        calendar.push(event(appointment, stamped));
    }
    calendar.to_string()
}

/// The same in parts, for a file of any length: the head, appointments as often as there are more, and the [`foot`].
pub fn head(name: &str) -> String {
    let empty = Calendar::new().name(name).to_string();
    empty.strip_suffix(FOOT).unwrap_or(&empty).to_owned()
}

/// A part of the file between [`head`] and [`foot`].
pub fn part(appointments: &[Appointment], stamped: DateTime<Utc>) -> String {
    appointments.iter().filter_map(|a| event(a, stamped).try_into_string().ok()).collect()
}

/// The end of the file.
pub const fn foot() -> &'static str {
    FOOT
}

const FOOT: &str = "END:VCALENDAR\r\n";

fn event(appointment: &Appointment, stamped: DateTime<Utc>) -> Event {
    Event::new()
        .uid(&format!("{}@impulso", appointment.uid))
        .timestamp(stamped)
        .all_day(appointment.on)
        .summary(&appointment.summary)
        .description(&appointment.description)
        .status(EventStatus::Confirmed)
        .alarm(
            Alarm::display(&appointment.summary, -chrono::Duration::hours(24)).uid(&format!("{}-reminder@impulso", appointment.uid)).done(),
        )
        .done()
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
    fn the_parts_make_the_whole() {
        let appointments: Vec<Appointment> = (0..3)
            .map(|k| Appointment {
                uid: Uuid::from_u128(k),
                on: NaiveDate::from_ymd_opt(2027, 1, 4).unwrap(),
                summary: format!("Retest {k}"),
                description: "Same place".into(),
            })
            .collect();
        let stamped = DateTime::UNIX_EPOCH;
        let parts = format!("{}{}{}{}", head("Retests"), part(&appointments[..2], stamped), part(&appointments[2..], stamped), foot());
        assert_eq!(parts, write("Retests", &appointments, stamped));
    }

    #[test]
    fn an_empty_calendar_is_a_calendar() {
        assert!(write("Retests", &[], DateTime::UNIX_EPOCH).trim_end().ends_with("END:VCALENDAR"));
    }
}
