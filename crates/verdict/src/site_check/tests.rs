use super::*;
use crate::chain::Outcome;
use crate::chain::testing::{GOOD, healthy, html, page, with};
use crate::testing::SAMPLE;
use crate::visits::CheckVisits;
use newtfern_model::code::Code;
use newtfern_model::expectation::Expectation;
use newtfern_model::finding::Severity;
use newtfern_model::pages::{Expect, FoundBy, PageCopy, PageKind};
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profiles::Profiles;
use newtfern_model::region::Region;
use newtfern_standards::observation::{DeliveredPage, Look, Observation};
use url::Url;

const SITE: &str = "address = 'https://kites.example/'\n[[widget]]\nsupplier = 'example'\nkey = \
    'abcd-1234'\nnot_on = ['/legal/**']";
const RIVAL: &str = "id = 'osier'\nname = 'Osier'\n[recognise]\nscript_hosts = \
    ['cdn.osier.test']\n[snippet]\ntemplate = '<script \
    src=\"https://cdn.osier.test/l.js\"></script>'";

/// A page with this in its body; its visit, where there was one.
fn site_page(path: &str, template: &str, body: &str, visit: Option<Observation>) -> SitePage {
    let url = Url::parse(&format!("https://kites.example{path}")).unwrap();
    let visited = visit.map(|mut o| {
        o.url = url.to_string();
        o.page.final_url = url.to_string();
        WidgetVisits {
            subject: 0,
            visits: CheckVisits::of(vec![o], ""),
            asides: Vec::new(),
        }
    });
    SitePage {
        copy: PageCopy {
            found: FoundBy::Link,
            page: DeliveredPage {
                final_url: url.to_string(),
                status: Some(200),
                mime: "text/html".into(),
                html: html(body),
                ..DeliveredPage::default()
            },
            url,
        },
        kind: if path == "/" {
            PageKind::Home
        } else {
            PageKind::Item
        },
        template: template.into(),
        visited: visited.into_iter().collect(),
    }
}

impl SitePage {
    /// With a visit and no copies beside it.
    fn seen_alone(mut self, mut visit: Observation) -> SitePage {
        visit.url = self.copy.url.to_string();
        visit.page.final_url.clone_from(&visit.url);
        self.visited.push(WidgetVisits {
            visits: CheckVisits::of(vec![visit], ""),
            ..WidgetVisits::default()
        });
        self
    }
}

fn judged_by(expectation: &str, pages: &[SitePage]) -> SiteDiagnosis {
    judged_with(expectation, pages, &[])
}

/// The same of a site whose robots.txt closes some pages.
fn judged_with(expectation: &str, pages: &[SitePage], closed: &[Url]) -> SiteDiagnosis {
    let mut profiles = Profiles::default();
    profiles.add("a.toml", SAMPLE).unwrap();
    profiles.add("b.toml", RIVAL).unwrap();
    let expectation = Expectation::read(expectation).unwrap();
    let subjects = subjects(&expectation, &profiles).unwrap();
    // A region that leaves the widget alone: consent has tests of its own.
    let lax = "id='lax'\nname='Lax'\n[before]\nrequests=['functional']\nstorage=['functional']";
    judge(&SiteCase {
        region: &Region::from_toml(lax).unwrap(),
        states: &[],
        sample_words: &SampleWords::default(),
        at: "2026-11-26T10:00:00Z".parse().unwrap(),
        expectation: &expectation,
        subjects: &subjects,
        rivals: &profiles.suppliers[1..],
        consent: None,
        pages,
        gaps: &[],
        closed,
    })
}

fn judged(pages: &[SitePage]) -> SiteDiagnosis {
    judged_by(SITE, pages)
}

fn seen(d: &SiteDiagnosis) -> Vec<PageContent> {
    d.pages.iter().map(|p| p.seen).collect()
}

