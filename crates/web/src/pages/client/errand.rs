//! Placing by somebody who has no account: links made, and what they show.

use crate::error::PageResult;
use crate::pages::lists::rounds::ticked;
use crate::pages::site::place::{Step, steps};
use crate::pages::{form_again, message_gone, render, site_of};
use crate::session::{Fields, Posted};
use crate::state::App;
use crate::view::{Frame, moment};
use askama::Template;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::{ActError, AskedLink, ErrandPage};
use newtfern_model::placing::WrongCopy;
use newtfern_model::platform::Fitted;

#[derive(Template)]
#[template(path = "client/errand/made.html")]
struct LinkPage {
    frame: Frame,
    site: Site,
    address: String,
    until: String,
    mail: String,
}

#[derive(Template)]
#[template(path = "client/errand/mail.txt", escape = "none")]
struct Mail<'a> {
    site: &'a Site,
    to_whom: &'a str,
    address: &'a str,
    until: &'a str,
    slot: &'a str,
    steps: Vec<Step>,
    code: &'a str,
    wrong: &'a [WrongCopy],
    /// Whoever made the link.
    by: &'a str,
    agency: &'a str,
}

fn address(app: &App, token: &str) -> String {
    format!("{}/placing/{token}", app.settings.public_address)
}

/// Makes a link and shows it once, with a mail that says the same.
///
/// # Errors
/// Where there is no code for the slot yet.
pub async fn make(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let to_whom = f.get("to_whom").trim();
    let actor = posted.actor();
    let link = AskedLink {
        site: id,
        widget: f.get("widget").parse().unwrap_or_default(),
        slot: f.get("slot").to_string(),
        to_whom: to_whom.to_string(),
    };
    let made = app.acts.handing().make_errand(&actor, link);
    let (token, until) = made.await?;
    let until = moment(until);
    let address = address(&app, &token);
    let page = app.acts.handing().errand_page(&token).await?;
    let slot = page.place.slot.as_ref();
    let mail = Mail {
        site: &page.place.site,
        to_whom,
        address: &address,
        until: &until,
        slot: slot.map_or("", |s| s.name.as_str()),
        steps: steps(&page.place),
        code: page.place.fitted.as_ref().map_or("", |f| f.code.as_str()),
        wrong: &page.place.wrong,
        by: &actor.name,
        agency: &page.agency,
    };
    render(&LinkPage {
        frame: Frame::new(
            &app,
            &posted.reader(),
            "Link to the instructions",
            "place",
            "",
        )
        .await?,
        mail: mail.render()?,
        site: site_of(&app, id).await?,
        address,
        until,
    })
}

struct Link {
    id: i64,
    name: String,
    contact: String,
    address: String,
    problem: String,
}

#[derive(Template)]
#[template(path = "client/errand/many.html")]
struct Many {
    frame: Frame,
    links: Vec<Link>,
    until: String,
    /// The sites that were ticked with them and need no link.
    rest: String,
}

/// Links for many sites, one each, into each one's own slot or the first of its platform.
///
/// # Errors
/// Where no site is ticked.
pub async fn make_many(State(app): State<App>, posted: Posted) -> PageResult {
    let sites = ticked(&app, &posted.fields).await?;
    let sites = app.reads().sites().sites_of(&sites).await?;
    let asked = sites.iter().map(|s| AskedLink {
        site: s.id,
        widget: 0,
        slot: s.slot_id.clone(),
        to_whom: s.contact.clone(),
    });
    let asked: Vec<AskedLink> = asked.collect();
    let (made, until) = app
        .acts
        .handing()
        .make_errands(&posted.actor(), &asked)
        .await?;
    let links = sites.iter().zip(made).map(|(site, made)| {
        let (address, problem) = match made {
            Ok(token) => (address(&app, &token), String::new()),
            Err(why) => (String::new(), why),
        };
        Link {
            id: site.id,
            name: site.title(),
            contact: site.contact.clone(),
            address,
            problem,
        }
    });
    let links = links.collect();
    render(&Many {
        frame: Frame::new(
            &app,
            &posted.reader(),
            "Links to the instructions",
            "place",
            "",
        )
        .await?,
        links,
        until: moment(until),
        rest: posted.fields.get("rest").to_string(),
    })
}

