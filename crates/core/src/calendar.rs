//! Hours and the days without them as iCalendar files (RFC 5545): public holidays come in, hours go out.

use crate::expectation::{CalendarDay, Closed, Day, Hours};
use icalendar::{Calendar, Component, DatePerhapsTime, Event, EventLike, Property};
use jiff::civil::{Date, date};
use std::collections::BTreeSet;
use std::fmt::Display;

/// Days that one file may bring.
const MOST_DAYS: usize = 400;
/// Times that one entry may repeat.
const MOST_REPEATS: u16 = 1_000;
/// A file of more is no list of holidays.
const MOST_BYTES: usize = 1_000_000;

/// Why a file is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CalendarError {
    /// It cannot be read.
    #[error("the file is no iCalendar file (RFC 5545): {0}")]
    Syntax(String),
    /// It is too large.
    #[error("the file has more than a megabyte: give a calendar of holidays alone")]
    Large,
    /// A rule of repetition that cannot be followed.
    #[error("the entry \u{201c}{0}\u{201d} repeats by a rule that cannot be followed")]
    Rule(String),
    /// Nothing of use is in it.
    #[error(
        "the file has no whole day between {0} and {1}: days without hours are entries without a time"
    )]
    Nothing(String, String),
    /// More than are sensible.
    #[error("the file has more than 400 days: give a calendar of holidays alone")]
    Many,
}

/// What a file brings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Holidays {
    /// Days, each once, in their order.
    pub days: Vec<Closed>,
    /// Entries with a time of day: they are no whole days, and were passed over.
    pub timed: usize,
}

/// The whole days of a file from a day on, until another (not included). Repetition and exceptions are
/// followed; what is cancelled is left out.
///
/// # Errors
/// [`CalendarError`], where the file cannot be read or brings nothing.
///
/// ```
/// use newtfern_core::calendar::holidays;
/// let file = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y\r\nBEGIN:VEVENT\r\nUID:1\r\n\
///     DTSTART;VALUE=DATE:20261225\r\nDTEND;VALUE=DATE:20261227\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
/// let read = holidays(file, "2026-01-01".parse().unwrap(), "2028-01-01".parse().unwrap()).unwrap();
/// let days: Vec<String> = read.days.iter().map(|d| String::from(d.on)).collect();
/// assert_eq!(days, ["2026-12-25", "2026-12-26"]);
/// ```
pub fn holidays(text: &str, from: Date, until: Date) -> Result<Holidays, CalendarError> {
    if text.len() > MOST_BYTES {
        return Err(CalendarError::Large);
    }
    let calendar: Calendar = text.parse().map_err(CalendarError::Syntax)?;
    let mut days = BTreeSet::new();
    let mut timed = 0;
    for event in calendar.events() {
        if event.property_value("STATUS") == Some("CANCELLED") {
            continue;
        }
        let Some(DatePerhapsTime::Date(start)) = event.get_start() else {
            timed += 1;
            continue;
        };
        let length = match event.get_end() {
            Some(DatePerhapsTime::Date(end)) => (end - start).num_days().clamp(1, 60),
            _ => 1,
        };
        for first in starts(event, start)? {
            for n in 0..length {
                let day = first.checked_add(jiff::Span::new().days(n));
                let inside = day.into_iter().filter(|d| (from..until).contains(d));
                days.extend(inside);
            }
        }
    }
    if days.len() > MOST_DAYS {
        return Err(CalendarError::Many);
    }
    if days.is_empty() {
        return Err(CalendarError::Nothing(from.to_string(), until.to_string()));
    }
    let closed = |d: Date| Closed {
        on: CalendarDay::of(d),
    };
    Ok(Holidays {
        days: days.into_iter().map(closed).collect(),
        timed,
    })
}

/// The days on which an entry begins.
fn starts(event: &Event, start: impl Display) -> Result<Vec<Date>, CalendarError> {
    if event.property_value("RRULE").is_none() && event.multi_properties().is_empty() {
        return Ok(civil(start).into_iter().collect());
    }
    let name = || event.get_summary().unwrap_or_default().to_string();
    let set = event
        .get_recurrence()
        .map_err(|_| CalendarError::Rule(name()))?;
    let all = set.all(MOST_REPEATS).dates;
    Ok(all
        .iter()
        .filter_map(|at| civil(at.naive_local().date()))
        .collect())
}

fn civil(day: impl Display) -> Option<Date> {
    day.to_string().parse().ok()
}

/// Hours and the days without them as a file: an entry a shift, repeated by the week, and one a day.
/// `stamp` is the instant of writing.
pub fn written(
    name: &str,
    hours: &[Hours],
    closed: &[Closed],
    time_zone: &str,
    stamp: &str,
) -> String {
    let mut calendar = Calendar::new();
    calendar.name(name).timezone(time_zone);
    for (i, shift) in hours.iter().enumerate() {
        calendar.push(of_shift(i, shift, closed, time_zone, stamp));
    }
    for day in closed {
        let on = String::from(day.on);
        let plain = on.replace('-', "");
        let mut event = Event::new();
        event
            .uid(&format!("closed-{plain}@newtfern"))
            .summary("Nobody is there");
        event.append_property(stamped(stamp));
        event.append_property(date_property("DTSTART", &plain));
        calendar.push(event.done());
    }
    calendar.to_string()
}

