//! Our own words and what they mean, from docs/glossary.md.

use super::render;
use crate::error::PageResult;
use crate::session::Reader;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;

const TEXT: &str = include_str!("../../../../docs/glossary.md");

/// One word with its meaning.
struct Entry {
    /// Name of its place in the page, such as `line-up`.
    anchor: String,
    word: &'static str,
    meaning: &'static str,
}

#[derive(Template)]
#[template(path = "glossary.html")]
struct Page {
    frame: Frame,
    entries: Vec<Entry>,
}

/// Returns the place of a word in the page, as the macro `term` of templates/parts.html links to
/// it.
fn anchor_of(word: &str) -> String {
    word.to_lowercase().replace(' ', "-")
}

/// Returns the rows of the table, without its head and the line below it.
fn entries() -> impl Iterator<Item = Entry> {
    let rows = TEXT.lines().filter(|l| l.starts_with("| ")).skip(1);
    rows.filter_map(|row| {
        let mut cells = row.trim_matches('|').split('|').map(str::trim);
        let (word, meaning) = (cells.next()?, cells.next()?);
        Some(Entry {
            anchor: anchor_of(word),
            word,
            meaning,
        })
    })
}

/// Shows the glossary of our own words.
///
/// # Errors
/// If the database refuses.
pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    render(&Page {
        frame: Frame::new(&app, &reader, "Glossary", "", "").await?,
        entries: entries().collect(),
    })
}

#[cfg(test)]
mod tests {
    use super::{anchor_of, entries};
    use std::collections::HashSet;

    /// The templates, all of them, as one text.
    fn templates(folder: &std::path::Path) -> String {
        let entries = std::fs::read_dir(folder).unwrap();
        let texts = entries
            .map(|e| e.unwrap().path())
            .map(|path| match path.is_dir() {
                true => templates(&path),
                false => std::fs::read_to_string(&path).unwrap(),
            });
        texts.collect()
    }

    #[test]
    fn every_link_into_the_glossary_leads_to_a_word() {
        let known: HashSet<_> = entries().map(|e| e.anchor).collect();
        assert!(known.contains("frond") && known.contains("handover-sheet"));
        let all = templates(&std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("templates"));
        let links = all.split("parts::term(\"").skip(1);
        let linked: HashSet<_> = links
            .filter_map(|l| Some(anchor_of(l.split('"').next()?)))
            .collect();
        assert!(linked.len() > 10, "{linked:?}");
        for anchor in linked {
            assert!(known.contains(&anchor), "no word has the place {anchor}");
        }
    }
}
