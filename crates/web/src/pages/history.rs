//! What was seen of a site when, judged by what: for the bench and as a CSV file.

use super::{file, site_of};
use crate::error::PageResult;
use crate::session::Reader;
use crate::state::App;
use crate::view::moment;
use axum::extract::{Path, State};
use newtfern_core::code::Code;
use newtfern_core::intake;
use newtfern_core::job::JobKind;
use serde::Serialize;
use std::collections::BTreeSet;

/// One check.
pub struct Entry {
    pub when: String,
    pub kind: String,
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

fn kind_words(kind: &str) -> String {
    let known = JobKind::from_key(kind).map(|k| k.title().to_string());
    known.unwrap_or_else(|| match kind {
        "confirm" => "Client's yes".into(),
        "design" => "Design".into(),
        other => other.to_string(),
    })
}

/// The last checks, newest first, each with what changed since the one before of its kind.
pub async fn entries(app: &App, site: i64, offset: i64, limit: i64) -> PageResult<Vec<Entry>> {
    // A few more, so that the last ones shown have something to be compared with.
    let checks = app.store().checks(site, offset, limit + 8).await?;
    let ids: Vec<i64> = checks.iter().map(|c| c.id).collect();
    let codes = app.store().codes_of(&ids).await?;
    let nothing = BTreeSet::new();
    let of = |id: i64| codes.get(&id).unwrap_or(&nothing);
    let names =
        |a: &BTreeSet<Code>, b: &BTreeSet<Code>| a.difference(b).map(|c| c.name()).collect();
    let shown = checks.iter().enumerate().take(limit as usize);
    let entry = |(i, c): (usize, &newtfern_acts::store::checks::Check)| {
        let before = checks[i + 1..].iter().find(|b| b.kind == c.kind);
        let (now, then) = (of(c.id), before.map(|b| of(b.id)));
        Entry {
            when: moment(c.seen_at),
            kind: kind_words(&c.kind),
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
#[derive(Serialize)]
struct Line {
    seen_utc: String,
    kind: String,
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
            kind: cell(&e.kind),
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
pub async fn export(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let site = site_of(&app, id).await?;
    let mut out = csv::Writer::from_writer(Vec::new());
    let mut offset = 0;
    loop {
        let some = entries(&app, id, offset, 200).await?;
        for e in &some {
            // Writing to memory does not fail.
            let _ = out.serialize(Line::of(e));
        }
        if some.len() < 200 {
            break;
        }
        offset += 200;
    }
    let text = out
        .into_inner()
        .map(|b| String::from_utf8_lossy(&b).into_owned());
    let name = format!("history-{}.csv", site.id);
    Ok(file(
        "text/csv; charset=utf-8",
        &name,
        text.unwrap_or_default(),
    ))
}
