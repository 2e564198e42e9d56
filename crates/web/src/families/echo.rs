//! The echo test: its times, the page that the console named, and the widget with the answer.

use super::Cell;
use askama::Template;
use newtfern_acts::store::checks::Drawing;
use newtfern_core::echo::{Mail, Seen, Tidied};
use newtfern_core::family::Detail;

fn seconds(ms: f64) -> String {
    format!("{:.2} s", ms / 1000.0)
}

pub fn cell(seen: &Seen) -> Cell {
    let note = match (seen.at_console_ms, seen.answer_seen_ms) {
        (Some(a), Some(b)) => format!("there {} \u{b7} answered {}", seconds(a), seconds(b)),
        _ if seen.by_hand.is_some() && seen.was_answered() => "there and back, by hand".into(),
        (Some(a), None) if seen.left_a_message => format!("left, there {}", seconds(a)),
        _ => seen.stopped.clone(),
    };
    Cell {
        note,
        ..Cell::default()
    }
}

#[derive(Template)]
#[template(path = "family/echo.html")]
struct Section<'a> {
    site: i64,
    /// Blob of the picture at the end.
    picture: Option<&'a String>,
    /// What was seen, a name and its words each.
    rows: Vec<(&'static str, String)>,
}

fn rows(seen: &Seen) -> Vec<(&'static str, String)> {
    let times = [
        ("Seen at the console", seen.at_console_ms),
        ("Answered there", seen.answered_ms),
        ("Answer seen in the widget", seen.answer_seen_ms),
    ];
    let mut out = vec![("Message", seen.text.clone())];
    if let Some(told) = &seen.by_hand {
        out.push(("By hand", told.by.clone()));
    }
    out.extend(
        times
            .into_iter()
            .filter_map(|(n, t)| Some((n, seconds(t?)))),
    );
    let answers = seen.answers.filter(|a| a.given > 1);
    out.extend(answers.map(|a| ("Answers", format!("{} of {} showed", a.seen, a.given))));
    let file = |arrived| match arrived {
        true => "sent along, and at the console".to_string(),
        false => "sent along, and not at the console".into(),
    };
    out.extend(seen.file.map(|arrived| ("File", file(arrived))));
    out.extend(seen.mail.as_ref().map(|m| ("Mail", mail(m))));
    out.extend(seen.tidied.map(|t| ("Afterwards", tidied(t).into())));
    let note = seen.by_hand.as_ref().map(|b| b.note.clone());
    for (name, text) in [
        ("Said after sending", seen.after_sending.clone()),
        ("Page named there", seen.page_at_console.clone()),
        ("Noted", note.unwrap_or_default()),
        ("Stopped", seen.stopped.clone()),
    ] {
        if !text.is_empty() {
            out.push((name, text));
        }
    }
    out
}

fn mail(mail: &Mail) -> String {
    match mail {
        Mail::Came {
            after_ms,
            from,
            subject,
        } => format!(
            "\u{201c}{subject}\u{201d} from {from}, after {}",
            seconds(*after_ms)
        ),
        Mail::Waited { ms } => format!("none came within {}", seconds(*ms)),
        Mail::NotLooked { why } => format!("not looked at: {why}"),
    }
}

fn tidied(how: Tidied) -> &'static str {
    match how {
        Tidied::Proven => "closed, and its contact gone from the console",
        Tidied::Asked => "closed and its contact removed; nobody could look again",
        Tidied::Left => "still at the console",
    }
}

pub fn section(drawing: Option<&Drawing>, site: i64) -> askama::Result<String> {
    let seen = match drawing {
        Some(Drawing::Known(detail)) => match detail.as_ref() {
            Detail::Echo(seen) => Some(seen.as_ref()),
            _ => None,
        },
        _ => None,
    };
    Section {
        site,
        picture: seen.and_then(|s| s.picture.as_ref()),
        rows: seen.map(rows).unwrap_or_default(),
    }
    .render()
}
