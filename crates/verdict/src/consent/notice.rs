//! The privacy page that the widget's notice leads to, against what the widget really sends and
//! keeps.

use super::declared::{DeclaredItem, Sort};
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_model::profile::Supplier;
use newtfern_standards::html::{Document, Kind};
use newtfern_standards::observation::{Aside, AsideLook, Observation, Purpose, TextName};
use std::collections::BTreeSet;
use url::Url;

/// A page with fewer characters is drawn by scripts, or is no notice: it is not judged by HTTP.
const LEAST_TEXT: usize = 200;
/// Missing names that are told one by one.
const MOST_NAMED: usize = 12;

/// Returns where the notice that was seen leads; none where none was seen, or it leads nowhere on
/// the web.
pub fn link_of(visits: &[Observation]) -> Option<Url> {
    let texts = visits.iter().flat_map(|v| &v.texts);
    let mut links = texts.filter(|t| t.name == TextName::NoticeLink);
    let url = Url::parse(&links.next()?.text).ok()?;
    matches!(url.scheme(), "http" | "https").then_some(url)
}

/// The privacy page, as far as it could be read.
#[derive(Debug, Default)]
pub struct PrivacyPage {
    /// The link leads to nothing.
    pub broken: Option<Finding>,
    /// Gap, where it could not be looked at.
    pub gap: Option<NotChecked>,
    /// Address and words of the page, in small letters.
    read: Option<(String, String)>,
}

/// Reads the copy of the privacy page, if one was fetched.
pub fn follow(asides: &[Aside]) -> PrivacyPage {
    let mut out = PrivacyPage::default();
    let Some(page) = asides.iter().find(|a| a.purpose == Purpose::Notice) else {
        return out;
    };
    let gap = |why: String| {
        Some(NotChecked {
            what: format!("the privacy page {}", page.url),
            why,
        })
    };
    if let AsideLook::Missed { why } = page.look {
        out.gap = gap(why.words().into());
    } else if page.status >= 400 {
        out.broken = Some(
            Finding::new(
                Code::BrandNoticeLink,
                Severity::Fault,
                format!(
                    "The notice\u{2019}s link leads to a page that answers with status {}.",
                    page.status
                ),
                "Correct the link in the widget\u{2019}s settings, or put the privacy page \
                where it leads.",
            )
            .with(Evidence::fact(format!("link: {}", page.url))),
        );
    } else {
        let text = shown(&Document::parse(&page.html)).to_lowercase();
        match text.chars().count() < LEAST_TEXT {
            true => {
                let why = "its document has hardly any text: it may be drawn by scripts";
                out.gap = gap(why.into());
            }
            false => out.read = Some((page.url.clone(), text)),
        }
    }
    out
}

impl PrivacyPage {
    /// The page is silent about what the widget does; nothing where it was not read.
    pub fn silent(&self, supplier: &Supplier, declared: &[DeclaredItem]) -> Option<Finding> {
        let (url, text) = self.read.as_ref()?;
        silent(supplier, declared, text, url)
    }
}

/// Returns what the page does not name. A host is named by itself, by the domain above it, or by
/// the supplier's name.
fn silent(
    supplier: &Supplier,
    declared: &[DeclaredItem],
    text: &str,
    url: &str,
) -> Option<Finding> {
    let has = |word: &str| !word.is_empty() && text.contains(&word.to_lowercase());
    let by_name = has(&supplier.name);
    let domain = |host: &str| {
        host.split_once('.')
            .map_or(String::new(), |(_, d)| d.into())
    };
    let named = |d: &DeclaredItem| match d.sort {
        Sort::Host => by_name || has(&d.name) || has(&domain(&d.name)),
        _ => has(&d.name),
    };
    let missing: BTreeSet<String> = declared
        .iter()
        .filter(|d| !named(d))
        .map(|d| format!("{}: {}", d.sort.words(), d.name))
        .collect();
    if missing.is_empty() {
        return None;
    }
    let summary = match by_name {
        true => format!(
            "The privacy page names {} and says nothing of {} things that its widget keeps.",
            supplier.name,
            missing.len()
        ),
        false => format!(
            "The privacy page does not name {}, whose widget visitors\u{2019} browsers connect to.",
            supplier.name
        ),
    };
    let told = missing.iter().take(MOST_NAMED).cloned();
    let more = missing.len().saturating_sub(MOST_NAMED);
    let more = (more > 0).then(|| format!("and {more} more"));
    Some(
        Finding::new(
            Code::ConsentNoticeSilent,
            Severity::Warning,
            summary,
            "Put the table for the privacy notice, which is below as a spreadsheet, into the \
            client\u{2019}s privacy page.",
        )
        .with(Evidence::fact(format!("read: {url}")))
        .with_all(told.chain(more).map(Evidence::fact)),
    )
}