#[test]
fn a_site_that_is_right_says_how_many_pages_are() {
    let d = judged(&[
        site_page("/", "/", GOOD, Some(healthy())),
        site_page("/a", "/*", GOOD, Some(healthy())),
        site_page("/b", "/*", GOOD, None),
        site_page("/legal/x", "/legal/*", "", Some(page(""))),
    ]);
    assert_eq!(d.diagnosis.verdict.outcome(), Outcome::Working);
    assert_eq!(d.diagnosis.verdict.root(), None);
    assert_eq!(
        seen(&d),
        [
            PageContent::Present,
            PageContent::Present,
            PageContent::Present,
            PageContent::Absent
        ]
    );
    assert_eq!(
        d.coverage,
        Coverage {
            expected: 4,
            right: 4,
            unknown: 0
        }
    );
    let visited: Vec<bool> = d.pages.iter().map(|p| p.visited).collect();
    assert_eq!(visited, [true, true, false, true]);
    assert_eq!(d.pages[3].expected, Expect::Absent);
    let json = serde_json::to_value(&d).unwrap();
    assert_eq!(json["pages"][2]["seen"], "present");
    assert_eq!(json["pages"][0]["root"], serde_json::Value::Null);
    assert_eq!(
        (json["outcome"].as_str(), json["coverage"]["right"].as_u64()),
        (Some("working"), Some(4))
    );
}

#[test]
fn missing_pages_are_broken_and_told_together() {
    let d = judged(&[
        site_page("/", "/", GOOD, Some(healthy())),
        site_page("/a", "/a/*", "", Some(page(""))),
        site_page("/b", "/a/*", "", None),
        site_page("/c", "/c/*", "", None),
    ]);
    // The template of /c was visited nowhere: its document alone does not tell that nothing comes.
    assert_eq!(
        seen(&d),
        [
            PageContent::Present,
            PageContent::Absent,
            PageContent::Absent,
            PageContent::Unknown
        ]
    );
    assert_eq!(d.pages[1].root, Some(Code::PlacedOtherPage));
    assert_eq!(d.pages[2].root, Some(Code::PlacedOtherPage));
    assert_eq!(
        (d.diagnosis.verdict.outcome(), d.diagnosis.verdict.root()),
        (Outcome::Broken, Some(Code::PlacedOtherPage))
    );
    assert_eq!(d.diagnosis.url, "https://kites.example/");
    assert_eq!(
        d.coverage,
        Coverage {
            expected: 4,
            right: 1,
            unknown: 1
        }
    );
    let root = &d.diagnosis.verdict.findings()[0];
    assert_eq!(root.code, Code::PlacedOtherPage);
    let pages: Vec<String> = root.evidence.iter().map(|e| e.line()).collect();
    assert!(
        pages.contains(&"on https://kites.example/a".to_string()),
        "{pages:?}"
    );
    let missing = d
        .diagnosis
        .verdict
        .findings()
        .iter()
        .find(|f| f.code == Code::PagesMissing)
        .unwrap();
    assert!(
        missing.summary.starts_with("2 of 4 pages"),
        "{}",
        missing.summary
    );
    assert!(missing.summary.contains("/a/*") && missing.remedy.contains("templates"));
    let broken = d
        .diagnosis
        .verdict
        .chain()
        .iter()
        .filter(|l| l.state == crate::chain::LinkState::Broken);
    assert_eq!(broken.count(), 1);
}

#[test]
fn a_damaged_copy_is_told_without_a_browser_and_the_given_page_goes_first() {
    let commented = format!("<!-- {GOOD} -->");
    let d = judged(&[
        site_page("/", "/", GOOD, Some(healthy())),
        site_page("/a", "/*", &commented, None),
    ]);
    assert_eq!(d.pages[1].seen, PageContent::Damaged);
    assert_eq!(d.diagnosis.verdict.root(), Some(Code::PlacedCommented));
    let d = judged(&[
        site_page("/", "/", &commented, Some(page(&commented))),
        site_page("/a", "/*", "", Some(page(""))),
        site_page("/b", "/*", "", Some(page(""))),
    ]);
    assert_eq!(d.diagnosis.verdict.root(), Some(Code::PlacedCommented));
    assert!(
        d.diagnosis
            .verdict
            .findings()
            .iter()
            .any(|f| f.code == Code::PlacedAbsent)
    );
}

