//! `placed.absent`: no trace of the snippet anywhere. Claimed only where the whole document was
//! read and the widget was waited for to the end.

use crate::chain::answer::Answer;
use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::PieceState;
use newtfern_standards::observation::Purpose;

/// Judges whether the page has the snippet.
pub fn judge(c: &Facts) -> Answer {
    if c.loader_requests().next().is_some() || c.live().next().is_some() {
        return Answer::Holds;
    }
    if let Some(why) = c.document_cut() {
        return Answer::cannot_tell("the whole document", why);
    }
    if c.alive {
        return traceless(c);
    }
    if let Some(why) = c.cut_off() {
        return Answer::cannot_tell("whether the widget comes by another way", why);
    }
    let name = &c.case.supplier.name;
    let mut finding = Finding::broken(
        Code::PlacedAbsent,
        format!("No trace of the {name} snippet is in the page."),
        "Place the snippet in the site's code slot and publish.",
    )
    .with(Evidence::fact(format!(
        "{} bytes of HTML and {} requests were searched.",
        c.seen.page.html.len(),
        c.seen.requests.len()
    )));
    for (aside, why) in c.asides_missed(Purpose::Linked) {
        let tell = format!("{} was not checked, because {}.", aside.url, why.words());
        finding = finding.or_else(Code::PlacedOtherPage, tell);
    }
    let mention = |p: &&newtfern_model::placement::Piece| p.state == PieceState::Mentioned;
    if let Some(p) = c.pieces().iter().find(mention) {
        finding = finding.with_all(lines([p])).or_else(
            Code::PlacedTagRule,
            "A script mentions the supplier's host; it may place the widget under a condition \
            that this visit did not meet: look at that script.",
        );
    }
    finding
        .or_else(
            Code::PlacedUnpublished,
            "The change may be saved and not yet published: look at the platform's list of drafts.",
        )
        .into()
}

/// "A sign of life without any trace of the snippet is `placed.absent`": something else owns the
/// sign.
fn traceless(c: &Facts) -> Answer {
    let traced = !c.pieces().is_empty()
        || !c.final_pieces().is_empty()
        || c.widget_requests().next().is_some();
    if traced || c.case.supplier.alive.script.trim().is_empty() {
        return Answer::Holds;
    }
    let name = &c.case.supplier.name;
    Finding::broken(
        Code::PlacedAbsent,
        format!("The sign of {name} is true, and no trace of its snippet is in the page."),
        "Find the script of the page that sets this sign, then place the snippet in the site's \
        code slot.",
    )
    .with(Evidence::fact(format!(
        "true: {}",
        c.case.supplier.alive.script
    )))
    .with(Evidence::fact(format!(
        "{} requests, none of them to {name}",
        c.seen.requests.len()
    )))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{
        GOOD, Wanted, frame, healthy, html, loader, page, root, told, undecided, with,
    };
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Look, NotCheckedReason};

    #[test]
    fn nothing_of_it_is_absent_and_says_what_was_searched() {
        let found = told(page("<p>hello</p>"));
        assert_eq!(found.code, Code::PlacedAbsent);
        assert!(found.evidence[0].line().contains("0 requests"));
        assert_eq!(
            found.candidates.last().unwrap().code,
            Code::PlacedUnpublished
        );
    }

    #[test]
    fn a_script_that_mentions_the_host_is_shown_and_named_as_a_candidate() {
        let found = told(page(
            "<script>set('https://cdn.example.test/l.js', later)</script>",
        ));
        assert_eq!(found.code, Code::PlacedAbsent);
        assert_eq!(found.candidates[0].code, Code::PlacedTagRule);
        assert!(found.evidence[1].line().contains("cdn.example.test"));
    }

    #[test]
    fn a_snippet_or_its_loader_is_a_trace() {
        assert_ne!(root(page(GOOD)), Some(Code::PlacedAbsent));
        let brought = with(page(""), |o| o.requests.push(loader(Some(200), None)));
        assert_ne!(root(brought), Some(Code::PlacedAbsent));
    }

    #[test]
    fn what_was_not_read_or_not_waited_for_is_not_absent() {
        undecided(
            with(page(""), |o| o.page.html_cut = true),
            "exceeds the limit of a visit",
        );
        let unread = |why| Look::NotLooked { why };
        let lost = with(page(""), |o| {
            o.looks.document = unread(NotCheckedReason::NoAnswer)
        });
        undecided(lost, "stopped answering");
        let cut = with(page(""), |o| {
            o.looks.alive = unread(NotCheckedReason::Deadline)
        });
        undecided(cut, "the visit ran out of time");
    }

    #[test]
    fn a_sign_of_life_without_a_trace_is_absent() {
        let forged = with(healthy(), |o| {
            o.page.html = html("");
            o.final_html = o.page.html.clone();
            o.requests.clear();
        });
        let found = told(forged);
        assert_eq!(found.code, Code::PlacedAbsent);
        assert!(found.summary.contains("sign"));
    }

    /// The widget is up without a request of its own.
    fn up(body: &str) -> newtfern_standards::observation::Observation {
        with(healthy(), |o| {
            o.page.html = html(body);
            o.final_html = html("");
            o.requests.clear();
        })
    }

    #[test]
    fn one_trace_suffices() {
        assert_eq!(root(up("")), Some(Code::PlacedAbsent));
        assert_eq!(root(up(&format!("<!-- {GOOD} -->"))), None);
        assert_eq!(root(with(up(""), |o| o.final_html = html(GOOD))), None);
        assert_eq!(root(with(up(""), |o| o.requests.push(frame(None)))), None);
        // A supplier without a sign of its own: a launcher that shows is the sign, and nobody
        // else's.
        let mut wanted = Wanted::default();
        wanted.supplier.alive.script = " ".into();
        assert_eq!(wanted.of(&[up("")]).verdict.root(), None);
    }
}
