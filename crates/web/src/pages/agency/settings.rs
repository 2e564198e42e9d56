//! The network rule, how people sign in, how much history is kept, the audit trail.

use crate::error::PageResult;
use crate::pages::client::clients::picture_kind;
use crate::pages::{form_again, render};
use crate::session::{Fields, Posted, Reader, check, whole_form};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, moment};
use askama::Template;
use axum::extract::{Multipart, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::{ActError, HouseRules, KeptMailbox};
use newtfern_model::agency::Agency;
use newtfern_standards::country;
use serde::Deserialize;

#[derive(Template)]
#[template(path = "agency/settings.html")]
struct Page {
    frame: Frame,
    private_hosts: String,
    sample_words: String,
    keep_checks: i64,
    second_required: bool,
    agency: Agency,
    mailbox: Option<KeptMailbox>,
    countries: &'static [(&'static str, &'static str)],
    /// A form that could not be kept, by its name; what was typed into it and what is wrong.
    refused: String,
    typed: Fields,
    problem: String,
}

impl Page {
    /// A field of the mailbox's form: as typed where it could not be kept.
    fn mail(&self, field: &str) -> String {
        if self.refused == "mailbox" {
            return self.typed.get(field).to_string();
        }
        let kept = self.mailbox.as_ref();
        let kept = kept.map(|m| match field {
            "address" => m.address.clone(),
            _ => m.server.clone(),
        });
        kept.unwrap_or_default()
    }

    /// A field of the agency's form: as typed where it could not be kept.
    fn own(&self, field: &str) -> String {
        if self.refused == "agency" {
            return self.typed.get(field).to_string();
        }
        let a = &self.agency;
        match field {
            "name" => a.name.clone(),
            "contact" => a.contact.clone(),
            "sender" => a.sender.clone(),
            "country" => a.country.clone(),
            "tests_a_month" => a.tests_a_month.to_string(),
            _ => a.budget_ms.to_string(),
        }
    }
}

/// Shows the settings of the house.
pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    render(&whole(&app, &reader, "", Fields::default(), String::new()).await?)
}

async fn whole(
    app: &App,
    reader: &Reader,
    refused: &str,
    typed: Fields,
    problem: String,
) -> PageResult<Page> {
    let store = app.reads();
    Ok(Page {
        frame: Frame::new(app, reader, "Settings", "", "settings").await?,
        private_hosts: store.settings().private_hosts().await?.to_string(),
        sample_words: store.settings().sample_words().await?.to_string(),
        keep_checks: store.settings().keep_checks().await?,
        second_required: store.settings().second_required().await?,
        agency: app.reads().settings().agency().await?,
        mailbox: app.acts.settings().kept_mailbox().await?,
        countries: country::COUNTRIES,
        refused: refused.to_string(),
        typed,
        problem,
    })
}

/// Done, or the page again with what is wrong with one of its forms.
async fn answer<T>(
    app: &App,
    posted: Posted,
    form: &str,
    result: Result<T, ActError>,
) -> PageResult {
    match result {
        Ok(_) => Ok(Redirect::to("/settings").into_response()),
        Err(ActError::Bad(problem)) => {
            let reader = posted.reader();
            form_again(&whole(app, &reader, form, posted.fields, problem).await?)
        }
        Err(other) => Err(other.into()),
    }
}

/// Keeps the network rule, how much history stays, and how people sign in.
///
/// # Errors
/// Where the person is no administrator.
pub async fn save(State(app): State<App>, posted: Posted) -> PageResult {
    let ticked = |name: &str| posted.fields.get(name) == "yes";
    let rules = HouseRules {
        private_hosts: posted.fields.get("private_hosts").to_string(),
        sample_words: posted.fields.get("sample_words").to_string(),
        keep_checks: posted.fields.get("keep_checks").trim().parse().ok(),
        second_required: ticked("second_required"),
    };
    let kept = app
        .acts
        .settings()
        .set_house_rules(&posted.actor(), rules)
        .await;
    answer(&app, posted, "house", kept).await
}

/// Keeps what is known of the agency.
///
/// # Errors
/// Where the person is no administrator; mistakes come back with the form.
pub async fn agency(State(app): State<App>, reader: Reader, mut form: Multipart) -> PageResult {
    let (fields, files) = whole_form(&mut form).await?;
    check(&reader.0, fields.get("csrf"))?;
    let logo = match files.into_iter().next_back() {
        None => Ok(None),
        Some((_, bytes)) => match picture_kind(&bytes) {
            Some((extension, _)) => Ok(Some((bytes, extension))),
            None => Err(ActError::Bad(
                "The logo must be a PNG, JPEG or SVG picture.".into(),
            )),
        },
    };
    let kept = match logo {
        Ok(logo) => {
            let get = |f: &str| fields.get(f).to_string();
            app.acts
                .settings()
                .set_agency(&reader.actor(), &get, logo)
                .await
        }
        Err(error) => Err(error),
    };
    match kept {
        Ok(()) => Ok(Redirect::to("/settings").into_response()),
        Err(ActError::Bad(problem)) => {
            form_again(&whole(&app, &reader, "agency", fields, problem).await?)
        }
        Err(other) => Err(other.into()),
    }
}

/// Keeps the mailbox of test talks.
///
/// # Errors
/// Where the person is no administrator; mistakes come back with the form.
pub async fn mailbox(State(app): State<App>, posted: Posted) -> PageResult {
    let field = |name| posted.fields.get(name);
    let typed = (field("address"), field("server"), field("password"));
    let kept = app
        .acts
        .settings()
        .set_mailbox(&posted.actor(), typed)
        .await;
    answer(&app, posted, "mailbox", kept).await
}

#[derive(Deserialize)]
pub struct SettingsQuery {
    #[serde(default)]
    q: String,
    page: Option<i64>,
}

#[derive(Template)]
#[template(path = "agency/audit.html")]
struct Trail {
    frame: Frame,
    /// Entries: time, person, act, subject and details.
    entries: Vec<(String, String, String, String, String)>,
    q: String,
    pager: Pager,
}

/// Shows the trail of who did what.
pub async fn audit(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<SettingsQuery>,
) -> PageResult {
    let number = asked.page.unwrap_or(1);
    let (entries, total) = app
        .reads()
        .people()
        .audit(&asked.q, Pager::offset(number), PAGE_SIZE)
        .await?;
    let pager = Pager::new(number, total, &[("q", &asked.q)]);
    if let Some(back) = pager.back("/audit") {
        return Ok(back.into_response());
    }
    let entries = entries.into_iter().map(|e| {
        let detail = match e.detail.as_object() {
            Some(o) if o.is_empty() => String::new(),
            _ => e.detail.to_string(),
        };
        (moment(e.at), e.who, e.act, e.subject, detail)
    });
    render(&Trail {
        frame: Frame::new(&app, &reader, "Audit trail", "", "settings").await?,
        entries: entries.collect(),
        q: asked.q,
        pager,
    })
}
