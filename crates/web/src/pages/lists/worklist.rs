//! "What needs me now": next actions over all sites, batched by kind, what fails first.

use crate::draw::frond;
use crate::error::PageResult;
use crate::pages::render;
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, ago};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::IntoResponse;
use newtfern_acts::store::estate::lists;
use newtfern_acts::store::handing::errands::OpenQuestion;
use newtfern_model::job::JobKind;
use newtfern_verdict::family::Standing;

struct Batch {
    family: &'static str,
    family_key: &'static str,
    /// Key of the batch in its family.
    cause: String,
    act: String,
    /// Harm of the fault to the client; empty where nothing fails.
    harm: &'static str,
    mark: String,
    /// Job that a worker can do for it, if there is one.
    job: Option<JobKind>,
    items: Vec<lists::InBatch>,
    sites: i64,
    more: i64,
}

#[derive(Template)]
#[template(path = "lists/worklist.html")]
struct Page {
    frame: Frame,
    batches: Vec<Batch>,
    kinds: i64,
    total: i64,
    /// Questions of people with a link, each with when it was asked.
    questions: Vec<(OpenQuestion, String)>,
    /// Number of all open questions.
    asked: i64,
    pager: Pager,
}

/// Rows shown of one batch; the act goes to all of it.
const SHOWN: i64 = 12;

#[derive(serde::Deserialize)]
pub struct WorklistQuery {
    page: Option<i64>,
}

/// Shows the worklist in its batches.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<WorklistQuery>,
) -> PageResult {
    let number = asked.page.unwrap_or(1);
    let found = app
        .reads()
        .lists()
        .worklist(SHOWN, Pager::offset(number), PAGE_SIZE)
        .await?;
    let pager = Pager::new(number, found.kinds, &[]);
    if let Some(back) = pager.back("/worklist") {
        return Ok(back.into_response());
    }
    let (questions, asked) = app.reads().handing().open_questions(None, SHOWN).await?;
    let with_time = |q: OpenQuestion| {
        let when = ago(q.at);
        (q, when)
    };
    render(&Page {
        questions: questions.into_iter().map(with_time).collect(),
        asked,
        frame: Frame::new(&app, &reader, "Worklist", "", "worklist").await?,
        kinds: found.kinds,
        total: found.sites,
        batches: found.batches.into_iter().map(batch).collect(),
        pager,
    })
}

fn batch(b: lists::Batch) -> Batch {
    let (family, state) = (b.family, b.state);
    let items = b.first.0;
    Batch {
        family: family.label(),
        family_key: family.key(),
        cause: b.cause,
        act: b.act,
        harm: if state == Standing::Failing {
            family.harm()
        } else {
            ""
        },
        mark: frond::mark(state),
        job: family.job_for(state),
        sites: b.sites,
        more: b.sites - items.len() as i64,
        items,
    }
}
