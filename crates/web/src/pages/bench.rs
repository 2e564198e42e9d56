//! The bench: one site, the job from top to bottom, what to do next first.

use super::render;
use crate::error::PageResult;
use crate::families::{Known, Section, section};
use crate::pages::history::{self, Entry};
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, frond_of, short};
use askama::Template;
use axum::extract::{Path, State};
use newtfern_acts::store::rounds::Pending;
use newtfern_acts::store::sites::{Site, StandingRow};
use newtfern_core::family::{Family, NextAction, next_action};
use newtfern_core::job::JobKind;

/// What a worker is doing for the site now.
struct UnderWay {
    round: i64,
    words: String,
    percent: i64,
}

#[derive(Template)]
#[template(path = "bench.html")]
struct Page {
    frame: Frame,
    site: Site,
    address: String,
    frond: String,
    next: Option<NextAction>,
    /// What the next action asks of a worker, if one can do it.
    next_job: Option<JobKind>,
    next_link: String,
    under_way: Option<UnderWay>,
    /// Why the last job came to nothing.
    failure: Option<String>,
    sections: Vec<Section>,
    history: Vec<Entry>,
}

/// Shows a bench.
///
/// # Errors
/// Where there is no such site.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let (site, client) = app.acts.site_and_client(id).await?;
    let (design, _) = app.acts.design_of(&site, &client).await?;
    let store = app.store();
    let standings = store
        .standings_of(&[id])
        .await?
        .remove(&id)
        .unwrap_or_default();
    let findings = store.findings(id).await?;
    let drawings = store.drawings(&[id], None).await?;
    let placements = store.placements(id).await?;
    let handovers = store.handovers(id).await?;
    let frame = Frame::new(&app, &reader, &site.name, "", "bench").await?;
    let known = Known {
        site: &site,
        design: &design,
        placements: &placements,
        handovers: &handovers,
        csrf: &frame.csrf,
        may_change: frame.may_change,
    };
    let mut sections = Vec::new();
    for standing in &standings {
        let family = standing.family();
        let found = findings.get(&family).map(Vec::as_slice).unwrap_or_default();
        let drawing = drawings.get(&(id, family));
        sections.push(section(standing, found, drawing, &known)?);
    }
    let stood: Vec<_> = standings.iter().map(StandingRow::stood).collect();
    let next = next_action(&stood);
    let next_job = next.as_ref().and_then(|n| n.family.job_for(n.standing));
    let next_link = match next.as_ref().map(|n| n.family) {
        Some(Family::Design) => format!("/sites/{id}/settings"),
        Some(Family::Place) => format!("/sites/{id}/place"),
        Some(Family::HandOver) if next_job.is_none() => "#hand_over".into(),
        _ => String::new(),
    };
    render(&Page {
        address: short(&site.url),
        frond: frond_of(&standings),
        under_way: under_way(&app, id).await?,
        failure: app.store().last_failure(id).await?,
        history: history::entries(&app, id, 0, 12).await?,
        frame,
        next,
        next_job,
        next_link,
        sections,
        site,
    })
}

async fn under_way(app: &App, site: i64) -> PageResult<Option<UnderWay>> {
    let Some(job) = app.store().job_under_way(site).await? else {
        return Ok(None);
    };
    let words = if job.state == "running" {
        running(&job)
    } else {
        waiting(app.store().ahead_of(job.id).await?)
    };
    let title = JobKind::from_key(&job.kind).map_or("Under way", JobKind::title);
    Ok(Some(UnderWay {
        round: job.round_id,
        words: format!("{title}: {words}"),
        percent: match job.progress_of {
            0 => 0,
            of => i64::from(job.progress_done) * 100 / i64::from(of),
        },
    }))
}

fn running(job: &Pending) -> String {
    match job.progress_of {
        0 => "under way".into(),
        of => format!("{} of {of} done", job.progress_done),
    }
}

fn waiting(ahead: i64) -> String {
    match ahead {
        0 => "waiting, next in turn".into(),
        1 => "waiting, 1 before it".into(),
        n => format!("waiting, {n} before it"),
    }
}
