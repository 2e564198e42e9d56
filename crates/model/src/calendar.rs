//! Hours and the days without them as iCalendar files (RFC 5545): public holidays come in, hours go
//! out.

use crate::expectation::{CalendarDay, ClosedDay, Day, Hours};
use icalendar::{Calendar, Component, DatePerhapsTime, Event, EventLike, Property};
use jiff::civil::{Date, date};
use std::collections::BTreeSet;
use std::fmt::Display;

/// Days that one file may bring.
const MOST_DAYS: usize = 400;
/// Times that one entry may repeat.
const MOST_REPEATS: u16 = 5_000;
/// Entries of one file that repeat by a rule.
const MOST_RULES: usize = 500;
/// Components inside components. A calendar holds events and they hold alarms: three (RFC 5545,
/// 3.6). The reader behind it calls itself for each.
const DEEPEST: usize = 8;
/// A file of more is no list of holidays.
const MOST_BYTES: usize = 1_000_000;

/// Reason why a file is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CalendarError {
    /// The file cannot be read.
    #[error("the file is not an iCalendar file (RFC 5545): {0}")]
    Syntax(String),
    /// The file is too large.
    #[error("the file has more than a megabyte: give a calendar of holidays alone")]
    Large,
    /// Components stand inside components without end.
    #[error("the file has components inside components, deeper than a calendar goes")]
    Deep,
    /// A rule of repetition that cannot be followed.
    #[error("the entry \u{201c}{0}\u{201d} repeats by a rule that cannot be followed")]
    Rule(String),
    /// More recurring entries than are followed.
    #[error(
        "the file has more than {MOST_RULES} entries that repeat: give a calendar of holidays alone"
    )]
    Rules,
    /// The time for it is over.
    #[error("the rules of the file take too long to follow: give a calendar of holidays alone")]
    Slow,
    /// The file has no day of use.
    #[error(
        "the file has no whole day between {0} and {1}: days without hours are entries without a \
        time"
    )]
    Nothing(String, String),
    /// More than are sensible.
    #[error("the file has more than 400 days: give a calendar of holidays alone")]
    Many,
}

/// Closed days that a file brings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Holidays {
    /// Days, each once, in their order.
    pub days: Vec<ClosedDay>,
    /// Entries with a time of day: they are no whole days, and were passed over.
    pub timed: usize,
}

/// Returns the whole days of a file from a day on, until another (not included). Repetition and
/// exceptions are followed; what is cancelled is left out. `may_go_on` is asked before each entry.
///
/// # Errors
/// [`CalendarError`], where the file cannot be read or brings nothing.
///
/// ```
/// use newtfern_model::calendar::holidays;
/// let file = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y\r\nBEGIN:VEVENT\r\nUID:1\r\n\
///     DTSTART;VALUE=DATE:20261225\r\nDTEND;VALUE=DATE:20261227\r\n\
///     END:VEVENT\r\nEND:VCALENDAR\r\n";
/// let (from, until) = ("2026-01-01".parse().unwrap(), "2028-01-01".parse().unwrap());
/// let read = holidays(file, from, until, &|| true).unwrap();
/// let days: Vec<String> = read.days.iter().map(|d| String::from(d.on)).collect();
/// assert_eq!(days, ["2026-12-25", "2026-12-26"]);
/// ```
pub fn holidays(
    text: &str,
    from: Date,
    until: Date,
    may_go_on: &dyn Fn() -> bool,
) -> Result<Holidays, CalendarError> {
    if text.len() > MOST_BYTES {
        return Err(CalendarError::Large);
    }
    if depth(text) > DEEPEST {
        return Err(CalendarError::Deep);
    }
    let calendar: Calendar = text.parse().map_err(CalendarError::Syntax)?;
    let repeats = |e: &&Event| e.property_value("RRULE").is_some();
    if calendar.events().filter(repeats).count() > MOST_RULES {
        return Err(CalendarError::Rules);
    }
    let mut days = BTreeSet::new();
    let mut timed = 0;
    for event in calendar.events() {
        if !may_go_on() {
            return Err(CalendarError::Slow);
        }
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
        for first in starts(event, start, until)? {
            for n in 0..length {
                let day = first.checked_add(jiff::Span::new().days(n));
                let inside = day.into_iter().filter(|d| (from..until).contains(d));
                days.extend(inside);
            }
        }
        if days.len() > MOST_DAYS {
            return Err(CalendarError::Many);
        }
    }
    if days.is_empty() {
        return Err(CalendarError::Nothing(from.to_string(), until.to_string()));
    }
    let closed = |d: Date| ClosedDay {
        on: CalendarDay::of(d),
    };
    Ok(Holidays {
        days: days.into_iter().map(closed).collect(),
        timed,
    })
}

