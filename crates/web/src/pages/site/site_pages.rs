//! The pages of one site, and what a survey saw on it: looked through, and taken over by ticking.

use crate::error::PageResult;
use crate::pages::{form_again, render, site_of};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, ago};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::store::estate::surveys::PageRow;
use newtfern_acts::{ActError, TakeOver};
use newtfern_model::job::JobKind;
use newtfern_model::pages::{PageKind, RuleEffects};
use newtfern_model::site::SiteField;
use newtfern_model::survey::{Survey, WidgetSeen};
use serde::Deserialize;

#[derive(Deserialize, Default)]
pub struct SitePagesQuery {
    #[serde(default)]
    q: String,
    #[serde(default)]
    kind: String,
    page: Option<i64>,
}

/// Number of pages of one kind.
struct Kind {
    kind: PageKind,
    count: usize,
}

struct Widget {
    seen: WidgetSeen,
    /// Whether it can be applied: its supplier is known.
    known: bool,
    /// The site has it already.
    ours: bool,
}

#[derive(Template)]
#[template(path = "site/site_pages.html")]
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

async fn whole(app: &App, reader: &Reader, id: i64, asked: SitePagesQuery) -> PageResult<Page> {
    let store = app.reads();
    let site = site_of(app, id).await?;
    let last = store.sites().survey(id).await?;
    let number = asked.page.unwrap_or(1);
    let kind = PageKind::parse(&asked.kind).ok();
    let (rows, total) = store
        .sites()
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
    let pending = store.rounds().job_under_way(id).await?;
    let under_way = pending.is_some_and(|j| j.kind == JobKind::Survey);
    let title = format!("Pages: {}", site.name);
    Ok(Page {
        frame: Frame::new(app, reader, &title, "", "bench").await?,
        under_way,
        failure: match survey {
            None => store.rounds().last_failure(id).await?,
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
    Query(asked): Query<SitePagesQuery>,
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
    match app
        .acts
        .sites()
        .take_over(&posted.actor(), id, &ticked)
        .await
    {
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/settings")).into_response()),
        Err(error @ (ActError::Bad(_) | ActError::Fields(_))) => {
            let mut page = whole(&app, &posted.reader(), id, SitePagesQuery::default()).await?;
            page.problem = error.to_string();
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}

/// Shows what each typed page rule takes of the inventory.
///
/// # Errors
/// A pattern that is none is told.
pub async fn rules(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let shown = app.acts.sites().show_rules(
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
#[template(path = "site/site_form/rules_shown.html")]
struct Rules {
    shown: Result<RuleEffects, String>,
}
