//! Rounds: started in bulk or for one site, watched live, cancelled.

use super::render;
use crate::error::{PageError, PageResult};
use crate::pages::lens::Asked;
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, moment};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Redirect};
use futures_util::stream::{self, Stream};
use newtfern_core::standing::{Family, State as Standing};
use newtfern_store::rounds::{JobRow, Round};
use std::convert::Infallible;
use std::time::Duration;

#[derive(Template)]
#[template(path = "rounds.html")]
struct List {
    frame: Frame,
    rounds: Vec<(Round, String)>,
    q: String,
    pager: Pager,
}

#[derive(Template)]
#[template(path = "round.html")]
struct Page {
    frame: Frame,
    round: Round,
    when: String,
    jobs: Vec<JobRow>,
    pager: Pager,
}

#[derive(serde::Deserialize)]
pub struct Paged {
    #[serde(default)]
    q: String,
    page: Option<i64>,
}

pub async fn list(State(app): State<App>, reader: Reader, Query(q): Query<Paged>) -> PageResult {
    let page = q.page.unwrap_or(1);
    let (rounds, total) = app
        .store
        .rounds(&q.q, Pager::offset(page), PAGE_SIZE)
        .await?;
    let pager = Pager::new(page, total, &[("q", &q.q)]);
    if let Some(back) = pager.back("/rounds") {
        return Ok(back.into_response());
    }
    let rounds = rounds
        .into_iter()
        .map(|r| {
            let when = moment(r.created_at);
            (r, when)
        })
        .collect();
    render(&List {
        frame: Frame::new(&app, &reader, "Rounds", "", "rounds").await?,
        rounds,
        pager,
        q: q.q,
    })
}

pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(q): Query<Paged>,
) -> PageResult {
    let round = app
        .store
        .round(id)
        .await?
        .ok_or(PageError::NotFound("round"))?;
    let number = q.page.unwrap_or(1);
    let pager = Pager::new(number, round.total, &[]);
    if let Some(back) = pager.back(&format!("/rounds/{id}")) {
        return Ok(back.into_response());
    }
    let jobs = app
        .store
        .round_jobs(id, Pager::offset(number), PAGE_SIZE)
        .await?;
    let when = moment(round.created_at);
    render(&Page {
        frame: Frame::new(&app, &reader, &round.title, "", "rounds").await?,
        round,
        when,
        jobs,
        pager,
    })
}

/// What can be asked of workers, with the round's title.
fn title_of(kind: &str) -> Option<&'static str> {
    Some(match kind {
        "check" => "Verify",
        "weigh" => "Weigh",
        "echo" => "Test messages",
        "preview" => "Pictures for the design",
        "sheet" => "Handover sheets",
        _ => return None,
    })
}

/// The kind of round that moves a family on from a state, where a worker can do it at all. A sheet that
/// waits for the client's yes needs a person.
pub fn kind_for(family: Family, state: Standing) -> Option<&'static str> {
    match (family, state) {
        (Family::Place | Family::Load | Family::Consent | Family::Brand | Family::Watch, _) => {
            Some("check")
        }
        (Family::Echo, _) => Some("echo"),
        (Family::Weigh, _) => Some("weigh"),
        (Family::HandOver, Standing::Undecided) | (Family::Design, _) => None,
        (Family::HandOver, _) => Some("sheet"),
    }
}

async fn start(app: &App, posted: &Posted, kind: &str, sites: &[i64]) -> PageResult<i64> {
    let title = title_of(kind).ok_or_else(|| PageError::Bad("There is no such act.".into()))?;
    if sites.is_empty() {
        return Err(PageError::Bad(
            "No site was chosen: tick some rows, or choose all that were found.".into(),
        ));
    }
    let title = match sites.len() {
        1 => format!("{title}: 1 site"),
        n => format!("{title}: {n} sites"),
    };
    let round = app
        .store
        .start_round(kind, &title, posted.who(), sites, &serde_json::json!({}))
        .await?;
    app.store
        .note(
            posted.who(),
            "started a round",
            &title,
            serde_json::json!({"round": round}),
        )
        .await?;
    Ok(round)
}

/// Acts on ticked sites, on all sites of ticked clients, or on all that the lens's filter finds.
pub async fn bulk(State(app): State<App>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let clients: Vec<i64> = f.all("of").filter_map(|c| c.parse().ok()).collect();
    let sites: Vec<i64> = if !clients.is_empty() {
        app.store.site_ids_of(&clients).await?
    } else if f.get("all") == "yes" {
        let asked = Asked {
            q: f.get("q").into(),
            client: f.get("client").into(),
            state: f.get("state").into(),
            ..Asked::default()
        };
        app.store
            .site_ids(&asked.filter(Family::from_key(f.get("lens"))))
            .await?
    } else {
        f.all("site")
            .flat_map(|s| s.split(','))
            .filter_map(|s| s.parse().ok())
            .collect()
    };
    let round = start(&app, &posted, f.get("kind"), &sites).await?;
    Ok(Redirect::to(&format!("/rounds/{round}")).into_response())
}

/// An act on one site, from its bench.
pub async fn act(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    app.store
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))?;
    let round = start(&app, &posted, posted.fields.get("kind"), &[id]).await?;
    Ok(Redirect::to(&format!("/sites/{id}?round={round}")).into_response())
}

/// A new round for the sites whose jobs failed in this one.
pub async fn again(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let round = app
        .store
        .round(id)
        .await?
        .ok_or(PageError::NotFound("round"))?;
    let sites = app.store.failed_sites(id).await?;
    if sites.is_empty() {
        return Err(PageError::Bad("Nothing failed in this round.".into()));
    }
    let anew = start(&app, &posted, &round.kind, &sites).await?;
    Ok(Redirect::to(&format!("/rounds/{anew}")).into_response())
}

pub async fn cancel(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    app.store
        .round(id)
        .await?
        .ok_or(PageError::NotFound("round"))?;
    app.store.cancel_round(id).await?;
    app.store
        .note(
            posted.who(),
            "cancelled a round",
            &id.to_string(),
            serde_json::json!({}),
        )
        .await?;
    Ok(Redirect::to(&format!("/rounds/{id}")).into_response())
}

/// Server-sent events: what workers report, with the state of the round so that pages need not ask.
pub async fn events(
    State(app): State<App>,
    _: Reader,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let heard = (app.events.subscribe(), app.closing.subscribe());
    let stream = stream::unfold(
        (app, heard),
        |(app, (mut receiver, mut closing))| async move {
            loop {
                let notice = tokio::select! {
                    notice = receiver.recv() => notice,
                    _ = closing.wait_for(|c| *c) => return None,
                };
                let text = match notice {
                    Ok(text) => text,
                    // A page that fell behind reads the current state with the next notice.
                    Err(tokio::sync::broadcast::error::RecvError::Lagged(_)) => continue,
                    Err(_) => return None,
                };
                let Ok(mut notice) = serde_json::from_str::<serde_json::Value>(&text) else {
                    continue;
                };
                let Some(id) = notice["round"].as_i64() else {
                    continue;
                };
                if let Ok(Some(round)) = app.store.round(id).await {
                    notice["over"] = (round.total - round.waiting - round.running).into();
                    notice["total"] = round.total.into();
                    notice["percent"] = round.percent().into();
                    notice["finished"] = round.is_over().into();
                }
                return Some((
                    Ok(Event::default().event("progress").data(notice.to_string())),
                    (app, (receiver, closing)),
                ));
            }
        },
    );
    Sse::new(stream).keep_alive(KeepAlive::new().interval(Duration::from_secs(15)))
}
