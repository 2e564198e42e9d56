//! The echo test: its times, the page that the console named, and the widget with the answer.

use super::Cell;
use super::view::View;
use askama::Template;
use newtfern_acts::store::results::checks::Drawing;
use newtfern_verdict::echo::{CleanUp, EchoResult, Mail};
use newtfern_verdict::family;
use newtfern_verdict::family::Detail;

/// View of the family; also where nothing was tried, since a test can be made by hand.
pub const VIEW: View = View {
    legend: || {
        "seconds until the console shows the message, and until the widget shows the answer".into()
    },
    cell: |data| match data.detail {
        Some(family::Detail::Echo(d)) => cell(d),
        _ => Cell::default(),
    },
    body: |known, drawing| section(drawing, known.site.id),
    ..View::PLAIN
};

fn seconds(ms: f64) -> String {
    format!("{:.2} s", ms / 1000.0)
}

fn cell(seen: &EchoResult) -> Cell {
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
    /// Observations, a name and its words each.
    rows: Vec<(&'static str, String)>,
}

fn rows(seen: &EchoResult) -> Vec<(&'static str, String)> {
    let times = [
        ("Arrived in the console", seen.at_console_ms),
        ("Answered in the console", seen.answered_ms),
        ("Answer shown in the widget", seen.answer_seen_ms),
    ];
    let mut out = vec![("Message", seen.text.clone())];
    if let Some(told) = &seen.by_hand {
        out.push(("Manual test by", told.by.clone()));
    }
    out.extend(
        times
            .into_iter()
            .filter_map(|(n, t)| Some((n, seconds(t?)))),
    );
    let answers = seen.answers.filter(|a| a.given > 1);
    out.extend(answers.map(|a| ("Answers", format!("{} of {} shown", a.seen, a.given))));
    let file = |arrived| match arrived {
        true => "sent, and shown in the console".to_string(),
        false => "sent, but not shown in the console".into(),
    };
    out.extend(seen.file.map(|arrived| ("File", file(arrived))));
    out.extend(seen.mail.as_ref().map(|m| ("Mail", mail(m))));
    out.extend(seen.tidied.map(|t| ("Afterwards", tidied(t).into())));
    let note = seen.by_hand.as_ref().map(|b| b.note.clone());
    for (name, text) in [
        ("Text after sending", seen.after_sending.clone()),
        ("Page in the console", seen.page_at_console.clone()),
        ("Note", note.unwrap_or_default()),
        ("Reason it stopped", seen.stopped.clone()),
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
        Mail::Waited { ms } => format!("no e-mail within {}", seconds(*ms)),
        Mail::NotLooked { why } => format!("not checked: {why}"),
    }
}

fn tidied(how: CleanUp) -> &'static str {
    match how {
        CleanUp::Proven => "chat closed, contact removed from the console",
        CleanUp::Asked => "chat closed and contact removed, but not checked again",
        CleanUp::Left => "still in the console",
    }
}

fn section(drawing: Option<&Drawing>, site: i64) -> askama::Result<String> {
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
