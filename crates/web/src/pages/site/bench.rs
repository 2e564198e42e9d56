//! The bench: one site, the job from top to bottom, what to do next first.

use crate::error::PageResult;
use crate::families::{Section, SectionData, place_to_act, section};
use crate::pages::render;
use crate::pages::site::history::{self, Entry};
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, frond_of, moment, short};
use askama::Template;
use axum::extract::{Path, State};
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::store::handing::errands::OpenQuestion;
use newtfern_acts::store::results::rounds::PendingJob;
use newtfern_model::job::{JobKind, JobState};
use newtfern_verdict::family::NextAction;

/// Work that a worker does for the site now.
struct UnderWay {
    round: i64,
    words: String,
    percent: i64,
}

#[derive(Template)]
#[template(path = "site/bench.html")]
struct Page {
    frame: Frame,
    site: Site,
    address: String,
    frond: String,
    next: Option<NextAction>,
    /// Job that the next action asks of a worker, if one can do it.
    next_job: Option<JobKind>,
    next_link: String,
    /// Words on that link.
    next_place: &'static str,
    under_way: Option<UnderWay>,
    /// Time of the look at the hours that the last one did not see, with its round.
    planned: Option<(i64, String)>,
    /// Questions of people with a link that nobody has answered.
    questions: Vec<OpenQuestion>,
    /// Reason why the last job came to nothing.
    failure: Option<String>,
    sections: Vec<Section>,
    history: Vec<Entry>,
}

/// Shows the bench of a site.
///
/// # Errors
/// Where there is no such site.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let (site, client) = app.acts.sites().site_and_client(id).await?;
    let (design, _) = app.acts.sites().design_of(&site, &client).await?;
    let store = app.reads();
    let standings = store
        .sites()
        .standings_of(&[id])
        .await?
        .remove(&id)
        .unwrap_or_default();
    let findings = store.checks().findings(id).await?;
    let drawings = store.checks().drawings(&[id], None).await?;
    let placements = store.writing().placements(id).await?;
    let handovers = store.handing().handovers(id).await?;
    let frame = Frame::new(&app, &reader, &site.name, "", "bench").await?;
    let known = SectionData {
        site: &site,
        design: &design,
        placements: &placements,
        handovers: &handovers,
        csrf: &frame.csrf,
        may_change: frame.may_change,
    };
    let mut sections = Vec::new();
    for standing in &standings {
        let family = standing.family;
        let found = findings.get(&family).map(Vec::as_slice).unwrap_or_default();
        let drawing = drawings.get(&(id, family));
        sections.push(section(standing, found, drawing, &known)?);
    }
    let next = site.next();
    let next_job = next.as_ref().and_then(|n| n.family.job_for(n.standing));
    let place = next
        .as_ref()
        .and_then(|n| place_to_act(n.family, id, next_job.is_some()));
    let (next_link, next_place) = place.unwrap_or_default();
    render(&Page {
        address: short(&site.url),
        frond: frond_of(&standings),
        under_way: under_way(&app, id).await?,
        planned: store
            .rounds()
            .planned_look(id)
            .await?
            .map(|(round, at)| (round, moment(at))),
        questions: store.handing().open_questions(Some(&[id]), 5).await?.0,
        failure: app.reads().rounds().last_failure(id).await?,
        history: history::entries(&app, id, 0, 12).await?,
        frame,
        next,
        next_job,
        next_link,
        next_place,
        sections,
        site,
    })
}

async fn under_way(app: &App, site: i64) -> PageResult<Option<UnderWay>> {
    let Some(job) = app.reads().rounds().job_under_way(site).await? else {
        return Ok(None);
    };
    let words = if job.state == JobState::Running {
        running(&job)
    } else {
        waiting(app.reads().rounds().ahead_of(job.id).await?)
    };
    let title = job.kind.title();
    Ok(Some(UnderWay {
        round: job.round_id,
        words: format!("{title}: {words}"),
        percent: match job.progress_of {
            0 => 0,
            of => i64::from(job.progress_done) * 100 / i64::from(of),
        },
    }))
}

fn running(job: &PendingJob) -> String {
    match job.progress_of {
        0 => "under way".into(),
        of => format!("{} of {of} done", job.progress_done),
    }
}

fn waiting(ahead: i64) -> String {
    match ahead {
        0 => "waiting, first in line".into(),
        1 => "waiting, 1 job before it".into(),
        n => format!("waiting, {n} jobs before it"),
    }
}
