//! Page rules that stand somewhere else than in the site's expectation: in an extension, at the
//! supplier's console. Each of them may keep a widget off a page that should have it, although its
//! code is there.

use super::{PageKind, PageRules, Pattern, PatternError};
use crate::code::Code;
use crate::finding::{Evidence, Finding, Severity};
use crate::pages::Expect;
use serde::Deserialize;
use url::Url;

/// Pages that are named of one contradiction.
const MOST_NAMED: usize = 8;

/// Page rules as an interface tells them: patterns in text.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(default)]
pub struct PageRuleReport {
    /// Pages on which the widget comes; empty means everywhere.
    pub on: Vec<String>,
    /// Pages on which the widget does not come.
    pub not_on: Vec<String>,
}

impl PageRuleReport {
    /// Returns whether no rule is given, so that the widget comes everywhere.
    pub fn is_empty(&self) -> bool {
        self.on.is_empty() && self.not_on.is_empty()
    }

    /// Returns the reported rules as patterns.
    ///
    /// # Errors
    /// The first that is none.
    pub fn read(&self) -> Result<PageRules, PatternError> {
        let list = |texts: &[String]| {
            let patterns = texts.iter().map(|t| Pattern::read(t));
            patterns.collect::<Result<Vec<Pattern>, PatternError>>()
        };
        Ok(PageRules::of(list(&self.on)?, list(&self.not_on)?))
    }
}

/// Page rules of one place beside the expectation.
#[derive(Debug, Clone, PartialEq)]
pub struct RulesElsewhere {
    /// Name of the place where the rules are set.
    pub place: String,
    /// Page rules as they are set there.
    pub rules: PageRules,
}

impl RulesElsewhere {
    fn keeps_off(&self, (url, kind): &(Url, PageKind)) -> bool {
        self.rules.expects(url, *kind) == Expect::Absent
    }

    /// The pattern that keeps it off, in words.
    fn why(&self, (url, kind): &(Url, PageKind)) -> String {
        match self.rules.decided_by(url, *kind) {
            Some(pattern) => format!("{} keeps it off", pattern.text()),
            None => "no pattern of its rules names it".into(),
        }
    }
}

/// Returns findings where rules set elsewhere contradict the expectation or each other.
pub fn contradictions(
    wanted: &PageRules,
    beside: &[RulesElsewhere],
    pages: &[(Url, PageKind)],
) -> Vec<Finding> {
    let is_wanted = |p: &&(Url, PageKind)| wanted.expects(&p.0, p.1) == Expect::Present;
    let (with, without): (Vec<_>, Vec<_>) = pages.iter().partition(is_wanted);
    let mut out = Vec::new();
    for place in beside {
        let off: Vec<_> = with.iter().filter(|p| place.keeps_off(p)).collect();
        if off.is_empty() {
            continue;
        }
        let named = off.iter().take(MOST_NAMED);
        let named = named.map(|p| Evidence::fact(format!("{}: {}", p.0.path(), place.why(p))));
        let summary = format!(
            "{} keeps the widget off {} where the site\u{2019}s rules want it.",
            place.place,
            pages_of(off.len())
        );
        let remedy = format!(
            "Take these pages out of the page rules in {}, or change the page rules of the site.",
            place.place
        );
        let code = Code::PagesRulesContradict;
        out.push(Finding::new(code, Severity::Fault, summary, remedy).with_all(named));
    }
    for (n, one) in beside.iter().enumerate() {
        for other in &beside[n + 1..] {
            out.extend(apart(one, other, &without));
        }
    }
    out
}

/// Two places that decide differently about pages that should be without the widget: it is off
/// there only as long as both stay as they are.
fn apart(
    one: &RulesElsewhere,
    other: &RulesElsewhere,
    without: &[&(Url, PageKind)],
) -> Option<Finding> {
    let differ = |p: &&&(Url, PageKind)| one.keeps_off(p) != other.keeps_off(p);
    let pages: Vec<_> = without.iter().filter(differ).collect();
    if pages.is_empty() {
        return None;
    }
    let named = pages.iter().take(MOST_NAMED).map(|p| {
        let (off, on) = match one.keeps_off(p) {
            true => (one, other),
            false => (other, one),
        };
        let path = p.0.path();
        Evidence::fact(format!(
            "{path}: {} keeps it off, {} lets it on",
            off.place, on.place
        ))
    });
    let summary = format!(
        "{} and {} decide differently about {}.",
        one.place,
        other.place,
        pages_of(pages.len())
    );
    let remedy = "Keep the page rules in one of the two places, and empty them in the other.";
    let code = Code::PagesRulesContradict;
    Some(Finding::new(code, Severity::Warning, summary, remedy).with_all(named))
}

fn pages_of(n: usize) -> String {
    match n {
        1 => "1 page".into(),
        n => format!("{n} pages"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rules(on: &[&str], not_on: &[&str]) -> PageRules {
        let texts = |list: &[&str]| list.iter().map(|t| t.to_string()).collect();
        let told = PageRuleReport {
            on: texts(on),
            not_on: texts(not_on),
        };
        told.read().unwrap()
    }

    fn beside(place: &str, rules: PageRules) -> RulesElsewhere {
        RulesElsewhere {
            place: place.into(),
            rules,
        }
    }

    fn pages() -> Vec<(Url, PageKind)> {
        let page = |path: &str, kind| {
            let url = format!("https://kites.example{path}");
            (Url::parse(&url).unwrap(), kind)
        };
        vec![
            page("/", PageKind::Home),
            page("/shop/a", PageKind::Item),
            page("/shop/b", PageKind::Item),
            page("/legal", PageKind::Legal),
        ]
    }

    #[test]
    fn a_place_that_keeps_it_off_wanted_pages_is_told_with_the_pattern() {
        let wanted = rules(&[], &["kind:legal"]);
        let extension = beside("the extension", rules(&["/shop/**"], &[]));
        let console = beside("the console", rules(&[], &["/shop/b", "/legal"]));
        let told = contradictions(&wanted, &[extension, console], &pages());
        assert_eq!(told.len(), 2, "{told:?}");
        assert_eq!(told[0].severity, Severity::Fault);
        assert!(
            told[0].summary.contains("the extension keeps") && told[0].summary.contains("1 page ")
        );
        assert_eq!(
            told[0].evidence,
            [Evidence::fact("/: no pattern of its rules names it")]
        );
        assert_eq!(
            told[1].evidence,
            [Evidence::fact("/shop/b: /shop/b keeps it off")]
        );
        assert!(told[1].remedy.contains("in the console"));
    }

    #[test]
    fn two_places_that_differ_where_it_should_not_be_are_a_warning() {
        let wanted = rules(&[], &["kind:legal"]);
        let extension = beside("the extension", rules(&[], &["/legal"]));
        let console = beside("the console", rules(&[], &[]));
        let told = contradictions(&wanted, &[extension.clone(), console], &pages());
        assert_eq!(told.len(), 1, "{told:?}");
        assert_eq!(told[0].severity, Severity::Warning);
        assert!(
            told[0].evidence[0]
                .line()
                .contains("the extension keeps it off, the console lets it on")
        );
        // As wanted everywhere: nothing to tell.
        assert!(contradictions(&wanted, &[extension], &pages()).is_empty());
    }

    #[test]
    fn what_is_no_pattern_is_told() {
        let told = PageRuleReport {
            on: vec!["kind:nothing".into()],
            not_on: Vec::new(),
        };
        assert!(told.read().is_err());
    }
}
