//! Rounds: started in bulk or for one site, watched live, cancelled.

use crate::draw::frond;
use crate::error::{NO_SUCH_ACTION, PageError, PageResult};
use crate::pages::lists::lens::LensQuery;
use crate::pages::render;
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, moment};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::none_ticked;
use newtfern_acts::store::estate::lists::Filter;
use newtfern_acts::store::estate::sites::standing_of_rank;
use newtfern_acts::store::results::rounds::{JobRow, Round};
use newtfern_model::job::{JobKind, JobState};
use newtfern_verdict::family::Family;

#[derive(Template)]
#[template(path = "lists/rounds.html")]
struct List {
    frame: Frame,
    /// Each with its start, and the time for which the rest of it is planned.
    rounds: Vec<(Round, String, Option<String>)>,
    q: String,
    pager: Pager,
}

#[derive(Template)]
#[template(path = "lists/round.html")]
struct Page {
    frame: Frame,
    round: Round,
    when: String,
    /// Time for which the rest of it is planned.
    planned: Option<String>,
    /// Each with the mark of the site's state now, and the time before which it is not begun.
    jobs: Vec<(JobRow, String, Option<String>)>,
    pager: Pager,
}

#[derive(serde::Deserialize)]
pub struct RoundsQuery {
    #[serde(default)]
    q: String,
    page: Option<i64>,
}

/// All rounds, newest first.
pub async fn list(
    State(app): State<App>,
    reader: Reader,
    Query(q): Query<RoundsQuery>,
) -> PageResult {
    let page = q.page.unwrap_or(1);
    let (rounds, total) = app
        .reads()
        .rounds()
        .page(&q.q, Pager::offset(page), PAGE_SIZE)
        .await?;
    let pager = Pager::new(page, total, &[("q", &q.q)]);
    if let Some(back) = pager.back("/rounds") {
        return Ok(back.into_response());
    }
    let dated = |r: Round| {
        let when = moment(r.created_at);
        let planned = r.planned_for.map(moment);
        (r, when, planned)
    };
    render(&List {
        frame: Frame::new(&app, &reader, "Rounds", "", "rounds").await?,
        rounds: rounds.into_iter().map(dated).collect(),
        pager,
        q: q.q,
    })
}

/// Shows one round with its jobs.
///
/// # Errors
/// Where there is no such round.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(q): Query<RoundsQuery>,
) -> PageResult {
    let round = app
        .reads()
        .rounds()
        .round(id)
        .await?
        .ok_or(PageError::NotFound("round"))?;
    let number = q.page.unwrap_or(1);
    let pager = Pager::new(number, round.total, &[]);
    if let Some(back) = pager.back(&format!("/rounds/{id}")) {
        return Ok(back.into_response());
    }
    let jobs = app
        .reads()
        .rounds()
        .round_jobs(id, Pager::offset(number), PAGE_SIZE)
        .await?;
    let marked = |j: JobRow| {
        let mark = frond::mark(standing_of_rank(j.worst));
        let from = j.not_before.filter(|_| j.state == JobState::Waiting);
        (j, mark, from.map(moment))
    };
    render(&Page {
        frame: Frame::new(&app, &reader, &round.title, "", "rounds").await?,
        when: moment(round.created_at),
        planned: round.planned_for.map(moment),
        round,
        jobs: jobs.into_iter().map(marked).collect(),
        pager,
    })
}

fn kind_of(fields: &Fields) -> PageResult<JobKind> {
    let kind = JobKind::from_key(fields.get("kind"));
    kind.ok_or_else(|| PageError::Bad(NO_SUCH_ACTION.into()))
}

/// Returns the sites that a form means; none at all is a mistake. As [`meant`] otherwise.
pub(crate) async fn ticked(app: &App, f: &Fields) -> PageResult<Vec<i64>> {
    let sites = meant(app, f).await?;
    match sites.is_empty() {
        true => Err(none_ticked().into()),
        false => Ok(sites),
    }
}

/// The sites that a bulk form means: those of ticked clients, a whole batch of the worklist, all
/// that a lens's filter finds, or the ticked rows.
pub(crate) async fn meant(app: &App, f: &Fields) -> PageResult<Vec<i64>> {
    let clients: Vec<i64> = f.all("of").filter_map(|c| c.parse().ok()).collect();
    if !clients.is_empty() {
        return Ok(app.reads().lists().site_ids_of(&clients).await?);
    }
    if let (Some(family), Some(cause)) =
        (Family::from_key(f.get("next_family")), f.some("next_cause"))
    {
        let filter = Filter {
            next: Some((family, cause)),
            ..Filter::default()
        };
        return Ok(app.reads().lists().site_ids(&filter).await?);
    }
    if f.get("all") == "yes" {
        let asked = LensQuery {
            q: f.get("q").into(),
            client: f.get("client").into(),
            state: f.get("state").into(),
            ..LensQuery::default()
        };
        let filter = asked.filter(Family::from_key(f.get("lens")));
        return Ok(app.reads().lists().site_ids(&filter).await?);
    }
    // Rows ticked on other pages come as one list beside those of this page.
    let ids = f
        .all("site")
        .chain(f.all("sites"))
        .flat_map(|s| s.split(','));
    let mut ids: Vec<i64> = ids.filter_map(|s| s.parse().ok()).collect();
    ids.sort_unstable();
    ids.dedup();
    Ok(ids)
}

/// Acts on many sites.
///
/// # Errors
/// Where no site was chosen.
pub async fn bulk(State(app): State<App>, posted: Posted) -> PageResult {
    let kind = kind_of(&posted.fields)?;
    let sites = meant(&app, &posted.fields).await?;
    // Each test talk costs the client one: what the limits leave room for is shown first.
    if kind == JobKind::Echo && sites.len() > 1 && posted.fields.get("planned") != "yes" {
        return crate::pages::lists::test_plan::show(&app, &posted, &sites).await;
    }
    let round = app
        .acts
        .rounds()
        .start_round(&posted.actor(), kind, &sites)
        .await?;
    Ok(Redirect::to(&format!("/rounds/{round}")).into_response())
}

/// An act on one site, from its bench.
///
/// # Errors
/// Where there is no such site or act.
pub async fn act(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    crate::pages::site_of(&app, id).await?;
    let kind = kind_of(&posted.fields)?;
    let round = app
        .acts
        .rounds()
        .start_round(&posted.actor(), kind, &[id])
        .await?;
    Ok(Redirect::to(&format!("/sites/{id}?round={round}")).into_response())
}

/// A new round for the sites whose jobs failed in this one.
///
/// # Errors
/// Where nothing failed.
pub async fn again(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let anew = app.acts.rounds().try_again(&posted.actor(), id).await?;
    Ok(Redirect::to(&format!("/rounds/{anew}")).into_response())
}

/// Cancels what is left.
///
/// # Errors
/// Where there is no such round.
pub async fn cancel(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    app.acts.rounds().cancel_round(&posted.actor(), id).await?;
    Ok(Redirect::to(&format!("/rounds/{id}")).into_response())
}
