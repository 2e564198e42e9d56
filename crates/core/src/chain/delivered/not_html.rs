//! "HTML": the address gives something other than a page.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use crate::code::Code;
use crate::finding::{Evidence, Finding};

/// Judges one visit. Without a type the browser sniffs, and what it made of it was seen.
pub fn judge(c: &Facts) -> Answer {
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
    use crate::code::Code;

    #[test]
    fn a_document_of_another_kind_is_no_page() {
        let pdf = with(page(""), |o| o.page.mime = "application/pdf".into());
        assert_eq!(root(pdf), Some(Code::DeliveredNotHtml));
    }

    #[test]
    fn xhtml_and_a_missing_type_are_pages() {
        for mime in ["application/xhtml+xml", "", "text/html"] {
            assert_eq!(root(with(healthy(), |o| o.page.mime = mime.into())), None);
        }
    }
}
