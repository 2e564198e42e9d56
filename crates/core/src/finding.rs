//! Findings: the verdicts of checks, with their evidence and remedy. Codes are a public contract
//! ([`crate::code`]).

use crate::code::Code;
use serde::{Deserialize, Serialize};

/// The eight links from page to usable widget, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Link {
    /// The page itself arrived.
    Delivered,
    /// The snippet is in the page, once, where it can run.
    Placed,
    /// Policy, protocol, consent and the supplier let it run.
    Allowed,
    /// What it needs arrived, intact.
    Fetched,
    /// The loader executed without an error that stops it.
    Ran,
    /// The supplier's own sign is true.
    Started,
    /// The launcher is visible and not covered.
    Shown,
    /// It opens, closes, has a name and works by keyboard.
    Usable,
}

impl Link {
    /// In the order of the chain.
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

    /// As it is written in codes.
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
}

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing; nothing to do.
    Note,
    /// Untidy or risky.
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
        /// 1-based.
        line: u32,
        /// What stands there.
        text: String,
    },
    /// A response header of the page.
    Header {
        /// In lower case.
        name: String,
        /// Its value.
        value: String,
    },
    /// A request and what became of it.
    Request {
        /// Its address.
        url: String,
        /// Status or failure, and what the answer said.
        outcome: String,
    },
    /// A line of the console, or an error.
    Console {
        /// What it says.
        text: String,
        /// Address of the script.
        source: String,
        /// 1-based.
        line: Option<u32>,
    },
    /// A rectangle on the page, CSS px from the viewport's top left.
    Box {
        /// Of what.
        what: String,
        /// px from the left.
        x: f64,
        /// px from the top.
        y: f64,
        /// px.
        width: f64,
        /// px.
        height: f64,
    },
    /// A picture.
    Picture {
        /// Its blob.
        key: String,
    },
    /// Something observed, in words.
    Fact {
        /// The words.
        text: String,
    },
}

impl Evidence {
    /// Something observed, in words.
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

/// Another cause that fits what was seen, and what would tell it apart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Candidate {
    /// The code it would be told by.
    pub code: Code,
    /// What to look at to tell.
    pub tell: String,
}

/// One verdict of a check.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    /// What was found, by the contract's code.
    pub code: Code,
    /// How much it matters.
    pub severity: Severity,
    /// The link of the chain it is about, if it is one of the chain's.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub link: Option<Link>,
    /// One sentence.
    pub summary: String,
    /// What a person can check in seconds.
    pub evidence: Vec<Evidence>,
    /// One sentence in the imperative that names the place to act; empty for notes.
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

    /// One that breaks its link.
    pub fn broken(code: Code, summary: impl Into<String>, remedy: impl Into<String>) -> Finding {
        Finding::new(code, Severity::Broken, summary, remedy)
    }

    /// One that asks for nothing.
    pub fn note(code: Code, summary: impl Into<String>) -> Finding {
        Finding::new(code, Severity::Note, summary, "")
    }

    /// Adds a piece of evidence.
    pub fn with(mut self, evidence: Evidence) -> Finding {
        self.evidence.push(evidence);
        self
    }

    /// Adds evidence.
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