#[test]
fn nowhere_is_absent_and_what_was_not_visited_is_too() {
    let d = judged(&[
        site_page("/", "/", "", None).seen_alone(page("")),
        site_page("/a", "/*", "", None),
    ]);
    assert_eq!(seen(&d), [PageContent::Absent, PageContent::Absent]);
    assert_eq!(d.pages[1].root, Some(Code::PlacedAbsent));
    assert!(
        d.diagnosis
            .verdict
            .findings()
            .iter()
            .all(|f| f.code != Code::PagesMissing)
    );
}

#[test]
fn a_widget_where_it_must_not_be_is_told() {
    let d = judged(&[
        site_page("/", "/", GOOD, Some(healthy())),
        site_page("/legal/x", "/legal/*", GOOD, Some(healthy())),
        site_page("/legal/y", "/legal/*", GOOD, None),
    ]);
    assert_eq!(d.pages[1].root, Some(Code::PlacedUnexpected));
    assert_eq!(d.diagnosis.verdict.root(), Some(Code::PlacedUnexpected));
    // Without a visit it has no verdict of its own, and is not right either.
    assert_eq!(
        (d.pages[2].seen, d.pages[2].root),
        (PageContent::Present, None)
    );
    assert_eq!(d.coverage.right, 1);
}

#[test]
fn a_page_of_ours_that_cannot_be_had_is_a_note() {
    let mut lost = site_page("/a", "/*", "", None);
    lost.copy.page.status = Some(503);
    let gone = with(page(""), |o| o.page.status = Some(500));
    let d = judged(&[
        site_page("/", "/", GOOD, Some(healthy())),
        lost,
        site_page("/b", "/*", GOOD, Some(gone)),
    ]);
    assert_eq!(d.diagnosis.verdict.outcome(), Outcome::Working);
    assert_eq!(
        seen(&d),
        [
            PageContent::Present,
            PageContent::Unknown,
            PageContent::Unknown
        ]
    );
    let note = d
        .diagnosis
        .verdict
        .findings()
        .iter()
        .find(|f| f.code == Code::PagesNotReached)
        .unwrap();
    assert!(note.evidence[0].line().contains("status 503"));
    // A page that robots.txt closes is told by name, and is none of the pages.
    let shut = Url::parse("https://kites.example/shut").unwrap();
    let d = judged_with(SITE, &[site_page("/", "/", GOOD, Some(healthy()))], &[shut]);
    let note = d.diagnosis.verdict.findings().iter();
    let note = { note }.find(|f| f.code == Code::PagesNotReached).unwrap();
    assert!(note.evidence[0].line().contains("/shut"), "{note:?}");
    assert_eq!(d.pages.len(), 1);
    let first = with(page(""), |o| o.page.status = Some(500));
    let d = judged(&[site_page("/", "/", "", Some(first))]);
    assert_eq!(
        (d.diagnosis.verdict.root(), d.pages[0].seen),
        (Some(Code::DeliveredStatus), PageContent::Unknown)
    );
}

#[test]
fn a_second_language_without_the_snippet_is_a_fault() {
    let in_language =
        |locale: &str, seen: Observation| with(seen, |o| o.condition.locale = locale.into());
    let told = |welsh: Observation| {
        let visits = vec![in_language("en", healthy()), in_language("cy", welsh)];
        let mut page = site_page("/", "/", GOOD, None);
        page.visited.push(WidgetVisits {
            visits: CheckVisits::of(visits, "en"),
            ..WidgetVisits::default()
        });
        judged_by(&format!("languages = ['en', 'cy']\n{SITE}"), &[page])
    };
    let d = told(page(""));
    assert_eq!(d.diagnosis.verdict.outcome(), Outcome::Working);
    let found = &d.diagnosis.verdict.findings()[0];
    assert_eq!(
        (found.code, found.severity),
        (Code::PlacedAbsent, Severity::Fault)
    );
    assert!(
        found.summary.starts_with("For visitors who speak cy:"),
        "{found:?}"
    );
    assert!(!found.remedy.is_empty() && !found.evidence.is_empty());
    assert_eq!(told(healthy()).diagnosis.verdict.findings(), []);
}

