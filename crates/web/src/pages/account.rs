//! One's own account: password, second factor, sessions.

use super::sign_in::too_many;
use super::{form_again, render};
use crate::draw::qr;
use crate::error::{PageError, PageResult};
use crate::peer::Peer;
use crate::session::{Fields, Own, OwnPosted, Reader};
use crate::state::App;
use crate::view::{Frame, ago, moment};
use askama::Template;
use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::ActError;
use newtfern_acts::store::sessions::Session;
use newtfern_acts::tries::Attempt;
use serde::Deserialize;
use std::time::Instant;

/// Which of the page's forms something is told of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Part {
    Password,
    Second,
}

struct Row {
    id: i64,
    own: bool,
    opened: String,
    seen: String,
    peer: String,
    agent: String,
}

/// A second factor that is being set up: the picture and the secret.
struct Setting {
    picture: String,
    secret: String,
}

#[derive(Template)]
#[template(path = "account.html")]
struct Page {
    frame: Frame,
    email: String,
    done: &'static str,
    /// The house asks for a second factor, and there is none yet.
    must: bool,
    second: bool,
    second_required: bool,
    codes_left: i64,
    setting: Option<Setting>,
    /// Recovery codes, shown once.
    codes: Vec<String>,
    sessions: Vec<Row>,
    password_problem: String,
    second_problem: String,
}

#[derive(Deserialize)]
pub struct Asked {
    #[serde(default)]
    done: String,
}

async fn whole(app: &App, session: &Session, told: Option<(Part, String)>) -> PageResult<Page> {
    let (store, person) = (app.store(), &session.person);
    let reader = Reader(session.clone());
    let sessions = store
        .sessions_of(person.id)
        .await?
        .into_iter()
        .map(|s| Row {
            id: s.id,
            own: s.id == session.id,
            opened: moment(s.opened_at),
            seen: ago(s.seen_at),
            peer: s.peer,
            agent: s.agent,
        });
    let pending = app.acts.pending_second_factor(person).await?;
    let setting = pending.map(|setup| Setting {
        picture: qr::svg(
            &setup.address,
            "The secret as a picture for an authenticator",
        ),
        // In fours, as it is typed.
        secret: fours(&setup.secret),
    });
    let problem = |part: Part| match &told {
        Some((of, text)) if *of == part => text.clone(),
        _ => String::new(),
    };
    Ok(Page {
        frame: Frame::new(app, &reader, "Your account", "", "account").await?,
        email: person.email.clone(),
        done: "",
        must: session.second_required && !person.second,
        second: person.second,
        second_required: session.second_required,
        codes_left: store.recovery_codes_left(person.id).await?,
        setting,
        codes: Vec::new(),
        sessions: sessions.collect(),
        password_problem: problem(Part::Password),
        second_problem: problem(Part::Second),
    })
}

fn fours(secret: &str) -> String {
    let chars: Vec<char> = secret.chars().collect();
    let fours: Vec<String> = chars.chunks(4).map(|c| c.iter().collect()).collect();
    fours.join(" ")
}

/// Shows the account.
///
/// # Errors
/// Where the database refuses.
pub async fn page(
    State(app): State<App>,
    Own(session): Own,
    Query(asked): Query<Asked>,
) -> PageResult {
    let mut page = whole(&app, &session, None).await?;
    page.done = match asked.done.as_str() {
        "password" => "Your password was changed; you were signed out everywhere else.",
        "ended" => "Signed out there.",
        "off" => "The second factor was taken away.",
        _ => "",
    };
    render(&page)
}

fn done(what: &str) -> PageResult {
    Ok(Redirect::to(&format!("/account?done={what}")).into_response())
}

/// Done, or the page again with what is wrong with one of its forms.
async fn answer(
    app: &App,
    session: &Session,
    part: Part,
    what: &str,
    result: Result<(), ActError>,
) -> PageResult {
    match result {
        Ok(()) => done(what),
        Err(mistake @ (ActError::Bad(_) | ActError::WrongPassword)) => {
            let told = Some((part, mistake.to_string()));
            form_again(&whole(app, session, told).await?)
        }
        Err(other) => Err(other.into()),
    }
}

