//! `allowed.policy`: the content security policy forbids it; names the directive, the source that
//! is missing and the smallest change that would allow it (CSP level 3, through
//! [`newtfern_standards::policy`]).

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::Form;
use newtfern_standards::observation::{Request, Violation};
use newtfern_standards::policy::{Change, Policies, ResourceKind};
use url::Url;

/// The first enforced violation that concerns the widget.
fn violation<'a>(c: &Facts<'a>) -> Option<&'a Violation> {
    let inline: Vec<(u32, u32)> = c
        .live()
        .filter(|p| p.form == Form::Inline)
        .map(|p| (p.line, p.last_line))
        .collect();
    let of_snippet = |v: &Violation| {
        let on_piece = |line: u32| inline.iter().any(|(a, b)| (*a..=*b).contains(&line));
        v.blocked == "inline"
            && v.directive.starts_with("script-src")
            && v.line.is_some_and(on_piece)
    };
    c.seen.violations.iter().find(|v| {
        v.enforced
            && (c.supplier_address(&v.blocked) || c.supplier_address(&v.source) || of_snippet(v))
    })
}

/// Judges whether a content security policy forbids it.
pub fn judge(c: &Facts) -> Answer {
    let Some(violation) = violation(c).filter(|_| !c.up()) else {
        return Answer::Holds;
    };
    let policies = Policies::in_document(&c.seen.page, c.document());
    let blocked = Url::parse(&violation.blocked).ok();
    let blocked = blocked.map(|u| full_address(c, &u));
    let kind = ResourceKind::from_directive(&violation.directive);
    let changes = match (&policies, kind, &blocked) {
        (Some(p), Some(kind), Some(url)) => p.smallest_changes(kind, url),
        _ => Vec::new(),
    };
    let what = match &blocked {
        Some(url) => url.to_string(),
        None if violation.blocked == "inline" => "code in the page".into(),
        None => violation.blocked.clone(),
    };
    let directive = &violation.directive;
    let mut finding = Finding::broken(
        Code::AllowedPolicy,
        format!(
            "The page's content security policy forbids {what}: its {directive} does not list it."
        ),
        remedy(changes.first(), violation),
    )
    .with(Evidence::Console {
        text: format!("the browser refused {} by {directive}", violation.blocked),
        source: violation.document.clone(),
        line: violation.line,
    });
    for change in changes.iter().skip(1) {
        finding = finding.with(Evidence::fact(format!(
            "A second policy forbids it too; {} should read: {}",
            change.place.words(),
            change.becomes
        )));
    }
    let Some(policies) = policies else {
        return finding.with_all(also(c, violation)).into();
    };
    let texts = policies.texts().map(|(place, text)| Evidence::Header {
        name: place.words().to_string(),
        value: text.to_string(),
    });
    let texts: Vec<Evidence> = texts.collect();
    // What would be forbidden next, so that the policy needs changing once only.
    finding
        .with_all(texts)
        .with_all(also(c, violation))
        .with_all(
            forbidden_ahead(c, &policies)
                .into_iter()
                .map(Evidence::fact),
        )
        .into()
}

fn remedy(change: Option<&Change>, violation: &Violation) -> String {
    let directive = &violation.directive;
    match change {
        Some(change) => format!(
            "In {}, add {} so that it reads: {}.",
            change.place.words(),
            change.missing,
            change.becomes
        ),
        None if violation.blocked == "inline" => format!(
            "In the content security policy, let the snippet run by a nonce in {directive} and on \
            its script element."
        ),
        None if violation.blocked.ends_with("eval") => format!(
            "The supplier's code makes code from text: ask the supplier for a loader that does \
            not, or add 'unsafe-eval' to {directive}."
        ),
        None => {
            format!("In the content security policy, add the supplier's host to {directive}.")
        }
    }
}

/// Other addresses of the supplier that were forbidden.
fn also<'a>(c: &'a Facts, first: &'a Violation) -> impl Iterator<Item = Evidence> + 'a {
    let others = c
        .seen
        .violations
        .iter()
        .filter(|v| v.enforced && c.supplier_address(&v.blocked) && v.blocked != first.blocked);
    others.map(|v| Evidence::fact(format!("{} forbids {}", v.directive, v.blocked)))
}

/// The address of the request with its port, where the violation named the origin only.
fn full_address(c: &Facts, blocked: &Url) -> Url {
    let same = |r: &&Request| Url::parse(&r.url).is_ok_and(|u| u.origin() == blocked.origin());
    let request = c.seen.requests.iter().find(same);
    request
        .and_then(|r| Url::parse(&r.url).ok())
        .unwrap_or_else(|| blocked.clone())
}

