//! The people of the house: added, given roles and links for a password, locked, removed.

use crate::error::PageResult;
use crate::pages::{form_again, render};
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::access::people::{Person, Role};
use newtfern_acts::{ActError, LINK_HOURS, PeopleAct};
use serde::Deserialize;

#[derive(Deserialize, Default)]
pub struct PeopleQuery {
    #[serde(default)]
    q: String,
    page: Option<i64>,
}

#[derive(Template)]
#[template(path = "access/people.html")]
struct Page {
    frame: Frame,
    own: i64,
    people: Vec<Person>,
    roles: [Role; 3],
    acts: [PeopleAct; 4],
    q: String,
    pager: Pager,
    typed: Fields,
    /// Role in the form for one more person.
    chosen_role: Role,
    problem: String,
    /// A link for choosing a password, shown once: whose, and the address.
    link: Option<(String, String)>,
    link_hours: i64,
}

async fn whole(app: &App, reader: &Reader, asked: PeopleQuery) -> PageResult<Page> {
    let number = asked.page.unwrap_or(1);
    let (people, total) = app
        .reads()
        .people()
        .people_found(&asked.q, Pager::offset(number), PAGE_SIZE)
        .await?;
    Ok(Page {
        frame: Frame::new(app, reader, "People", "", "settings").await?,
        own: reader.0.person.id,
        people,
        roles: Role::ALL,
        acts: PeopleAct::ALL,
        pager: Pager::new(number, total, &[("q", &asked.q)]),
        q: asked.q,
        typed: Fields::default(),
        chosen_role: Role::Technician,
        problem: String::new(),
        link: None,
        link_hours: LINK_HOURS,
    })
}

/// Lists the people who can sign in.
pub async fn list(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<PeopleQuery>,
) -> PageResult {
    let page = whole(&app, &reader, asked).await?;
    if let Some(back) = page.pager.back("/people") {
        return Ok(back.into_response());
    }
    render(&page)
}

/// The page with the link of a person, which is shown this once.
async fn with_link(app: &App, posted: &Posted, id: i64) -> PageResult {
    let (person, token) = app
        .acts
        .people()
        .make_password_link(&posted.actor(), id)
        .await?;
    let mut page = whole(app, &posted.reader(), PeopleQuery::default()).await?;
    let address = format!("{}/welcome/{token}", app.settings.public_address);
    page.link = Some((person.name, address));
    render(&page)
}

/// Adds a person. Without a first password they get a link by which they choose one.
///
/// # Errors
/// Where the person asking is no administrator; mistakes come back with the form.
pub async fn add(State(app): State<App>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let role = Role::from_word(f.get("role"));
    let (email, name, password) = (f.get("email"), f.get("name"), f.get("password"));
    let password = Some(password).filter(|p| !p.is_empty());
    let added = app
        .acts
        .people()
        .add_person(&posted.actor(), email, name, role, password)
        .await;
    match (added, password) {
        (Ok(id), None) => with_link(&app, &posted, id).await,
        (Ok(_), Some(_)) => Ok(Redirect::to("/people").into_response()),
        (Err(ActError::Bad(problem)), _) => {
            let mut page = whole(&app, &posted.reader(), PeopleQuery::default()).await?;
            (page.problem, page.typed, page.chosen_role) = (problem, posted.fields, role);
            form_again(&page)
        }
        (Err(other), _) => Err(other.into()),
    }
}

fn person_of(fields: &Fields) -> i64 {
    fields.get("person").parse().unwrap_or(0)
}

/// Makes a link by which somebody chooses a password.
///
/// # Errors
/// Where the person asking is no administrator.
pub async fn link(State(app): State<App>, posted: Posted) -> PageResult {
    with_link(&app, &posted, person_of(&posted.fields)).await
}

/// Takes the second factor of somebody who lost it away.
///
/// # Errors
/// Where the person asking is no administrator.
pub async fn clear_second(State(app): State<App>, posted: Posted) -> PageResult {
    let id = person_of(&posted.fields);
    app.acts
        .people()
        .clear_second_factor(&posted.actor(), id)
        .await?;
    Ok(Redirect::to("/people").into_response())
}

/// Changes a person's role.
///
/// # Errors
/// Where the person is no administrator, or means themselves.
pub async fn set_role(State(app): State<App>, posted: Posted) -> PageResult {
    let role = Role::from_word(posted.fields.get("role"));
    let (own, id) = (posted.session.person.id, person_of(&posted.fields));
    app.acts
        .people()
        .set_role(&posted.actor(), own, id, role)
        .await?;
    Ok(Redirect::to("/people").into_response())
}

/// Locks, unlocks, signs out or removes those that are ticked.
///
/// # Errors
/// Where the person is no administrator, or is among them.
pub async fn act(State(app): State<App>, posted: Posted) -> PageResult {
    let asked = posted.fields.get("kind").to_string();
    let act = PeopleAct::ALL.into_iter().find(|a| a.key() == asked);
    let act = act.ok_or(crate::error::PageError::NotFound("act"))?;
    let ticked = posted.fields.all("person");
    let ids: Vec<i64> = ticked.filter_map(|id| id.parse().ok()).collect();
    let own = posted.session.person.id;
    app.acts
        .people()
        .act_on_people(&posted.actor(), own, &ids, act)
        .await?;
    Ok(Redirect::to("/people").into_response())
}
