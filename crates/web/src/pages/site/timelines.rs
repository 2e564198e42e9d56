//! The visits of a site's last check, each drawn over time: load, decision, signs and signals of
//! the widget.

use crate::draw::timeline as drawing;
use crate::error::{PageError, PageResult};
use crate::pages::render;
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, ago};
use askama::Template;
use axum::extract::{Path, State};
use newtfern_acts::store::estate::sites::Site;
use newtfern_model::job::JobKind;
use newtfern_standards::observation::{ConsentAct, Observation, Viewport};
use newtfern_verdict::family::Family;
use newtfern_verdict::timeline;

struct Visit {
    title: String,
    svg: String,
    /// Marks in words, for those who do not see them.
    lines: Vec<String>,
}

#[derive(Template)]
#[template(path = "site/timelines.html")]
struct Page {
    frame: Frame,
    site: Site,
    visits: Vec<Visit>,
    when: String,
}

fn title(seen: &Observation) -> String {
    let c = &seen.condition;
    let language = match c.locale.as_str() {
        "" => String::new(),
        locale => format!(", {locale}"),
    };
    let manner = match c.manner.words() {
        "" => String::new(),
        words => format!(", {words}"),
    };
    format!(
        "{}, {}{language}{manner}",
        c.viewport.word(),
        c.consent.words()
    )
}

/// Shows the timelines of a check's visits.
///
/// # Errors
/// Where there is no such site, or no look at it is kept.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let subject = app.acts.sites().subject(id).await?;
    let last = app
        .reads()
        .checks()
        .last_check(id, JobKind::Check.key())
        .await?;
    let last = last.ok_or(PageError::NotFound("look at this site"))?;
    let (mut seen, _) = app.reads().checks().evidence_of(&last).await?;
    let state = |v: &Observation| {
        let of = |act| act == v.condition.consent;
        ConsentAct::ALL.into_iter().position(of)
    };
    seen.sort_by_key(|v| (v.condition.viewport != Viewport::Desktop, state(v)));
    let lines: Vec<_> = seen
        .iter()
        .map(|v| (title(v), timeline::of(&subject.supplier, v)))
        .collect();
    let until = lines.iter().map(|(_, t)| t.end_ms).fold(0.0, f64::max);
    let visit = |(title, line): (String, timeline::Timeline)| {
        let decided = match line.decided_ms {
            Some(ms) => format!("; consent choice at {ms:.0} ms"),
            None => String::new(),
        };
        let words = format!("{title}: {} marks{decided}", line.marks.len());
        Visit {
            svg: drawing::svg(&line, until, &words),
            lines: line
                .marks
                .iter()
                .map(|m| {
                    let early = if m.early { ", before the choice" } else { "" };
                    format!(
                        "{:.0} ms, {}: {}{early}",
                        m.from_ms,
                        m.lane.words(),
                        m.words
                    )
                })
                .collect(),
            title,
        }
    };
    render(&Page {
        frame: Frame::new(
            &app,
            &reader,
            &format!("Timelines: {}", subject.site.name),
            Family::Consent.key(),
            "",
        )
        .await?,
        site: subject.site.clone(),
        visits: lines.into_iter().map(visit).collect(),
        when: ago(last.seen_at),
    })
}