#[test]
fn a_phone_that_is_open_before_consent_is_told_beside_a_desktop_that_waits() {
    let early = crate::chain::testing::on_phone(healthy());
    let visits = vec![page(""), early];
    let told = super::testing::judged(
        "consent = 'none'\n---key = 'abcd-1234'",
        SAMPLE,
        visits,
        |case| consent::told(case).findings,
    );
    let found = told
        .iter()
        .find(|f| f.code == Code::ConsentRequestEarly)
        .unwrap();
    assert!(
        found.summary.ends_with("on phones alone."),
        "{}",
        found.summary
    );
    assert!(!found.evidence.is_empty());
}

#[test]
fn a_page_of_another_kind_that_does_not_wait_for_consent_is_told_with_its_address() {
    let mut profiles = Profiles::default();
    profiles.add("a.toml", SAMPLE).unwrap();
    let expectation = Expectation::read(SITE).unwrap();
    let subjects = subjects(&expectation, &profiles).unwrap();
    let pages = [
        site_page("/", "/", GOOD, Some(page(GOOD))),
        site_page("/shop/a", "/shop/*", GOOD, Some(healthy())),
    ];
    let told = judge(&SiteCase {
        region: &Region::strictest_of_all(),
        states: &[],
        sample_words: &SampleWords::default(),
        at: "2026-11-26T10:00:00Z".parse().unwrap(),
        expectation: &expectation,
        subjects: &subjects,
        rivals: &[],
        consent: None,
        pages: &pages,
        gaps: &[],
        closed: &[],
    });
    let mut early = told.diagnosis.verdict.findings().iter();
    let found = early.find(|f| f.code == Code::ConsentRequestEarly).unwrap();
    let last = found.evidence.last().unwrap().line();
    assert_eq!(last, "on https://kites.example/shop/a");
}

/// Two inboxes of one supplier, each on pages of its own.
const TWO: &str = "address = 'https://kites.example/'\n[[widget]]\nsupplier = 'example'\nkey = \
    'abcd-1234'\nnot_on = ['/trade/**']\n[[widget]]\nsupplier = 'example'\nkey = \
    'wxyz-9876'\non = ['/trade/**']";

#[test]
fn two_widgets_of_one_supplier_are_told_apart_by_their_keys() {
    let other = GOOD.replace("abcd-1234", "wxyz-9876");
    let with_code = |body: &str| with(healthy(), |o| o.page.html = html(body));
    let visited = |path: &str, body: &str| {
        let mut page = site_page(path, path, body, Some(with_code(body)));
        page.visited.push(WidgetVisits {
            subject: 1,
            visits: CheckVisits::of(vec![with_code(body)], ""),
            ..WidgetVisits::default()
        });
        page
    };
    let d = judged_by(TWO, &[visited("/", GOOD), visited("/trade/a", &other)]);
    assert_eq!(d.diagnosis.verdict.outcome(), Outcome::Working, "{d:#?}");
    assert!(d.pages.iter().all(|p| p.root.is_none()));
    // The wrong inbox in place of the right one, and beside it.
    let d = judged_by(TWO, &[visited("/", GOOD), visited("/trade/a", GOOD)]);
    assert_eq!(d.pages[1].root, Some(Code::PlacedWrongKey));
    let both = format!("{GOOD}\n{other}");
    let d = judged_by(TWO, &[visited("/", GOOD), visited("/trade/a", &both)]);
    assert_eq!(d.pages[1].root, Some(Code::PlacedUnexpected));
    let found = d.diagnosis.verdict.findings().iter();
    let found = { found }
        .find(|f| f.code == Code::PlacedUnexpected)
        .unwrap();
    assert!(found.summary.contains("abcd-1234 is here too"), "{found:?}");
}

#[test]
fn a_chat_that_is_meant_to_open_in_a_window_of_its_own_is_in_order() {
    let opened = with(healthy(), |o| {
        o.looks.opening = Look::NotThere { until_ms: 9_000.0 };
        let operation = o.operation.get_or_insert_default();
        operation.new_window = Some("https://app.example.test/".into());
    });
    let pages = [site_page("/", "/", GOOD, Some(opened))];
    assert_eq!(
        judged(&pages).diagnosis.verdict.root(),
        Some(Code::UsableNewWindow)
    );
    let d = judged_by(&format!("{SITE}\nopens = 'window'"), &pages);
    assert_eq!(
        (d.diagnosis.verdict.outcome(), d.diagnosis.verdict.root()),
        (Outcome::Working, None)
    );
    // What it does in that window is not told as looked at.
    let open = d.diagnosis.verdict.not_looked_at().iter();
    assert!(
        { open }.any(|g| g.why.contains("window of its own")),
        "{d:?}"
    );
}

