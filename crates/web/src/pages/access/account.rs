//! One's own account: password, second factor, sessions.

use crate::draw::qr;
use crate::error::{PageError, PageResult};
use crate::pages::access::sign_in::too_many;
use crate::pages::{form_again, render};
use crate::peer::Peer;
use crate::session::{Fields, Own, OwnForm, Reader};
use crate::state::App;
use crate::view::{Frame, ago, moment};
use askama::Template;
use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::ActError;
use newtfern_acts::access::tries::Attempt;
use newtfern_acts::store::access::sessions::Session;
use serde::Deserialize;
use std::time::Instant;

/// Form of the page that something is told of.
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
#[template(path = "access/account.html")]
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
pub struct AccountQuery {
    #[serde(default)]
    done: String,
}

async fn whole(app: &App, session: &Session, told: Option<(Part, String)>) -> PageResult<Page> {
    let (store, person) = (app.reads(), &session.person);
    let reader = Reader(session.clone());
    let sessions = store
        .people()
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
    let pending = app.acts.people().pending_second_factor(person).await?;
    let setting = pending.map(|setup| Setting {
        picture: qr::svg(
            &setup.address,
            "QR code with the secret for an authenticator app",
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
        codes_left: store.people().recovery_codes_left(person.id).await?,
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

/// Shows the person's own account.
pub async fn page(
    State(app): State<App>,
    Own(session): Own,
    Query(asked): Query<AccountQuery>,
) -> PageResult {
    let mut page = whole(&app, &session, None).await?;
    page.done = match asked.done.as_str() {
        "password" => "Your password was changed. You were signed out on all other devices.",
        "ended" => "The session was signed out.",
        "off" => "Two-factor sign-in is off.",
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
        Err(mistake @ (ActError::Bad(_) | ActError::WrongPassword | ActError::WrongCode)) => {
            let told = Some((part, mistake.to_string()));
            form_again(&whole(app, session, told).await?)
        }
        Err(other) => Err(other.into()),
    }
}

/// Runs an act that asks for the password, or a code, once more: whoever sits at a forgotten screen
/// must not try them all.
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
        Err(ActError::WrongPassword | ActError::WrongCode) => {
            app.tries.failed(&attempt, Instant::now())
        }
        Err(_) => {}
    }
    result
}

/// Changes the person's own password.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn password(State(app): State<App>, peer: Peer, posted: OwnForm) -> PageResult {
    let OwnForm { session, fields } = posted;
    let act = app
        .acts
        .people()
        .change_password(&session, fields.get("old"), fields.get("new"));
    let result = guarded(&app, &session, &peer, act).await;
    answer(&app, &session, Part::Password, "password", result).await
}

/// Begins to set a second factor up.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn begin_second(State(app): State<App>, peer: Peer, posted: OwnForm) -> PageResult {
    let OwnForm { session, fields } = posted;
    let act = async {
        let (password, code) = (fields.get("password"), fields.get("code"));
        let begun = app
            .acts
            .people()
            .begin_second_factor(&session, password, code);
        begun.await.map(|_| ())
    };
    match guarded(&app, &session, &peer, act).await {
        Ok(()) => Ok(Redirect::to("/account#second").into_response()),
        told => answer(&app, &session, Part::Second, "", told).await,
    }
}

/// Confirms the second factor; the answer shows the recovery codes, this once.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn confirm_second(State(app): State<App>, posted: OwnForm) -> PageResult {
    let OwnForm {
        mut session,
        fields,
    } = posted;
    let confirmed = app
        .acts
        .people()
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
pub async fn drop_second(State(app): State<App>, peer: Peer, posted: OwnForm) -> PageResult {
    let OwnForm { session, fields } = posted;
    let act = app
        .acts
        .people()
        .drop_second_factor(&session, fields.get("password"));
    let result = guarded(&app, &session, &peer, act).await;
    answer(&app, &session, Part::Second, "off", result).await
}

/// Ends one of one's own sessions, or all others.
///
/// # Errors
/// Where there is no such session.
pub async fn end_sessions(State(app): State<App>, posted: OwnForm) -> PageResult {
    let OwnForm { session, fields } = posted;
    let which = match fields.get("session") {
        "others" => None,
        number => Some(number.parse().map_err(|_| PageError::NotFound("session"))?),
    };
    app.acts.people().end_own_sessions(&session, which).await?;
    if let Some(ended) = which {
        app.signed_out(ended);
    }
    done("ended")
}

#[derive(Template)]
#[template(path = "access/welcome.html")]
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
    let person = app.reads().people().password_link(&token).await?;
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
    match app
        .acts
        .people()
        .choose_password(&token, fields.get("new"))
        .await
    {
        Ok(_) => Ok(Redirect::to("/sign-in").into_response()),
        Err(ActError::Bad(problem)) => {
            let person = app.reads().people().password_link(&token).await?;
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
