//! The text that a code slot holds: adding a snippet without touching what others put there, and
//! taking it out again. Adding twice changes nothing.

use similar::{ChangeTag, TextDiff};

/// A slot's text after a push.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PushedText {
    /// Text that was pushed.
    pub text: String,
    /// Whether it differs from before.
    pub changed: bool,
}

/// Puts `fitted` at the end of what the slot holds. `previous` is what we put there before, if
/// anything: it is replaced in place, so that a new key or form never leaves an old copy behind.
pub fn push(held: &str, fitted: &str, previous: Option<&str>) -> PushedText {
    let fitted = fitted.trim_end();
    if in_force(held, fitted) {
        return PushedText {
            text: held.to_string(),
            changed: false,
        };
    }
    if let Some(previous) = previous
        .map(str::trim_end)
        .filter(|p| !p.is_empty() && in_force(held, p))
    {
        return PushedText {
            text: held.replacen(previous, fitted, 1),
            changed: true,
        };
    }
    let mut text = held.to_string();
    if !text.is_empty() && !text.ends_with('\n') {
        text.push('\n');
    }
    text.push_str(fitted);
    text.push('\n');
    PushedText {
        text,
        changed: true,
    }
}

/// Returns whether the text stands in `held` outside HTML comments. A copy that somebody commented
/// out is none.
fn in_force(held: &str, text: &str) -> bool {
    held.match_indices(text).any(|(at, _)| {
        let before = &held[..at];
        before
            .rfind("<!--")
            .is_none_or(|open| before[open..].contains("-->"))
    })
}

/// Fate of a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// Line that stays.
    Same,
    /// Line that is new.
    Added,
    /// Line that goes away.
    Removed,
}

/// A line difference for reading.
pub fn difference(before: &str, after: &str) -> Vec<(Mark, String)> {
    TextDiff::from_lines(before, after)
        .iter_all_changes()
        .map(|change| {
            let mark = match change.tag() {
                ChangeTag::Equal => Mark::Same,
                ChangeTag::Insert => Mark::Added,
                ChangeTag::Delete => Mark::Removed,
            };
            (mark, change.value().trim_end_matches('\n').to_string())
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn others_code_stays_and_twice_is_once() {
        let held = "<!-- counter -->\n<script src=/count.js></script>";
        let once = push(held, "<script src=l.js></script>\n", None);
        assert!(once.changed && once.text.starts_with(held));
        let twice = push(&once.text, "<script src=l.js></script>", None);
        assert_eq!((twice.changed, twice.text), (false, once.text));
    }

    #[test]
    fn a_new_form_replaces_our_old_one_only() {
        let held = "<a>\n<script src=l.js?k=1></script>\n<b>\n";
        let next = push(
            held,
            "<script src=l.js?k=2></script>",
            Some("<script src=l.js?k=1></script>\n"),
        );
        assert_eq!(next.text, "<a>\n<script src=l.js?k=2></script>\n<b>\n");
    }

    #[test]
    fn a_copy_that_is_commented_out_does_not_count() {
        let code = "<script src=l.js></script>";
        let pushed = push(&format!("<!-- off for now\n{code}\n-->\n"), code, None);
        assert!(pushed.changed && pushed.text.ends_with(&format!("-->\n{code}\n")));
        assert!(!push(&format!("<!-- chat -->{code}"), code, None).changed);
        assert!(!push(&format!("<!-- {code} -->\n{code}"), code, None).changed);
    }

    #[test]
    fn the_difference_names_lines() {
        let d = difference("a\nb\n", "a\nc\n");
        assert_eq!(
            d,
            [
                (Mark::Same, "a".into()),
                (Mark::Removed, "b".into()),
                (Mark::Added, "c".into())
            ]
        );
    }

    proptest::proptest! {
        /// Whatever a slot holds: all of it is still there after a push, and a second push changes
        /// nothing.
        #[test]
        fn pushing_loses_nothing(held in "([ -~\n]|<!--|-->|<script src=l.js></script>){0,60}") {
            let code = "<script src=l.js></script>";
            let once = push(&held, code, None);
            proptest::prop_assert!(once.text.starts_with(&held));
            // A comment that others left open swallows what comes after it, whoever adds it.
            let open = held.rfind("<!--").is_some_and(|at| !held[at..].contains("-->"));
            proptest::prop_assert!(open || !push(&once.text, code, None).changed);
        }
    }
}