/// The words of a page that a visitor can read.
fn shown(document: &Document) -> String {
    let mut out = String::new();
    let mut stack = vec![0];
    while let Some(id) = stack.pop() {
        match &document.nodes[id].kind {
            Kind::Text(text) => {
                out.push_str(text);
                out.push(' ');
            }
            Kind::Element { name, .. }
                if matches!(
                    name.as_str(),
                    "head" | "title" | "script" | "style" | "noscript" | "template" | "textarea"
                ) =>
            {
                continue;
            }
            _ => {}
        }
        stack.extend(document.nodes[id].children.iter().rev());
    }
    out.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::aside;
    use crate::testing::sample;
    use newtfern_standards::observation::NotCheckedReason;

    fn rows() -> Vec<DeclaredItem> {
        let row = |sort, name: &str| DeclaredItem {
            sort,
            name: name.into(),
            place: String::new(),
            stays_s: None,
        };
        vec![
            row(Sort::Host, "cdn.example.test"),
            row(Sort::Cookie, "ex_id"),
            row(Sort::Local, "ex_session"),
        ]
    }

    fn page(words: &str) -> Aside {
        let filler = "We keep what you write to us for as long as we need it. ".repeat(6);
        aside(
            Purpose::Notice,
            &format!(
                "<title>Example Chat \
                ex_id</title><script>ex_session</script><p>{filler}</p><p>{words}</p>"
            ),
        )
    }

    fn lines(finding: &Finding) -> Vec<String> {
        finding.evidence.iter().map(|e| e.line()).collect()
    }

    #[test]
    fn what_the_page_does_not_name_is_told_by_name() {
        let supplier = sample();
        let silent = |words: &str| follow(&[page(words)]).silent(&supplier, &rows());
        let unnamed = silent("Cookies may be used.").unwrap();
        assert!(
            unnamed.summary.contains("does not name Example Chat"),
            "{}",
            unnamed.summary
        );
        assert_eq!(
            lines(&unnamed).len(),
            4,
            "a title and a script are no notice"
        );
        let partly = silent("Chats run on EXAMPLE CHAT, which keeps EX_ID.").unwrap();
        assert_eq!(partly.code, Code::ConsentNoticeSilent);
        assert_eq!(lines(&partly)[1..], ["local storage: ex_session"]);
        let whole = "Our chat connects to example.test and keeps ex_id and ex_session.";
        assert!(silent(whole).is_none());
        let read = follow(&[page(whole)]);
        assert!(read.gap.is_none() && read.broken.is_none());
    }

    #[test]
    fn a_page_that_is_not_there_or_not_read_is_no_silence() {
        let supplier = sample();
        let of = |a: Aside| follow(&[a]);
        let silent = |f: &PrivacyPage| f.silent(&supplier, &rows());
        let gone = of(Aside {
            status: 404,
            ..page("")
        });
        assert!(silent(&gone).is_none());
        assert!(gone.broken.unwrap().summary.contains("404"));
        let late = of(Aside {
            look: AsideLook::Missed {
                why: NotCheckedReason::Deadline,
            },
            ..page("")
        });
        assert!(silent(&late).is_none() && late.broken.is_none());
        assert_eq!(late.gap.unwrap().why, NotCheckedReason::Deadline.words());
        let drawn = of(aside(Purpose::Notice, "<div id=root></div>"));
        assert!(drawn.gap.unwrap().why.contains("drawn by scripts"));
        assert!(follow(&[]).gap.is_none());
    }
}
