//! Visits, by HTTP and by Chromium over its debugging protocol, and what they saw as
//! [`newtfern_standards::observation::Observation`]. The probe has no opinion: it judges nothing.

#![warn(missing_docs, clippy::missing_errors_doc)]

pub mod address_check;
pub mod browser;
pub mod cdp;
pub mod check;
pub mod crawl;
pub mod decoding;
pub mod echo;
pub mod guard;
pub mod http;
pub mod mailbox;
mod owner;
pub mod pace;
pub mod paper;
pub mod pictures;
pub mod pixels;
pub mod proxy;
pub mod visit;
pub mod weigh;

/// Reason why something could not be had at all (a page that fails is no error but an observation).
#[derive(Debug, thiserror::Error)]
pub enum ProbeError {
    /// No Chromium is installed.
    #[error(
        "Chromium was not found: install Debian's package chromium, or set \
        NEWTFERN_CHROMIUM to its program"
    )]
    NoBrowser,
    /// The browser did not start.
    #[error("Chromium did not start: {why}\n{stderr}")]
    BrowserStart {
        /// Reason, as a clause for people.
        why: String,
        /// Last lines that the browser wrote.
        stderr: String,
    },
    /// The browser ended under a visit.
    #[error("Chromium went away while {doing}")]
    BrowserGone {
        /// Step that was under way.
        doing: String,
    },
    /// The browser refused a command.
    #[error("Chromium answered {method} with an error: {message}")]
    Command {
        /// Name of the command.
        method: String,
        /// Message of the browser.
        message: String,
    },
    /// The browser did not answer.
    #[error("Chromium gave no answer to {method} in {ms} ms")]
    Silent {
        /// Name of the command.
        method: String,
        /// Time that it was waited for, ms.
        ms: u64,
    },
    /// The network rule forbids it.
    #[error("{0}")]
    Guard(#[from] guard::Refused),
    /// A trust anchor cannot be used; why.
    #[error("the certificate file cannot be used: {0}")]
    Trust(String),
    /// An operation of the system failed.
    #[error("cannot {doing}: {source}")]
    Io {
        /// Step that was under way.
        doing: String,
        /// Error of the system.
        source: std::io::Error,
    },
    /// A picture cannot be read or written.
    #[error("the picture cannot be read: {0}")]
    Picture(#[from] image::ImageError),
    /// Too little was measured.
    #[error("{0}")]
    Weigh(#[from] newtfern_verdict::weigh::WeighError),
    /// A person cancelled the work.
    #[error("the visit was cancelled")]
    Cancelled,
}

pub(crate) fn io(doing: impl Into<String>) -> impl FnOnce(std::io::Error) -> ProbeError {
    let doing = doing.into();
    move |source| ProbeError::Io { doing, source }
}
