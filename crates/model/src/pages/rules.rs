//! On which pages a widget must and must not be.

use super::{ComparedPage, MOST_PATTERNS, PageKind, Pattern, PatternError};
use serde::{Deserialize, Serialize};
use url::Url;

/// Should the widget be on the page?
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Expect {
    /// The widget should be there.
    #[default]
    Present,
    /// The widget should not be there.
    Absent,
}

/// Patterns of one widget.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct PageRules {
    /// Pages on which the widget must be.
    pub on: Vec<Pattern>,
    /// Pages on which the widget must not be; wins over `on`.
    pub not_on: Vec<Pattern>,
}

impl Default for PageRules {
    fn default() -> Self {
        PageRules {
            on: vec![Pattern::every()],
            not_on: Vec::new(),
        }
    }
}

impl PageRules {
    /// Returns rules from two lists; without a first one the widget must be everywhere.
    pub fn of(on: Vec<Pattern>, not_on: Vec<Pattern>) -> PageRules {
        let every = PageRules::default().on;
        let on = if on.is_empty() { every } else { on };
        PageRules { on, not_on }
    }

    /// Patterns as a person types them: blanks or line ends between them, commas beside those
    /// allowed.
    ///
    /// # Errors
    /// The first that is none.
    pub fn list(text: &str) -> Result<Vec<Pattern>, PatternError> {
        let words = text.split_whitespace().map(|w| w.trim_matches(','));
        words.filter(|w| !w.is_empty()).map(Pattern::read).collect()
    }

    /// Reads a list that a person types, with bounds. As [`PageRules::list`] otherwise.
    ///
    /// # Errors
    /// The first that is none, or that they are too many.
    pub fn typed(text: &str) -> Result<Vec<Pattern>, PatternError> {
        match text.split_whitespace().nth(MOST_PATTERNS) {
            Some(_) => Err(PatternError::TooMany),
            None => PageRules::list(text),
        }
    }

    /// Patterns in one line, as [`PageRules::list`] reads them.
    pub fn line(patterns: &[Pattern]) -> String {
        let texts: Vec<&str> = patterns.iter().map(Pattern::text).collect();
        texts.join(" ")
    }

    /// Should it be on this page? A page that no pattern names should be without it.
    pub fn expects(&self, page: &Url, kind: PageKind) -> Expect {
        let page = ComparedPage::of(page, kind);
        let takes = |p: &Pattern| p.takes_page(&page);
        match self.on.iter().any(takes) && !self.not_on.iter().any(takes) {
            true => Expect::Present,
            false => Expect::Absent,
        }
    }

    /// The pattern that decides about a page.
    pub fn decided_by(&self, page: &Url, kind: PageKind) -> Option<&Pattern> {
        let page = ComparedPage::of(page, kind);
        let takes = |p: &&Pattern| p.takes_page(&page);
        let without = self.not_on.iter().find(takes);
        without.or_else(|| self.on.iter().find(takes))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_must_not_wins_and_what_nobody_names_is_without() {
        let read = |text: &str| Pattern::read(text).unwrap();
        let rules = PageRules {
            on: vec![read("/shop/**"), read("kind:article")],
            not_on: vec![read("/shop/gifts"), read("kind:legal")],
        };
        let expects = |path: &str, kind| {
            let page = Url::parse(&format!("https://kites.example{path}")).unwrap();
            (
                rules.expects(&page, kind) == Expect::Present,
                rules.decided_by(&page, kind).map(|p| p.text().to_string()),
            )
        };
        assert_eq!(
            expects("/shop/a", PageKind::Item),
            (true, Some("/shop/**".into()))
        );
        assert_eq!(
            expects("/shop/gifts", PageKind::Item),
            (false, Some("/shop/gifts".into()))
        );
        assert_eq!(
            expects("/x", PageKind::Article),
            (true, Some("kind:article".into()))
        );
        assert_eq!(expects("/x", PageKind::Other), (false, None));
        let every = PageRules::default();
        let page = Url::parse("https://kites.example/x?y").unwrap();
        assert_eq!(every.expects(&page, PageKind::Other), Expect::Present);
    }
}
