//! The handover sheet: what was installed, how it was proven, who to ask. One body serves the web page
//! and the PDF; it carries its pictures with it.

use crate::draw::{chain, grid};
use crate::pages::bench::{Line, weigh_lines};
use askama::Template;
use newtfern_core::chain::Diagnosis;
use newtfern_core::consent::Grid;
use newtfern_core::weigh::WeighIn;

#[derive(Template)]
#[template(path = "sheet.html")]
pub struct Sheet {
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
    /// Words and picture as base64 PNG.
    pub pictures: Vec<(String, String)>,
    pub weigh: Vec<Line>,
    pub weigh_words: String,
    pub consent: String,
    pub consent_words: String,
    pub echo: String,
    pub brand: String,
    pub colours: Vec<(String, String)>,
}

impl Sheet {
    pub fn set_chain(&mut self, d: &Diagnosis) {
        self.outcome = d.outcome.words().to_string();
        self.chain = chain::svg(&d.chain, true);
        self.notes = d.findings.iter().map(|f| f.summary.clone()).collect();
    }

    pub fn set_weigh(&mut self, w: &WeighIn, words: &str) {
        self.weigh = weigh_lines(w);
        self.weigh_words = words.to_string();
    }

    pub fn set_consent(&mut self, g: &Grid, words: &str) {
        self.consent = grid::svg(g);
        self.consent_words = words.to_string();
    }

    pub fn body(&self) -> Result<String, askama::Error> {
        self.render()
    }
}

/// The web page around a body. `extra` is our own markup.
pub fn page(body: &str, extra: &str) -> String {
    format!(
        "<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"><meta name=\"robots\" content=\"noindex\"><title>Handover</title><link rel=\"stylesheet\" href=\"/assets/sheet.css\"></head><body><main>{body}{extra}</main></body></html>"
    )
}

/// The document for the printer, with its style inside.
pub fn paper(body: &str) -> String {
    format!(
        "<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><title>Handover</title><style>{}</style></head><body><main>{body}</main></body></html>",
        include_str!("../assets/sheet.css")
    )
}
