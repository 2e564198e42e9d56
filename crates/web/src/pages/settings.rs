//! People, suppliers, the network rule, the audit trail.

use super::{form_again, render};
use crate::error::{PageError, PageResult};
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, moment};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_core::profile::Supplier;
use newtfern_store::people::{Person, Role};
use serde::Deserialize;
use serde_json::json;

#[derive(Template)]
#[template(path = "settings.html")]
struct Page {
    frame: Frame,
    people: Vec<Person>,
    roles: [Role; 3],
    suppliers: Vec<(String, String, String)>,
    allow_private: bool,
    /// A form that could not be kept, by the id of the profile, `new` or `person`; what was typed into
    /// it and what is wrong.
    refused: String,
    typed: Fields,
    problem: String,
}

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
    let mut suppliers = Vec::new();
    for s in app.store.all_suppliers().await? {
        let text = app.store.supplier_text(&s.id).await?.unwrap_or_default();
        suppliers.push((s.id, s.name, text));
    }
    Ok(Page {
        frame: Frame::new(app, reader, "Settings", "", "settings").await?,
        people: app.store.people().await?,
        roles: Role::ALL,
        suppliers,
        allow_private: app.store.allow_private().await?,
        refused: refused.to_string(),
        typed,
        problem,
    })
}

pub async fn save(State(app): State<App>, posted: Posted) -> PageResult {
    posted.administrator()?;
    let allow = posted.fields.get("allow_private") == "yes";
    app.store
        .set_setting("allow_private", &json!(allow))
        .await?;
    app.store
        .note(
            posted.who(),
            "changed the network rule",
            "private addresses",
            json!({"allowed": allow}),
        )
        .await?;
    Ok(Redirect::to("/settings").into_response())
}

pub async fn supplier(State(app): State<App>, posted: Posted) -> PageResult {
    posted.administrator()?;
    let text = posted.fields.get("profile");
    let supplier = match Supplier::from_toml(text) {
        Ok(supplier) => supplier,
        Err(error) => {
            let which = posted.fields.some("which").unwrap_or_else(|| "new".into());
            let problem = format!("The profile was not kept: {error}");
            return form_again(
                &whole(
                    &app,
                    &Reader(posted.session),
                    &which,
                    posted.fields,
                    problem,
                )
                .await?,
            );
        }
    };
    app.store.put_supplier(&supplier, text).await?;
    if let Some(token) = posted.fields.some("token") {
        app.store
            .set_supplier_token(&supplier.id, &app.sealer.seal(&token)?)
            .await?;
    }
    app.store
        .note(
            posted.who(),
            "changed a supplier profile",
            &supplier.id,
            json!({}),
        )
        .await?;
    Ok(Redirect::to("/settings").into_response())
}

pub async fn add_person(State(app): State<App>, posted: Posted) -> PageResult {
    posted.administrator()?;
    let f = &posted.fields;
    let (email, name, password) = (
        f.get("email").trim().to_string(),
        f.get("name").trim().to_string(),
        f.get("password").to_string(),
    );
    let problem = if !email.contains('@') || name.is_empty() {
        Some("Give the person a name and an e-mail address.".to_string())
    } else if password.chars().count() < 12 {
        Some("The first password must have 12 characters or more.".to_string())
    } else if app.store.person_by_email(&email).await?.is_some() {
        Some(format!(
            "There is a person with the address {email} already."
        ))
    } else {
        None
    };
    if let Some(problem) = problem {
        return form_again(
            &whole(
                &app,
                &Reader(posted.session),
                "person",
                posted.fields,
                problem,
            )
            .await?,
        );
    }
    let role = Role::from_word(f.get("role"));
    let hash = tokio::task::spawn_blocking(move || crate::hash_password(&password))
        .await
        .map_err(|_| PageError::Bad("Try again.".into()))?;
    app.store.add_person(&email, &name, role, &hash).await?;
    app.store
        .note(
            posted.who(),
            "added a person",
            &email,
            json!({"role": role.word()}),
        )
        .await?;
    Ok(Redirect::to("/settings").into_response())
}

pub async fn set_role(State(app): State<App>, posted: Posted) -> PageResult {
    posted.administrator()?;
    let id: i64 = posted.fields.get("person").parse().unwrap_or(0);
    if id == posted.session.person.id {
        return Err(PageError::Bad(
            "You cannot change your own role: ask another administrator.".into(),
        ));
    }
    let role = Role::from_word(posted.fields.get("role"));
    app.store.set_role(id, role).await?;
    app.store
        .note(
            posted.who(),
            "changed a role",
            &id.to_string(),
            json!({"role": role.word()}),
        )
        .await?;
    Ok(Redirect::to("/settings").into_response())
}

#[derive(Deserialize)]
pub struct Asked {
    #[serde(default)]
    q: String,
    page: Option<i64>,
}

#[derive(Template)]
#[template(path = "audit.html")]
struct Trail {
    frame: Frame,
    entries: Vec<(String, String, String, String)>,
    q: String,
    pager: Pager,
}

pub async fn audit(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<Asked>,
) -> PageResult {
    let number = asked.page.unwrap_or(1);
    let (entries, total) = app
        .store
        .audit(&asked.q, Pager::offset(number), PAGE_SIZE)
        .await?;
    let pager = Pager::new(number, total, &[("q", &asked.q)]);
    if let Some(back) = pager.back("/audit") {
        return Ok(back.into_response());
    }
    let entries = entries
        .into_iter()
        .map(|e| (moment(e.at), e.who, e.act, e.subject))
        .collect();
    render(&Trail {
        frame: Frame::new(&app, &reader, "Audit trail", "", "settings").await?,
        entries,
        q: asked.q,
        pager,
    })
}
