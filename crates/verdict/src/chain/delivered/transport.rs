//! "The page could not be had": the codes differ by the kind of failure only, so a table says
//! which. A failure that is our own (the network rule, our deadline) is no fault of the page.

use crate::chain::answer::Answer;
use crate::chain::evidence::hops;
use crate::chain::facts::Facts;
use newtfern_model::code::Code::{self, *};
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{FailureKind, NetFailure, NotCheckedReason};
use url::Url;

/// The codes this rule can give.
pub const CODES: &[Code] = &[
    DeliveredDns,
    DeliveredRefused,
    DeliveredTls,
    DeliveredTimeout,
    DeliveredRedirectLoop,
];

/// Kind of failure, code, summary (`{host}` is filled in), remedy.
#[rustfmt::skip]
const TABLE: &[(FailureKind, Code, &str, &str)] = &[
    (FailureKind::Dns, DeliveredDns, "The name {host} does not resolve.",
        "Correct the site's address, or have its domain's DNS records restored."),
    (FailureKind::Refused, DeliveredRefused, "{host} refuses the connection.",
        "Ask whoever runs the web server to start it, and check the port in the address."),
    (FailureKind::Tls, DeliveredTls, "The secure connection to {host} failed.",
        "Have the site's certificate renewed or corrected at its hosting."),
    (FailureKind::RedirectLoop, DeliveredRedirectLoop, "The page redirects in a circle.",
        "Undo one of the redirects, in the web server or in the platform's address settings."),
    (FailureKind::Timeout, DeliveredTimeout, "The page did not arrive within its time.",
        "Ask the hosting why the page takes so long, then visit again."),
    (FailureKind::BadPort, DeliveredRefused, "Browsers do not connect to the port of this address \
        (Fetch Standard, bad ports).",
        "Correct the port in the site's address."),
    (FailureKind::CutOff, DeliveredRefused, "The connection to {host} broke off before the \
        page was whole.",
        "Visit again; if it happens again, ask the hosting what ends the connection."),
];

/// Answers that have no content (RFC 9110, 15.3.5 and 15.3.6): the browser stays where it was.
pub const NO_CONTENT: [u16; 2] = [204, 205];

/// Judges whether the page could be loaded.
pub fn judge(c: &Facts) -> Answer {
    match &c.seen.page.failure {
        // An answer came, and says more than how the browser gave it up.
        Some(_)
            if c.seen
                .page
                .status
                .is_some_and(|s| s >= 400 || NO_CONTENT.contains(&s)) =>
        {
            Answer::Holds
        }
        Some(failure) => of(c, failure),
        None => match c.seen.looks.document.unlooked() {
            // What came is judged; that nothing came is for the visit to say.
            Some(why) if c.seen.page.status.is_none() => Answer::cannot_tell("the page", why),
            _ => Answer::Holds,
        },
    }
}

fn of(c: &Facts, failure: &NetFailure) -> Answer {
    if failure.kind == FailureKind::Guard {
        return Answer::cannot_tell("the page", NotCheckedReason::Guarded);
    }
    let host = Url::parse(&c.seen.url)
        .ok()
        .and_then(|u| u.host_str().map(str::to_string))
        .unwrap_or_default();
    let row = TABLE.iter().find(|(kind, ..)| *kind == failure.kind);
    let (code, summary, remedy) = match row {
        Some((_, code, summary, remedy)) => (*code, summary.replace("{host}", &host), *remedy),
        None => (
            DeliveredRefused,
            format!("The connection to {host} broke off: {}.", failure.text),
            "Visit again; if it happens again, ask the hosting what ends the connection.",
        ),
    };
    Finding::broken(code, summary, remedy)
        .with(Evidence::Request {
            url: c.seen.url.clone(),
            outcome: failure.text.clone(),
        })
        .with_all(hops(&c.seen.page))
        .into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{Wanted, page, root, undecided, with};
    use newtfern_standards::observation::{DeliveredPage, Look, Observation};

    fn fails(kind: FailureKind) -> Observation {
        with(page(""), |o| {
            o.page = DeliveredPage {
                failure: Some(NetFailure {
                    kind,
                    text: "the browser's word".into(),
                }),
                ..DeliveredPage::default()
            };
        })
    }

    #[test]
    fn each_kind_has_its_code() {
        for (kind, code, ..) in TABLE {
            assert_eq!(root(fails(*kind)), Some(*code), "{kind:?}");
        }
        assert_eq!(root(fails(FailureKind::Other)), Some(DeliveredRefused));
    }

    #[test]
    fn what_we_ourselves_refuse_is_no_fault_of_the_page() {
        undecided(fails(FailureKind::Guard), "network rule");
    }

    #[test]
    fn our_own_deadline_is_no_fault_of_the_page() {
        let cut = with(page(""), |o| {
            o.page = DeliveredPage::default();
            o.looks.document = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        undecided(cut.clone(), "the visit ran out of time");
        let d = Wanted::default().of(std::slice::from_ref(&cut));
        assert_eq!(d.verdict.not_looked_at()[0].what, "the page");
        // What came before it is judged all the same.
        let gone = with(cut, |o| o.page.status = Some(404));
        assert_eq!(root(gone), Some(DeliveredStatus));
    }
}
