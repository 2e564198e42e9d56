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
use newtfern_acts::store::profile::profile_room::{ProfileUse, Version};
use newtfern_acts::{ActError, ProfileForm, TokenHolder, TokenOrigin, version_of};
use newtfern_heavy::heavy;
use newtfern_model::profile_form::{self, FieldSpec, Shape, fields, values};
use newtfern_model::profiles::ProfileKind;
use newtfern_standards::slot_text::{Mark, difference};
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
    looked: profile_form::ProfileReport,
    problem: String,
    /// Notes on a pasted snippet: what was mended and what is not known.
    notes: Vec<String>,
    uses: Vec<ProfileUse>,
    uses_total: i64,
    versions: Vec<Old>,
    /// A newer text ships than the one that ours was made from.
    ships: Option<String>,
    may_unencrypted: bool,
    /// Whether the reader may save this profile.
    may_keep: bool,
    version: String,
    /// Lines in which the form and what somebody else saved meanwhile differ.
    clash: Vec<(&'static str, &'static str, String)>,
    /// Origins that the agency's own token for its console is sent to; empty where there is none.
    goes_to: Vec<TokenOrigin>,
}

/// The page for a text, kept or not.
/// The versions of a profile, the newest first; none of a new one.
async fn old_versions(app: &App, kind: ProfileKind, which: &str) -> PageResult<Vec<Old>> {
    if which.is_empty() {
        return Ok(Vec::new());
    }
    let rows = app.reads().profiles();
    let versions = rows.profile_versions(kind, which, SHOWN).await?;
    let last = versions.first().map(|v| v.text.clone()).unwrap_or_default();
    let old = |v: Version| Old {
        number: v.number,
        about: match v.why.as_str() {
            "" => format!("{} by {}", ago(v.at), v.who),
            why => format!("{} by {}: {why}", ago(v.at), v.who),
        },
        difference: changes(&last, &v.text),
        text: v.text,
    };
    Ok(versions.into_iter().map(old).collect())
}

/// Returns the addresses that a supplier's token goes to.
async fn token_goes_to(app: &App, supplier: &str) -> PageResult<Vec<TokenOrigin>> {
    let tokens = app.acts.tokens();
    Ok(tokens
        .token_goes_to(TokenHolder::Supplier(supplier))
        .await?)
}

pub(super) async fn page_for(
    app: &App,
    reader: &Reader,
    kind: ProfileKind,
    which: &str,
    text: String,
) -> PageResult<Page> {
    let store = app.reads();
    let looked = heavy(|| profile_form::look(kind, &text)).await;
    let title = match (which, looked.name.as_str()) {
        ("", _) => format!("New {}", kind.words()),
        (which, "") => format!("{which}, {}", kind.words()),
        (_, name) => format!("{name}, {}", kind.words()),
    };
    let (uses, uses_total) = match which {
        "" => (Vec::new(), 0),
        which => store.profiles().profile_uses(kind, which, SHOWN).await?,
    };
    let shipped = store.profiles().shipped_profile(kind, which).await?;
    let has_token =
        kind == ProfileKind::Supplier && store.profiles().supplier_token(which).await?.is_some();
    let goes_to = match has_token {
        true => token_goes_to(app, which).await?,
        false => Vec::new(),
    };
    let lines = fields(kind).iter().zip(values(kind, &text));
    let kept = match which {
        "" => String::new(),
        which => store
            .profiles()
            .profile_text(kind, which)
            .await?
            .unwrap_or_default(),
    };
    let right = ProfileForm::right(kind, which.is_empty());
    Ok(Page {
        may_keep: reader.actor().may(right).is_ok(),
        version: version_of(&kept),
        clash: Vec::new(),
        goes_to,
        frame: Frame::new(app, reader, &title, "", "profiles").await?,
        kind,
        which: which.to_string(),
        lines: lines.map(|(spec, value)| Line { spec, value }).collect(),
        looked,
        problem: String::new(),
        notes: Vec::new(),
        uses,
        uses_total,
        versions: old_versions(app, kind, which).await?,
        ships: shipped.filter(|s| s.text != s.taken).map(|s| s.text),
        may_unencrypted: false,
        title,
        text,
    })
}

impl Page {
    /// Returns the page with what a paste told.
    pub(super) fn noted(mut self, notes: Vec<String>) -> Page {
        self.notes = notes;
        self
    }
}

