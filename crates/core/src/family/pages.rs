//! Pages: the widget on every page where it should be, and on no other.

use super::{Assessed, Family, Standing, Stood, Words, first_remedy};
use crate::chain::{Expect, NotLookedAt, Outcome};
use crate::code::Area;
use crate::finding::{Finding, Severity};
use crate::job::JobKind;
use crate::pages::PageRules;
use crate::site_check::{Coverage, PageRow, Seen, SiteDiagnosis};
use serde::{Deserialize, Serialize};

pub(super) const WORDS: Words = Words {
    key: "pages",
    label: "Pages",
    question: "Is the widget on every page where it should be, and on no other?",
    drawing: "Pages by kind",
    job: Some(JobKind::Pages),
};

/// What the drawing and the section are made from.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// Every page that was looked at, the one given first.
    pub pages: Vec<Page>,
    /// How many are right.
    pub coverage: Coverage,
    /// What was not looked at, and why.
    pub not_looked_at: Vec<NotLookedAt>,
}

/// One page with the rule that decides about it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Page {
    /// What should be, what is, and how that is known.
    #[serde(flatten)]
    pub row: PageRow,
    /// The pattern that decides what should be there; none where no pattern names the page.
    pub rule: Option<String>,
}

/// How a page stands, for its dot.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum PageState {
    /// It should have the widget and does not.
    Missing,
    /// It has the widget and should not.
    Unwanted,
    /// It has it in a state that does not work.
    Broken,
    /// Nobody knows.
    Unknown,
    /// As it should be.
    Right,
}

impl PageState {
    /// Worst first.
    pub const ALL: [PageState; 5] = [
        PageState::Missing,
        PageState::Unwanted,
        PageState::Broken,
        PageState::Unknown,
        PageState::Right,
    ];

    /// For people.
    pub fn word(self) -> &'static str {
        match self {
            PageState::Missing => "missing",
            PageState::Unwanted => "unwanted",
            PageState::Broken => "broken",
            PageState::Unknown => "unknown",
            PageState::Right => "right",
        }
    }

    /// Of a row.
    pub fn of(row: &PageRow) -> PageState {
        match (row.expected, row.seen) {
            _ if row.is_right() => PageState::Right,
            (_, Seen::Unknown) if row.root.is_none() => PageState::Unknown,
            (Expect::Present, Seen::Absent) => PageState::Missing,
            (Expect::Absent, Seen::Present) => PageState::Unwanted,
            _ => PageState::Broken,
        }
    }
}

/// Judges the pages of a site from what a look at all of them told, and from page rules that stand
/// elsewhere and contradict the site's ([`crate::pages::beside`]).
pub fn assess(told: &SiteDiagnosis, rules: &PageRules, contradictions: Vec<Finding>) -> Assessed {
    let page = |row: &PageRow| Page {
        rule: url::Url::parse(&row.url)
            .ok()
            .and_then(|u| rules.decided_by(&u, row.kind).map(|p| p.text().to_string())),
        row: row.clone(),
    };
    let d = &told.diagnosis;
    // Consent and texts have families of their own.
    let ours = |f: &Finding| !matches!(f.code.area(), Area::Consent | Area::Brand);
    let wrong = |f: &&Finding| f.severity > Severity::Note && ours(f) || d.root == Some(f.code);
    let mut findings: Vec<Finding> = d.findings.iter().filter(wrong).cloned().collect();
    let (mut standing, mut summary) = standing(told);
    let fault = |f: &&Finding| f.severity >= Severity::Fault;
    if let Some(first) = contradictions.iter().find(fault) {
        summary = match standing {
            Standing::Failing => format!("{summary} {}", first.summary),
            _ => first.summary.clone(),
        };
        standing = Standing::Failing;
    }
    findings.extend(contradictions);
    Assessed {
        family: Family::Pages,
        standing,
        summary,
        remedy: match d.root_finding() {
            Some(root) => root.remedy.clone(),
            None => first_remedy(&findings),
        },
        findings,
        detail: Some(super::Detail::Pages(Detail {
            pages: told.pages.iter().map(page).collect(),
            coverage: told.coverage,
            not_looked_at: d.not_looked_at.clone(),
        })),
    }
}

