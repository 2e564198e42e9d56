//! The handover sheet: what was installed, how it was proven, who to ask. One body serves the web
//! page and the PDF; it carries its pictures with it.

use crate::draw::swatch::{Swatch, swatch};
use crate::draw::{chain, grid};
use crate::families::weigh::{Line, lines};
use askama::Template;
use newtfern_model::finding::Finding;
use newtfern_verdict::consent::Grid;
use newtfern_verdict::family::detail;
use newtfern_verdict::weigh::WeighIn;

/// A picture that the sheet carries.
pub struct Picture {
    pub words: String,
    /// PNG image in Base64.
    pub data: String,
}

/// Everything the sheet tells.
#[derive(Template, Default)]
#[template(path = "client/sheet.html")]
pub struct HandoverSheet {
    pub agency: String,
    pub client: String,
    pub site: String,
    pub address: String,
    pub supplier: String,
    pub key: String,
    pub made: String,
    pub by: String,
    pub outcome: String,
    pub chain: String,
    pub notes: Vec<String>,
    pub pictures: Vec<Picture>,
    pub weigh: Vec<Line>,
    pub weigh_words: String,
    pub consent: String,
    pub consent_words: String,
    pub echo: String,
    /// Test talks that were had: when, and what came of them.
    pub tests: Vec<(String, String)>,
    /// Result of the look at all pages.
    pub pages: String,
    pub brand: String,
    /// Entries of the diary: kind for people, words, who and when.
    pub diary: Vec<(String, String, String)>,
    pub backup: bool,
    pub colours: Vec<Swatch>,
}

impl HandoverSheet {
    pub fn set_load(&mut self, d: &detail::load::Detail, findings: &[Finding]) {
        self.outcome = d.verdict.outcome().words().to_string();
        self.chain = chain::svg(d.verdict.chain(), true);
        self.notes = findings.iter().map(|f| f.summary.clone()).collect();
        // What was not looked at is told too: a client must not read silence as a yes.
        let open = d
            .verdict
            .not_looked_at()
            .iter()
            .map(|n| format!("{}: {}", n.what, n.why));
        self.notes.extend(open);
    }

    pub fn set_weigh(&mut self, w: &WeighIn, words: &str) {
        self.weigh = lines(w);
        self.weigh_words = words.to_string();
    }

    pub fn set_consent(&mut self, g: &Grid, words: &str) {
        self.consent = grid::svg(g);
        self.consent_words = words.to_string();
    }

    pub fn set_brand(&mut self, d: &detail::brand::Detail, words: &str) {
        self.brand = words.to_string();
        let Some(c) = d.looks.first().map(|l| &l.compared) else {
            return;
        };
        for (name, pair) in [("Launcher", &c.launcher), ("Header", &c.header)] {
            if let Some(p) = pair {
                self.colours.push(swatch(&p.seen.hex(), name));
            }
        }
    }

    /// The sheet's own markup.
    ///
    /// # Errors
    /// Where the template fails.
    pub fn body(&self) -> Result<String, askama::Error> {
        self.render()
    }
}

#[derive(Template)]
#[template(path = "client/sheet_page.html")]
struct Page<'a> {
    body: &'a str,
    extra: &'a str,
}

#[derive(Template)]
#[template(path = "client/sheet_paper.html")]
struct Paper<'a> {
    body: &'a str,
    style: &'static str,
}

/// The web page around a body. Body and `extra` are markup of our own templates.
///
/// # Errors
/// Where the template fails.
pub fn page(body: &str, extra: &str) -> Result<String, askama::Error> {
    Page { body, extra }.render()
}

/// The document for the printer, with its style inside.
///
/// # Errors
/// Where the template fails.
pub fn paper(body: &str) -> Result<String, askama::Error> {
    let style = include_str!("../assets/sheet.css");
    Paper { body, style }.render()
}
