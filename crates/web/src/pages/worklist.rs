//! "What needs me now": next actions over all sites, batched by kind, what fails first.

use super::render;
use crate::draw::frond;
use crate::error::PageResult;
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::IntoResponse;
use newtfern_acts::store::lists;
use newtfern_core::family::{Family, Standing};
use newtfern_core::job::JobKind;

struct Batch {
    family: &'static str,
    family_key: &'static str,
    act: String,
    mark: String,
    /// What a worker can do for it, if anything.
    job: Option<JobKind>,
    items: Vec<(i64, String, String, String)>,
    sites: i64,
    more: i64,
}

#[derive(Template)]
#[template(path = "worklist.html")]
struct Page {
    frame: Frame,
    batches: Vec<Batch>,
    kinds: i64,
    total: i64,
    pager: Pager,
}

/// Rows shown of one batch; the act goes to all of it.
const SHOWN: i64 = 12;

#[derive(serde::Deserialize)]
pub struct Asked {
    page: Option<i64>,
}

/// Shows the worklist.
///
/// # Errors
/// Where the database refuses.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<Asked>,
) -> PageResult {
    let number = asked.page.unwrap_or(1);
    let found = app
        .store()
        .worklist(SHOWN, Pager::offset(number), PAGE_SIZE)
        .await?;
    let pager = Pager::new(number, found.kinds, &[]);
    if let Some(back) = pager.back("/worklist") {
        return Ok(back.into_response());
    }
    render(&Page {
        frame: Frame::new(&app, &reader, "Worklist", "", "worklist").await?,
        kinds: found.kinds,
        total: found.sites,
        batches: found.batches.into_iter().filter_map(batch).collect(),
        pager,
    })
}

fn batch(b: lists::Batch) -> Option<Batch> {
    let family = Family::from_key(&b.family)?;
    let state = Standing::from_key(&b.state).unwrap_or_default();
    let items = b.first.0;
    Some(Batch {
        family: family.label(),
        family_key: family.key(),
        act: b.act,
        mark: frond::mark(state),
        job: family.job_for(state),
        sites: b.sites,
        more: b.sites - items.len() as i64,
        items,
    })
}