/// Withdraws an instruction link.
///
/// # Errors
/// Where there is none.
pub async fn withdraw(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let site = app
        .acts
        .handing()
        .withdraw_errand(&posted.actor(), id)
        .await?;
    Ok(Redirect::to(&format!("/sites/{site}/place#errands")).into_response())
}

/// Answers a question asked by a link.
///
/// # Errors
/// Where nothing was written.
pub async fn answer(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let words = posted.fields.get("words");
    let site = app
        .acts
        .handing()
        .answer_errand(&posted.actor(), id, words)
        .await?;
    Ok(Redirect::to(&format!("/sites/{site}/place#errands")).into_response())
}

#[derive(Template)]
#[template(path = "client/errand/outside.html")]
struct Outside {
    token: String,
    until: String,
    slot: String,
    steps: Vec<Step>,
    has_code_step: bool,
    fitted: Option<Fitted>,
    wrong: Vec<WrongCopy>,
    page: ErrandPage,
    problem: String,
    by: String,
    words: String,
}

/// The address is the key: it goes to nobody.
const NO_REFERRER: [(&str, &str); 1] = [("referrer-policy", "no-referrer")];

async fn shown(app: &App, token: &str, problem: String, typed: &Fields) -> PageResult {
    let page = match app.acts.handing().errand_page(token).await {
        Ok(page) => page,
        Err(ActError::NotFound(_)) => return Ok(message_gone()),
        Err(other) => return Err(other.into()),
    };
    let slot = page.place.slot.as_ref();
    let steps = steps(&page.place);
    let failed = !problem.is_empty();
    let out = Outside {
        token: token.to_string(),
        until: moment(page.errand.expires_at),
        slot: slot.map(|s| s.name.clone()).unwrap_or_default(),
        has_code_step: steps.iter().any(|s| s.code),
        steps,
        fitted: page.place.fitted.clone(),
        wrong: page.place.wrong.clone(),
        page,
        problem,
        by: typed.get("by").to_string(),
        words: typed.get("words").to_string(),
    };
    let body = match failed {
        true => form_again(&out)?,
        false => render(&out)?,
    };
    Ok((NO_REFERRER, body).into_response())
}

/// Shows the page for the person with the link.
pub async fn page(State(app): State<App>, Path(token): Path<String>) -> PageResult {
    shown(&app, &token, String::new(), &Fields::default()).await
}

async fn told(
    app: &App,
    token: &str,
    fields: &Fields,
    done: Result<(), ActError>,
) -> PageResult<Response> {
    match done {
        Ok(()) => Ok(Redirect::to(&format!("/placing/{token}")).into_response()),
        Err(ActError::NotFound(_)) => Ok(message_gone()),
        Err(ActError::Bad(problem)) => shown(app, token, problem, fields).await,
        Err(other) => Err(other.into()),
    }
}

/// The person says that it is done.
pub async fn done(State(app): State<App>, Path(token): Path<String>, body: Bytes) -> PageResult {
    let fields = Fields::parse(&body);
    let done = app
        .acts
        .handing()
        .end_errand(&token, fields.get("by"))
        .await;
    told(&app, &token, &fields, done).await
}

/// The person asks something.
pub async fn ask(State(app): State<App>, Path(token): Path<String>, body: Bytes) -> PageResult {
    let fields = Fields::parse(&body);
    let asked = app
        .acts
        .handing()
        .ask_by_errand(&token, fields.get("by"), fields.get("words"));
    let asked = asked.await;
    told(&app, &token, &fields, asked).await
}
