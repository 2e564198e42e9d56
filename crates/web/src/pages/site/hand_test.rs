//! A test talk by hand: the message written here, sent by a person, who ticks what they saw; and
//! the tests that were had.

use crate::error::{NO_SUCH_ACTION, PageResult};
use crate::pages::{form_again, render};
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::{Frame, moment};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::ActError;
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::store::results::hand_tests::HandTest;
use newtfern_verdict::echo::Ticks;
use newtfern_verdict::family::Family;

/// Test talks that the page lists.
const SHOWN: i64 = 30;

#[derive(Template)]
#[template(path = "site/hand_test.html")]
struct Page {
    frame: Frame,
    site: Site,
    waiting: Option<HandTest>,
    since: String,
    /// Had this month at the client's account, and how many may be.
    made: i64,
    budget: u32,
    /// Name, label and tick of each box.
    ticks: Vec<(&'static str, &'static str, bool)>,
    at_page: String,
    note: String,
    tests: Vec<(String, String)>,
    problem: String,
}

/// The ticks in the order of a talk, with what they say.
const TICKS: [(&str, &str); 5] = [
    ("sent", "I sent the message in the widget"),
    (
        "arrived",
        "The message arrived in the supplier\u{2019}s console",
    ),
    ("answered", "I answered it in the console"),
    ("answer_seen", "The answer appeared in the widget"),
    ("tidied", "I closed the chat and removed the contact"),
];

fn ticked(fields: &Fields, name: &str) -> bool {
    fields.get(name) == "yes"
}

async fn page_of(
    app: &App,
    reader: &Reader,
    site: Site,
    typed: &Fields,
    problem: String,
) -> PageResult<Page> {
    let store = app.reads();
    let waiting = store.checks().hand_test(site.id).await?;
    let tests = store.checks().tests_of(site.id, SHOWN).await?;
    let supplier = site.supplier_id.as_deref().unwrap_or_default();
    let title = format!("Manual test: {}", site.name);
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Echo.key(), "").await?,
        since: waiting
            .as_ref()
            .map(|w| moment(w.at.to_jiff()))
            .unwrap_or_default(),
        waiting,
        made: store
            .checks()
            .tests_this_month(site.client_id, supplier)
            .await?,
        budget: store.settings().agency().await?.tests_a_month,
        ticks: TICKS
            .map(|(name, label)| (name, label, ticked(typed, name)))
            .to_vec(),
        at_page: typed.get("page").to_string(),
        note: typed.get("note").to_string(),
        tests: tests
            .into_iter()
            .map(|(at, outcome)| (moment(at.to_jiff()), outcome))
            .collect(),
        problem,
        site,
    })
}

/// Shows the form of a test by hand.
///
/// # Errors
/// Where there is no such site.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let site = crate::pages::site_of(&app, id).await?;
    render(&page_of(&app, &reader, site, &Fields::default(), String::new()).await?)
}

/// Writes a message, drops the one that waits, or keeps what the person saw.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn act(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let site = crate::pages::site_of(&app, id).await?;
    let (actor, fields) = (posted.actor(), &posted.fields);
    let tick = |name| ticked(fields, name);
    let done = match fields.get("act") {
        "begin" => app.acts.checks().begin_hand_test(&actor, id).await,
        "drop" => app.acts.checks().drop_hand_test(&actor, id).await,
        "saw" => {
            let ticks = Ticks {
                sent: tick("sent"),
                arrived: tick("arrived"),
                answered: tick("answered"),
                answer_seen: tick("answer_seen"),
                tidied: tick("tidied"),
                page: fields.get("page").trim().to_string(),
                note: fields.get("note").trim().to_string(),
            };
            app.acts.checks().end_hand_test(&actor, id, ticks).await
        }
        _ => Err(ActError::Bad(NO_SUCH_ACTION.into())),
    };
    match done {
        Ok(()) if fields.get("act") == "saw" => {
            Ok(Redirect::to(&format!("/sites/{id}#echo")).into_response())
        }
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/test")).into_response()),
        Err(ActError::Bad(problem)) => {
            let reader = posted.reader();
            form_again(&page_of(&app, &reader, site, fields, problem).await?)
        }
        Err(other) => Err(other.into()),
    }
}
