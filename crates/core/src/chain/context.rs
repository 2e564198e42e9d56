//! What the rules ask of one visit, computed once.

use super::Case;
use crate::observation::{Message, Observation, Request};
use crate::placement::{Inspector, Piece, State};
use std::cell::OnceCell;
use url::Url;

pub struct Ctx<'a> {
    pub case: &'a Case<'a>,
    pub seen: &'a Observation,
    pub inspector: Inspector<'a>,
    /// Pieces in the delivered document.
    pub pieces: Vec<Piece>,
    /// Pieces in the document as it stood at the end.
    final_pieces: OnceCell<Vec<Piece>>,
    pub page: Url,
    /// The supplier's own sign was true.
    pub alive: bool,
}

impl<'a> Ctx<'a> {
    pub fn new(case: &'a Case<'a>, seen: &'a Observation) -> Ctx<'a> {
        let inspector = Inspector::new(case.supplier, case.consent);
        let page = Url::parse(&seen.page.final_url)
            .or_else(|_| Url::parse(&seen.url))
            .unwrap_or_else(|_| Url::parse("http://invalid.invalid/").expect("constant address"));
        let pieces = inspector.pieces(&seen.page.html, &page);
        let alive = match case.supplier.alive.script.is_empty() {
            false => seen.alive.at_ms.is_some(),
            // Without a sign of its own, a launcher on the page is the sign.
            true => seen.launcher.as_ref().is_some_and(|l| l.seen_ms.is_some()),
        };
        Ctx {
            case,
            seen,
            inspector,
            pieces,
            final_pieces: OnceCell::new(),
            page,
            alive,
        }
    }

    pub fn final_pieces(&self) -> &[Piece] {
        self.final_pieces
            .get_or_init(|| self.inspector.pieces(&self.seen.final_html, &self.page))
    }

    pub fn live(&self) -> impl Iterator<Item = &Piece> {
        self.pieces.iter().filter(|p| p.state == State::Live)
    }

    /// The widget shows: its launcher is on the page with a box and no style hides it.
    pub fn launcher_visible(&self) -> bool {
        self.seen
            .launcher
            .as_ref()
            .is_some_and(|l| l.present && l.hidden_by.is_none() && l.rect.area() > 0.0)
    }

    /// Requests for the loader itself.
    pub fn loader_requests(&self) -> impl Iterator<Item = &Request> {
        self.seen.requests.iter().filter(|r| {
            let ours = r
                .host()
                .is_some_and(|h| self.case.supplier.serves_loader(&h));
            ours && matches!(r.kind.as_str(), "script" | "other" | "preflight" | "")
                && (r.kind == "script"
                    || self.inspector.shape.is_loader(self.case.supplier, &r.url))
        })
    }

    /// Requests the widget makes: to the supplier's hosts, or asked for by its scripts.
    pub fn widget_requests(&self) -> impl Iterator<Item = &Request> {
        self.seen
            .requests
            .iter()
            .filter(|r| r.kind != "document" || r.document != self.seen.page.final_url)
            .filter(|r| {
                r.host().is_some_and(|h| self.case.supplier.owns_host(&h))
                    || r.initiator
                        .stack
                        .iter()
                        .chain([&r.initiator.url])
                        .any(|u| self.supplier_address(u))
            })
    }

    pub fn supplier_address(&self, address: &str) -> bool {
        Url::parse(address)
            .ok()
            .and_then(|u| u.host_str().map(|h| self.case.supplier.owns_host(h)))
            .unwrap_or(false)
    }

    /// An error thrown by the supplier's code, or in an inline piece of the snippet.
    pub fn widget_error(&self, error: &Message) -> bool {
        if self.supplier_address(&error.url) || error.stack.iter().any(|u| self.supplier_address(u))
        {
            return true;
        }
        let here = error.url == self.seen.page.final_url || error.url == self.seen.url;
        here && error.line.is_some_and(|line| {
            self.live().any(|p| {
                p.form == crate::placement::Form::Inline && (p.line..=p.last_line).contains(&line)
            })
        })
    }

    /// Names that the snippet or its sign of life use on `window`.
    pub fn globals(&self) -> Vec<String> {
        let supplier = self.case.supplier;
        let mut names: Vec<String> = Vec::new();
        for part in supplier.alive.script.split("window.").skip(1) {
            let name: String = part
                .chars()
                .take_while(|c| c.is_alphanumeric() || *c == '_' || *c == '$')
                .collect();
            names.push(name);
        }
        for marker in &supplier.recognise.inline_markers {
            let name: String = marker
                .trim_start_matches("window.")
                .chars()
                .take_while(|c| c.is_alphanumeric() || *c == '_' || *c == '$')
                .collect();
            names.push(name);
        }
        names.retain(|n| n.len() > 1);
        names.dedup();
        names
    }
}
