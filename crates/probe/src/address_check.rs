//! A first look at an address as typed: reach, redirects, platform.

use crate::http::Http;
use newtfern_heavy::heavy;
use newtfern_model::platform::{Platform, guess};
use newtfern_standards::address;
use newtfern_standards::html::Document;
use newtfern_standards::observation::{FailureKind, Hop, NetFailure};
use serde::{Deserialize, Serialize};

/// Report on an address before a site is added.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Report {
    /// Address as it was typed, made whole.
    pub url: String,
    /// Address after redirects.
    pub final_url: String,
    /// Status of the last answer.
    pub status: Option<u16>,
    /// Redirects in the order in which they came.
    pub redirects: Vec<Hop>,
    /// Title of the document.
    pub title: String,
    /// Id of the guessed platform.
    pub platform: Option<String>,
    /// Reason why the address cannot be used, in words for the person.
    pub problem: Option<String>,
    /// Not in the way, and worth knowing.
    pub remarks: Vec<String>,
}

/// Fetches an address once and says what it is; what is wrong with it is in the report.
pub async fn look(http: &Http, typed: &str, platforms: &[Platform]) -> Report {
    let mut report = Report {
        url: typed.trim().to_string(),
        ..Report::default()
    };
    let url = match address::parse(typed) {
        Ok(url) => url,
        Err(error) => {
            report.problem = Some(error.to_string());
            return report;
        }
    };
    report.url = url.to_string();
    if let Err(error) = http.guard().private.refuse(&url) {
        report.problem = Some(format!(
            "{error}: only an administrator can allow it (Settings, house rules)."
        ));
        return report;
    }
    let fetched = http.get(&url).await;
    report.final_url = fetched.final_url.clone();
    report.status = fetched.status;
    report.redirects = fetched.redirects;
    if let Some(failure) = &fetched.failure {
        report.problem = Some(in_words(failure, url.host_str().unwrap_or_default()));
        return report;
    }
    if let Some(status) = fetched.status.filter(|s| *s >= 400) {
        report
            .remarks
            .push(format!("The page answers with status {status}."));
    }
    if let Ok(landed) = url::Url::parse(&fetched.final_url)
        && landed.origin() != url.origin()
    {
        report.remarks.push(format!(
            "It leads on to {}.",
            landed.origin().ascii_serialization()
        ));
    }
    let read = || {
        let platform = guess(platforms, &fetched.body, &fetched.headers);
        (title_of(&fetched.body), platform.map(|p| p.id.clone()))
    };
    (report.title, report.platform) = heavy(read).await;
    report
}

fn title_of(html: &str) -> String {
    let document = Document::parse(html);
    let mut all = document.walk().into_iter();
    let title = all.find(|id| document.name(*id) == Some("title"));
    let text = title.map(|id| document.text(id)).unwrap_or_default();
    text.trim().chars().take(120).collect()
}

/// Returns in words why an address could not be had, and what to do.
fn in_words(failure: &NetFailure, host: &str) -> String {
    let text = &failure.text;
    match failure.kind {
        FailureKind::Dns => format!(
            "The name {host} does not resolve: check the spelling, or the domain's DNS records."
        ),
        FailureKind::Refused => {
            format!("{host} refuses the connection: check the scheme and port.")
        }
        FailureKind::Tls => format!(
            "The secure connection to {host} failed ({text}): check the certificate, or try http."
        ),
        FailureKind::Timeout => format!("{host} does not answer in time."),
        FailureKind::RedirectLoop => "The address redirects in a circle.".to_string(),
        FailureKind::Guard => {
            format!("{text}: only an administrator can allow it (Settings, house rules).")
        }
        _ => format!("The address could not be read: {text}."),
    }
}