fn changes(from: &str, to: &str) -> Vec<(&'static str, &'static str, String)> {
    let all = difference(from, to).into_iter();
    let changed = all.filter(|(mark, _)| *mark != Mark::Same);
    changed
        .map(crate::pages::site::difference::marked)
        .collect()
}

/// Returns the text that a new profile of a kind begins with.
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
            let text = app.reads().profiles().profile_text(kind, id).await?;
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
    let text = app.reads().profiles().profile_text(kind, &id).await?;
    let text = text.ok_or(PageError::NotFound("profile"))?;
    render(&page_for(&app, &reader, kind, &id, text).await?)
}

/// Sends the text of a profile as a file.
///
/// # Errors
/// Where there is none of that name.
pub async fn file_of(
    State(app): State<App>,
    _: Reader,
    Path((kind, id)): Path<(String, String)>,
) -> PageResult {
    let text = app
        .reads()
        .profiles()
        .profile_text(kind_of(&kind)?, &id)
        .await?;
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
        made_from: f.version(),
    };
    match app
        .acts
        .profiles()
        .keep_profile(&posted.actor(), form)
        .await
    {
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
        Err(ActError::Outdated) => {
            let text = f.get("text").to_string();
            let saved = app.reads().profiles().profile_text(kind, which).await?;
            let clash = changes(&saved.unwrap_or_default(), &text);
            let mut page = page_for(&app, &posted.reader(), kind, which, text).await?;
            page.clash = clash;
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}

/// Keeps a new profile.
///
/// # Errors
/// Where the person may not add one of this kind; mistakes come back with the form.
pub async fn keep_new(State(app): State<App>, posted: Posted) -> PageResult {
    let kind = kind_of(posted.fields.get("kind"))?;
    posted.actor().may(ProfileForm::right(kind, true))?;
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

/// Confirms where the agency's own token for a supplier's console may be sent.
///
/// # Errors
/// Where the person is no administrator, or nothing names the address any more.
pub async fn confirm_origin(
    State(app): State<App>,
    Path(id): Path<String>,
    posted: Posted,
) -> PageResult {
    let holder = TokenHolder::Supplier(&id);
    let origin = posted.fields.get("origin");
    let actor = posted.actor();
    match app
        .acts
        .tokens()
        .confirm_token_origin(&actor, holder, origin)
        .await
    {
        Ok(()) => Ok(Redirect::to(&format!("/profiles/supplier/{id}")).into_response()),
        Err(error @ (ActError::Bad(_) | ActError::Unencrypted(_))) => {
            let text = app
                .reads()
                .profiles()
                .profile_text(ProfileKind::Supplier, &id)
                .await?;
            let text = text.ok_or(PageError::NotFound("profile"))?;
            let reader = posted.reader();
            let mut page = page_for(&app, &reader, ProfileKind::Supplier, &id, text).await?;
            page.problem = error.to_string();
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}

/// Removes a profile that no site uses.
///
/// # Errors
/// Where the person is no administrator, or a site uses it.
pub async fn remove(
    State(app): State<App>,
    Path((kind, id)): Path<(String, String)>,
    posted: Posted,
) -> PageResult {
    let kind = kind_of(&kind)?;
    match app
        .acts
        .profiles()
        .remove_profile(&posted.actor(), kind, &id)
        .await
    {
        Ok(()) => Ok(Redirect::to("/profiles").into_response()),
        Err(ActError::Bad(why)) => {
            let text = app
                .reads()
                .profiles()
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
    let looked = heavy(|| profile_form::look(kind, &text)).await;
    let mut problems = looked.problems;
    let is_refused = refused.is_some();
    problems.extend(refused);
    let answer = json!({
        "refused": is_refused,
        "values": values(kind, &text),
        "problems": problems,
        "remarks": looked.remarks,
        "text": text,
    });
    Ok(Json(answer).into_response())
}

/// Makes one visit in a browser of a page that has the widget, and shows what it proposes.
///
/// # Errors
/// Where something fails on our side.
pub async fn propose(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let f = &posted.fields;
    let actor = posted.actor();
    let told = app
        .acts
        .profiles()
        .propose(&actor, f.get("text"), f.get("address"));
    let answer = match told.await {
        Ok(told) => json!(told),
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
        .profiles()
        .try_profile(&posted.actor(), kind, f.get("text"), f.get("address"))
        .await;
    let answer = match tried {
        Ok(lines) => json!({ "lines": lines }),
        Err(ActError::Bad(why)) => json!({ "problem": why }),
        Err(other) => return Err(other.into()),
    };
    Ok(Json(answer).into_response())
}
