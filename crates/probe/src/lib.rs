//! Visits, by HTTP and by Chromium over its debugging protocol, and what they saw as
//! [`newtfern_core::observation::Observation`]. The probe has no opinion: it judges nothing.

pub mod address_check;
pub mod browser;
pub mod cdp;
pub mod check;
pub mod decoding;
pub mod echo;
pub mod guard;
pub mod http;
pub mod paper;
pub mod pixels;
pub mod proxy;
pub mod visit;
pub mod weigh;

/// Why something could not be had at all (a page that fails is no error but an observation).
#[derive(Debug, thiserror::Error)]
pub enum ProbeError {
    #[error(
        "Chromium was not found: install Debian's package chromium, or set NEWTFERN_CHROMIUM to its program"
    )]
    NoBrowser,
    #[error("Chromium did not start: {why}\n{stderr}")]
    BrowserStart { why: String, stderr: String },
    #[error("Chromium went away while {doing}")]
    BrowserGone { doing: String },
    #[error("Chromium answered {method} with an error: {message}")]
    Command { method: String, message: String },
    #[error("Chromium gave no answer to {method} in {ms} ms")]
    Silent { method: String, ms: u64 },
    #[error("{0}")]
    Guard(#[from] guard::Refused),
    #[error("the certificate file cannot be used: {0}")]
    Trust(String),
    #[error("cannot {doing}: {source}")]
    Io {
        doing: String,
        source: std::io::Error,
    },
    #[error("the picture cannot be read: {0}")]
    Picture(#[from] image::ImageError),
    #[error("{0}")]
    Weigh(#[from] newtfern_core::weigh::WeighError),
    #[error("the visit was cancelled")]
    Cancelled,
}

pub(crate) fn io(doing: impl Into<String>) -> impl FnOnce(std::io::Error) -> ProbeError {
    let doing = doing.into();
    move |source| ProbeError::Io { doing, source }
}
