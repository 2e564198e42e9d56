//! What the rules ask of one visit, computed once.

use super::Case;
use newtfern_model::placement::{Form, Inspection, Inspector, Piece, PieceState};
use newtfern_standards::html::Document;
use newtfern_standards::observation::{
    Aside, AsideLook, Look, Message, NotCheckedReason, Observation, Purpose, Request, RequestKind,
};
use std::borrow::Cow;
use std::cell::OnceCell;
use url::Url;

/// Facts of one visit: everything that more than one rule asks of it.
pub struct Facts<'a> {
    /// Expectation that the visit is judged by.
    pub case: &'a Case<'a>,
    /// Visit that is judged.
    pub seen: &'a Observation,
    /// Knows the supplier's snippet.
    pub inspector: Inspector<'a>,
    /// Address at which the visit ended.
    pub page: Url,
    /// Parsed once for all who ask.
    document: OnceCell<Document>,
    delivered: Inspection,
    at_end: OnceCell<Inspection>,
    /// The supplier's own sign was true.
    pub alive: bool,
    /// The widget shows: its launcher has a box and no style hides it.
    pub launcher_visible: bool,
}

impl<'a> Facts<'a> {
    /// Looks at one visit of a case.
    pub fn new(case: &'a Case<'a>, seen: &'a Observation) -> Facts<'a> {
        let inspector = Inspector::new(case.supplier, case.consent);
        let page = Url::parse(&seen.page.final_url)
            .or_else(|_| Url::parse(&seen.url))
            .unwrap_or_else(|_| Url::parse("http://invalid.invalid/").expect("constant address"));
        let document = OnceCell::new();
        let parsed = || Cow::Borrowed(document.get_or_init(|| Document::parse(&seen.page.html)));
        let delivered = inspector.inspect_in(&seen.page.html, &page, parsed);
        let delivered = without_siblings(delivered, case);
        let mut facts = Facts {
            case,
            seen,
            inspector,
            page,
            document,
            delivered,
            at_end: OnceCell::new(),
            alive: false,
            launcher_visible: seen
                .launcher
                .as_ref()
                .is_some_and(|l| l.present && l.hidden_by.is_none() && l.rect.area() > 0.0),
        };
        facts.alive = facts.alive_look().seen_ms().is_some();
        facts
    }

    /// Returns the result of looking for the sign of life. Without a sign of its own, a launcher on
    /// the page is the sign.
    pub fn alive_look(&self) -> Look {
        let alive = &self.case.supplier.alive;
        match (alive.script.trim(), alive.launcher.trim()) {
            ("", "") => Look::NotLooked {
                why: NotCheckedReason::NoEntry,
            },
            ("", _) => self.seen.looks.launcher,
            _ => self.seen.looks.alive,
        }
    }

    /// Up for the visitor: rules about what may have kept it away need not ask.
    pub fn up(&self) -> bool {
        self.alive && self.launcher_visible
    }

    /// Returns why it is not known whether the widget would have come, if the visit was cut off.
    pub fn cut_off(&self) -> Option<NotCheckedReason> {
        let why = self.alive_look().unlooked();
        // Nobody was cut off where the profile names nothing to look for.
        why.filter(|why| *why != NotCheckedReason::NoEntry)
    }

    /// Returns the delivered document, parsed once.
    pub fn document(&self) -> &Document {
        self.document
            .get_or_init(|| Document::parse(&self.seen.page.html))
    }

    /// Pieces of another supplier in the delivered document.
    pub fn pieces_of(&self, other: &Inspector) -> Vec<Piece> {
        let document = || Cow::Borrowed(self.document());
        let found = other.inspect_in(&self.seen.page.html, &self.page, document);
        found.pieces
    }

    /// Pieces in the delivered document.
    pub fn pieces(&self) -> &[Piece] {
        &self.delivered.pieces
    }

    /// Returns why the delivered document was not searched to its end, if it was not.
    pub fn document_cut(&self) -> Option<NotCheckedReason> {
        if self.delivered.cut || self.seen.page.html_cut {
            return Some(NotCheckedReason::TooMuch);
        }
        self.seen.looks.document.unlooked()
    }

    /// Pieces in the document as it stood at the end.
    pub fn final_pieces(&self) -> &[Piece] {
        if self.seen.final_html == self.seen.page.html {
            return self.pieces();
        }
        let find = || {
            let found = self.inspector.inspect(&self.seen.final_html, &self.page);
            without_siblings(found, self.case)
        };
        &self.at_end.get_or_init(find).pieces
    }

    /// Pieces of the delivered document that run.
    pub fn live(&self) -> impl Iterator<Item = &Piece> {
        self.pieces().iter().filter(|p| p.state == PieceState::Live)
    }

    /// A piece is held back until consent: by the manager's mark, or, where no manager is given, on
    /// a page with the IAB interface by a type that does not run.
    pub fn held_by_consent(&self) -> bool {
        let managed = self.case.consent.is_none() && self.seen.consent.tcf;
        self.pieces().iter().any(|p| match p.state {
            PieceState::ConsentHeld(_) => true,
            PieceState::WrongType(_) | PieceState::Delayed(_) => managed,
            _ => false,
        })
    }

    /// The widget came to the page, whoever brought it: a loader was asked for, or it is up.
    pub fn arrived(&self) -> bool {
        self.alive || self.loader_requests().next().is_some()
    }

    /// Requests for the loader itself.
    pub fn loader_requests(&self) -> impl Iterator<Item = &Request> {
        self.seen.requests.iter().filter(|r| {
            let ours = r
                .host()
                .is_some_and(|h| self.case.supplier.serves_loader(&h));
            ours && (r.kind == RequestKind::Script
                || (matches!(
                    r.kind,
                    RequestKind::Other | RequestKind::Preflight | RequestKind::Untold
                ) && self.inspector.shape.is_loader(self.case.supplier, &r.url)))
        })
    }

    /// Requests the widget makes: to the supplier's hosts, or asked for by its scripts.
    pub fn widget_requests(&self) -> impl Iterator<Item = &Request> {
        let page = &self.seen.page.final_url;
        self.seen.requests.iter().filter(move |r| {
            let own_document = r.kind == RequestKind::Document && &r.document == page;
            let by_widget = || {
                let mut asked_by = r.initiator.stack.iter().chain([&r.initiator.url]);
                asked_by.any(|u| self.supplier_address(u))
            };
            !own_document
                && (r.host().is_some_and(|h| self.case.supplier.owns_host(&h)) || by_widget())
        })
    }

    /// An address on one of the supplier's hosts.
    pub fn supplier_address(&self, address: &str) -> bool {
        self.case.supplier.owns(address)
    }

    /// An error thrown by the supplier's code, or in an inline piece of the snippet.
    pub fn widget_error(&self, error: &Message) -> bool {
        if self.supplier_address(&error.url) || error.stack.iter().any(|u| self.supplier_address(u))
        {
            return true;
        }
        let here = error.url == self.seen.page.final_url || error.url == self.seen.url;
        here && error.line.is_some_and(|line| {
            self.live()
                .any(|p| p.form == Form::Inline && (p.line..=p.last_line).contains(&line))
        })
    }

    /// A script that held the page's thread and is the supplier's.
    pub fn held_by_supplier(&self) -> bool {
        let held = self.seen.held_by.as_ref();
        held.is_some_and(|h| self.supplier_address(&h.url))
    }

    /// Names that the snippet or its sign of life use on `window`.
    pub fn globals(&self) -> Vec<String> {
        let word = |text: &str| -> String {
            text.chars()
                .take_while(|c| c.is_alphanumeric() || *c == '_' || *c == '$')
                .collect()
        };
        let supplier = self.case.supplier;
        let in_sign = supplier.alive.script.split("window.").skip(1).map(word);
        let markers = &supplier.recognise.inline_markers;
        let in_markers = markers
            .iter()
            .map(|m| word(m.trim_start_matches("window.")));
        let mut names: Vec<String> = in_sign.chain(in_markers).collect();
        names.retain(|n| n.len() > 1);
        names.dedup();
        names
    }

    /// A live piece with the right key in a copy fetched beside the visits.
    pub fn live_in(&self, aside: &Aside) -> Option<Piece> {
        let page = Url::parse(&aside.url).ok()?;
        let key = self.case.key;
        self.inspector
            .pieces(&aside.html, &page)
            .into_iter()
            .find(|p| {
                p.state == PieceState::Live
                    && (key.is_none() || p.key.key().is_none() || p.key.key() == key)
            })
    }

    /// Copies of a purpose that were had, with a document in them.
    pub fn asides(&self, purpose: Purpose) -> impl Iterator<Item = &Aside> {
        self.case
            .asides
            .iter()
            .filter(move |a| a.purpose == purpose && a.is_page())
    }

    /// Copies of a purpose that were asked for and could not be looked at.
    pub fn asides_missed(
        &self,
        purpose: Purpose,
    ) -> impl Iterator<Item = (&Aside, NotCheckedReason)> {
        self.case
            .asides
            .iter()
            .filter(move |a| a.purpose == purpose)
            .filter_map(|a| match a.look {
                AsideLook::Missed { why } => Some((a, why)),
                AsideLook::Had => None,
            })
    }
}

/// Leaves out the pieces of the supplier's other widgets, where this one's own key is there too.
fn without_siblings(mut found: Inspection, case: &Case) -> Inspection {
    let own = |p: &Piece| case.key.is_some() && p.key.key() == case.key;
    if found.pieces.iter().any(own) {
        let other = |p: &Piece| p.key.key().is_some_and(|k| case.siblings.contains(&k));
        found.pieces.retain(|p| !other(p));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{
        GOOD, PAGE, Wanted, aside, error, loaded, loader, page, root, script, with,
    };
    use newtfern_model::code::Code;
    use newtfern_model::pages::Expect;

    /// A commented copy is the cause only where no loader was asked for.
    fn commented_and(change: impl FnOnce(&mut Request)) -> Option<Code> {
        let commented = page(&format!("<!-- {GOOD} -->"));
        root(with(commented, |o| {
            let mut asked = loader(Some(200), None);
            change(&mut asked);
            o.requests.push(asked);
        }))
    }

    #[test]
    fn a_loader_is_a_script_of_the_suppliers_or_its_address_asked_for_in_another_way() {
        let came = Some(Code::StartedSilent);
        assert_eq!(commented_and(|_| {}), came);
        assert_eq!(
            commented_and(|r| r.url = r.url.replace("l.js", "more.js")),
            came
        );
        assert_eq!(commented_and(|r| r.kind = RequestKind::Other), came);
        let not = Some(Code::PlacedCommented);
        assert_eq!(
            commented_and(|r| r.url = "https://other.example/l.js".into()),
            not
        );
        assert_eq!(commented_and(|r| r.kind = RequestKind::Fetch), not);
        let picture = |r: &mut Request| {
            r.kind = RequestKind::Other;
            r.url = r.url.replace("l.js", "i.png");
        };
        assert_eq!(commented_and(picture), not);
    }

    #[test]
    fn an_error_is_the_widgets_by_its_file_or_by_a_line_of_code_in_the_page() {
        let body = "<script>\nexampleChat(\"abcd-1234\")\n</script>";
        let thrown = |url: &str, line: u32| {
            let visit = with(page(body), |o| {
                o.url = "http://kites.example/".into();
                o.exceptions.push(Message {
                    line: Some(line),
                    ..error(url, "Error: x")
                });
            });
            root(visit) == Some(Code::RanError)
        };
        assert!(thrown(PAGE, 6), "where the visit ended");
        assert!(thrown("http://kites.example/", 6), "where it began");
        assert!(!thrown(PAGE, 20), "another script of the page");
        assert!(!thrown("https://kites.example/own.js", 6));
        // The line of an element that loads a file has no code of its own.
        let external = with(loaded(), |o| {
            o.exceptions.push(Message {
                line: Some(5),
                ..error(PAGE, "Error: x")
            });
        });
        assert_eq!(root(external), Some(Code::StartedSilent));
    }

    #[test]
    fn names_on_window_are_read_whole_and_once() {
        let globals = |sign: &str, marker: &str| {
            let mut wanted = Wanted::default();
            wanted.supplier.alive.script = sign.into();
            wanted.supplier.recognise.inline_markers = vec![marker.into()];
            let case = Case {
                supplier: &wanted.supplier,
                rivals: &[],
                key: None,
                expect: Expect::Present,
                consent: None,
                visits: &[],
                asides: &[],
                siblings: &[],
            };
            Facts::new(&case, &loaded()).globals()
        };
        let sign = "window.my_$chat2 && window.my_$chat2.up === true";
        assert_eq!(globals(sign, "start("), ["my_$chat2", "start"]);
        // A name of one letter is in every text.
        assert_eq!(globals("window.q.up", "window.go("), ["go"]);
    }

    #[test]
    fn a_copy_beside_has_it_where_it_runs_with_this_key_or_without_one() {
        let behind = |body: &str| {
            let d = Wanted::with_asides([aside(Purpose::Uncached, body)]).of(&[page("")]);
            d.verdict.root() == Some(Code::PlacedStaleCache)
        };
        assert!(behind(GOOD));
        assert!(behind(&GOOD.replace(" data-key=\"abcd-1234\"", "")));
        assert!(!behind(&GOOD.replace("abcd-1234", "zzzz-1234")));
        assert!(!behind(&format!("<!-- {GOOD} -->")));
        assert!(!behind(
            &script("https://cdn.example.test/l.js", None, None).url
        ));
    }
}
