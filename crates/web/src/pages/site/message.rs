//! A message to whoever settles a finding that nobody here can: the site's host, its developer, the
//! supplier.

use crate::error::PageResult;
use crate::pages::{render, site_of};
use crate::session::Reader;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{Path, Query, State};
use newtfern_acts::ActError;
use newtfern_acts::store::estate::sites::Site;
use newtfern_model::code::{Code, Place};
use newtfern_model::finding::{Evidence, Finding};
use serde::Deserialize;
use url::form_urlencoded::byte_serialize;

#[derive(Deserialize)]
pub struct MessageQuery {
    #[serde(default)]
    code: String,
}

#[derive(Template)]
#[template(path = "site/message.html")]
struct Page {
    frame: Frame,
    site: Site,
    /// Family of the finding, as a part of the bench.
    family: &'static str,
    subject: String,
    text: String,
    /// Opens the reader's own mail program.
    mailto: String,
    to_supplier: bool,
}

#[derive(Template)]
#[template(path = "site/message.txt", escape = "none")]
struct Mail<'a> {
    url: &'a str,
    found: &'a Finding,
    evidence: Vec<String>,
    by: &'a str,
    agency: &'a str,
}

/// Blanks are `%20` in an address of mail (RFC 6068), where a plus is a plus.
fn encoded(text: &str) -> String {
    let lines = text.replace('\n', "\r\n");
    byte_serialize(lines.as_bytes())
        .collect::<String>()
        .replace('+', "%20")
}

/// Shows the message about a finding of the site's last checks.
///
/// # Errors
/// Where the site has no such finding any more.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(asked): Query<MessageQuery>,
) -> PageResult {
    let site = site_of(&app, id).await?;
    let all = app.reads().checks().findings(id).await?;
    let code = Code::parse(&asked.code).map_err(|e| ActError::Bad(format!("{e}.")))?;
    let of = all.iter().find_map(|(family, list)| {
        let found = list.iter().find(|f| f.code == code)?;
        Some((*family, found))
    });
    let (family, found) = of.ok_or(ActError::NotFound("finding"))?;
    let seen = found.evidence.iter();
    let seen = seen.filter(|e| !matches!(e, Evidence::Picture { .. }));
    let text = Mail {
        url: &site.url,
        found,
        evidence: seen.map(Evidence::line).collect(),
        by: &reader.0.person.name,
        agency: &app.reads().settings().agency().await?.name,
    }
    .render()?;
    let subject = format!("Chat widget on {}", site.url);
    let to = Some(site.contact.as_str()).filter(|c| c.contains('@') && !c.contains([' ', '?']));
    let mailto = format!(
        "mailto:{}?subject={}&body={}",
        to.unwrap_or_default(),
        encoded(&subject),
        encoded(&text)
    );
    render(&Page {
        frame: Frame::new(&app, &reader, "Message", family.key(), "").await?,
        family: family.key(),
        to_supplier: code.place() == Place::Supplier,
        site,
        subject,
        text,
        mailto,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_and_signs_of_a_mails_address_are_as_the_standard_has_them() {
        // RFC 6068, section 5: line breaks are %0D%0A, and "&" and "?" are encoded.
        assert_eq!(encoded("a b\nc+d&e?"), "a%20b%0D%0Ac%2Bd%26e%3F");
    }
}
