//! What page rules do to the pages that are known, shown while they are typed.

use super::pattern::ComparedPage;
use super::{PageKind, PageRules, Pattern};
use url::Url;

/// Pages that are named of one pattern.
const MOST_NAMED: usize = 5;

/// Effect of one pattern on the known pages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RuleEffect {
    /// Pattern as it was typed.
    pub pattern: String,
    /// Whether the pattern says where the widget must not be.
    pub without: bool,
    /// Pages that it takes.
    pub takes: usize,
    /// Number of pages that the pattern decides about.
    pub decides: usize,
    /// The first of them.
    pub named: Vec<String>,
}

/// Page rules against the known pages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RuleEffects {
    /// Effect of each pattern, in the order of the rules.
    pub rules: Vec<RuleEffect>,
    /// Pages that must have the widget.
    pub with: usize,
    /// Pages that must not.
    pub without: usize,
    /// Pages that no pattern names.
    pub unnamed: usize,
    /// There are more pages than were looked through.
    pub more: bool,
}

/// Compares rules with pages, each pattern once with each page. `may_go_on` is asked before each
/// page; none where it says no.
pub fn effect(
    rules: &PageRules,
    pages: &[(Url, PageKind)],
    may_go_on: &dyn Fn() -> bool,
) -> Option<RuleEffects> {
    let patterns: Vec<(&Pattern, bool)> = rules
        .not_on
        .iter()
        .map(|p| (p, true))
        .chain(rules.on.iter().map(|p| (p, false)))
        .collect();
    let mut out: Vec<RuleEffect> = patterns
        .iter()
        .map(|(pattern, without)| RuleEffect {
            pattern: pattern.text().to_string(),
            without: *without,
            takes: 0,
            decides: 0,
            named: Vec::new(),
        })
        .collect();
    let (mut with, mut unnamed) = (0, 0);
    for (url, kind) in pages {
        if !may_go_on() {
            return None;
        }
        let page = ComparedPage::of(url, *kind);
        let mut decided = false;
        // Where it must not be wins, and of each list the first pattern decides.
        for ((pattern, without), shown) in patterns.iter().zip(&mut out) {
            if !pattern.takes_page(&page) {
                continue;
            }
            shown.takes += 1;
            if decided {
                continue;
            }
            decided = true;
            with += usize::from(!without);
            shown.decides += 1;
            if shown.named.len() < MOST_NAMED {
                shown.named.push(url.path().to_string());
            }
        }
        unnamed += usize::from(!decided);
    }
    // Shown in the order of the form: first where it must be.
    out.rotate_left(rules.not_on.len());
    Some(RuleEffects {
        rules: out,
        with,
        without: pages.len() - with,
        unnamed,
        more: false,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pages::Expect;

    fn pages(n: usize) -> Vec<(Url, PageKind)> {
        let at = |i: usize| format!("https://kites.example/shop/{i}?page={i}");
        let page = |i: usize| (Url::parse(&at(i)).unwrap(), PageKind::Item);
        let legal = Url::parse("https://kites.example/legal/terms").unwrap();
        (0..n).map(page).chain([(legal, PageKind::Legal)]).collect()
    }

    #[test]
    fn each_pattern_tells_what_it_takes_and_what_it_decides() {
        let list = |text: &str| PageRules::typed(text).unwrap();
        let rules = PageRules::of(list("/shop/** /shop/1*"), list("/shop/2?page=2 kind:legal"));
        let pages = pages(12);
        let told = effect(&rules, &pages, &|| true).unwrap();
        let figures = |r: &RuleEffect| (r.pattern.clone(), r.without, r.takes, r.decides);
        let figures: Vec<_> = told.rules.iter().map(figures).collect();
        assert_eq!(
            figures,
            [
                ("/shop/**".into(), false, 12, 11),
                ("/shop/1*".into(), false, 3, 0),
                ("/shop/2?page=2".into(), true, 1, 1),
                ("kind:legal".into(), true, 1, 1),
            ]
        );
        assert_eq!((told.with, told.without, told.unnamed), (11, 2, 0));
        assert_eq!(told.rules[0].named.len(), 5);
        // The same as asked page by page.
        let with = |(u, k): &&(Url, PageKind)| rules.expects(u, *k) == Expect::Present;
        assert_eq!(pages.iter().filter(with).count(), told.with);
    }

    #[test]
    fn it_ends_when_nobody_waits_and_a_field_has_no_end_of_patterns() {
        let asked = std::cell::Cell::new(0);
        let twice = || asked.replace(asked.get() + 1) < 2;
        assert_eq!(effect(&PageRules::default(), &pages(10), &twice), None);
        assert_eq!(asked.get(), 3);
        let many = "/a ".repeat(10_000);
        assert!(
            PageRules::typed(&many)
                .unwrap_err()
                .to_string()
                .contains("200 patterns")
        );
    }
}
