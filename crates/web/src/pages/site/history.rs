//! What was seen of a site when, judged by what: for the bench and as a CSV file.

use crate::error::PageResult;
use crate::pages::{csv, site_of};
use crate::session::Reader;
use crate::state::App;
use crate::view::moment;
use axum::extract::{Path, State};
use newtfern_model::code::Code;
use newtfern_model::intake;
use serde::Serialize;
use std::collections::BTreeSet;

/// Row of one check.
pub struct Entry {
    pub when: String,
    pub kind: &'static str,
    pub outcome: String,
    pub root: String,
    /// Codes that the look before of the same kind had not, and codes it had.
    pub came: Vec<&'static str>,
    pub went: Vec<&'static str>,
    /// Judged again from visits of before.
    pub again: bool,
    pub pinned: bool,
    pub rules: i32,
    pub expectation: String,
}

/// The last checks, newest first, each with what changed since the one before of its kind.
pub async fn entries(app: &App, site: i64, offset: i64, limit: i64) -> PageResult<Vec<Entry>> {
    // A few more, so that the last ones shown have something to be compared with.
    let checks = app.reads().checks().page(site, offset, limit + 8).await?;
    let ids: Vec<i64> = checks.iter().map(|c| c.id).collect();
    let codes = app.reads().checks().codes_of(&ids).await?;
    let nothing = BTreeSet::new();
    let of = |id: i64| codes.get(&id).unwrap_or(&nothing);
    let names =
        |a: &BTreeSet<Code>, b: &BTreeSet<Code>| a.difference(b).map(|c| c.name()).collect();
    let shown = checks.iter().enumerate().take(limit as usize);
    let entry = |(i, c): (usize, &newtfern_acts::store::results::checks::Check)| {
        let before = checks[i + 1..].iter().find(|b| b.kind == c.kind);
        let (now, then) = (of(c.id), before.map(|b| of(b.id)));
        Entry {
            when: moment(c.seen_at),
            kind: c.kind.title(),
            outcome: c.outcome.clone(),
            root: c.root.clone().unwrap_or_default(),
            came: then.map(|t| names(now, t)).unwrap_or_default(),
            went: then.map(|t| names(t, now)).unwrap_or_default(),
            again: c.judged_from.is_some(),
            pinned: c.pinned,
            rules: c.rules,
            expectation: c.expectation.chars().take(12).collect(),
        }
    };
    Ok(shown.map(entry).collect())
}

/// One line of the file; the names are its headings.
#[derive(Default, Serialize)]
struct Line {
    seen_utc: String,
    kind: &'static str,
    outcome: String,
    root: String,
    came: String,
    went: String,
    judged_again: &'static str,
    pinned: &'static str,
    rules: i32,
    expectation: String,
}

impl Line {
    fn of(e: &Entry) -> Line {
        let yes = |b: bool| if b { "yes" } else { "" };
        let cell = |text: &String| intake::guarded(text.clone());
        Line {
            seen_utc: cell(&e.when),
            kind: e.kind,
            outcome: cell(&e.outcome),
            root: cell(&e.root),
            came: intake::guarded(e.came.join(" ")),
            went: intake::guarded(e.went.join(" ")),
            judged_again: yes(e.again),
            pinned: yes(e.pinned),
            rules: e.rules,
            expectation: cell(&e.expectation),
        }
    }
}

/// All of it, for a spreadsheet.
///
/// # Errors
/// Where there is no such site.
pub async fn export(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let site = site_of(&app, id).await?;
    let what = format!("the history of {}", site.url);
    app.acts.sites().note_export(&reader.actor(), &what).await?;
    let mut lines = Vec::new();
    loop {
        let some = entries(&app, id, lines.len() as i64, 200).await?;
        lines.extend(some.iter().map(Line::of));
        if some.len() < 200 {
            break;
        }
    }
    let name = format!("history-{}.csv", site.id);
    Ok(csv(&name, written(&lines)))
}

/// Writes the lines with headings, also where there is nothing below them.
fn written(lines: &[Line]) -> String {
    let mut out = csv::Writer::from_writer(Vec::new());
    for line in lines {
        // Writing to memory does not fail.
        let _ = out.serialize(line);
    }
    let text = String::from_utf8(out.into_inner().unwrap_or_default()).unwrap_or_default();
    match lines.is_empty() {
        false => text,
        true => {
            let one = written(&[Line::default()]);
            one.lines().take(1).map(|l| format!("{l}\n")).collect()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_history_without_checks_has_its_headings() {
        let headings =
            "seen_utc,kind,outcome,root,came,went,judged_again,pinned,rules,expectation\n";
        assert_eq!(written(&[]), headings);
        let one = written(&[Line::default()]);
        assert!(one.starts_with(headings) && one.lines().count() == 2);
    }
}
