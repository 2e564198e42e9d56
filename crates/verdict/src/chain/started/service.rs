//! `started.service`: its service answered with an error or nonsense, unless the profile's
//! `refusals` name the answer ([`crate::chain::allowed::refused`] is asked before).

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::excerpt;
use newtfern_standards::observation::{Request, RequestKind};

/// A service answer that is said to be JSON and is not, or is a page.
fn nonsense(r: &Request) -> bool {
    let Some(body) = &r.body else { return false };
    let json = || serde_json::from_str::<serde::de::IgnoredAny>(body).is_ok();
    if r.mime.contains("json") {
        !json()
    } else {
        r.mime.contains("html")
    }
}

/// Judges whether the supplier's service answered with an error.
pub fn judge(c: &Facts) -> Answer {
    match odd_answer(c).filter(|_| !c.up()) {
        Some(answer) => told(c, answer),
        None => Answer::Holds,
    }
}

/// Returns whether its service answered with an error or nonsense.
pub fn answered_oddly(c: &Facts) -> bool {
    odd_answer(c).is_some()
}

fn error(r: &Request) -> Option<u16> {
    r.status.filter(|s| *s >= 400)
}

fn odd_answer<'a>(c: &'a Facts) -> Option<&'a Request> {
    let asked = |r: &&Request| {
        use RequestKind::*;
        matches!(r.kind, Xhr | Fetch | EventSource | Other | Untold)
    };
    let hosts = &c.case.supplier.alive.api_hosts;
    let from_service = |r: &Request| {
        let host = r.host().unwrap_or_default();
        hosts.iter().any(|x| x.eq_ignore_ascii_case(&host))
    };
    let odd = |r: &Request| {
        let good = r.status.is_some_and(|s| s < 300) && r.method != "OPTIONS";
        good && from_service(r) && nonsense(r)
    };
    let mut answers = c.widget_requests().filter(asked);
    answers.find(|r| error(r).is_some() || odd(r))
}

fn told(c: &Facts, answer: &Request) -> Answer {
    let said = match error(answer) {
        Some(status) => format!("answered with status {status}"),
        None => {
            "answered with something other than its data, or with only a part of it".to_string()
        }
    };
    let body = answer.body.as_deref().map(excerpt).unwrap_or_default();
    let outcome = format!("{} {body}", answer.outcome()).trim().to_string();
    let name = &c.case.supplier.name;
    Finding::broken(
        Code::StartedService,
        format!("The supplier's service {said}."),
        format!("Check the account at {name}; if it is in order, report the answer to them."),
    )
    .with(Evidence::Request {
        url: answer.url.clone(),
        outcome,
    })
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{answer, healthy, loaded, root, told, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Observation, Request};

    fn answered(mime: &str, body: &str) -> Observation {
        with(loaded(), |o| {
            o.requests.push(Request {
                mime: mime.into(),
                ..answer(200, body)
            });
        })
    }

    #[test]
    fn an_error_is_told_with_its_answer() {
        let found = told(with(loaded(), |o| {
            o.requests.push(answer(500, "out of order"))
        }));
        assert_eq!(found.code, Code::StartedService);
        assert!(found.summary.contains("status 500"));
        assert!(found.evidence[0].line().contains("out of order"));
    }

    #[test]
    fn nonsense_is_an_error_too() {
        let found = told(answered("application/json", "<html>"));
        assert_eq!(found.code, Code::StartedService);
        assert!(found.summary.contains("other than its data"));
        assert_eq!(
            root(answered("text/html", "<html>")),
            Some(Code::StartedService)
        );
    }

    #[test]
    fn data_preflights_scripts_and_strangers_are_in_order() {
        assert_eq!(
            root(answered("application/json", "{\"a\":1}")),
            Some(Code::StartedSilent)
        );
        assert_eq!(
            root(answered("text/plain", "ok")),
            Some(Code::StartedSilent)
        );
        let preflight = with(answered("text/html", "<html>"), |o| {
            o.requests[1].method = "OPTIONS".into();
        });
        assert_eq!(root(preflight), Some(Code::StartedSilent));
        let stranger = with(loaded(), |o| {
            o.requests.push(Request {
                url: "https://other.example/s".into(),
                ..answer(500, "")
            });
        });
        assert_eq!(root(stranger), Some(Code::StartedSilent));
        let up = with(healthy(), |o| o.requests.push(answer(500, "")));
        assert_eq!(root(up), None);
    }

    #[test]
    fn only_an_answer_of_success_is_taken_for_data() {
        let elsewhere = with(answered("application/json", "<html>"), |o| {
            o.requests[1].status = Some(300);
        });
        assert_eq!(root(elsewhere), Some(Code::StartedSilent));
    }
}
