//! What each step of a test message needs.

use crate::ProbeError;
use crate::mailbox::Access;
use crate::pace::Timer;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_verdict::echo::{EchoResult, StopReason, TestVisitor};
use std::time::Duration;
use url::Url;

/// Order of one test message.
pub struct EchoOrder<'a> {
    /// Address of the page with the widget.
    pub url: &'a Url,
    /// The supplier whose widget is used.
    pub supplier: &'a Supplier,
    /// The consent manager of the site; the visitor agrees.
    pub consent: Option<&'a ConsentManager>,
    /// The key of the client's account.
    pub key: &'a str,
    /// Told apart from every other test by a stamp.
    pub message: &'a str,
    /// Answers to give at the console, in this order.
    pub answers: &'a [String],
    /// Visitor that the test plays, where a form comes first.
    pub visitor: &'a TestVisitor,
    /// The console's token, from the sealed settings.
    pub token: Option<&'a str>,
    /// Nobody is there by the site's hours: a message may be left, no talk begun.
    pub only_left: bool,
    /// Mailbox in which mails to the visitor arrive, or why nobody can look there.
    pub mailbox: Result<&'a Access, &'a str>,
}

pub(super) const STEP_MS: u64 = 12_000;

/// Notes why the test ends here.
pub(super) fn stop(seen: &mut EchoResult, by: StopReason, why: &str) {
    seen.stopped_by = Some(by);
    seen.stopped = why.to_string();
}

/// Way in which the message went out.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum SentMessage {
    /// Into a talk that somebody answers.
    Live,
    /// Left in the form that stays while nobody is there.
    Left,
}

/// Asks until the answer is yes or the step's time is over.
pub(super) async fn poll<F, Fut>(ask: F) -> Result<bool, ProbeError>
where
    F: Fn() -> Fut,
    Fut: Future<Output = Result<bool, ProbeError>>,
{
    let timer = Timer::ms(STEP_MS);
    loop {
        if ask().await? {
            return Ok(true);
        }
        if timer.is_over() {
            return Ok(false);
        }
        tokio::time::sleep(Duration::from_millis(80)).await;
    }
}
