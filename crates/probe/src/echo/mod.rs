//! The echo test: a message through the live widget, looked for at the supplier's console, answered
//! there, and the answer looked for in the widget.

mod console;
mod sending;
mod steps;

pub use steps::EchoOrder;

use crate::browser::Browser;
use crate::http::Http;
use crate::visit::Tab;
use crate::{ProbeError, mailbox, pace};
use console::Console;
use newtfern_model::profile::EchoSteps;
use newtfern_standards::observation::Viewport;
use newtfern_verdict::echo::{EchoResult, Mail, StopReason};
use std::time::{Duration, Instant};
use steps::{SentMessage, stop};

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
) -> Result<(EchoResult, Option<Vec<u8>>), ProbeError> {
    let mut seen = EchoResult {
        url: request.url.to_string(),
        text: request.message.into(),
        answer: request.answers.join("\n"),
        ..EchoResult::default()
    };
    let Some(steps) = &request.supplier.echo else {
        seen.stopped_by = Some(StopReason::NoSteps);
        seen.stopped =
            "the supplier's profile has no [echo] section, so the console cannot be read".into();
        return Ok((seen, None));
    };
    if steps.console_read.is_empty() || steps.console_answer.is_empty() {
        let why = "the supplier's console has no interface by its profile: make the test by hand";
        stop(&mut seen, StopReason::NoSteps, why);
        return Ok((seen, None));
    }
    let tab = Tab::open(browser, Viewport::Desktop, None).await?;
    let mut picture = None;
    match pace::within(TEST, talk(&tab, http, request, steps, &mut seen)).await {
        Ok(Ok(())) => {}
        Ok(Err(ProbeError::BrowserGone { doing })) => {
            return Err(ProbeError::BrowserGone { doing });
        }
        Ok(Err(error)) => seen.stopped = error.to_string(),
        Err(_) => {
            seen.stopped_by = Some(StopReason::Deadline);
            seen.stopped = "the test took longer than 90 s".into();
        }
    }
    if seen.sent {
        picture = tab.picture().await.ok();
    }
    tab.close().await;
    Ok((seen, picture))
}

async fn talk(
    tab: &Tab,
    http: &Http,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    seen: &mut EchoResult,
) -> Result<(), ProbeError> {
    let Some(how) = sending::send(tab, request, steps, seen).await? else {
        return Ok(());
    };
    seen.sent = true;
    seen.left_a_message = how == SentMessage::Left;
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
        SentMessage::Live => console.answer(tab, &message, seen).await,
        SentMessage::Left => {
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
