//! All profiles: found, paged, removed together.

use super::super::render;
use super::kind_of;
use crate::error::PageResult;
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, ago};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::ActError;
use newtfern_acts::store::access::people::Role;
use newtfern_model::profiles::ProfileKind;
use serde::Deserialize;

#[derive(Deserialize, Default)]
pub struct ProfilesQuery {
    #[serde(default)]
    q: String,
    #[serde(default)]
    kind: String,
    page: Option<i64>,
}

struct Row {
    kind: ProfileKind,
    id: String,
    name: String,
    uses: String,
    version: String,
    origin: &'static str,
}

#[derive(Template)]
#[template(path = "profiles/list.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
    kinds: [ProfileKind; 4],
    kind: String,
    q: String,
    total: i64,
    pager: Pager,
    problem: String,
}

async fn whole(app: &App, reader: &Reader, asked: ProfilesQuery) -> PageResult<Page> {
    let number = asked.page.unwrap_or(1);
    let kind = ProfileKind::from_key(&asked.kind);
    let (found, total) = app
        .reads()
        .profiles()
        .profiles_found(kind, &asked.q, Pager::offset(number), PAGE_SIZE)
        .await?;
    let mut rows = Vec::new();
    for r in found {
        let kind = r.kind()?;
        rows.push(Row {
            uses: match (kind, r.uses) {
                (ProfileKind::Region, _) => "by country".into(),
                (_, 0) => "no sites".into(),
                (_, 1) => "1 site".into(),
                (_, n) => format!("{n} sites"),
            },
            version: match r.at {
                Some(at) => format!("{}, {} by {}", r.version, ago(at), r.who),
                None => r.version.to_string(),
            },
            origin: match (r.shipped, r.newer_ships) {
                (true, true) => "built in, changed here; a newer version is available",
                (true, false) => "ships",
                (false, _) => "ours",
            },
            kind,
            id: r.id,
            name: r.name,
        });
    }
    Ok(Page {
        frame: Frame::new(app, reader, "Profiles", "", "profiles").await?,
        rows,
        kinds: ProfileKind::NAMED,
        pager: Pager::new(number, total, &[("q", &asked.q), ("kind", &asked.kind)]),
        kind: asked.kind,
        q: asked.q,
        total,
        problem: String::new(),
    })
}

/// Lists the profiles of one kind.
pub async fn list(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<ProfilesQuery>,
) -> PageResult {
    let page = whole(&app, &reader, asked).await?;
    if let Some(back) = page.pager.back("/profiles") {
        return Ok(back.into_response());
    }
    render(&page)
}

/// Removes those that are ticked, one after the other; the first that cannot be removed stops it.
///
/// # Errors
/// Where the person is no administrator.
pub async fn act(State(app): State<App>, posted: Posted) -> PageResult {
    posted.actor().may(Role::Administrator)?;
    let ticked: Vec<&str> = posted.fields.all("profile").collect();
    let mut problem = match ticked.is_empty() {
        true => "No profiles are selected. Select the profiles first.".to_string(),
        false => String::new(),
    };
    for entry in ticked {
        let (kind, id) = entry.split_once('/').unwrap_or(("", entry));
        match app
            .acts
            .profiles()
            .remove_profile(&posted.actor(), kind_of(kind)?, id)
            .await
        {
            Ok(()) => {}
            Err(ActError::Bad(why)) => {
                problem = format!("{id}: {why}");
                break;
            }
            Err(other) => return Err(other.into()),
        }
    }
    if problem.is_empty() {
        return Ok(Redirect::to("/profiles").into_response());
    }
    let mut page = whole(&app, &posted.reader(), ProfilesQuery::default()).await?;
    page.problem = problem;
    super::super::form_again(&page)
}
