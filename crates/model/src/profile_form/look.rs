//! All that is wrong or odd in a profile's text.

use super::fields::{Shape, beside, fields};
use super::in_words;
use crate::platform::Platform;
use crate::profile::{ConsentManager, Supplier};
use crate::profiles::{ProfileKind, ProfilesError};
use crate::region::Region;
use lol_html::Selector;
use lol_html::errors::SelectorError;
use newtfern_standards::nearest::nearest;
use newtfern_standards::{nesting, strict_toml};
use std::str::FromStr;

/// Report on a profile's text.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ProfileReport {
    /// Short name, as far as it can be read.
    pub id: String,
    /// Name for people.
    pub name: String,
    /// Problems that keep it from being saved.
    pub problems: Vec<String>,
    /// Remarks on what is odd and can be saved all the same.
    pub remarks: Vec<String>,
}

/// Looks a text through.
pub fn look(kind: ProfileKind, text: &str) -> ProfileReport {
    let mut out = ProfileReport::default();
    let table: toml::Table = match strict_toml::read(text) {
        Ok(table) => table,
        Err(error) => {
            out.problems.push(error.to_string());
            return out;
        }
    };
    out.id = in_words(table.get("id"));
    out.name = in_words(table.get("name"));
    if out.id.trim().is_empty() {
        out.problems
            .push("it has no id: a short name by which sites name it".into());
    } else if let Err(why) = short_name(&out.id) {
        out.problems.push(why);
    }
    match ProfileKind::of("it", text) {
        Ok(found) if found != kind => out.problems.push(format!(
            "its tables are those of a {} and not of a {}",
            found.words(),
            kind.words()
        )),
        Err(ProfilesError::NoKind { .. }) => out.problems.push(format!(
            "it has no table of a {} yet, such as {}",
            kind.words(),
            kind.own_table()
        )),
        _ => {}
    }
    if let Err(why) = read(kind, text)
        && !out.problems.contains(&why)
    {
        out.problems.push(why);
    }
    out.problems.extend(selectors(kind, &table));
    out.remarks.extend(unknown(kind, &table));
    out
}

fn short_name(id: &str) -> Result<(), String> {
    let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_');
    match id.len() <= 60 && id.chars().all(plain) {
        true => Ok(()),
        false => Err(format!(
            "its id \u{201c}{id}\u{201d} is not a short name: letters, digits, - and _, 60 at most"
        )),
    }
}

/// Read as it will be read when it is used.
fn read(kind: ProfileKind, text: &str) -> Result<(), String> {
    match kind {
        ProfileKind::Supplier => Supplier::given(text).map(|_| ()).map_err(|e| e.to_string()),
        ProfileKind::ConsentManager => ConsentManager::given(text)
            .map(|_| ())
            .map_err(|e| e.to_string()),
        ProfileKind::Platform => Platform::given(text).map(|_| ()).map_err(|e| e.to_string()),
        ProfileKind::Region => Region::given(text).map(|_| ()).map_err(|e| e.to_string()),
        ProfileKind::SampleWords => Ok(()),
    }
}

/// Selectors that no browser reads.
fn selectors(kind: ProfileKind, table: &toml::Table) -> Vec<String> {
    let selected = fields(kind)
        .iter()
        .filter(|f| matches!(f.shape, Shape::Selector | Shape::Selectors));
    let mut out = Vec::new();
    for field in selected {
        for selector in in_words(super::at(table, field.path)).lines() {
            if let Some(why) = unreadable(selector) {
                out.push(format!(
                    "{} has \u{201c}{}\u{201d}, which is not a selector: {why}",
                    field.path,
                    quoted(selector)
                ));
            }
        }
    }
    out
}

/// Characters of one selector.
const MOST_SELECTOR: usize = 1_000;
/// Brackets inside brackets in one selector. The reader behind it calls itself for each.
const DEEPEST_SELECTOR: usize = 16;
/// Characters of a selector that a message quotes.
const MOST_QUOTED: usize = 80;

fn quoted(selector: &str) -> String {
    match selector.char_indices().nth(MOST_QUOTED) {
        Some((end, _)) => format!("{}\u{2026}", &selector[..end]),
        None => selector.to_string(),
    }
}

/// Returns why a selector cannot be read; `>>>` steps into a shadow root and parts it in two.
/// Browsers may support what this reader does not.
fn unreadable(selector: &str) -> Option<String> {
    if selector.len() > MOST_SELECTOR {
        return Some(format!("it has more than {MOST_SELECTOR} characters"));
    }
    if nesting::depth(selector) > DEEPEST_SELECTOR {
        return Some(format!("it nests more than {DEEPEST_SELECTOR} brackets"));
    }
    selector.split(">>>").find_map(|part| {
        use SelectorError::*;
        match Selector::from_str(part.trim()) {
            Ok(_) => None,
            Err(
                UnsupportedPseudoClassOrElement
                | NestedNegation
                | NamespacedSelector
                | UnsupportedCombinator(_)
                | UnsupportedSyntax,
            ) => None,
            Err(error) => Some(
                error
                    .to_string()
                    .to_lowercase()
                    .trim_end_matches('.')
                    .to_string(),
            ),
        }
    })
}

/// Fields outside of any table that nothing reads: a typing error, most of the time. Those inside a
/// table of ours are refused when the text is read.
fn unknown(kind: ProfileKind, table: &toml::Table) -> Vec<String> {
    let known: Vec<&str> = fields(kind)
        .iter()
        .map(|f| f.path)
        .chain(beside(kind).iter().copied())
        .collect();
    let is_table = |name: &str| {
        known
            .iter()
            .any(|k| k.split_once('.').is_some_and(|(t, _)| t == name))
    };
    // Tables of other parts of the job may stand beside ours.
    let plain = |value: &toml::Value| !value.is_table() && !value.is_array();
    let odd = table
        .iter()
        .filter(|(name, value)| plain(value) && !is_table(name) && !known.contains(&name.as_str()));
    odd.map(|(name, _)| remark(name, &known)).collect()
}

fn remark(path: &str, known: &[&str]) -> String {
    let near = nearest(path, known.iter().copied()).unwrap_or("id");
    format!("nothing reads \u{201c}{path}\u{201d}; the nearest field is \u{201c}{near}\u{201d}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_selector_that_nests_without_end_is_refused_before_it_is_read() {
        for depth in [17, 200, 20_000] {
            let selector = format!("{}a{}", ":not(".repeat(depth), ")".repeat(depth));
            let text = format!(
                "id = \"x\"\nname = \"X\"\n[snippet]\ntemplate = '<script \
                src=\"https://a.test/{{{{key}}}}\"></script>'\n[alive]\nlauncher = \"{selector}\"\n"
            );
            let told = look(ProfileKind::Supplier, &text).problems.join("; ");
            assert!(told.contains("alive.launcher"), "{told}");
            let why = ["more than 16 brackets", "more than 1000 characters"];
            assert!(why.iter().any(|w| told.contains(w)), "{told}");
            assert!(
                told.len() < 400,
                "a message quotes the beginning only: {told}"
            );
        }
        assert_eq!(unreadable("a:not([href]) > b:is(c, d)"), None);
    }
}
