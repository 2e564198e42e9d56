//! What a site's widget is meant to do beyond its design, each value as one line of text: a cell of
//! a spreadsheet, a change of many sites, a comparison of what two people saved.

use super::of_site::in_word;
use super::{ClosedDay, Day, Expectation, Hours, Opens, OutsideHours, TimeOfDay, Widget};
use crate::channel::{Addresses, Channel, ChannelKind};
use crate::profile::Supplier;
use crate::site::SiteFields;
use serde::de::DeserializeOwned;

/// The longest delay after a page load, s.
const MOST_DELAY: f64 = 86_400.0;

macro_rules! fields {
    ($($variant:ident $heading:literal $label:literal $example:literal;)*) => {
        /// One value of what a widget is meant to do.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        #[allow(missing_docs)]
        pub enum IntendedField { $($variant,)* }

        impl IntendedField {
            /// Every value, in the order of the spreadsheet.
            pub const ALL: &'static [IntendedField] = &[$(IntendedField::$variant,)*];

            /// Returns its heading in spreadsheets and its name in forms.
            pub fn heading(self) -> &'static str {
                match self { $(IntendedField::$variant => $heading,)* }
            }

            /// Returns its name for people.
            pub fn label(self) -> &'static str {
                match self { $(IntendedField::$variant => $label,)* }
            }

            /// Returns a line that it takes.
            pub fn example(self) -> &'static str {
                match self { $(IntendedField::$variant => $example,)* }
            }
        }
    };
}

fields! {
    Hours "hours" "Hours" "mon-fri 9:00-17:30; sat 10:00-14:00";
    Closed "closed_days" "Closed days" "2026-12-25; 2026-12-26";
    OutsideHours "outside_hours" "Outside hours" "message or hide";
    Opens "opens" "Opens in" "page or window";
    Delay "delay" "Delay after page load" "5 s or 2 min";
    Channels "channels" "Channels" "phone +44 1632 960 123; mail desk@tidemill.example";
}

/// Value that a widget cannot take, and why.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{}: {why}", field.heading())]
pub struct IntendedError {
    /// Value with the mistake.
    pub field: IntendedField,
    /// Reason, as a clause for people.
    pub why: String,
}

impl IntendedField {
    /// Returns the value of a widget as one line.
    pub fn get(self, widget: &Widget) -> String {
        match self {
            IntendedField::Hours => joined(widget.hours.iter().map(shift_line)),
            IntendedField::Closed => joined(widget.closed.iter().map(|c| c.on.into())),
            IntendedField::OutsideHours => in_word(&widget.outside_hours),
            IntendedField::Opens => in_word(&widget.opens),
            IntendedField::Delay => widget.delay_s.map(delay_line).unwrap_or_default(),
            IntendedField::Channels => {
                let line = |c: &Channel| format!("{} {}", c.kind.word(), c.target);
                joined(widget.channels.iter().map(line))
            }
        }
    }

    /// Sets the value of a widget from a line as people type it; empty is as usual. `addresses` are
    /// those of the supplier's services.
    ///
    /// # Errors
    /// Reason, as a clause for people; the widget keeps its value.
    ///
    /// ```
    /// use newtfern_model::channel::Addresses;
    /// use newtfern_model::expectation::{IntendedField, Widget};
    /// let (mut widget, none) = (Widget::of("brindle", "mill-2"), Addresses::new());
    /// IntendedField::Hours.set(&mut widget, "Mon\u{2013}Fri 9:00\u{2013}17:30", &none).unwrap();
    /// assert_eq!(IntendedField::Hours.get(&widget), "mon-fri 09:00-17:30");
    /// let why = IntendedField::Hours.set(&mut widget, "weekdays", &none).unwrap_err();
    /// assert!(why.contains("mon-fri 9:00-17:30"));
    /// ```
    pub fn set(
        self,
        widget: &mut Widget,
        typed: &str,
        addresses: &Addresses,
    ) -> Result<(), String> {
        match self {
            IntendedField::Hours => widget.hours = read_hours(typed)?,
            IntendedField::Closed => widget.closed = read_closed(typed)?,
            IntendedField::OutsideHours => {
                widget.outside_hours = one_of::<OutsideHours>(typed, self.example())?;
            }
            IntendedField::Opens => widget.opens = one_of::<Opens>(typed, self.example())?,
            IntendedField::Delay => widget.delay_s = read_delay(typed)?,
            IntendedField::Channels => widget.channels = read_channels(typed, addresses)?,
        }
        Ok(())
    }
}

