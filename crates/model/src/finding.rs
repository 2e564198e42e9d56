//! Findings: the verdicts of checks, with their evidence and remedy. Codes are a public contract
//! ([`crate::code`]).

use crate::code::{Code, Link};
use serde::{Deserialize, Serialize};

/// Something that was not looked at, and why; told beside every verdict.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NotChecked {
    /// Subject that was not looked at, as a noun phrase.
    pub what: String,
    /// Reason, as a clause for people.
    pub why: String,
}

/// Weight of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing; nothing to do.
    Note,
    /// Untidy, or a risk for later.
    Warning,
    /// Wrong, although the widget works.
    Fault,
    /// The widget does not work.
    Broken,
}

impl Severity {
    /// The word of the public contract.
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
        /// Line in the document, counted from 1.
        line: u32,
        /// Content of that line.
        text: String,
    },
    /// A response header of the page.
    Header {
        /// Header's name in lower case.
        name: String,
        /// Value of the header.
        value: String,
    },
    /// A request and what became of it.
    Request {
        /// Address of the request.
        url: String,
        /// Status or failure, and what the answer said.
        outcome: String,
    },
    /// A line of the console, or an error.
    Console {
        /// Message on the console.
        text: String,
        /// Address of the script.
        source: String,
        /// Line in the script, counted from 1.
        line: Option<u32>,
    },
    /// A rectangle on the page, CSS px from the viewport's top left.
    Box {
        /// Part of the page that the box belongs to.
        what: String,
        /// px from the left.
        x: f64,
        /// px from the top.
        y: f64,
        /// Width in CSS px.
        width: f64,
        /// Height in CSS px.
        height: f64,
    },
    /// A screenshot or other picture.
    Picture {
        /// Key of the stored picture.
        key: String,
    },
    /// Something observed, in words.
    Fact {
        /// Statement that needs no other form.
        text: String,
    },
}

impl Evidence {
    /// Something observed, in words.
    pub fn fact(text: impl Into<String>) -> Evidence {
        Evidence::Fact { text: text.into() }
    }

    /// Returns the evidence as one line, for lists and the terminal.
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

/// Another cause that fits what was seen, and what would tell it apart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Candidate {
    /// The code it would be told by.
    pub code: Code,
    /// Hint that tells the candidates apart.
    pub tell: String,
}

/// Finding of a check.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    /// Code of the contract.
    pub code: Code,
    /// Weight of the finding.
    pub severity: Severity,
    /// The link of the chain it is about, if it is one of the chain's.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub link: Option<Link>,
    /// Finding in one sentence.
    pub summary: String,
    /// Evidence that a person can check in seconds.
    pub evidence: Vec<Evidence>,
    /// Remedy as one sentence in the imperative that names the place to act; empty for notes.
    pub remedy: String,
    /// Other causes that fit.
    #[serde(default)]
    pub candidates: Vec<Candidate>,
}

impl Finding {
    /// A finding without evidence yet.
    pub fn new(
        code: Code,
        severity: Severity,
        summary: impl Into<String>,
        remedy: impl Into<String>,
    ) -> Finding {
        Finding {
            code,
            severity,
            link: code.link(),
            summary: summary.into(),
            evidence: Vec::new(),
            remedy: remedy.into(),
            candidates: Vec::new(),
        }
    }

    /// Returns a finding that breaks its link.
    pub fn broken(code: Code, summary: impl Into<String>, remedy: impl Into<String>) -> Finding {
        Finding::new(code, Severity::Broken, summary, remedy)
    }

    /// Returns a finding that asks for nothing.
    pub fn note(code: Code, summary: impl Into<String>) -> Finding {
        Finding::new(code, Severity::Note, summary, "")
    }

    /// Adds a piece of evidence.
    pub fn with(mut self, evidence: Evidence) -> Finding {
        self.evidence.push(evidence);
        self
    }

    /// Returns the finding with more evidence.
    pub fn with_all(mut self, evidence: impl IntoIterator<Item = Evidence>) -> Finding {
        self.evidence.extend(evidence);
        self
    }

    /// Adds another cause that fits.
    pub fn or_else(mut self, code: Code, tell: impl Into<String>) -> Finding {
        self.candidates.push(Candidate {
            code,
            tell: tell.into(),
        });
        self
    }
}