#[test]
fn where_no_widget_is_wanted_every_known_one_is_unexpected() {
    let none = "address = 'https://kites.example/'";
    let rival = "<script src=\"https://cdn.osier.test/l.js\"></script>";
    let d = judged_by(none, &[site_page("/", "/", "", Some(page("")))]);
    assert_eq!(
        (d.diagnosis.verdict.outcome(), d.pages[0].seen),
        (Outcome::AsIntended, PageContent::Absent)
    );
    let d = judged_by(none, &[site_page("/", "/", rival, Some(page(rival)))]);
    assert_eq!(d.diagnosis.verdict.root(), Some(Code::PlacedUnexpected));
    assert!(
        d.diagnosis.verdict.findings()[0]
            .summary
            .starts_with("Osier: "),
        "{}",
        d.diagnosis.verdict.findings()[0].summary
    );
    let d = judged_by(none, &[site_page("/", "/", GOOD, Some(healthy()))]);
    assert!(
        d.diagnosis.verdict.findings()[0]
            .summary
            .starts_with("Example Chat: ")
    );
}

#[test]
fn what_is_not_compared_is_told_and_undecided_pages_are() {
    let more = format!(
        "{SITE}\nstart = 'open'\n[widget.texts.en]\ntitle = 'Kites'\n[[widget.hours]]\ndays = \
        ['mon']\nfrom = '09:00'\nto = '17:00'"
    );
    let undecided = with(page(""), |o| o.page.html_cut = true);
    let d = judged_by(
        &more,
        &[
            site_page("/", "/", GOOD, Some(healthy())),
            site_page("/a", "/*", "", None).seen_alone(undecided),
        ],
    );
    assert_eq!(
        (d.diagnosis.verdict.outcome(), d.pages[1].seen),
        (Outcome::Unchecked, PageContent::Unknown)
    );
    let gaps: Vec<&str> = d
        .diagnosis
        .verdict
        .not_looked_at()
        .iter()
        .map(|n| n.what.as_str())
        .collect();
    assert!(
        gaps.iter()
            .any(|g| g.contains("on https://kites.example/a")),
        "{gaps:?}"
    );
    // No visitor of this language opened the panel; nobody knows where the clock stands.
    for gap in [
        "the texts in en",
        "the hours of example",
        "how it starts of Example Chat",
    ] {
        assert!(gaps.contains(&gap), "{gap}: {gaps:?}");
    }
}

/// The report names every page once, and what fails.
#[test]
fn a_report_for_continuous_integration_has_a_case_a_page() {
    use crate::junit::{FailOn, report};
    let d = judged(&[
        site_page("/", "/", GOOD, Some(healthy())),
        site_page("/a", "/a/*", "", Some(page("\u{1}<&"))),
        site_page("/c", "/c/*", "", None),
    ]);
    let xml = report(&d, FailOn::Broken, 1.5).unwrap();
    assert!(
        xml.contains(r#"<testsuites tests="3" failures="1" errors="0" skipped="1" time="1.500">"#),
        "{xml}"
    );
    assert!(
        xml.contains(r#"<failure message="placed.other-page">"#),
        "{xml}"
    );
    assert!(xml.contains("To do: Place the snippet in the template"));
    // Faults of the site have cases of their own, where they count.
    let xml = report(&d, FailOn::Fault, 1.5).unwrap();
    assert!(
        xml.contains(r#"<testcase name="pages.missing" classname="fault">"#),
        "{xml}"
    );
    assert!(xml.contains(r#"failures="2""#), "{xml}");
    assert!(FailOn::Warning.counts(newtfern_model::finding::Severity::Warning));
    assert!(!FailOn::Fault.counts(newtfern_model::finding::Severity::Warning));
}