/// The most components that are open at one line (RFC 5545, 3.1: a line that begins with a blank
/// goes on with the one before it).
fn depth(text: &str) -> usize {
    let whole: String = ["\r\n ", "\n ", "\r\n\t", "\n\t"]
        .iter()
        .fold(text.to_string(), |text, fold| text.replace(fold, ""));
    let begins = |line: &str, word: &str| {
        let head = line.get(..word.len());
        head.is_some_and(|h| h.eq_ignore_ascii_case(word))
    };
    let (mut open, mut deepest) = (0_usize, 0);
    for line in whole.split(['\r', '\n']) {
        if begins(line, "BEGIN:") {
            open += 1;
            deepest = deepest.max(open);
        } else if begins(line, "END:") {
            open = open.saturating_sub(1);
        }
    }
    deepest
}

/// The days before `until` on which an entry begins.
fn starts(event: &Event, start: impl Display, until: Date) -> Result<Vec<Date>, CalendarError> {
    if event.property_value("RRULE").is_none() && event.multi_properties().is_empty() {
        return Ok(civil(start).into_iter().collect());
    }
    let odd = || CalendarError::Rule(event.get_summary().unwrap_or_default().to_string());
    let rule = event.property_value("RRULE").unwrap_or_default();
    // RFC 5545, 3.3.10: an entry of whole days repeats by no part of a day.
    let part_of_a_day = [
        "SECONDLY", "MINUTELY", "HOURLY", "BYHOUR", "BYMINUTE", "BYSECOND",
    ];
    if part_of_a_day
        .iter()
        .any(|p| rule.to_ascii_uppercase().contains(p))
    {
        return Err(odd());
    }
    let set = event.get_recurrence().map_err(|_| odd())?.limit();
    let mut out = Vec::new();
    for at in set.into_iter().take(usize::from(MOST_REPEATS)) {
        let Some(day) = civil(at.naive_local().date()) else {
            continue;
        };
        if day >= until {
            return Ok(out);
        }
        out.push(day);
    }
    match out.len() {
        // A rule that no day fits is a mistake, and following it takes long.
        0 => Err(odd()),
        n if n >= usize::from(MOST_REPEATS) => Err(odd()),
        _ => Ok(out),
    }
}

fn civil(day: impl Display) -> Option<Date> {
    day.to_string().parse().ok()
}

