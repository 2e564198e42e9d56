//! "HTML": the address gives something other than a page.

use super::transport::NO_CONTENT;
use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};

/// Judges one visit. Without a type the browser sniffs, and what it made of it was seen.
pub fn judge(c: &Facts) -> Answer {
    if let Some(status) = c.seen.page.status.filter(|s| NO_CONTENT.contains(s)) {
        return Finding::broken(
            Code::DeliveredNotHtml,
            format!("The address answers with status {status}, which has no content."),
            "Enter the address of a page, or have the server answer with one.",
        )
        .with(Evidence::Request {
            url: c.seen.page.final_url.clone(),
            outcome: status.to_string(),
        })
        .into();
    }
    let mime = c.seen.page.mime.as_str();
    if mime.is_empty() || mime.contains("html") {
        return Answer::Holds;
    }
    Finding::broken(
        Code::DeliveredNotHtml,
        format!("The address gives {mime}, not an HTML page."),
        "Enter the address of a page, or have the server's Content-Type corrected.",
    )
    .with(Evidence::Header {
        name: "content-type".into(),
        value: mime.to_string(),
    })
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{healthy, page, root, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{FailureKind, NetFailure};

    #[test]
    fn a_document_of_another_kind_is_no_page() {
        let pdf = with(page(""), |o| o.page.mime = "application/pdf".into());
        assert_eq!(root(pdf), Some(Code::DeliveredNotHtml));
    }

    /// The browser gives them up; their status says more than its word for that.
    #[test]
    fn an_answer_that_came_is_told_and_not_how_the_browser_gave_it_up() {
        let gave_up = |status: u16, text: &str| {
            root(with(page(""), |o| {
                o.page.status = Some(status);
                o.page.failure = Some(NetFailure {
                    kind: FailureKind::Other,
                    text: text.into(),
                });
            }))
        };
        let no_page = Some(Code::DeliveredNotHtml);
        assert_eq!(gave_up(204, "net::ERR_ABORTED"), no_page);
        assert_eq!(gave_up(205, "net::ERR_ABORTED"), no_page);
        let closed = gave_up(401, "net::ERR_INVALID_AUTH_CREDENTIALS");
        assert_eq!(closed, Some(Code::DeliveredStatus));
        let broken = gave_up(200, "net::ERR_FAILED");
        assert_eq!(broken, Some(Code::DeliveredRefused));
    }

    #[test]
    fn xhtml_and_a_missing_type_are_pages() {
        for mime in ["application/xhtml+xml", "", "text/html"] {
            assert_eq!(root(with(healthy(), |o| o.page.mime = mime.into())), None);
        }
    }
}
