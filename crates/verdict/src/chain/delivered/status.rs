//! "Final status 2xx": the page answered with an error.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};

/// Judges one visit. 304 stands for a copy that is still good (RFC 9110, 15.4.5).
pub fn judge(c: &Facts) -> Answer {
    let Some(status) = c.seen.page.status else {
        return Answer::Holds;
    };
    if (200..300).contains(&status) || status == 304 {
        return Answer::Holds;
    }
    let remedy = match status {
        404 | 410 => "Correct the page's address, or restore the page on the site.",
        401 | 403 => "Open the page to the public, or allow this visitor in the site's protection.",
        _ => "Have the site's error fixed at its hosting, then visit again.",
    };
    Finding::broken(
        Code::DeliveredStatus,
        format!("The page answers with status {status}."),
        remedy,
    )
    .with(Evidence::Request {
        url: c.seen.page.final_url.clone(),
        outcome: status.to_string(),
    })
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, healthy, page, root, told, with};
    use newtfern_model::code::Code;

    #[test]
    fn an_error_is_told_with_what_to_do_about_it() {
        for (status, act) in [(503, "hosting"), (404, "address"), (403, "public")] {
            let found = told(with(page(GOOD), |o| o.page.status = Some(status)));
            assert_eq!(found.code, Code::DeliveredStatus);
            assert!(found.remedy.contains(act), "{}", found.remedy);
        }
    }

    #[test]
    fn a_copy_that_is_still_good_is_a_page() {
        assert_eq!(root(with(healthy(), |o| o.page.status = Some(304))), None);
        assert_eq!(root(with(healthy(), |o| o.page.status = Some(206))), None);
        let moved = with(page(""), |o| o.page.status = Some(300));
        assert_eq!(root(moved), Some(Code::DeliveredStatus));
    }
}
