//! One profile as a form beside its text.

use super::super::{file, form_again, render};
use super::kind_of;
use crate::error::{PageError, PageResult};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, ago};
use askama::Template;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_acts::store::people::Role;
use newtfern_acts::store::profile_room::ProfileUse;
use newtfern_acts::{ActError, ProfileForm};
use newtfern_core::derive::Proposal;
use newtfern_core::profile_form::{self, FieldSpec, Shape, fields, values};
use newtfern_core::profiles::ProfileKind;
use newtfern_core::slot_text::{Mark, difference};
use serde::Deserialize;
use serde_json::json;

/// Versions and uses that are shown of one profile.
const SHOWN: i64 = 20;

struct Line {
    spec: &'static FieldSpec,
    value: String,
}

impl Line {
    fn rows(&self) -> usize {
        let least = if self.spec.shape == Shape::Code { 4 } else { 2 };
        self.value.lines().count().clamp(least, 8)
    }

    fn choices(&self) -> &'static [&'static str] {
        match self.spec.shape {
            Shape::Choice(choices) => choices,
            _ => &[],
        }
    }

    fn is_long(&self) -> bool {
        matches!(
            self.spec.shape,
            Shape::Lines | Shape::Selectors | Shape::Code
        )
    }
}

struct Old {
    number: i32,
    about: String,
    text: String,
    /// Lines that are in it and not in ours, and the other way round.
    difference: Vec<(&'static str, &'static str, String)>,
}

#[derive(Template)]
#[template(path = "profiles/edit.html")]
pub(super) struct Page {
    frame: Frame,
    kind: ProfileKind,
    /// The one that is changed; empty for a new one.
    which: String,
    title: String,
    text: String,
    lines: Vec<Line>,
    looked: profile_form::Looked,
    problem: String,
    /// What was mended and what is not known of a pasted snippet.
    notes: Vec<String>,
    uses: Vec<ProfileUse>,
    uses_total: i64,
    versions: Vec<Old>,
    /// A newer text ships than the one that ours was made from.
    ships: Option<String>,
    may_unencrypted: bool,
}

/// The page for a text, kept or not.
pub(super) async fn page_for(
    app: &App,
    reader: &Reader,
    kind: ProfileKind,
    which: &str,
    text: String,
) -> PageResult<Page> {
    let store = app.store();
    let looked = profile_form::look(kind, &text);
    let title = match which {
        "" => format!("A new {}", kind.words()),
        which => {
            let name = if looked.name.is_empty() {
                which
            } else {
                &looked.name
            };
            format!("{name}, {}", kind.words())
        }
    };
    let (uses, uses_total) = match which {
        "" => (Vec::new(), 0),
        which => store.profile_uses(kind, which, SHOWN).await?,
    };
    let versions = match which {
        "" => Vec::new(),
        which => store.profile_versions(kind, which, SHOWN).await?,
    };
    let last = versions.first().map(|v| v.text.clone()).unwrap_or_default();
    let versions = versions.into_iter().map(|v| Old {
        number: v.number,
        about: match v.why.as_str() {
            "" => format!("{} by {}", ago(v.at), v.who),
            why => format!("{} by {}: {why}", ago(v.at), v.who),
        },
        difference: changes(&last, &v.text),
        text: v.text,
    });
    let shipped = store.shipped_profile(kind, which).await?;
    let lines = fields(kind).iter().zip(values(kind, &text));
    Ok(Page {
        frame: Frame::new(app, reader, &title, "", "profiles").await?,
        kind,
        which: which.to_string(),
        lines: lines.map(|(spec, value)| Line { spec, value }).collect(),
        looked,
        problem: String::new(),
        notes: Vec::new(),
        uses,
        uses_total,
        versions: versions.collect(),
        ships: shipped.filter(|s| s.text != s.taken).map(|s| s.text),
        may_unencrypted: false,
        title,
        text,
    })
}

impl Page {
    /// With what a paste told.
    pub(super) fn noted(mut self, notes: Vec<String>) -> Page {
        self.notes = notes;
        self
    }
}

fn changes(from: &str, to: &str) -> Vec<(&'static str, &'static str, String)> {
    let all = difference(from, to).into_iter();
    let changed = all.filter(|(mark, _)| *mark != Mark::Same);
    changed.map(super::super::place::marked).collect()
}

/// What a new profile of a kind begins with.
fn beginning(kind: ProfileKind) -> &'static str {
    match kind {
        ProfileKind::Supplier => include_str!("../../../profiles/supplier.toml"),
        ProfileKind::Platform => include_str!("../../../profiles/platform.toml"),
        ProfileKind::ConsentManager => include_str!("../../../profiles/consent.toml"),
        ProfileKind::Region | ProfileKind::SampleWords => {
            include_str!("../../../profiles/region.toml")
        }
    }
}

#[derive(Deserialize)]
pub struct New {
    #[serde(default)]
    kind: String,
    /// Begin with a copy of this one.
    #[serde(default)]
    copy: String,
}

/// A new profile: from a beginning, or a copy of another under an id of its own.
///
/// # Errors
/// Where there is no such kind, or nothing to copy.
pub async fn new(State(app): State<App>, reader: Reader, Query(asked): Query<New>) -> PageResult {
    let kind = kind_of(&asked.kind)?;
    let text = match asked.copy.as_str() {
        "" => beginning(kind).to_string(),
        id => {
            let text = app.store().profile_text(kind, id).await?;
            let text = text.ok_or(PageError::NotFound("profile"))?;
            let copied = profile_form::set(kind, &text, "id", &format!("{id}-copy"));
            copied.unwrap_or(text)
        }
    };
    render(&page_for(&app, &reader, kind, "", text).await?)
}