fn standing(told: &SiteDiagnosis) -> (Standing, String) {
    let states = told.pages.iter().map(PageState::of);
    let mut by_state: Vec<(PageState, usize)> = PageState::ALL.map(|s| (s, 0)).into();
    states.for_each(|s| by_state[s as usize].1 += 1);
    let wrong: Vec<String> = by_state
        .iter()
        .filter(|(s, n)| *s < PageState::Unknown && *n > 0)
        .map(|(s, n)| format!("{n} {}", s.word()))
        .collect();
    let Coverage {
        expected,
        right,
        unknown,
    } = told.coverage;
    if !wrong.is_empty() {
        let summary = format!(
            "Of {expected} pages {right} are right: {}.",
            wrong.join(", ")
        );
        return (Standing::Failing, summary);
    }
    if told.diagnosis.outcome == Outcome::Unchecked || expected == 0 || unknown > 0 {
        let why = told.diagnosis.not_looked_at.first();
        let why = why.map(|n| format!(" {}: {}.", n.what, n.why));
        let summary = format!(
            "Of {expected} pages {right} are right; of {unknown} it is not known.{}",
            why.unwrap_or_default()
        );
        return (Standing::Undecided, summary);
    }
    let summary = format!("All {expected} pages that were looked at are right.");
    (Standing::Passing, summary)
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("See which pages are not right, and why.".into()),
        Standing::Undecided => Some("See which pages could not be judged, and why.".into()),
        _ => Some("Check all pages.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::Diagnosis;
    use crate::code::Code;
    use crate::pages::{PageKind, Pattern};

    fn row(path: &str, kind: PageKind, expected: Expect, seen: Seen) -> PageRow {
        PageRow {
            url: format!("https://kites.example{path}"),
            kind,
            template: "/*".into(),
            expected,
            seen,
            root: None,
            visited: false,
        }
    }

    fn told(pages: Vec<PageRow>, outcome: Outcome) -> SiteDiagnosis {
        let mut diagnosis = Diagnosis::unchecked("https://kites.example/", "for the test");
        diagnosis.outcome = outcome;
        SiteDiagnosis {
            coverage: Coverage {
                expected: pages.len(),
                right: pages.iter().filter(|r| r.is_right()).count(),
                unknown: pages.iter().filter(|r| r.seen == Seen::Unknown).count(),
            },
            diagnosis,
            pages,
            consent: None,
            texts: Vec::new(),
            looks: Vec::new(),
        }
    }

    #[test]
    fn each_way_of_being_wrong_has_its_own_dot() {
        use Expect::{Absent, Present};
        let of = |expected, seen, root| {
            let mut row = row("/", PageKind::Home, expected, seen);
            row.root = root;
            PageState::of(&row)
        };
        assert_eq!(of(Present, Seen::Present, None), PageState::Right);
        assert_eq!(of(Absent, Seen::Absent, None), PageState::Right);
        assert_eq!(of(Present, Seen::Absent, None), PageState::Missing);
        assert_eq!(of(Absent, Seen::Present, None), PageState::Unwanted);
        assert_eq!(of(Present, Seen::Unknown, None), PageState::Unknown);
        let damaged = of(Present, Seen::Damaged, Some(Code::PlacedAsText));
        assert_eq!(damaged, PageState::Broken);
        // It is there and something later in its chain is broken.
        let silent = of(Present, Seen::Present, Some(Code::StartedSilent));
        assert_eq!(silent, PageState::Broken);
    }

    #[test]
    fn what_is_not_known_never_passes_and_what_is_wrong_fails() {
        use Expect::{Absent, Present};
        let home = row("/", PageKind::Home, Present, Seen::Present);
        let legal = row("/legal", PageKind::Legal, Absent, Seen::Absent);
        let rules = PageRules::of(Vec::new(), vec![Pattern::read("kind:legal").unwrap()]);
        let good = assess(
            &told(vec![home.clone(), legal.clone()], Outcome::Working),
            &rules,
            Vec::new(),
        );
        assert_eq!(good.standing, Standing::Passing, "{}", good.summary);
        let Some(super::super::Detail::Pages(detail)) = good.detail else {
            panic!("no drawing");
        };
        assert_eq!(detail.pages[1].rule.as_deref(), Some("kind:legal"));

        let open = row("/a", PageKind::Item, Present, Seen::Unknown);
        let looked = told(vec![home.clone(), open], Outcome::Working);
        let unknown = assess(&looked, &rules, Vec::new());
        assert_eq!(unknown.standing, Standing::Undecided);
        assert!(unknown.summary.contains("of 1 it is not known"));

        let surplus = row("/legal", PageKind::Legal, Absent, Seen::Present);
        let looked = told(vec![home.clone(), surplus], Outcome::Working);
        let bad = assess(&looked, &rules, Vec::new());
        assert_eq!(bad.standing, Standing::Failing);
        assert!(bad.summary.contains("1 unwanted"), "{}", bad.summary);

        // The code is on every page, and a rule elsewhere keeps the widget off one of them.
        let code = crate::code::Code::PagesRulesContradict;
        let kept_off = Finding::new(
            code,
            Severity::Fault,
            "The console keeps it off.",
            "Go there.",
        );
        let looked = told(vec![home, legal], Outcome::Working);
        let ruled = assess(&looked, &rules, vec![kept_off]);
        assert_eq!(ruled.standing, Standing::Failing);
        assert_eq!(ruled.summary, "The console keeps it off.");
        assert_eq!(ruled.remedy, "Go there.");
    }
}
