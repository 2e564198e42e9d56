//! `usable.new-window`: a click opens a new window. Visitors should not leave the site (common
//! practice).

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};

/// Judges whether the launcher opens another window.
pub fn judge(c: &Facts) -> Answer {
    let operation = c.seen.operation.as_ref();
    let Some(address) = operation.and_then(|o| o.new_window.as_ref()) else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::UsableNewWindow,
        "A click opens a new window, away from the site.",
        "In the widget's settings, let the chat open in the page.",
    )
    .with(Evidence::fact(format!("opened {address}")))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{healthy, root, told, with};
    use newtfern_model::code::Code;

    #[test]
    fn the_address_that_was_opened_is_told() {
        let found = told(with(healthy(), |o| {
            let operation = o.operation.as_mut().unwrap();
            operation.new_window = Some("https://app.example.test/".into());
        }));
        assert_eq!(found.code, Code::UsableNewWindow);
        assert!(found.evidence[0].line().contains("app.example.test"));
        assert_eq!(root(healthy()), None);
    }
}
