//! Pages: the widget on every page where it should be, and on no other.

use super::entry::{A_CHAIN, A_LOOK, Elsewhere, Entry, FamilyResult, FamilyStanding, first_remedy};
use super::kind::{Family, Standing};
use crate::chain::Outcome;
use crate::family::detail::pages::{Detail, Page, PageState};
use crate::inputs::input::Input;
use crate::site_check::{Coverage, PageRow, SiteDiagnosis};
use newtfern_model::code::Area;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::job::JobKind;
use newtfern_model::pages::PageRules;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Pages,
    question: "Is the widget on the right pages, and only there?",
    drawing: "Pages by kind",
    job: Some(JobKind::Pages),
    reads: &[A_LOOK, A_CHAIN, &[Input::Result(Family::Load)]],
    act,
};

/// Judges the pages of a site from what a look at all of them told, and from page rules that stand
/// elsewhere and contradict the site's ([`newtfern_model::pages::beside`]).
pub fn assess(
    told: &SiteDiagnosis,
    rules: &PageRules,
    contradictions: Vec<Finding>,
) -> FamilyResult {
    let page = |row: &PageRow| Page {
        rule: rules
            .decided_by(&row.url, row.kind)
            .map(|p| p.text().to_string()),
        row: row.clone(),
    };
    let d = &told.diagnosis;
    // Consent and texts have families of their own.
    let ours = |f: &Finding| !matches!(f.code.area(), Area::Consent | Area::Brand);
    let wrong =
        |f: &&Finding| f.severity > Severity::Note && ours(f) || d.verdict.root() == Some(f.code);
    let mut findings: Vec<Finding> = d.verdict.findings().iter().filter(wrong).cloned().collect();
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
    FamilyResult {
        family: Family::Pages,
        standing,
        summary,
        remedy: match d.verdict.root_finding() {
            Some(root) => root.remedy.clone(),
            None => first_remedy(&findings),
        },
        findings,
        detail: Some(super::Detail::Pages(Detail {
            pages: told.pages.iter().map(page).collect(),
            coverage: told.coverage,
            not_looked_at: d.verdict.not_looked_at().to_vec(),
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
            "{right} of {expected} pages are correct: {}.",
            wrong.join(", ")
        );
        return (Standing::Failing, summary);
    }
    if told.diagnosis.verdict.outcome() == Outcome::Unchecked || expected == 0 || unknown > 0 {
        let why = told.diagnosis.verdict.not_looked_at().first();
        let why = why.map(|n| format!(" {}: {}.", n.what, n.why));
        let summary = format!(
            "{right} of {expected} pages are correct. {unknown} could not be decided.{}",
            why.unwrap_or_default()
        );
        return (Standing::Undecided, summary);
    }
    let summary = format!("All {expected} checked pages are correct.");
    (Standing::Passing, summary)
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("See which pages are wrong, and why.".into()),
        Standing::Undecided => Some("See which pages could not be decided, and why.".into()),
        _ => Some("Check all pages.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::Diagnosis;
    use crate::site_check::PageContent;
    use newtfern_model::code::Code;
    use newtfern_model::pages::{Expect, PageKind, Pattern};

    fn row(path: &str, kind: PageKind, expected: Expect, seen: PageContent) -> PageRow {
        PageRow {
            url: format!("https://kites.example{path}").parse().unwrap(),
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
        diagnosis.verdict = diagnosis.verdict.over_site(outcome, Vec::new(), []);
        SiteDiagnosis {
            coverage: Coverage {
                expected: pages.len(),
                right: pages.iter().filter(|r| r.is_right()).count(),
                unknown: pages
                    .iter()
                    .filter(|r| r.seen == PageContent::Unknown)
                    .count(),
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
        assert_eq!(of(Present, PageContent::Present, None), PageState::Right);
        assert_eq!(of(Absent, PageContent::Absent, None), PageState::Right);
        assert_eq!(of(Present, PageContent::Absent, None), PageState::Missing);
        assert_eq!(of(Absent, PageContent::Present, None), PageState::Unwanted);
        assert_eq!(of(Present, PageContent::Unknown, None), PageState::Unknown);
        let damaged = of(Present, PageContent::Damaged, Some(Code::PlacedAsText));
        assert_eq!(damaged, PageState::Broken);
        // It is there and something later in its chain is broken.
        let silent = of(Present, PageContent::Present, Some(Code::StartedSilent));
        assert_eq!(silent, PageState::Broken);
    }

    #[test]
    fn what_is_not_known_never_passes_and_what_is_wrong_fails() {
        use Expect::{Absent, Present};
        let home = row("/", PageKind::Home, Present, PageContent::Present);
        let legal = row("/legal", PageKind::Legal, Absent, PageContent::Absent);
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

        let open = row("/a", PageKind::Item, Present, PageContent::Unknown);
        let looked = told(vec![home.clone(), open], Outcome::Working);
        let unknown = assess(&looked, &rules, Vec::new());
        assert_eq!(unknown.standing, Standing::Undecided);
        assert!(unknown.summary.contains("1 could not be decided"));

        let surplus = row("/legal", PageKind::Legal, Absent, PageContent::Present);
        let looked = told(vec![home.clone(), surplus], Outcome::Working);
        let bad = assess(&looked, &rules, Vec::new());
        assert_eq!(bad.standing, Standing::Failing);
        assert!(bad.summary.contains("1 unwanted"), "{}", bad.summary);

        // The code is on every page, and a rule elsewhere keeps the widget off one of them.
        let code = newtfern_model::code::Code::PagesRulesContradict;
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
