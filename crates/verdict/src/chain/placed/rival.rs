//! `placed.rival`: another supplier's launcher on the same page. A fault that breaks nothing by
//! itself.

use crate::chain::evidence::{lines, request};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::placement::{Inspector, Piece, PieceState};
use newtfern_standards::observation::RequestKind;

/// Looks for each known rival.
pub fn remark(c: &Facts) -> Vec<Finding> {
    let found = c.case.rivals.iter().filter_map(|rival| {
        let pieces = c.pieces_of(&Inspector::new(rival, None));
        let live: Vec<&Piece> = pieces
            .iter()
            .filter(|p| p.state == PieceState::Live)
            .collect();
        let asked = c.seen.requests.iter().filter(|r| {
            r.kind == RequestKind::Script && r.host().is_some_and(|h| rival.serves_loader(&h))
        });
        let evidence: Vec<_> = lines(live).into_iter().chain(asked.map(request)).collect();
        let rivals = Finding::new(
            Code::PlacedRival,
            Severity::Fault,
            format!("The page also loads the widget of {}.", rival.name),
            "Remove the other supplier's snippet, or agree with the client which one stays.",
        );
        (!evidence.is_empty()).then(|| rivals.with_all(evidence))
    });
    found.collect()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, healthy, html, rival, script, with};
    use newtfern_model::code::Code;
    use newtfern_model::finding::Severity;

    fn codes(o: newtfern_standards::observation::Observation) -> Vec<(Code, Severity)> {
        let wanted = Wanted {
            rivals: vec![rival()],
            ..Wanted::default()
        };
        let d = wanted.of(&[o]);
        assert_eq!(d.verdict.root(), None);
        d.verdict
            .findings()
            .iter()
            .map(|f| (f.code, f.severity))
            .collect()
    }

    #[test]
    fn a_second_supplier_in_the_page_or_by_request_is_a_fault() {
        let rivals = [(Code::PlacedRival, Severity::Fault)];
        let placed = "<script src=https://cdn.rival.test/l.js></script>";
        let in_page = with(healthy(), |o| {
            o.page.html = html(&format!("{GOOD}{placed}"))
        });
        assert_eq!(codes(in_page), rivals);
        let asked = with(healthy(), |o| {
            o.requests
                .push(script("https://cdn.rival.test/l.js", Some(200), None));
        });
        assert_eq!(codes(asked), rivals);
    }

    #[test]
    fn a_rival_in_a_comment_is_none() {
        let placed = "<!-- <script src=https://cdn.rival.test/l.js></script> -->";
        let commented = with(healthy(), |o| {
            o.page.html = html(&format!("{GOOD}{placed}"))
        });
        assert_eq!(codes(commented), []);
    }
}