fn joined(lines: impl Iterator<Item = String>) -> String {
    lines.collect::<Vec<String>>().join("; ")
}

/// Parts of a list, without blanks around them.
fn parts(typed: &str) -> impl Iterator<Item = &str> {
    let parts = typed.split([';', '\n']).map(str::trim);
    parts.filter(|p| !p.is_empty())
}

fn one_of<T: DeserializeOwned + Default>(typed: &str, words: &str) -> Result<T, String> {
    match typed.trim().to_lowercase().as_str() {
        "" => Ok(T::default()),
        word => serde_json::from_value(word.into())
            .map_err(|_| format!("\u{201c}{typed}\u{201d} is unknown: write {words}")),
    }
}

/// Days that follow each other as a range, where there are three or more.
fn days_line(days: &[Day]) -> String {
    let mut sorted = days.to_vec();
    sorted.sort();
    sorted.dedup();
    let mut out: Vec<String> = Vec::new();
    let mut rest = sorted.as_slice();
    while let Some(first) = rest.first() {
        let follows = |n: &usize| rest[*n] as usize == *first as usize + n;
        let run = (1..rest.len()).take_while(follows).count() + 1;
        let (these, others) = rest.split_at(run);
        match these {
            [first, _, .., last] => out.push(format!("{}-{}", first.word(), last.word())),
            few => out.extend(few.iter().map(|d| d.word().to_string())),
        }
        rest = others;
    }
    out.join(", ")
}

fn shift_line(hours: &Hours) -> String {
    let (from, to) = (String::from(hours.from), String::from(hours.to));
    format!("{} {from}-{to}", days_line(&hours.days))
}

/// Dashes of all lengths, and the word for them.
fn with_hyphens(typed: &str) -> String {
    let dashes = ['\u{2010}', '\u{2011}', '\u{2012}', '\u{2013}', '\u{2014}'];
    let lower = typed.to_lowercase().replace(dashes, "-");
    let words = lower.split_whitespace().map(|w| match w {
        "to" | "until" => "-",
        other => other,
    });
    let one = words.collect::<Vec<&str>>().join(" ");
    one.replace(" -", "-").replace("- ", "-")
}

fn day_of(word: &str) -> Result<Day, String> {
    let names = [
        "monday",
        "tuesday",
        "wednesday",
        "thursday",
        "friday",
        "saturday",
        "sunday",
    ];
    let bare = word.trim_end_matches('.');
    let at = names
        .iter()
        .position(|n| bare.len() >= 3 && n.starts_with(bare));
    let day = at.and_then(|i| Day::ALL.get(i)).copied();
    day.ok_or_else(|| format!("\u{201c}{word}\u{201d} is not a day of the week, such as mon"))
}

fn days_of(typed: &str) -> Result<Vec<Day>, String> {
    if matches!(typed, "daily" | "every day") {
        return Ok(Day::ALL.to_vec());
    }
    let mut out = Vec::new();
    for part in typed.split([',', ' ', '&']).filter(|p| !p.is_empty()) {
        match part.split_once('-') {
            None => out.push(day_of(part)?),
            Some((from, to)) => {
                let (from, to) = (day_of(from)? as usize, day_of(to)? as usize);
                // From Saturday to Monday runs over the end of the week.
                let last = if to < from { to + 7 } else { to };
                out.extend((from..=last).map(|d| Day::ALL[d % 7]));
            }
        }
    }
    out.sort();
    out.dedup();
    Ok(out)
}

