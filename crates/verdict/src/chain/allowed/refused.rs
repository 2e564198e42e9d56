//! `allowed.domain`, `allowed.country`, `allowed.account`: the supplier refuses, by an answer that
//! the profile's `refusals` name. `allowed.hours`, `allowed.delay` and `allowed.page-rule` by the
//! same way explain an absence ([`super::supplier_rule`]). A table says what each means.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code::{self, *};
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::excerpt;
use newtfern_model::profile::Refusal;
use newtfern_standards::observation::Request;

/// Code, summary, remedy; `{name}` is the supplier, `{host}` the page's.
#[rustfmt::skip]
const TABLE: &[(Code, &str, &str)] = &[
    (AllowedDomain, "{name} does not serve this domain, {host}.",
        "In the account at {name}, add {host} to the allowed domains."),
    (AllowedCountry, "{name} does not serve visitors from this country.",
        "In the account at {name}, allow the country, or accept that the widget stays away there."),
    (AllowedAccount, "{name} says that the account is not confirmed, has ended or \
        is over its plan.",
        "In the account at {name}, confirm the address or settle the plan."),
    (AllowedHours, "{name} keeps the widget away outside its hours.",
        "In the account at {name}, look at the hours, if it should be there now."),
    (AllowedDelay, "{name} holds the widget back for a while.",
        "In the account at {name}, look at the delay, if it should be there at once."),
    (AllowedPageRule, "{name} keeps the widget off this page by a rule of the account.",
        "In the account at {name}, look at the page rules, if it should be on this page."),
    (PlacedWrongKey, "{name} does not know the key in the page.",
        "Copy the key from the client's account and put it into the snippet."),
];

fn fits(refusal: &Refusal, r: &Request) -> bool {
    let status = refusal.status.is_none_or(|s| r.status == Some(s));
    let said = |b: &String| {
        r.body
            .as_ref()
            .is_some_and(|seen| seen.contains(b.as_str()))
    };
    status && refusal.body.as_ref().is_none_or(said)
}

/// Judges whether the supplier's answer is a refusal.
pub fn judge(c: &Facts) -> Answer {
    if c.up() {
        return Answer::Holds;
    }
    let supplier = c.case.supplier;
    let refused = c.seen.requests.iter().find_map(|r| {
        let ours = r.host().is_some_and(|h| supplier.owns_host(&h));
        let refusals = &supplier.alive.refusals;
        let refusal = refusals.iter().find(|f| ours && fits(f, r))?;
        Some((r, refusal))
    });
    let Some((r, refusal)) = refused else {
        return Answer::Holds;
    };
    let host = c.page.host_str().unwrap_or_default();
    let fill = |text: &str| {
        text.replace("{name}", &supplier.name)
            .replace("{host}", host)
    };
    let row = TABLE.iter().find(|(code, ..)| *code == refusal.code);
    let (summary, remedy) = match row {
        Some((_, summary, remedy)) => (fill(summary), fill(remedy)),
        None => (
            fill("{name} refuses to start the widget here."),
            fill("Ask {name} why it refuses."),
        ),
    };
    let body = r.body.as_deref().map(excerpt).unwrap_or_default();
    Finding::broken(refusal.code, summary, remedy)
        .with(Evidence::Request {
            url: r.url.clone(),
            outcome: format!("{} {body}", r.outcome()).trim().to_string(),
        })
        .into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{Wanted, answer, healthy, loaded, root, told, with};
    use crate::testing::SAMPLE;
    use newtfern_model::profile::Supplier;

    /// A widget whose service gave this answer.
    fn said(status: u16, body: &str) -> newtfern_standards::observation::Observation {
        with(loaded(), |o| o.requests.push(answer(status, body)))
    }

    #[test]
    fn an_answer_that_the_profile_names_is_told_by_its_code() {
        let found = told(said(403, "domain not allowed here"));
        assert_eq!(found.code, AllowedDomain);
        assert!(found.remedy.contains("kites.example"), "{}", found.remedy);
        assert!(found.evidence[0].line().contains("403"));
    }

    #[test]
    fn each_code_has_words_of_its_own() {
        for (code, ..) in TABLE {
            let named = SAMPLE.replace("allowed.domain", code.name());
            let wanted = Wanted {
                supplier: Supplier::from_toml(&named).unwrap(),
                ..Wanted::default()
            };
            let d = wanted.of(&[said(403, "domain not allowed")]);
            let found = &d.verdict.findings()[0];
            assert_eq!(found.code, *code);
            assert!(found.summary.contains("Example Chat"), "{}", found.summary);
        }
    }

    #[test]
    fn another_status_or_text_is_no_refusal_and_neither_is_one_in_vain() {
        assert_eq!(root(said(403, "rate limit")), Some(StartedService));
        assert_eq!(root(said(500, "domain not allowed")), Some(StartedService));
        let up = with(healthy(), |o| {
            o.requests.push(answer(403, "domain not allowed"))
        });
        assert_eq!(root(up), None);
    }
}
