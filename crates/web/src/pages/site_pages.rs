//! The pages of one site, and what a survey saw on it: looked through, and taken over by ticking.

use super::{form_again, render, site_of};
use crate::error::PageResult;
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, ago};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::sites::Site;
use newtfern_acts::store::surveys::PageRow;
use newtfern_acts::{ActError, RulesShown, TakeOver};
use newtfern_core::job::JobKind;
use newtfern_core::pages::PageKind;
use newtfern_core::site::SiteField;
use newtfern_core::survey::{Survey, WidgetSeen};
use serde::Deserialize;

#[derive(Deserialize, Default)]
pub struct Asked {
    #[serde(default)]
    q: String,
    #[serde(default)]
    kind: String,
    page: Option<i64>,
}

/// How many pages are of a kind.
struct Kind {
    kind: PageKind,
    count: usize,
}

struct Widget {
    seen: WidgetSeen,
    /// It can be taken over: its supplier is known.
    known: bool,
    /// The site has it already.
    ours: bool,
}

#[derive(Template)]
#[template(path = "site_pages.html")]
struct Page {
    frame: Frame,
    site: Site,
    survey: Option<Survey>,
    when: String,
    under_way: bool,
    failure: Option<String>,
    kinds: Vec<Kind>,
    widgets: Vec<Widget>,
    languages: String,
    rows: Vec<PageRow>,
    all_kinds: [PageKind; 8],
    kind: String,
    q: String,
    pager: Pager,
    path: String,
    problem: String,
    job: JobKind,
}

async fn whole(app: &App, reader: &Reader, id: i64, asked: Asked) -> PageResult<Page> {
    let store = app.store();
    let site = site_of(app, id).await?;
    let last = store.survey(id).await?;
    let number = asked.page.unwrap_or(1);
    let kind = PageKind::parse(&asked.kind).ok();
    let (rows, total) = store
        .pages_found(id, kind, &asked.q, Pager::offset(number), PAGE_SIZE)
        .await?;
    let when = last.as_ref().map(|l| ago(l.at)).unwrap_or_default();
    let survey = last.map(|l| l.seen);
    let pages = survey.iter().flat_map(|s| &s.pages);
    let count = |kind| pages.clone().filter(|p| p.kind == kind).count();
    let kinds = PageKind::ALL.map(|kind| Kind {
        kind,
        count: count(kind),
    });
    let widgets = survey.iter().flat_map(|s| s.widgets.iter().cloned());
    let widgets = widgets.map(|seen| Widget {
        known: seen.supplier.is_some(),
        ours: seen.supplier == site.supplier_id
            && seen.key.as_deref().unwrap_or_default() == site.key,
        seen,
    });
    let pending = store.job_under_way(id).await?;
    let under_way = pending.is_some_and(|j| j.kind == JobKind::Survey.key());
    let title = format!("Pages: {}", site.name);
    Ok(Page {
        frame: Frame::new(app, reader, &title, "", "bench").await?,
        under_way,
        failure: match survey {
            None => store.last_failure(id).await?,
            Some(_) => None,
        },
        kinds: kinds.into_iter().filter(|k| k.count > 0).collect(),
        widgets: widgets.collect(),
        languages: survey
            .as_ref()
            .map(|s| s.languages.join(", "))
            .unwrap_or_default(),
        rows,
        all_kinds: PageKind::ALL,
        pager: Pager::new(number, total, &[("q", &asked.q), ("kind", &asked.kind)]),
        path: format!("/sites/{id}/pages"),
        kind: asked.kind,
        q: asked.q,
        problem: String::new(),
        job: JobKind::Survey,
        survey,
        when,
        site,
    })
}

/// Shows the pages and the last survey.
///
/// # Errors
/// Where there is no such site.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(asked): Query<Asked>,
) -> PageResult {
    let page = whole(&app, &reader, id, asked).await?;
    if let Some(back) = page.pager.back(&format!("/sites/{id}/pages")) {
        return Ok(back.into_response());
    }
    render(&page)
}

/// Takes what is ticked over into the site.
///
/// # Errors
/// Where there is no such site; nothing ticked comes back with the page.
pub async fn take_over(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let ticked = TakeOver {
        platform: f.get("platform") == "yes",
        consent: f.get("consent") == "yes",
        languages: f.get("languages") == "yes",
        widget: f.get("widget").parse().ok(),
    };
    match app.acts.take_over(&posted.actor(), id, &ticked).await {
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/settings")).into_response()),
        Err(error @ (ActError::Bad(_) | ActError::Fields(_))) => {
            let mut page = whole(&app, &posted.reader(), id, Asked::default()).await?;
            page.problem = error.to_string();
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}

/// What each typed page rule takes of the inventory.
///
/// # Errors
/// Where the database refuses; a pattern that is none is told.
pub async fn rules(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let shown = app.acts.show_rules(
        id,
        f.get(SiteField::On.heading()),
        f.get(SiteField::NotOn.heading()),
    );
    let shown = match shown.await {
        Ok(shown) => Ok(shown),
        Err(ActError::Bad(why)) => Err(why),
        Err(other) => return Err(other.into()),
    };
    render(&Rules { shown })
}

#[derive(Template)]
#[template(path = "site_form/rules_shown.html")]
struct Rules {
    shown: Result<RulesShown, String>,
}
