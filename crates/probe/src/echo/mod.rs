//! The echo test: a message through the live widget, looked for at the supplier's console, answered
//! there, and the answer looked for in the widget.

mod console;
mod sending;

use crate::ProbeError;
use crate::browser::Browser;
use crate::http::Http;
use crate::mailbox::{self, Access};
use crate::visit::Tab;
use console::Console;
use newtfern_core::echo::{Mail, Seen, Stopped, TestVisitor};
use newtfern_core::observation::Viewport;
use newtfern_core::profile::{ConsentManager, EchoSteps, Supplier};
use std::time::{Duration, Instant};
use url::Url;

/// One test.
pub struct EchoOrder<'a> {
    /// The page.
    pub url: &'a Url,
    /// The supplier whose widget is used.
    pub supplier: &'a Supplier,
    /// The consent manager of the site; the visitor agrees.
    pub consent: Option<&'a ConsentManager>,
    /// The key of the client's account.
    pub key: &'a str,
    /// Told apart from every other test by a stamp.
    pub message: &'a str,
    /// What is answered at the console, in this order.
    pub answers: &'a [String],
    /// Who the test says that it is, where a form comes first.
    pub visitor: &'a TestVisitor,
    /// The console's token, from the sealed settings.
    pub token: Option<&'a str>,
    /// Nobody is there by the site's hours: a message may be left, no talk begun.
    pub only_left: bool,
    /// Where mails to the visitor arrive, or why nobody can look there.
    pub mailbox: Result<&'a Access, &'a str>,
}

const STEP_MS: u64 = 12_000;
/// The supplier's mail has this long to come.
const MAIL: Duration = Duration::from_secs(30);
/// The whole test ends by then.
const TEST: Duration = Duration::from_secs(90);

/// The picture, if any, is the viewport with the answer in it.
///
/// # Errors
/// Where no browser can be had; how far the message got is in what it gives.
pub async fn run(
    browser: &Browser,
    http: &Http,
    request: &EchoOrder<'_>,
) -> Result<(Seen, Option<Vec<u8>>), ProbeError> {
    let mut seen = Seen {
        url: request.url.to_string(),
        text: request.message.into(),
        answer: request.answers.join("\n"),
        ..Seen::default()
    };
    let Some(steps) = &request.supplier.echo else {
        seen.stopped_by = Some(Stopped::NoSteps);
        seen.stopped =
            "the supplier's profile has no [echo] section, so the console cannot be read".into();
        return Ok((seen, None));
    };
    if steps.console_read.is_empty() || steps.console_answer.is_empty() {
        let why = "the supplier's console has no interface by its profile: make the test by hand";
        stop(&mut seen, Stopped::NoSteps, why);
        return Ok((seen, None));
    }
    let tab = Tab::open(browser, Viewport::Desktop, None).await?;
    let mut picture = None;
    match tokio::time::timeout(TEST, talk(&tab, http, request, steps, &mut seen)).await {
        Ok(Ok(())) => {}
        Ok(Err(ProbeError::BrowserGone { doing })) => {
            return Err(ProbeError::BrowserGone { doing });
        }
        Ok(Err(error)) => seen.stopped = error.to_string(),
        Err(_) => {
            seen.stopped_by = Some(Stopped::Deadline);
            seen.stopped = "the test took longer than 90 s".into();
        }
    }
    if seen.sent {
        picture = tab.picture().await.ok();
    }
    tab.close().await;
    Ok((seen, picture))
}

/// Notes why the test ends here.
fn stop(seen: &mut Seen, by: Stopped, why: &str) {
    seen.stopped_by = Some(by);
    seen.stopped = why.to_string();
}

/// How the message went out.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Sent {
    /// Into a talk that somebody answers.
    Live,
    /// Left in the form that stays while nobody is there.
    Left,
}

async fn talk(
    tab: &Tab,
    http: &Http,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    seen: &mut Seen,
) -> Result<(), ProbeError> {
    let Some(how) = sending::send(tab, request, steps, seen).await? else {
        return Ok(());
    };
    seen.sent = true;
    seen.left_a_message = how == Sent::Left;
    let sent = Instant::now();
    let console = Console {
        http,
        request,
        steps,
        sent,
    };
    let Some(message) = console.message(seen).await else {
        return Ok(());
    };
    let answered = match how {
        Sent::Live => console.answer(tab, &message, seen).await,
        Sent::Left => {
            seen.mail = mail(http, request, steps, sent).await;
            Ok(())
        }
    };
    // Tidied up however the answer went.
    seen.tidied = console.tidy(&message).await;
    answered
}

/// Waits for the mail that the supplier sends about a message that was left.
async fn mail(
    http: &Http,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    sent: Instant,
) -> Option<Mail> {
    if !steps.acknowledges {
        return None;
    }
    let access = match request.mailbox {
        Ok(access) => access,
        Err(why) => return Some(Mail::NotLooked { why: why.into() }),
    };
    let looked = mailbox::wait_for(http.guard(), access, request.message, MAIL).await;
    let ms = sent.elapsed().as_secs_f64() * 1000.0;
    Some(match looked {
        Ok(Some(found)) => Mail::Came {
            after_ms: ms,
            from: found.from,
            subject: found.subject,
        },
        Ok(None) => Mail::Waited { ms },
        Err(failure) => Mail::NotLooked {
            why: failure.to_string(),
        },
    })
}

/// Asks until the answer is yes or the step's time is over.
async fn poll<F, Fut>(ask: F) -> Result<bool, ProbeError>
where
    F: Fn() -> Fut,
    Fut: Future<Output = Result<bool, ProbeError>>,
{
    let began = Instant::now();
    loop {
        if ask().await? {
            return Ok(true);
        }
        if began.elapsed() > Duration::from_millis(STEP_MS) {
            return Ok(false);
        }
        tokio::time::sleep(Duration::from_millis(80)).await;
    }
}