/// Runs an act that asks for the password once more: whoever sits at a forgotten screen must not try all
/// passwords.
async fn guarded(
    app: &App,
    session: &Session,
    peer: &Peer,
    act: impl Future<Output = Result<(), ActError>>,
) -> Result<(), ActError> {
    let account = format!("own password of {}", session.person.id);
    let attempt = Attempt {
        peer: peer.address,
        account: &account,
        browser: None,
    };
    if let Some(wait) = app.tries.wait(&attempt, Instant::now()) {
        return Err(ActError::Bad(too_many(wait)));
    }
    let result = act.await;
    match &result {
        Ok(()) => app.tries.succeeded(&attempt),
        Err(ActError::WrongPassword) => app.tries.failed(&attempt, Instant::now()),
        Err(_) => {}
    }
    result
}

/// Changes the password.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn password(State(app): State<App>, peer: Peer, posted: OwnPosted) -> PageResult {
    let OwnPosted { session, fields } = posted;
    let act = app
        .acts
        .change_password(&session, fields.get("old"), fields.get("new"));
    let result = guarded(&app, &session, &peer, act).await;
    answer(&app, &session, Part::Password, "password", result).await
}

/// Begins to set a second factor up.
///
/// # Errors
/// Where the database refuses.
pub async fn begin_second(State(app): State<App>, posted: OwnPosted) -> PageResult {
    app.acts.begin_second_factor(&posted.session.person).await?;
    Ok(Redirect::to("/account#second").into_response())
}

/// Confirms the second factor; the answer shows the recovery codes, this once.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn confirm_second(State(app): State<App>, posted: OwnPosted) -> PageResult {
    let OwnPosted {
        mut session,
        fields,
    } = posted;
    let confirmed = app
        .acts
        .confirm_second_factor(&session, fields.get("code"))
        .await;
    match confirmed {
        Ok(codes) => {
            session.person.second = true;
            let mut page = whole(&app, &session, None).await?;
            page.codes = codes;
            render(&page)
        }
        Err(ActError::Bad(problem)) => {
            form_again(&whole(&app, &session, Some((Part::Second, problem))).await?)
        }
        Err(other) => Err(other.into()),
    }
}

/// Takes the second factor away.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn drop_second(State(app): State<App>, peer: Peer, posted: OwnPosted) -> PageResult {
    let OwnPosted { session, fields } = posted;
    let act = app
        .acts
        .drop_second_factor(&session, fields.get("password"));
    let result = guarded(&app, &session, &peer, act).await;
    answer(&app, &session, Part::Second, "off", result).await
}

/// Ends one of one's own sessions, or all others.
///
/// # Errors
/// Where there is no such session.
pub async fn end_sessions(State(app): State<App>, posted: OwnPosted) -> PageResult {
    let OwnPosted { session, fields } = posted;
    let which = match fields.get("session") {
        "others" => None,
        number => Some(number.parse().map_err(|_| PageError::NotFound("session"))?),
    };
    app.acts.end_own_sessions(&session, which).await?;
    if let Some(ended) = which {
        app.signed_out(ended);
    }
    done("ended")
}

#[derive(Template)]
#[template(path = "welcome.html")]
struct Welcome {
    name: String,
    email: String,
    problem: String,
}

/// Asks for a password, by a link.
///
/// # Errors
/// Where the link does not hold.
pub async fn welcome(State(app): State<App>, Path(token): Path<String>) -> PageResult {
    let person = app.store().password_link(&token).await?;
    let person = person.ok_or(PageError::NotFound("link"))?;
    render(&Welcome {
        name: person.name,
        email: person.email,
        problem: String::new(),
    })
}

/// Keeps the password that was chosen by a link; signing in with it is the next step.
///
/// # Errors
/// Where the link does not hold; a password that is too short comes back with the form.
pub async fn choose(State(app): State<App>, Path(token): Path<String>, body: Bytes) -> PageResult {
    let fields = Fields::parse(&body);
    match app.acts.choose_password(&token, fields.get("new")).await {
        Ok(_) => Ok(Redirect::to("/sign-in").into_response()),
        Err(ActError::Bad(problem)) => {
            let person = app.store().password_link(&token).await?;
            let person = person.ok_or(PageError::NotFound("link"))?;
            let page = render(&Welcome {
                name: person.name,
                email: person.email,
                problem,
            })?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(other) => Err(other.into()),
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn a_secret_is_shown_in_fours() {
        assert_eq!(super::fours("ABCDEFGHIJ"), "ABCD EFGH IJ");
    }
}
