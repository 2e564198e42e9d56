//! Variables in a widget's texts: places that the supplier fills when the text is shown, such as
//! the visitor's name.

use regex::Regex;
use std::sync::LazyLock;

/// `{{x}}`, `{x}` around a name, `${x}`, `%X%`, `[[x]]`.
static WHOLE: LazyLock<Regex> = LazyLock::new(|| {
    pattern(concat!(
        r"\{\{[^{}]{1,60}\}\}|\$\{[^{}]{1,60}\}|\{[A-Za-z_][A-Za-z0-9_.]{0,40}\}|",
        r"%[A-Z][A-Z0-9_]{1,40}%|\[\[[^\[\]]{1,60}\]\]",
    ))
});

/// One half of `%X_Y%`: capitals with an underscore are no words.
static HALF: LazyLock<Regex> =
    LazyLock::new(|| pattern(r"%[A-Z][A-Z0-9]*(?:_[A-Z0-9]+)+|[A-Z][A-Z0-9]*(?:_[A-Z0-9]+)+%"));

fn pattern(text: &str) -> Regex {
    Regex::new(text).unwrap_or_else(|_| unreachable!("the pattern is written here"))
}

/// Stands where a whole variable stood, as long as it.
const GONE: char = '\0';

/// The variables of a text, as they are written.
pub fn variables(text: &str) -> impl Iterator<Item = &str> {
    WHOLE.find_iter(text).map(|m| m.as_str())
}

/// Returns a text with a blank in place of each variable.
pub fn without(text: &str) -> String {
    WHOLE.replace_all(text, " ").into_owned()
}

/// Returns whether a text that is seen is the wanted one, with any words where a variable stands. A
/// variable that is seen as it is written was not filled.
///
/// ```
/// use newtfern_model::variables::fits;
/// assert!(fits("Welcome, {{name}}!", "Welcome, Ann Lee!"));
/// assert!(!fits("Welcome, {{name}}!", "Welcome, {{name}}!"));
/// assert!(!fits("Welcome, {{name}}!", "Welcome, !"));
/// ```
pub fn fits(wanted: &str, seen: &str) -> bool {
    if !WHOLE.is_match(wanted) {
        return wanted == seen;
    }
    if WHOLE.is_match(seen) {
        return false;
    }
    let words: Vec<String> = WHOLE.split(wanted).map(regex::escape).collect();
    Regex::new(&format!("^{}$", words.join(".*\\S.*"))).is_ok_and(|r| r.is_match(seen))
}

/// Returns the first piece of a variable that lacks its other half, from its bracket to the next
/// blank.
///
/// ```
/// use newtfern_model::variables::torn;
/// assert_eq!(torn("Hello {visitor name!").as_deref(), Some("{visitor"));
/// assert_eq!(torn("Hello {{name}!").as_deref(), Some("{{name}!"));
/// assert_eq!(torn("Hello {{name}}, 50 % off :-}"), None);
/// ```
pub fn torn(text: &str) -> Option<String> {
    let blank = |m: &regex::Captures| GONE.to_string().repeat(m[0].len());
    let rest = WHOLE.replace_all(text, blank);
    let brackets = [unclosed(&rest), rest.find("[["), rest.find("]]")];
    let half = HALF.find(&rest).map(|m| m.start());
    let at = brackets.into_iter().flatten().chain(half).min()?;
    Some(word_at(text, at).to_string())
}

/// Returns where a brace stands that is part of a variable and has no other half.
fn unclosed(rest: &str) -> Option<usize> {
    let part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '{' | '}' | GONE);
    let mut open: Vec<(usize, bool)> = Vec::new();
    let mut before = ' ';
    for (at, c) in rest.char_indices() {
        match c {
            '{' => {
                let next = rest[at + 1..].chars().next().unwrap_or(' ');
                open.push((at, part(next) || before == '$'));
            }
            '}' if open.pop().is_none() && part(before) => return Some(at),
            _ => {}
        }
        before = c;
    }
    open.into_iter()
        .find(|(_, of_variable)| *of_variable)
        .map(|(at, _)| at)
}

/// Returns the run of characters around a place, up to the blanks on both sides.
fn word_at(text: &str, at: usize) -> &str {
    let start = text[..at].rfind(char::is_whitespace);
    let start = start.map_or(0, |i| {
        i + text[i..].chars().next().map_or(1, char::len_utf8)
    });
    let end = text[at..]
        .find(char::is_whitespace)
        .map_or(text.len(), |i| at + i);
    &text[start..end]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_words_fill_a_variable_and_none_do_not() {
        for variable in [
            "{{visitor_name}}",
            "{name}",
            "${name}",
            "%NAME%",
            "[[name]]",
        ] {
            let wanted = format!("Welcome {variable}");
            assert!(fits(&wanted, "Welcome Ann Lee"), "{variable}");
            assert!(!fits(&wanted, &wanted), "{variable}");
            assert!(!fits(&wanted, "Welcome"), "{variable}");
            assert!(!fits(&wanted, "Goodbye Ann Lee"), "{variable}");
        }
        let two = "Hello {{name}}, it is {{day}}.";
        assert!(fits(two, "Hello Ann, it is Monday."));
        assert!(!fits(two, "Hello Ann, it is {{day}}."));
        // Marks of patterns are words like others.
        assert!(fits("Sizes (all)? {{name}}*", "Sizes (all)? Ann*"));
        assert!(!fits("Sizes.", "Sizesx"));
    }

    #[test]
    fn torn_variables_are_found_in_every_form() {
        for torn_text in [
            "Hello {visitor name!",
            "Hello {{name}!",
            "Hello {{name!",
            "Hello {name}}!",
            "Hello name}}!",
            "Hello {{visitor name}!",
            "On ${day",
            "[[first there",
            "[[first] there",
            "first]] there",
            "Dear %VISITOR_NAME,",
            "Dear VISITOR_NAME%,",
        ] {
            assert!(torn(torn_text).is_some(), "{torn_text}");
        }
        for whole in [
            "Hello {{name}}, ${day}!",
            "Dear %VISITOR_NAME%, {{first name}} [[last name]]",
            "50 %OFF and 20% more",
            "A smile :-} or a beard :-{ on us",
            "{ set apart }",
            "Sizes [S, M] and {S, M}",
        ] {
            assert_eq!(torn(whole), None, "{whole}");
        }
        assert_eq!(
            torn("caf\u{e9} {visitor na\u{ef}f").as_deref(),
            Some("{visitor")
        );
    }
}
