//! Publishing to many sites: the differences first.

use crate::error::PageResult;
use crate::pages::lists::carried::carried;
use crate::pages::lists::rounds::ticked;
use crate::pages::render;
use crate::pages::site::difference::{Line, difference};
use crate::session::Posted;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::PushPreview;
use newtfern_model::job::JobKind;
use newtfern_model::placing::{PlannedChange, SlotChange};

pub struct SiteChange {
    pub name: String,
    pub lines: Vec<Line>,
}

impl SiteChange {
    pub fn of(change: &SlotChange) -> SiteChange {
        SiteChange {
            name: change.name.clone(),
            lines: difference(&change.before, &change.after),
        }
    }
}

struct Row {
    id: i64,
    name: String,
    slot: String,
    summary: String,
    told: Vec<PlannedChange>,
    changes: Vec<SiteChange>,
    problem: String,
}

#[derive(Template)]
#[template(path = "lists/push_many.html")]
struct Page {
    frame: Frame,
    shown: Vec<Row>,
    /// Sites that can be published to, of those that are shown.
    ready: usize,
    not_ready: usize,
    /// Sites beyond those that are shown.
    more: usize,
    ids: String,
    by_hand: String,
    job: JobKind,
    swap: JobKind,
}

/// Sites whose differences are shown at once.
const SHOWN: usize = 100;

fn row(shown: PushPreview) -> Row {
    let by_tags = |told: &Vec<String>| -> Vec<PlannedChange> {
        let one = |what: &String| PlannedChange {
            slot: shown.slot.clone(),
            what: what.clone(),
            excerpt: String::new(),
        };
        told.iter().map(one).collect()
    };
    let tagged = shown.tag.as_ref().map(by_tags);
    let (told, changes, mut problem) = match &shown.push {
        None if tagged.is_some() => (tagged.unwrap_or_default(), &[][..], shown.problem),
        Some(push) => (push.told.clone(), push.changes.as_slice(), String::new()),
        None => (Vec::new(), &[][..], shown.problem),
    };
    if let Some(left) = shown.push.as_ref().and_then(|p| p.left.first()) {
        problem = format!("Remove this manually first: {left}");
    }
    let changes: Vec<SiteChange> = changes.iter().map(SiteChange::of).collect();
    let count = |sign: &str| {
        let lines = changes.iter().flat_map(|c| &c.lines);
        lines.filter(|l| l.0 == sign).count()
    };
    Row {
        id: shown.id,
        name: shown.name,
        slot: shown.slot,
        summary: match changes.is_empty() {
            true => told
                .iter()
                .map(|t| t.what.as_str())
                .collect::<Vec<_>>()
                .join("; "),
            false => format!("+{} \u{2212}{} lines", count("added"), count("removed")),
        },
        told,
        changes,
        problem,
    }
}

/// Shows what publishing would do to each ticked site.
///
/// # Errors
/// Where no site is ticked.
pub async fn show(State(app): State<App>, posted: Posted) -> PageResult {
    let sites = ticked(&app, &posted.fields).await?;
    let (first, rest) = sites.split_at(sites.len().min(SHOWN));
    let shown: Vec<Row> = app
        .acts
        .placing()
        .show_push(first)
        .await?
        .into_iter()
        .map(row)
        .collect();
    let (ready, by_hand): (Vec<&Row>, Vec<&Row>) = shown.iter().partition(|s| s.problem.is_empty());
    let ids = |rows: &[&Row]| -> Vec<i64> { rows.iter().map(|r| r.id).collect() };
    let (ready, by_hand) = (ids(&ready), ids(&by_hand));
    render(&Page {
        frame: Frame::new(&app, &posted.reader(), "Publish to many sites", "place", "").await?,
        ready: ready.len(),
        not_ready: by_hand.len(),
        more: rest.len(),
        ids: carried(&[ready.as_slice(), rest].concat()),
        by_hand: carried(&by_hand),
        shown,
        job: JobKind::Push,
        swap: JobKind::Swap,
    })
}

/// Puts back what a round published.
///
/// # Errors
/// Where nothing of it stands any more.
pub async fn put_back(
    State(app): State<App>,
    axum::extract::Path(id): axum::extract::Path<i64>,
    posted: Posted,
) -> PageResult {
    let back = app
        .acts
        .rounds()
        .start_put_back(&posted.actor(), id)
        .await?;
    Ok(Redirect::to(&format!("/rounds/{back}")).into_response())
}
