//! `allowed.policy`: the content security policy forbids it; names the directive, the source that
//! is missing, and the whole policy as it must read for all that the widget needs (CSP level 3,
//! through [`newtfern_standards::policy`]).

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::Form;
use newtfern_standards::observation::{Request, RequestKind, Violation};
use newtfern_standards::policy::{Corrected, Place, Policies, ResourceKind};
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
    let what = match &blocked {
        Some(url) => url.to_string(),
        None if violation.blocked == "inline" => "code in the page".into(),
        None => violation.blocked.clone(),
    };
    let needed = needed(c);
    let corrected = policies.as_ref().map(|p| p.corrected(&needed));
    let corrected = corrected.unwrap_or_default();
    let directive = &violation.directive;
    let finding = Finding::broken(
        Code::AllowedPolicy,
        format!(
            "The page's content security policy forbids {what}: its {directive} does not list it."
        ),
        remedy(&corrected, blocked.is_some(), violation),
    )
    .with(Evidence::Console {
        text: format!("the browser refused {} by {directive}", violation.blocked),
        source: violation.document.clone(),
        line: violation.line,
    });
    let texts = policies.iter().flat_map(Policies::texts);
    let texts: Vec<Evidence> = texts.map(|(place, text)| header(place, text)).collect();
    // All that is forbidden, now and next, so that the policies need changing once only.
    finding
        .with_all(texts)
        .with_all(also(c, violation))
        .with_all(corrected.iter().flat_map(in_words))
        .with_all(reported(c, &needed))
        .into()
}

fn header(place: Place, text: &str) -> Evidence {
    Evidence::Header {
        name: place.words().to_string(),
        value: text.to_string(),
    }
}

/// What a policy lacks, and how it reads with all of it.
fn in_words(corrected: &Corrected) -> Vec<Evidence> {
    let added = corrected.added.iter();
    let mut out: Vec<Evidence> = added
        .map(|(directive, source)| Evidence::fact(format!("{directive} needs {source}")))
        .collect();
    let place = corrected.place.words();
    out.push(Evidence::fact(format!(
        "{place} should read: {}",
        corrected.text
    )));
    out
}

/// What a policy that only reports will forbid once it is enforced.
fn reported(c: &Facts, needed: &[(ResourceKind, Url)]) -> Vec<Evidence> {
    let reporting = Policies::reporting(&c.seen.page);
    let corrected = reporting.map(|p| p.corrected(needed)).unwrap_or_default();
    corrected.iter().flat_map(in_words).collect()
}

/// Every address that the widget needs, with its kind: what it asked for, what was refused or
/// reported, and what its profile says that it will ask for.
fn needed(c: &Facts) -> Vec<(ResourceKind, Url)> {
    let mut out: Vec<(ResourceKind, Url)> = Vec::new();
    let mut add = |kind, url: Url| {
        let same = |(k, u): &(ResourceKind, Url)| *k == kind && u.origin() == url.origin();
        if !out.iter().any(same) {
            out.push((kind, url));
        }
    };
    let loader = c.inspector.shape.loader.clone();
    loader
        .into_iter()
        .for_each(|l| add(ResourceKind::Script, l));
    let of_supplier = |r: &&Request| c.supplier_address(&r.url) && r.url != c.seen.page.final_url;
    for request in c.seen.requests.iter().filter(of_supplier) {
        if let (Some(kind), Ok(url)) = (kind_of(request.kind), Url::parse(&request.url)) {
            add(kind, url);
        }
    }
    for violation in c
        .seen
        .violations
        .iter()
        .filter(|v| c.supplier_address(&v.blocked))
    {
        let kind = ResourceKind::from_directive(&violation.directive);
        if let (Some(kind), Ok(url)) = (kind, Url::parse(&violation.blocked)) {
            add(kind, full_address(c, &url));
        }
    }
    for (kind, url) in named_by_profile(c) {
        add(kind, url);
    }
    out
}

fn kind_of(kind: RequestKind) -> Option<ResourceKind> {
    Some(match kind {
        RequestKind::Script => ResourceKind::Script,
        RequestKind::Document => ResourceKind::Frame,
        RequestKind::Stylesheet => ResourceKind::Style,
        RequestKind::Image => ResourceKind::Image,
        RequestKind::Font => ResourceKind::Font,
        RequestKind::Xhr
        | RequestKind::Fetch
        | RequestKind::EventSource
        | RequestKind::WebSocket => ResourceKind::Connection,
        _ => return None,
    })
}

fn remedy(corrected: &[Corrected], address: bool, violation: &Violation) -> String {
    let directive = &violation.directive;
    if !corrected.is_empty() && address {
        let each = corrected.iter();
        let each = each.map(|c| format!("{} so that it reads: {}", c.place.words(), c.text));
        return format!("Change {}.", each.collect::<Vec<_>>().join("; and "));
    }
    match violation.blocked.as_str() {
        "inline" => format!(
            "In the content security policy, let the snippet run by a nonce in {directive} and on \
            its script element."
        ),
        blocked if blocked.ends_with("eval") => format!(
            "The supplier's code makes code from text: ask the supplier for a loader that does \
            not, or add 'unsafe-eval' to {directive}."
        ),
        // A source expression does not help: `'strict-dynamic'` ignores them.
        _ if address => format!(
            "In the content security policy, let the loader run by a nonce in {directive} and on \
             its \
            script element."
        ),
        _ => {
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

/// Addresses of the hosts that the profile names, by the loader's scheme and port.
fn named_by_profile(c: &Facts) -> Vec<(ResourceKind, Url)> {
    let alive = &c.case.supplier.alive;
    let loader = c.inspector.shape.loader.as_ref();
    let port = loader.and_then(Url::port).map(|p| format!(":{p}"));
    let port = port.unwrap_or_default();
    let (web, live) = if loader.is_none_or(|l| l.scheme() == "https") {
        ("https", "wss")
    } else {
        ("http", "ws")
    };
    let hosts = [
        (ResourceKind::Frame, web, &alive.frame_hosts),
        (ResourceKind::Connection, web, &alive.api_hosts),
        (ResourceKind::Connection, live, &alive.socket_hosts),
    ];
    let each = hosts.iter().flat_map(|(kind, scheme, hosts)| {
        let address =
            |h: &String| Some((*kind, Url::parse(&format!("{scheme}://{h}{port}/")).ok()?));
        hosts.iter().filter_map(address).collect::<Vec<_>>()
    });
    each.collect()
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
                .any(|l| l == "connect-src needs wss://live.example.test"),
            "{lines:?}"
        );
        // Once changed as a whole, nothing more is forbidden.
        let whole = "so that it reads: script-src 'self' https://cdn.example.test; connect-src \
            'self' https://api.example.test wss://live.example.test";
        assert!(found.remedy.contains(whole), "{}", found.remedy);
    }

    #[test]
    fn a_policy_that_only_reports_is_read_for_what_it_will_forbid() {
        let found = told(with(forbidden(), |o| {
            let next = "frame-src 'none'";
            o.page
                .headers
                .push(("content-security-policy-report-only".into(), next.into()));
        }));
        let lines: Vec<String> = found.evidence.iter().map(|e| e.line()).collect();
        let reads = "the Content-Security-Policy-Report-Only header should read: frame-src \
            https://app.example.test";
        assert!(lines.iter().any(|l| l == reads), "{lines:?}");
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
