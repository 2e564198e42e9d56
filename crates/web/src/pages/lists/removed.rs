//! What was removed, and bringing it back.

use crate::error::PageResult;
use crate::pages::{form_again, render};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, moment};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::ActError;
use newtfern_acts::store::estate::removals::{KEPT_DAYS, Removal};
use serde::Deserialize;

#[derive(Deserialize, Default)]
pub struct RemovedQuery {
    page: Option<i64>,
    last: Option<i64>,
}

#[derive(Template)]
#[template(path = "lists/removed.html")]
struct Page {
    frame: Frame,
    removals: Vec<(Removal, String)>,
    last: Option<i64>,
    days: i32,
    problem: String,
    pager: Pager,
}

async fn page_of(
    app: &App,
    reader: &Reader,
    asked: RemovedQuery,
    problem: String,
) -> PageResult<Page> {
    let number = asked.page.unwrap_or(1);
    let found = app
        .reads()
        .sites()
        .removals(Pager::offset(number), PAGE_SIZE);
    let (removals, total) = found.await?;
    let dated = |r: Removal| {
        let when = moment(r.at);
        (r, when)
    };
    Ok(Page {
        frame: Frame::new(app, reader, "Removed sites", "", "").await?,
        removals: removals.into_iter().map(dated).collect(),
        last: asked.last,
        days: KEPT_DAYS,
        problem,
        pager: Pager::new(number, total, &[]),
    })
}

/// Lists the removed sites that can be restored.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<RemovedQuery>,
) -> PageResult {
    render(&page_of(&app, &reader, asked, String::new()).await?)
}

/// Brings a removal back.
///
/// # Errors
/// Where it is gone; what keeps it from coming back is told with the page.
pub async fn bring_back(State(app): State<App>, posted: Posted) -> PageResult {
    let removal = posted.fields.get("removal").parse().unwrap_or(0);
    match app.acts.sites().bring_back(&posted.actor(), removal).await {
        Ok(_) => Ok(Redirect::to("/lens/estate").into_response()),
        Err(ActError::Bad(problem)) => {
            let page = page_of(&app, &posted.reader(), RemovedQuery::default(), problem).await?;
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}