fn shift_of(typed: &str) -> Result<Hours, String> {
    let one = with_hyphens(typed);
    let told = || {
        format!(
            "\u{201c}{typed}\u{201d} is no shift: write days and times, such as mon-fri 9:00-17:30"
        )
    };
    let at = one.find(|c: char| c.is_ascii_digit()).ok_or_else(told)?;
    let (days, times) = one.split_at(at);
    let (from, to) = times.split_once('-').ok_or_else(told)?;
    let time = |text: &str| TimeOfDay::try_from(text.trim().to_string());
    let days = days.trim_matches([' ', ',', ':']);
    if days.is_empty() {
        return Err(told());
    }
    let hours = Hours {
        days: days_of(days)?,
        from: time(from)?,
        to: time(to)?,
    };
    hours.sound()?;
    Ok(hours)
}

fn read_hours(typed: &str) -> Result<Vec<Hours>, String> {
    parts(typed).map(shift_of).collect()
}

fn read_closed(typed: &str) -> Result<Vec<ClosedDay>, String> {
    let days = typed.split([';', ',', ' ', '\n', '\r', '\t']);
    let days = days.filter(|d| !d.is_empty());
    let day = |text: &str| {
        Ok(ClosedDay {
            on: text.to_string().try_into()?,
        })
    };
    days.map(day).collect()
}

/// Seconds as people say them.
fn delay_line(seconds: f64) -> String {
    match seconds >= 60.0 && seconds % 60.0 == 0.0 {
        true => format!("{} min", seconds / 60.0),
        false => format!("{seconds} s"),
    }
}

/// Reads a delay in seconds, minutes or hours; empty where nobody asks for one.
///
/// # Errors
/// Reason, as a clause for people.
pub fn read_delay(typed: &str) -> Result<Option<f64>, String> {
    let lower = typed.trim().to_lowercase();
    if lower.is_empty() {
        return Ok(None);
    }
    let told = || {
        format!(
            "\u{201c}{}\u{201d} is no delay: write seconds or minutes, such as 5 s or 2 min",
            typed.trim()
        )
    };
    let unit_at = lower
        .find(|c: char| c.is_alphabetic())
        .unwrap_or(lower.len());
    let (number, unit) = lower.split_at(unit_at);
    let number: f64 = number
        .trim()
        .replace(',', ".")
        .parse()
        .map_err(|_| told())?;
    let times = match unit.trim_end_matches('.') {
        "" | "s" | "sec" | "secs" | "second" | "seconds" => 1.0,
        "m" | "min" | "mins" | "minute" | "minutes" => 60.0,
        "h" | "hour" | "hours" => 3_600.0,
        _ => return Err(told()),
    };
    let seconds = number * times;
    match (0.0..=MOST_DELAY).contains(&seconds) {
        true => Ok(Some(seconds)),
        false => Err(format!(
            "\u{201c}{}\u{201d} is not from 0 s to 24 h",
            typed.trim()
        )),
    }
}

/// Kind and target at the beginning of a channel's line.
fn kind_of(part: &str) -> Option<(ChannelKind, &str)> {
    let (word, target) = part.split_once([' ', '\t']).unwrap_or((part, ""));
    let named = word.trim_end_matches(':').to_lowercase();
    let kind = ChannelKind::ALL.into_iter().find(|k| k.word() == named)?;
    Some((kind, target.trim()))
}