fn forbidden_ahead(c: &Facts, policies: &Policies) -> Vec<String> {
    let alive = &c.case.supplier.alive;
    let loader = c.inspector.shape.loader.as_ref();
    let port = loader.and_then(Url::port).map(|p| format!(":{p}"));
    let port = port.unwrap_or_default();
    let (web, live) = if loader.is_none_or(|l| l.scheme() == "https") {
        ("https", "wss")
    } else {
        ("http", "ws")
    };
    let of = |kind, scheme, hosts: &[String]| -> Vec<(ResourceKind, String)> {
        let address = |h: &String| (kind, format!("{scheme}://{h}{port}/"));
        hosts.iter().map(address).collect()
    };
    let mut needed = of(ResourceKind::Frame, web, &alive.frame_hosts);
    needed.extend(of(ResourceKind::Connection, web, &alive.api_hosts));
    needed.extend(of(ResourceKind::Connection, live, &alive.socket_hosts));
    let told = needed.into_iter().filter_map(|(kind, address)| {
        let url = Url::parse(&address).ok()?;
        let change = policies.smallest_changes(kind, &url).into_iter().next()?;
        Some(format!(
            "It will also need {} in {}.",
            change.missing, change.directive
        ))
    });
    told.collect()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, healthy, loader, page, root, script, told, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{FailureKind, Observation, Violation};

    fn violation(blocked: &str) -> Violation {
        Violation {
            directive: "script-src-elem".into(),
            blocked: blocked.into(),
            enforced: true,
            ..Violation::default()
        }
    }

    fn forbidden() -> Observation {
        with(page(GOOD), |o| {
            let policy = "script-src 'self'; connect-src 'self'";
            o.page.headers = vec![("content-security-policy".into(), policy.into())];
            o.requests.push(loader(None, Some(FailureKind::Policy)));
            o.violations
                .push(violation("https://cdn.example.test/l.js"));
        })
    }

    #[test]
    fn the_smallest_change_is_the_remedy_and_what_comes_next_is_told() {
        let found = told(forbidden());
        assert_eq!(found.code, Code::AllowedPolicy);
        let reads = "script-src 'self' https://cdn.example.test";
        assert!(found.remedy.contains(reads), "{}", found.remedy);
        let lines: Vec<String> = found.evidence.iter().map(|e| e.line()).collect();
        assert!(
            lines
                .iter()
                .any(|l| l.contains("wss://live.example.test in connect-src")),
            "{lines:?}"
        );
    }

    #[test]
    fn code_in_the_page_needs_a_nonce() {
        let inline = with(
            page("<script>\nexampleChat(\"abcd-1234\")\n</script>"),
            |o| {
                o.violations.push(Violation {
                    line: Some(6),
                    ..violation("inline")
                });
            },
        );
        let found = told(inline);
        assert!(found.remedy.contains("nonce"), "{found:?}");
    }

    #[test]
    fn reports_and_others_violations_forbid_nothing_of_ours() {
        let reported = with(healthy(), |o| {
            o.violations.push(Violation {
                enforced: false,
                ..violation("https://cdn.example.test/l.js")
            });
            o.violations.push(violation("https://ads.example/x.js"));
        });
        assert_eq!(root(reported), None);
        // A policy that forbids something of a widget that is up all the same explains nothing.
        let up = with(healthy(), |o| {
            o.violations.push(violation("https://cdn.example.test/i"))
        });
        assert_eq!(root(up), None);
    }

    /// A silent page whose policy forbids what `change` says.
    fn silent(change: impl Fn(&mut Violation)) -> Observation {
        let body = "<script>\nexampleChat(\"abcd-1234\")\n</script>";
        with(page(body), |o| {
            let mut v = Violation {
                line: Some(6),
                ..violation("inline")
            };
            change(&mut v);
            o.violations.push(v);
        })
    }

    #[test]
    fn only_what_stops_the_snippet_counts() {
        let code = |change: fn(&mut Violation)| root(silent(change));
        assert_eq!(code(|_| {}), Some(Code::AllowedPolicy));
        assert_ne!(code(|v| v.line = Some(20)), Some(Code::AllowedPolicy));
        assert_ne!(
            code(|v| v.blocked = "eval".into()),
            Some(Code::AllowedPolicy)
        );
        let style = |v: &mut Violation| v.directive = "style-src-attr".into();
        assert_ne!(code(style), Some(Code::AllowedPolicy));
        assert_ne!(code(|v| v.enforced = false), Some(Code::AllowedPolicy));
    }

    #[test]
    fn what_is_forbidden_is_named_in_words() {
        let found = told(silent(|_| {}));
        assert!(
            found.summary.contains("forbids code in the page"),
            "{found:?}"
        );
        let evaluated = told(silent(|v| {
            v.blocked = "eval".into();
            v.source = "https://cdn.example.test/l.js".into();
        }));
        assert!(evaluated.summary.contains("forbids eval"), "{evaluated:?}");
        assert!(evaluated.remedy.contains("'unsafe-eval'"), "{evaluated:?}");
        let worker = told(silent(|v| {
            v.blocked = "blob".into();
            v.source = "https://cdn.example.test/l.js".into();
        }));
        assert!(worker.remedy.contains("the supplier's host"), "{worker:?}");
    }

    #[test]
    fn the_origin_that_a_violation_names_is_completed_from_the_request() {
        let found = told(with(forbidden(), |o| {
            o.requests
                .insert(0, script("https://ads.example/x.js", Some(200), None));
            o.violations[0].blocked = "https://cdn.example.test".into();
        }));
        assert!(
            found.summary.contains("https://cdn.example.test/l.js"),
            "{found:?}"
        );
    }

    #[test]
    fn other_addresses_of_the_supplier_are_told_once() {
        let found = told(with(forbidden(), |o| {
            o.violations
                .push(violation("https://cdn.example.test/l.js"));
            o.violations.push(violation("https://api.example.test/s"));
            o.violations.push(violation("https://ads.example/x.js"));
            o.violations.push(Violation {
                enforced: false,
                ..violation("https://app.example.test/reported")
            });
        }));
        let lines: Vec<String> = found.evidence.iter().map(|e| e.line()).collect();
        let told: Vec<&String> = lines
            .iter()
            .filter(|l| l.contains("-elem forbids"))
            .collect();
        assert_eq!(
            told,
            ["script-src-elem forbids https://api.example.test/s"],
            "{lines:?}"
        );
    }
}
