//! `placed.no-key`: the key is empty, blank, or still a placeholder.

use crate::chain::answer::Answer;
use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;
use newtfern_model::placement::{Form, KeySeen, Piece};

/// Judges whether the snippet has a key.
pub fn judge(c: &Facts) -> Answer {
    let keyed = |p: &Piece| p.key.key().is_some() || p.altered.is_some();
    if !c.inspector.expects_key() || c.live().any(keyed) {
        return Answer::Holds;
    }
    let blank = c.live().find_map(|p| match &p.key {
        KeySeen::Placeholder(text) => Some((p, text.clone())),
        _ => None,
    });
    // Without a placeholder, a missing key is only known where the supplier's pattern would find
    // one.
    let bare = || {
        let bare = |p: &&Piece| p.key == KeySeen::Nothing && p.form == Form::External;
        let known = !c.alive && c.inspector.expects_key_on_element();
        c.live().find(bare).filter(|_| known)
    };
    let Some((piece, text)) = blank.or_else(|| Some((bare()?, String::new()))) else {
        return Answer::Holds;
    };
    let said = if text.trim().is_empty() {
        "is empty".to_string()
    } else {
        format!("is still the sample \u{201c}{text}\u{201d}")
    };
    Finding::broken(
        Code::PlacedNoKey,
        format!("The key in the snippet {said}."),
        "Copy the key from the client's account and put it into the snippet.",
    )
    .with_all(lines([piece]))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, healthy, html, loaded, root, told, with};
    use newtfern_model::code::Code;

    fn key(text: &str) -> newtfern_standards::observation::Observation {
        with(loaded(), |o| {
            o.page.html = html(&GOOD.replace("abcd-1234", text))
        })
    }

    #[test]
    fn an_empty_key_and_a_sample_are_told_apart_in_words() {
        let empty = told(key(""));
        assert_eq!(empty.code, Code::PlacedNoKey);
        assert!(empty.summary.contains("is empty"));
        assert!(told(key("YOUR-KEY")).summary.contains("YOUR-KEY"));
        for unfilled in [
            "{{ site.key }}",
            "{key}",
            "$KEY",
            "__KEY__",
            "[key]",
            "%KEY%",
        ] {
            let found = told(key(unfilled));
            assert_eq!(found.code, Code::PlacedNoKey, "{unfilled}");
            assert!(found.summary.contains(unfilled), "{}", found.summary);
        }
        let without = with(loaded(), |o| {
            o.page.html = html("<script async src=\"https://cdn.example.test/l.js\"></script>");
        });
        assert_eq!(root(without), Some(Code::PlacedNoKey));
    }

    #[test]
    fn a_key_is_a_key_and_a_widget_that_is_up_needs_none_in_sight() {
        assert_eq!(root(healthy()), None);
        let hidden = with(healthy(), |o| {
            o.page.html = html("<script async src=\"https://cdn.example.test/l.js\"></script>");
        });
        assert_eq!(root(hidden), None);
    }

    #[test]
    fn a_piece_with_a_key_or_with_altered_code_is_another_matter() {
        let bare = "<script async src=\"https://cdn.example.test/l.js\"></script>";
        let beside = |body: String| root(with(loaded(), |o| o.page.html = html(&body)));
        assert_ne!(beside(format!("{GOOD}\n{bare}")), Some(Code::PlacedNoKey));
        let altered = bare.replace("l.js", "old/l.js");
        assert_eq!(beside(altered), Some(Code::PlacedAltered));
        // Code in the page without a key: the supplier's element alone is known to carry one.
        let inline = "<script>exampleChat()</script>".to_string();
        assert_ne!(beside(inline), Some(Code::PlacedNoKey));
    }
}