fn read_channels(typed: &str, addresses: &Addresses) -> Result<Vec<Channel>, String> {
    let mut out: Vec<(ChannelKind, String)> = Vec::new();
    for part in parts(typed) {
        match (kind_of(part), out.last_mut()) {
            (Some((kind, target)), _) => out.push((kind, target.to_string())),
            // A link may hold the sign that stands between two channels (RFC 3966, section 3).
            (None, Some((_, target))) => *target = format!("{target};{part}"),
            (None, None) => {
                let kinds: Vec<&str> = ChannelKind::ALL.iter().map(|k| k.word()).collect();
                return Err(format!(
                    "\u{201c}{part}\u{201d} does not begin with the kind of a channel: write {}, \
                    then its target",
                    kinds.join(", ")
                ));
            }
        }
    }
    let channel = |(kind, target)| Channel { kind, target }.at(addresses);
    out.into_iter().map(channel).collect()
}

/// Returns a site's expectation with these values of its first widget; none where all of them are
/// so already. `beyond` is the file that is kept beside the site's fields; `supplier` the
/// one that they name, whose services have addresses.
///
/// # Errors
/// [`IntendedError`] with the value that cannot be taken.
pub fn with_intended<'a>(
    fields: &SiteFields,
    beyond: &str,
    values: impl IntoIterator<Item = (IntendedField, &'a str)>,
    supplier: Option<&Supplier>,
) -> Result<Option<String>, IntendedError> {
    let none = Addresses::new();
    let addresses = supplier.map_or(&none, |s| &s.channels.addresses);
    let kept = Expectation::kept(beyond).ok();
    let mut file = Expectation::of_site(fields, kept.as_ref());
    let mut changed = false;
    for (field, typed) in values {
        let fail = |why: String| IntendedError { field, why };
        let Some(widget) = file.widgets.first_mut() else {
            if typed.trim().is_empty() {
                continue;
            }
            return Err(fail("choose a supplier for the site first".into()));
        };
        let before = field.get(widget);
        if before == typed {
            continue;
        }
        field.set(widget, typed, addresses).map_err(fail)?;
        changed |= field.get(widget) != before;
    }
    Ok(changed.then(|| file.write()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn set(field: IntendedField, typed: &str) -> Result<String, String> {
        let messaging = "https://m.example/{{handle}}".to_string();
        let addresses = Addresses::from([(ChannelKind::Messaging, messaging)]);
        let mut widget = Widget::of("brindle", "mill-2");
        field.set(&mut widget, typed, &addresses)?;
        // What is written is read as the same again.
        let line = field.get(&widget);
        let mut again = Widget::of("brindle", "mill-2");
        field.set(&mut again, &line, &addresses)?;
        assert_eq!(again, widget, "{line}");
        Ok(line)
    }

    #[test]
    fn hours_are_read_as_people_write_them() {
        for (typed, line) in [
            ("", ""),
            ("mon-fri 9:00-17:30", "mon-fri 09:00-17:30"),
            ("Mon\u{2013}Fri 09:00 \u{2013} 17:30", "mon-fri 09:00-17:30"),
            ("Monday to Friday: 9:00 to 17:30", "mon-fri 09:00-17:30"),
            (
                "tue, thu 8:00-24:00; sat 10:00-14:00",
                "tue, thu 08:00-24:00; sat 10:00-14:00",
            ),
            ("fri, sat, sun, mon 22:00-2:00", "mon, fri-sun 22:00-02:00"),
            ("sat-mon 10:00-12:00", "mon, sat, sun 10:00-12:00"),
            ("daily 0:00-24:00", "mon-sun 00:00-24:00"),
            (
                "wed 9:00-12:00\nwed 13:00-17:00",
                "wed 09:00-12:00; wed 13:00-17:00",
            ),
        ] {
            assert_eq!(
                set(IntendedField::Hours, typed).as_deref(),
                Ok(line),
                "{typed}"
            );
        }
        for (typed, told) in [
            ("weekdays", "is no shift"),
            ("9:00-17:00", "is no shift"),
            ("mon 9:00", "is no shift"),
            ("mon 9-17", "not a time of day"),
            ("mon 25:00-26:00", "not a time of day"),
            ("moon 9:00-17:00", "not a day of the week"),
            ("mon 9:00-9:00", "are the same"),
            ("mon 24:00-3:00", "from cannot be 24:00"),
        ] {
            let why = set(IntendedField::Hours, typed).unwrap_err();
            assert!(why.contains(told), "{typed}: {why}");
        }
    }

    #[test]
    fn delays_have_units_and_a_bound() {
        for (typed, line) in [
            ("", ""),
            ("5", "5 s"),
            ("0", "0 s"),
            ("2,5 s", "2.5 s"),
            ("90 seconds", "90 s"),
            ("120", "2 min"),
            ("2 min", "2 min"),
            ("1 h", "60 min"),
        ] {
            assert_eq!(
                set(IntendedField::Delay, typed).as_deref(),
                Ok(line),
                "{typed}"
            );
        }
        for typed in ["soon", "5 days", "-1", "25 h", "NaN", "inf", "1e9"] {
            assert!(set(IntendedField::Delay, typed).is_err(), "{typed}");
        }
    }

    #[test]
    fn channels_are_kept_as_the_links_that_they_mean() {
        for (typed, line) in [
            (
                "phone +44 1632 960 123; mail desk@tidemill.example",
                "phone tel:+441632960123; mail mailto:desk@tidemill.example",
            ),
            (
                "Messaging: @tide-mill",
                "messaging https://m.example/tide-mill",
            ),
            (
                "phone tel:+441632960123;ext=12",
                "phone tel:+441632960123;ext=12",
            ),
        ] {
            assert_eq!(
                set(IntendedField::Channels, typed).as_deref(),
                Ok(line),
                "{typed}"
            );
        }
        for (typed, told) in [
            ("+44 1632 960 123", "kind of a channel"),
            ("phone 960123", "country"),
            ("phone", "country"),
        ] {
            let why = set(IntendedField::Channels, typed).unwrap_err();
            assert!(why.contains(told), "{typed}: {why}");
        }
    }

    #[test]
    fn words_and_days_are_the_files() {
        assert_eq!(
            set(IntendedField::OutsideHours, "Hide").as_deref(),
            Ok("hide")
        );
        assert_eq!(
            set(IntendedField::OutsideHours, "").as_deref(),
            Ok("message")
        );
        assert!(
            set(IntendedField::Opens, "tab")
                .unwrap_err()
                .contains("page or window")
        );
        let days = set(IntendedField::Closed, "2026-12-25, 2026-12-26");
        assert_eq!(days.as_deref(), Ok("2026-12-25; 2026-12-26"));
        assert!(set(IntendedField::Closed, "25.12.2026").is_err());
    }

    #[test]
    fn each_value_takes_its_own_example() {
        for field in IntendedField::ALL {
            let lines = field.example().split(" or ");
            for line in lines {
                assert!(set(*field, line).is_ok(), "{}: {line}", field.label());
            }
        }
    }

    #[test]
    fn a_site_keeps_the_rest_of_its_file() {
        let mut fields = SiteFields {
            url: "https://www.kites.example/".into(),
            supplier_id: Some("brindle".into()),
            key: "mill-2".into(),
            ..SiteFields::default()
        };
        let hours = [(IntendedField::Hours, "mon-fri 9:00-17:00")];
        let file = with_intended(&fields, "", hours, None).unwrap().unwrap();
        let delay = [(IntendedField::Delay, "5")];
        let file = with_intended(&fields, &file, delay, None).unwrap().unwrap();
        let widget = &Expectation::read(&file).unwrap().widgets[0];
        assert_eq!((widget.hours.len(), widget.delay_s), (1, Some(5.0)));
        // The same again is no change.
        assert_eq!(with_intended(&fields, &file, delay, None), Ok(None));
        fields.supplier_id = None;
        let told = with_intended(&fields, &file, hours, None).unwrap_err();
        assert!(
            told.to_string().contains("hours: choose a supplier"),
            "{told}"
        );
        let nothing = [(IntendedField::Hours, "")];
        assert_eq!(with_intended(&fields, &file, nothing, None), Ok(None));
    }
}