/// A profile that is kept.
///
/// # Errors
/// Where there is none of that name.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path((kind, id)): Path<(String, String)>,
) -> PageResult {
    let kind = kind_of(&kind)?;
    let text = app.store().profile_text(kind, &id).await?;
    let text = text.ok_or(PageError::NotFound("profile"))?;
    render(&page_for(&app, &reader, kind, &id, text).await?)
}

/// Its text as a file.
///
/// # Errors
/// Where there is none of that name.
pub async fn file_of(
    State(app): State<App>,
    _: Reader,
    Path((kind, id)): Path<(String, String)>,
) -> PageResult {
    let text = app.store().profile_text(kind_of(&kind)?, &id).await?;
    let text = text.ok_or(PageError::NotFound("profile"))?;
    let name: String = id
        .chars()
        .filter(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_'))
        .collect();
    Ok(file(
        "application/toml; charset=utf-8",
        &format!("{name}.toml"),
        text,
    ))
}

async fn kept(app: App, posted: Posted, kind: ProfileKind, which: &str) -> PageResult {
    let f = &posted.fields;
    let form = ProfileForm {
        kind,
        which: Some(which).filter(|w| !w.is_empty()),
        text: f.get("text"),
        why: f.get("why"),
        token: f.token(),
    };
    match app.acts.keep_profile(&posted.actor(), form).await {
        Ok(looked) => {
            let to = format!("/profiles/{}/{}", kind.key(), looked.id);
            Ok(Redirect::to(&to).into_response())
        }
        Err(error @ (ActError::Bad(_) | ActError::Unencrypted(_))) => {
            let text = f.get("text").to_string();
            let mut page = page_for(&app, &posted.reader(), kind, which, text).await?;
            page.problem = error.to_string();
            page.may_unencrypted = matches!(error, ActError::Unencrypted(_));
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}

/// Keeps a new profile.
///
/// # Errors
/// Where the person is no administrator; mistakes come back with the form.
pub async fn keep_new(State(app): State<App>, posted: Posted) -> PageResult {
    posted.actor().may(Role::Administrator)?;
    let kind = kind_of(posted.fields.get("kind"))?;
    kept(app, posted, kind, "").await
}

/// Keeps a profile that was changed.
///
/// # Errors
/// Where the person is no administrator; mistakes come back with the form.
pub async fn keep(
    State(app): State<App>,
    Path((kind, id)): Path<(String, String)>,
    posted: Posted,
) -> PageResult {
    kept(app, posted, kind_of(&kind)?, &id).await
}

/// Removes a profile.
///
/// # Errors
/// Where the person is no administrator, or a site uses it.
pub async fn remove(
    State(app): State<App>,
    Path((kind, id)): Path<(String, String)>,
    posted: Posted,
) -> PageResult {
    let kind = kind_of(&kind)?;
    match app.acts.remove_profile(&posted.actor(), kind, &id).await {
        Ok(()) => Ok(Redirect::to("/profiles").into_response()),
        Err(ActError::Bad(why)) => {
            let text = app
                .store()
                .profile_text(kind, &id)
                .await?
                .unwrap_or_default();
            let mut page = page_for(&app, &posted.reader(), kind, &id, text).await?;
            page.problem = why;
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}

/// Looks a text through while it is typed; with a field, changes that in it first.
///
/// # Errors
/// Where there is no such kind.
pub async fn look(State(_): State<App>, posted: Posted) -> PageResult<Response> {
    let f = &posted.fields;
    let kind = kind_of(f.get("kind"))?;
    let typed = f
        .get("text")
        .chars()
        .take(newtfern_acts::MOST_PROFILE)
        .collect::<String>();
    let mut refused = None;
    let text = match f.some("field") {
        None => typed,
        Some(path) => profile_form::set(kind, &typed, &path, f.get("value")).unwrap_or_else(|e| {
            refused = Some(e.to_string());
            typed
        }),
    };
    let looked = profile_form::look(kind, &text);
    let mut problems = looked.problems;
    problems.extend(refused);
    let answer = json!({
        "values": values(kind, &text),
        "problems": problems,
        "remarks": looked.remarks,
        "text": text,
    });
    Ok(Json(answer).into_response())
}

/// One visit in a browser of a page that has the widget: what it proposes.
///
/// # Errors
/// Where something fails on our side.
pub async fn propose(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let f = &posted.fields;
    let told = app.acts.propose(f.get("text"), f.get("address")).await;
    let answer = match told {
        Ok((text, told)) => {
            let line = |p: &Proposal| {
                let value = p.value.replace('\n', ", ");
                format!("{}: {value} ({})", p.path, p.why)
            };
            let lines: Vec<String> = told.iter().map(line).collect();
            json!({ "text": text, "lines": lines })
        }
        Err(ActError::Bad(why)) => json!({ "problem": why }),
        Err(other) => return Err(other.into()),
    };
    Ok(Json(answer).into_response())
}

/// Tries a text on an address: what of it is recognised there, by HTTP alone.
///
/// # Errors
/// Where there is no such kind.
pub async fn try_on(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let f = &posted.fields;
    let kind = kind_of(f.get("kind"))?;
    let tried = app
        .acts
        .try_profile(kind, f.get("text"), f.get("address"))
        .await;
    let answer = match tried {
        Ok(lines) => json!({ "lines": lines }),
        Err(ActError::Bad(why)) => json!({ "problem": why }),
        Err(other) => return Err(other.into()),
    };
    Ok(Json(answer).into_response())
}
