//! When a widget is staffed, as a file says it.

use serde::{Deserialize, Serialize};

/// Behaviour of a widget while nobody is there.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum OutsideHours {
    /// A form for messages stays.
    #[default]
    Message,
    /// The widget hides.
    Hide,
}

/// A day of the week.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs)]
pub enum Day {
    Mon,
    Tue,
    Wed,
    Thu,
    Fri,
    Sat,
    Sun,
}

impl Day {
    /// All of them, Monday first.
    pub const ALL: [Day; 7] = [
        Day::Mon,
        Day::Tue,
        Day::Wed,
        Day::Thu,
        Day::Fri,
        Day::Sat,
        Day::Sun,
    ];

    /// The word of the file.
    pub fn word(self) -> &'static str {
        match self {
            Day::Mon => "mon",
            Day::Tue => "tue",
            Day::Wed => "wed",
            Day::Thu => "thu",
            Day::Fri => "fri",
            Day::Sat => "sat",
            Day::Sun => "sun",
        }
    }
}

/// A time of day in minutes after midnight; `24:00` is the end of the day.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct TimeOfDay(u16);

impl TimeOfDay {
    /// Minutes after midnight, 0 to 1440.
    pub fn minutes(self) -> u16 {
        self.0
    }
}

impl TryFrom<String> for TimeOfDay {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        // People leave the first digit of an hour out; nobody means "9:5" by five past nine.
        let number = |part: &str, long: std::ops::RangeInclusive<usize>| {
            let digits = long.contains(&part.len()) && part.bytes().all(|b| b.is_ascii_digit());
            part.parse::<u16>().ok().filter(|_| digits)
        };
        let parts = text.split_once(':');
        let parts = parts.and_then(|(h, m)| Some((number(h, 1..=2)?, number(m, 2..=2)?)));
        match parts {
            Some((24, 0)) => Ok(TimeOfDay(1_440)),
            Some((h, m)) if h < 24 && m < 60 => Ok(TimeOfDay(h * 60 + m)),
            _ => Err(format!(
                "\u{201c}{text}\u{201d} is not a time of day, such as 09:00"
            )),
        }
    }
}

impl From<TimeOfDay> for String {
    fn from(time: TimeOfDay) -> String {
        format!("{:02}:{:02}", time.0 / 60, time.0 % 60)
    }
}

/// Hours in which the chat is staffed. Where `to` is before `from` they run over midnight.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Hours {
    /// Days on which it begins.
    pub days: Vec<Day>,
    /// First minute of the shift, as local wall time.
    pub from: TimeOfDay,
    /// End of the shift, as local wall time.
    pub to: TimeOfDay,
}

impl Hours {
    pub(super) fn sound(&self) -> Result<(), String> {
        if self.days.is_empty() {
            return Err("days is empty: name the days on which it is staffed".into());
        }
        if self.from == self.to {
            return Err("from and to are the same: for the whole day write 00:00 to 24:00".into());
        }
        if self.from.minutes() == 1_440 {
            return Err("from cannot be 24:00: write 00:00 of the next day".into());
        }
        Ok(())
    }
}

/// A day on which it is not staffed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ClosedDay {
    /// The day, as `2026-12-25`.
    pub on: CalendarDay,
}

/// A day of the Gregorian calendar (RFC 3339, full-date).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct CalendarDay {
    year: u16,
    month: u8,
    day: u8,
}

impl CalendarDay {
    /// Returns the day of a date, without its year.
    pub fn of(date: jiff::civil::Date) -> CalendarDay {
        CalendarDay {
            // Dates of the proleptic calendar before year 1 are nobody's holidays.
            year: u16::try_from(date.year()).unwrap_or_default(),
            month: date.month().unsigned_abs(),
            day: date.day().unsigned_abs(),
        }
    }
}

impl std::fmt::Display for Hours {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let days: Vec<&str> = self.days.iter().map(|d| d.word()).collect();
        let (from, to) = (String::from(self.from), String::from(self.to));
        write!(f, "{} {from} to {to}", days.join(", "))
    }
}

impl TryFrom<String> for CalendarDay {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        let none = || format!("\u{201c}{text}\u{201d} is not a day, such as 2026-12-25");
        // Read by the reader of TOML, which takes days as the standard writes them and no others.
        let read: toml::value::Datetime = text.parse().map_err(|_| none())?;
        match (read.date, read.time) {
            (Some(date), None) => Ok(CalendarDay {
                year: date.year,
                month: date.month,
                day: date.day,
            }),
            _ => Err(none()),
        }
    }
}

impl From<CalendarDay> for String {
    fn from(day: CalendarDay) -> String {
        format!("{:04}-{:02}-{:02}", day.year, day.month, day.day)
    }
}
