//! Visits, by HTTP and by Chromium over its debugging protocol, and what they saw as
//! [`newtfern_core::observation::Observation`]. The probe has no opinion: it judges nothing.

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
pub mod paper;
pub mod pictures;
pub mod pixels;
pub mod proxy;
pub mod visit;
pub mod weigh;

/// Why something could not be had at all (a page that fails is no error but an observation).
#[derive(Debug, thiserror::Error)]
pub enum ProbeError {
    /// No Chromium is installed.
    #[error(
        "Chromium was not found: install Debian's package chromium, or set NEWTFERN_CHROMIUM to its program"
    )]
    NoBrowser,
    /// It did not start.
    #[error("Chromium did not start: {why}\n{stderr}")]
    BrowserStart {
        /// Why.
        why: String,
        /// Its last words.
        stderr: String,
    },
    /// It ended under a visit.
    #[error("Chromium went away while {doing}")]
    BrowserGone {
        /// What was being done.
        doing: String,
    },
    /// It refused a command.
    #[error("Chromium answered {method} with an error: {message}")]
    Command {
        /// The command.
        method: String,
        /// Its words.
        message: String,
    },
    /// It did not answer.
    #[error("Chromium gave no answer to {method} in {ms} ms")]
    Silent {
        /// The command.
        method: String,
        /// How long it was waited for.
        ms: u64,
    },
    /// The network rule forbids it.
    #[error("{0}")]
    Guard(#[from] guard::Refused),
    /// A trust anchor cannot be used; why.
    #[error("the certificate file cannot be used: {0}")]
    Trust(String),
    /// The system refused.
    #[error("cannot {doing}: {source}")]
    Io {
        /// What was being done.
        doing: String,
        /// Its words.
        source: std::io::Error,
    },
    /// A picture cannot be read or written.
    #[error("the picture cannot be read: {0}")]
    Picture(#[from] image::ImageError),
    /// Too little was measured.
    #[error("{0}")]
    Weigh(#[from] newtfern_core::weigh::WeighError),
    /// Somebody cancelled it.
    #[error("the visit was cancelled")]
    Cancelled,
}

pub(crate) fn io(doing: impl Into<String>) -> impl FnOnce(std::io::Error) -> ProbeError {
    let doing = doing.into();
    move |source| ProbeError::Io { doing, source }
}
