//! A site's check as a JUnit report, which continuous integration reads (common practice; the
//! elements and attributes that all readers share): a test case a page.

use crate::site_check::{PageContent, PageRow, SiteDiagnosis};
use newtfern_model::finding::{Finding, Severity};
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, BytesText, Event};
use std::io;

/// Findings from which on a report counts as failed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FailOn {
    /// Findings that break the widget.
    Broken,
    /// And what is wrong although it works.
    Fault,
    /// And what is untidy or risky.
    Warning,
}

impl FailOn {
    /// Returns whether a finding of this severity counts.
    pub fn counts(self, severity: Severity) -> bool {
        match self {
            FailOn::Broken => severity == Severity::Broken,
            FailOn::Fault => severity >= Severity::Fault,
            FailOn::Warning => severity >= Severity::Warning,
        }
    }
}

/// State of one case.
enum Case<'a> {
    Right,
    Failed(String, Vec<&'a Finding>),
    Skipped(&'static str),
}

/// The report. `seconds` is how long the check took.
///
/// # Errors
/// Never in practice: it writes to memory.
pub fn report(site: &SiteDiagnosis, fail_on: FailOn, seconds: f64) -> io::Result<String> {
    let mut cases: Vec<(String, String, Case)> = site
        .pages
        .iter()
        .map(|p| {
            (
                p.url.to_string(),
                p.kind.word().to_string(),
                of_page(site, p),
            )
        })
        .collect();
    // What is wrong with the site beyond one page has a case of its own.
    let wanted = |f: &&Finding| f.severity < Severity::Broken && fail_on.counts(f.severity);
    for finding in site.diagnosis.verdict.findings().iter().filter(wanted) {
        let case = Case::Failed(finding.summary.clone(), vec![finding]);
        cases.push((
            finding.code.name().into(),
            finding.severity.word().into(),
            case,
        ));
    }
    let failed = cases
        .iter()
        .filter(|c| matches!(c.2, Case::Failed(..)))
        .count();
    let skipped = cases
        .iter()
        .filter(|c| matches!(c.2, Case::Skipped(_)))
        .count();
    let mut writer = Writer::new_with_indent(Vec::new(), b' ', 2);
    writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let numbers = [
        ("tests", cases.len().to_string()),
        ("failures", failed.to_string()),
        ("errors", "0".to_string()),
        ("skipped", skipped.to_string()),
        ("time", format!("{seconds:.3}")),
    ];
    let mut suites = BytesStart::new("testsuites");
    let mut suite = BytesStart::new("testsuite");
    suite.push_attribute(("name", legal(&site.diagnosis.url).as_str()));
    for (name, value) in &numbers {
        suites.push_attribute((*name, value.as_str()));
        suite.push_attribute((*name, value.as_str()));
    }
    writer.write_event(Event::Start(suites))?;
    writer.write_event(Event::Start(suite))?;
    for (name, class, case) in &cases {
        write_case(&mut writer, name, class, case)?;
    }
    writer.write_event(Event::End(BytesEnd::new("testsuite")))?;
    writer.write_event(Event::End(BytesEnd::new("testsuites")))?;
    let mut text = String::from_utf8_lossy(&writer.into_inner()).into_owned();
    text.push('\n');
    Ok(text)
}

fn of_page<'a>(site: &'a SiteDiagnosis, page: &PageRow) -> Case<'a> {
    if page.is_right() {
        return Case::Right;
    }
    if let Some(root) = page.root {
        let findings = site
            .diagnosis
            .verdict
            .findings()
            .iter()
            .filter(|f| f.code == root);
        return Case::Failed(root.name().to_string(), findings.collect());
    }
    match page.seen {
        PageContent::Unknown => Case::Skipped("it is not known what is on this page"),
        _ => Case::Failed(
            "the widget is where the page rules say that it must not be".into(),
            Vec::new(),
        ),
    }
}

fn write_case(
    writer: &mut Writer<Vec<u8>>,
    name: &str,
    class: &str,
    case: &Case,
) -> io::Result<()> {
    let mut element = BytesStart::new("testcase");
    element.push_attribute(("name", legal(name).as_str()));
    element.push_attribute(("classname", class));
    let (inner, text) = match case {
        Case::Right => return writer.write_event(Event::Empty(element)),
        Case::Skipped(why) => {
            let mut inner = BytesStart::new("skipped");
            inner.push_attribute(("message", *why));
            (inner, String::new())
        }
        Case::Failed(message, findings) => {
            let mut inner = BytesStart::new("failure");
            inner.push_attribute(("message", legal(message).as_str()));
            (
                inner,
                findings
                    .iter()
                    .map(|f| in_words(f))
                    .collect::<Vec<_>>()
                    .join("\n\n"),
            )
        }
    };
    writer.write_event(Event::Start(element))?;
    match text.is_empty() {
        true => writer.write_event(Event::Empty(inner))?,
        false => {
            let end = inner.to_end().into_owned();
            writer.write_event(Event::Start(inner))?;
            writer.write_event(Event::Text(BytesText::new(&legal(&text))))?;
            writer.write_event(Event::End(end))?;
        }
    }
    writer.write_event(Event::End(BytesEnd::new("testcase")))
}

fn in_words(f: &Finding) -> String {
    let mut lines = vec![f.summary.clone()];
    lines.extend(f.evidence.iter().map(|e| format!("  {}", e.line())));
    if !f.remedy.is_empty() {
        lines.push(format!("To do: {}", f.remedy));
    }
    lines.join("\n")
}

/// Characters that XML 1.0 can hold (2.2); what a page says may have others.
fn legal(text: &str) -> String {
    let fits = |c: char| {
        matches!(c, '\t' | '\n' | '\r' | '\u{20}'..='\u{d7ff}'
        | '\u{e000}'..='\u{fffd}' | '\u{10000}'..)
    };
    text.chars()
        .map(|c| if fits(c) { c } else { '\u{fffd}' })
        .collect()
}
