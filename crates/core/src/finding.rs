//! Findings: the verdicts of checks, with their evidence and remedy. Codes are a public contract.

use serde::{Deserialize, Serialize};

/// The eight links from page to usable widget, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Link {
    Delivered,
    Placed,
    Allowed,
    Fetched,
    Ran,
    Started,
    Shown,
    Usable,
}

impl Link {
    pub const ALL: [Link; 8] = [
        Link::Delivered,
        Link::Placed,
        Link::Allowed,
        Link::Fetched,
        Link::Ran,
        Link::Started,
        Link::Shown,
        Link::Usable,
    ];

    pub fn word(self) -> &'static str {
        match self {
            Link::Delivered => "delivered",
            Link::Placed => "placed",
            Link::Allowed => "allowed",
            Link::Fetched => "fetched",
            Link::Ran => "ran",
            Link::Started => "started",
            Link::Shown => "shown",
            Link::Usable => "usable",
        }
    }

    /// The link a code of the chain speaks of.
    pub fn of_code(code: &str) -> Option<Link> {
        let head = code.split('.').next()?;
        Link::ALL.into_iter().find(|l| l.word() == head)
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    Note,
    Warning,
    Fault,
    Broken,
}

impl Severity {
    pub fn word(self) -> &'static str {
        match self {
            Severity::Note => "note",
            Severity::Warning => "warning",
            Severity::Fault => "fault",
            Severity::Broken => "broken",
        }
    }
}

/// Something a person can check in seconds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Evidence {
    /// Lines of the delivered document.
    Html {
        line: u32,
        text: String,
    },
    /// A response header of the page.
    Header {
        name: String,
        value: String,
    },
    Request {
        url: String,
        outcome: String,
    },
    Console {
        text: String,
        source: String,
        line: Option<u32>,
    },
    /// A rectangle on the page, CSS px from the viewport's top left.
    Box {
        what: String,
        x: f64,
        y: f64,
        width: f64,
        height: f64,
    },
    Picture {
        key: String,
    },
    Fact {
        text: String,
    },
}

impl Evidence {
    pub fn fact(text: impl Into<String>) -> Evidence {
        Evidence::Fact { text: text.into() }
    }

    /// One line for lists and the terminal.
    pub fn line(&self) -> String {
        match self {
            Evidence::Html { line, text } => format!("line {line}: {text}"),
            Evidence::Header { name, value } => format!("{name}: {value}"),
            Evidence::Request { url, outcome } => format!("{url} \u{2192} {outcome}"),
            Evidence::Console { text, source, line } => match line {
                Some(line) => format!("{text} ({source}:{line})"),
                None if source.is_empty() => text.clone(),
                None => format!("{text} ({source})"),
            },
            Evidence::Box {
                what,
                x,
                y,
                width,
                height,
            } => {
                format!("{what}: {width:.0} \u{d7} {height:.0} px at {x:.0}, {y:.0}")
            }
            Evidence::Picture { key } => format!("picture {key}"),
            Evidence::Fact { text } => text.clone(),
        }
    }
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    pub code: String,
    pub severity: Severity,
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub link: Option<Link>,
    pub summary: String,
    pub evidence: Vec<Evidence>,
    /// One sentence in the imperative that names the place to act.
    pub remedy: String,
    /// Other causes that fit, each with what would tell it apart.
    #[serde(default)]
    pub candidates: Vec<String>,
}

impl Finding {
    pub fn new(
        code: &str,
        severity: Severity,
        summary: impl Into<String>,
        remedy: impl Into<String>,
    ) -> Finding {
        Finding {
            code: code.to_string(),
            severity,
            link: Link::of_code(code),
            summary: summary.into(),
            evidence: Vec::new(),
            remedy: remedy.into(),
            candidates: Vec::new(),
        }
    }

    pub fn broken(code: &str, summary: impl Into<String>, remedy: impl Into<String>) -> Finding {
        Finding::new(code, Severity::Broken, summary, remedy)
    }

    pub fn note(code: &str, summary: impl Into<String>) -> Finding {
        Finding::new(code, Severity::Note, summary, "")
    }

    pub fn with(mut self, evidence: Evidence) -> Finding {
        self.evidence.push(evidence);
        self
    }

    pub fn with_all(mut self, evidence: impl IntoIterator<Item = Evidence>) -> Finding {
        self.evidence.extend(evidence);
        self
    }

    pub fn or_else(mut self, candidate: impl Into<String>) -> Finding {
        self.candidates.push(candidate.into());
        self
    }
}