/// Hours and the days without them as a file: an entry a shift, repeated by the week, and one a
/// day. `stamp` is the instant of writing.
pub fn written(
    name: &str,
    hours: &[Hours],
    closed: &[ClosedDay],
    time_zone: &str,
    stamp: &str,
) -> String {
    let mut calendar = Calendar::new();
    // A line end in a name would begin a line of its own (RFC 5545, 3.1).
    let plain = name.replace(char::is_control, " ");
    calendar.name(&plain).timezone(time_zone);
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

fn of_shift(n: usize, shift: &Hours, closed: &[ClosedDay], zone: &str, stamp: &str) -> Event {
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
        holidays(&file(events), date(2026, 1, 1), date(2028, 1, 1), &|| true)
    }

    fn days(read: &Holidays) -> Vec<String> {
        read.days.iter().map(|d| String::from(d.on)).collect()
    }

    #[test]
    fn yearly_days_exceptions_and_cancelled_ones_are_followed() {
        let told = read(
            "BEGIN:VEVENT\nUID:1\nSUMMARY:New \
            year\nDTSTART;VALUE=DATE:20200101\nRRULE:FREQ=YEARLY\nEXDATE;VALUE=DATE:20270101\n\
            END:VEVENT\nBEGIN:VEVENT\nUID:2\nSTATUS:CANCELLED\nDTSTART;VALUE=DATE:20260504\n\
            END:VEVENT\nBEGIN:VEVENT\nUID:3\nDTSTART:20260505T100000Z\nEND:VEVENT\n",
        )
        .unwrap();
        assert_eq!(days(&told), ["2026-01-01"]);
        assert_eq!(told.timed, 1);
    }

    #[test]
    fn what_is_no_calendar_of_days_says_why() {
        let timed = read("BEGIN:VEVENT\nUID:3\nDTSTART:20260505T100000Z\nEND:VEVENT\n");
        assert!(timed.unwrap_err().to_string().contains("without a time"));
        let none = holidays("name,date\n", date(2026, 1, 1), date(2027, 1, 1), &|| true);
        assert!(none.unwrap_err().to_string().contains("RFC 5545"));
    }

    #[test]
    fn hours_go_out_as_weekly_entries_and_days_come_back() {
        let shift: Hours =
            toml::from_str("days = ['tue', 'fri']\nfrom = '22:00'\nto = '02:00'").unwrap();
        let closed: ClosedDay = toml::from_str("on = '2026-12-25'").unwrap();
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
        let back = holidays(&text, date(2026, 1, 1), date(2028, 1, 1), &|| true).unwrap();
        assert_eq!((back.days, back.timed), (vec![closed], 1));
    }

    #[test]
    fn components_inside_components_are_counted_before_they_are_read() {
        for n in [9, 1_000, 50_000] {
            let nested = "BEGIN:VEVENT\r\n".repeat(n);
            let told = holidays(&nested, date(2026, 1, 1), date(2028, 1, 1), &|| true);
            assert_eq!(told, Err(CalendarError::Deep), "{n}");
            // Folded, and in small letters.
            let folded = "beg\r\n in:VEVENT\n".repeat(n);
            let told = holidays(&folded, date(2026, 1, 1), date(2028, 1, 1), &|| true);
            assert_eq!(told, Err(CalendarError::Deep), "{n}");
        }
    }

    #[test]
    fn rules_are_followed_to_the_end_of_the_window_and_no_further() {
        let entry = |rule: &str| {
            read(&format!(
                "BEGIN:VEVENT\nUID:1\nSUMMARY:Odd \
                day\nDTSTART;VALUE=DATE:20260101\nRRULE:{rule}\nEND:VEVENT\n"
            ))
        };
        // RFC 5545, 3.3.10: parts of a day have no place in entries of whole days.
        for odd in [
            "FREQ=SECONDLY",
            "FREQ=HOURLY;BYMONTH=2",
            "FREQ=DAILY;BYHOUR=3",
        ] {
            assert_eq!(
                entry(odd),
                Err(CalendarError::Rule("Odd day".into())),
                "{odd}"
            );
        }
        // The 30th of February never comes.
        let never = entry("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30");
        assert_eq!(never, Err(CalendarError::Rule("Odd day".into())));
        // RFC 5545, 3.8.5.3: "Every Thanksgiving" has its like there, the fourth Thursday of
        // November.
        let told = entry("FREQ=YEARLY;BYMONTH=11;BYDAY=4TH").unwrap();
        assert_eq!(days(&told), ["2026-11-26", "2027-11-25"]);
    }

    #[test]
    fn rules_without_number_are_refused_and_the_time_is_asked_for() {
        let one =
            "BEGIN:VEVENT\nUID:1\nDTSTART;VALUE=DATE:20260101\nRRULE:FREQ=YEARLY\nEND:VEVENT\n";
        assert_eq!(read(&one.repeat(501)), Err(CalendarError::Rules));
        let asked = std::cell::Cell::new(0);
        let twice = || asked.replace(asked.get() + 1) < 2;
        let (from, until) = (date(2026, 1, 1), date(2028, 1, 1));
        let told = holidays(&file(&one.repeat(100)), from, until, &twice);
        assert_eq!((told, asked.get()), (Err(CalendarError::Slow), 3));
    }

    #[test]
    fn a_name_begins_no_line_of_its_own() {
        let name = "Kites\r\nBEGIN:VEVENT\nSUMMARY:Injected\r\nEND:VEVENT";
        let text = written(name, &[], &[], "Europe/London", "20261126T120000Z");
        assert!(
            !text
                .lines()
                .any(|l| l.starts_with("BEGIN:VEVENT") || l.starts_with("SUMMARY"))
        );
    }
}