fn stamped(stamp: &str) -> Property {
    Property::new("DTSTAMP", stamp)
}

fn date_property(name: &str, plain: &str) -> Property {
    let mut out = Property::new(name, plain);
    out.add_parameter("VALUE", "DATE");
    out
}

/// A Monday: shifts begin in its week.
const WEEK: Date = date(2024, 1, 1);

fn of_shift(n: usize, shift: &Hours, closed: &[Closed], zone: &str, stamp: &str) -> Event {
    let local = |day: Date, minutes: u16| {
        let day = day.checked_add(jiff::Span::new().days(i64::from(minutes / 1_440)));
        let day = day.unwrap_or(WEEK);
        let (h, m) = (minutes % 1_440 / 60, minutes % 60);
        format!("{}T{h:02}{m:02}00", day.to_string().replace('-', ""))
    };
    let zoned = |name: &str, value: String| {
        let mut out = Property::new(name, value);
        out.add_parameter("TZID", zone);
        out
    };
    let index = |d: &Day| *d as i64;
    let first = shift.days.iter().map(index).min().unwrap_or_default();
    let begin = WEEK
        .checked_add(jiff::Span::new().days(first))
        .unwrap_or(WEEK);
    let (from, to) = (shift.from.minutes(), shift.to.minutes());
    let to = if to <= from { to + 1_440 } else { to };
    let names = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];
    let days: Vec<&str> = shift.days.iter().map(|d| names[*d as usize]).collect();
    let mut event = Event::new();
    event
        .uid(&format!("shift-{}@newtfern", n + 1))
        .summary("Chat is staffed");
    event.append_property(stamped(stamp));
    event.append_property(zoned("DTSTART", local(begin, from)));
    event.append_property(zoned("DTEND", local(begin, to)));
    event.add_property("RRULE", format!("FREQ=WEEKLY;BYDAY={}", days.join(",")));
    // A shift belongs to the day on which it begins, and so do exceptions.
    for day in closed {
        let on: Option<Date> = String::from(day.on).parse().ok();
        if let Some(on) = on {
            event.append_multi_property(zoned("EXDATE", local(on, from)));
        }
    }
    event.done()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(events: &str) -> String {
        let lines = format!(
            "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Fenwick//Holidays//EN\n{events}END:VCALENDAR\n"
        );
        lines.replace('\n', "\r\n")
    }

    fn read(events: &str) -> Result<Holidays, CalendarError> {
        holidays(&file(events), date(2026, 1, 1), date(2028, 1, 1))
    }

    fn days(read: &Holidays) -> Vec<String> {
        read.days.iter().map(|d| String::from(d.on)).collect()
    }

    #[test]
    fn yearly_days_exceptions_and_cancelled_ones_are_followed() {
        let told = read(
            "BEGIN:VEVENT\nUID:1\nSUMMARY:New year\nDTSTART;VALUE=DATE:20200101\nRRULE:FREQ=YEARLY\nEXDATE;VALUE=DATE:20270101\nEND:VEVENT\nBEGIN:VEVENT\nUID:2\nSTATUS:CANCELLED\nDTSTART;VALUE=DATE:20260504\nEND:VEVENT\nBEGIN:VEVENT\nUID:3\nDTSTART:20260505T100000Z\nEND:VEVENT\n",
        )
        .unwrap();
        assert_eq!(days(&told), ["2026-01-01"]);
        assert_eq!(told.timed, 1);
    }

    #[test]
    fn what_is_no_calendar_of_days_says_why() {
        let timed = read("BEGIN:VEVENT\nUID:3\nDTSTART:20260505T100000Z\nEND:VEVENT\n");
        assert!(timed.unwrap_err().to_string().contains("without a time"));
        let none = holidays("name,date\n", date(2026, 1, 1), date(2027, 1, 1));
        assert!(none.unwrap_err().to_string().contains("RFC 5545"));
    }

    #[test]
    fn hours_go_out_as_weekly_entries_and_days_come_back() {
        let shift: Hours =
            toml::from_str("days = ['tue', 'fri']\nfrom = '22:00'\nto = '02:00'").unwrap();
        let closed: Closed = toml::from_str("on = '2026-12-25'").unwrap();
        let text = written(
            "Kites",
            &[shift],
            std::slice::from_ref(&closed),
            "Europe/London",
            "20261126T120000Z",
        );
        for line in [
            "DTSTART;TZID=Europe/London:20240102T220000",
            "DTEND;TZID=Europe/London:20240103T020000",
            "RRULE:FREQ=WEEKLY;BYDAY=TU,FR",
            "EXDATE;TZID=Europe/London:20261225T220000",
            "DTSTART;VALUE=DATE:20261225",
        ] {
            assert!(text.contains(line), "{line}\n{text}");
        }
        let back = holidays(&text, date(2026, 1, 1), date(2028, 1, 1)).unwrap();
        assert_eq!((back.days, back.timed), (vec![closed], 1));
    }
}
