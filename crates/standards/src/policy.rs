//! Content Security Policy level 3: would the page's policies let a request go, and what is the
//! smallest addition that would? Evaluation is the `content-security-policy` crate's (which follows
//! the specification step by step); this module asks it and words the change.
//!
//! Policies that only report are read apart. Hashes are not proposed for
//! inline code, because a loader's text differs per key.

use crate::html::Document;
use crate::observation::DeliveredPage;
use content_security_policy::{
    CheckResult, CspList, Destination, Element, Initiator, InlineCheckType, ParserMetadata,
    PolicyDisposition, PolicySource, Request,
};
use url::Url;

/// Kind of resource that is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ResourceKind {
    /// Script that is loaded.
    Script,
    /// Page in a frame.
    Frame,
    /// A connection of a script.
    Connection,
    /// Style sheet that is loaded.
    Style,
    /// Picture that is loaded.
    Image,
    /// Font that is loaded.
    Font,
}

impl ResourceKind {
    fn destination(self) -> Destination {
        match self {
            ResourceKind::Script => Destination::Script,
            ResourceKind::Frame => Destination::IFrame,
            ResourceKind::Connection => Destination::None,
            ResourceKind::Style => Destination::Style,
            ResourceKind::Image => Destination::Image,
            ResourceKind::Font => Destination::Font,
        }
    }

    /// Directives that govern it, the most specific first (CSP 3, 6.8.3 "Get fetch directive
    /// fallback list").
    fn directives(self) -> &'static [&'static str] {
        match self {
            ResourceKind::Script => &["script-src-elem", "script-src", "default-src"],
            ResourceKind::Frame => &["frame-src", "child-src", "default-src"],
            ResourceKind::Connection => &["connect-src", "default-src"],
            ResourceKind::Style => &["style-src-elem", "style-src", "default-src"],
            ResourceKind::Image => &["img-src", "default-src"],
            ResourceKind::Font => &["font-src", "default-src"],
        }
    }

    /// Returns the kind of the directive that a browser reports as violated.
    pub fn from_directive(directive: &str) -> Option<ResourceKind> {
        let name = directive.split_whitespace().next()?;
        Some(match name {
            "script-src" | "script-src-elem" | "script-src-attr" => ResourceKind::Script,
            "frame-src" | "child-src" => ResourceKind::Frame,
            "connect-src" => ResourceKind::Connection,
            "style-src" | "style-src-elem" | "style-src-attr" => ResourceKind::Style,
            "img-src" => ResourceKind::Image,
            "font-src" => ResourceKind::Font,
            _ => return None,
        })
    }
}

/// The enforced policies of a page: each header line, then each meta element's.
pub struct Policies {
    page: Url,
    each: Vec<Policy>,
}

/// One policy, read once.
struct Policy {
    place: Place,
    text: String,
    list: CspList,
}

impl Policy {
    fn new(place: Place, text: &str) -> Policy {
        let source = match place {
            // Read as if it were enforced: that is what it will be.
            Place::Header | Place::ReportOnly => PolicySource::Header,
            Place::Meta => PolicySource::Meta,
        };
        Policy {
            place,
            list: CspList::parse(&readable(text), source, PolicyDisposition::Enforce),
            text: text.to_string(),
        }
    }
}

/// Place of a policy.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// Header of the answer.
    Header,
    /// A `meta` element of the document.
    Meta,
    /// Header of a policy that reports and forbids nothing yet.
    ReportOnly,
}

impl Place {
    /// Returns the place as words for people.
    pub fn words(self) -> &'static str {
        match self {
            Place::Header => "the Content-Security-Policy header",
            Place::Meta => "the Content-Security-Policy meta element",
            Place::ReportOnly => "the Content-Security-Policy-Report-Only header",
        }
    }
}

/// The smallest addition that lets something through.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Place of the policy that forbids.
    pub place: Place,
    /// The directive that forbids.
    pub directive: String,
    /// Sources that the policy has today for that directive, or for the one that stands in for it.
    pub today: String,
    /// The source expression that is missing.
    pub missing: String,
    /// The directive as it should read.
    pub becomes: String,
}

/// A policy as it must read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Corrected {
    /// Place of the policy.
    pub place: Place,
    /// The whole policy.
    pub text: String,
    /// Each directive with the source that it gained.
    pub added: Vec<(String, String)>,
}

/// A source whose port is no port matches nothing (CSP 3, 6.7.2.11); the crate panics on it, so it
/// is left out. Pages that we visit write such things by mistake or by intent.
fn readable(text: &str) -> String {
    let sound = |token: &&str| {
        let (_, rest) = token.split_once("://").unwrap_or(("", token));
        let host = rest.split('/').next().unwrap_or_default();
        match host.rsplit_once(':') {
            // A scheme alone ends with its colon; a directive's end may stick to it.
            Some((_, port)) => {
                let port = port.trim_end_matches(';');
                port.is_empty() || port == "*" || port.parse::<u16>().is_ok()
            }
            None => true,
        }
    };
    let kept = text.split(';').map(|directive| {
        let tokens: Vec<&str> = directive.split_ascii_whitespace().filter(sound).collect();
        tokens.join(" ")
    });
    kept.collect::<Vec<_>>().join("; ")
}

impl Policies {
    /// The policies of a page; `None` where its address is none.
    pub fn of(page: &DeliveredPage) -> Option<Policies> {
        Policies::in_document(page, &Document::parse(&page.html))
    }

    /// The same, of a page whose document was parsed already.
    pub fn in_document(page: &DeliveredPage, document: &Document) -> Option<Policies> {
        let url = Url::parse(&page.final_url).ok()?;
        let mut each: Vec<Policy> = page
            .header("content-security-policy")
            .flat_map(|value| value.split(',').map(str::trim))
            .filter(|text| !text.is_empty())
            .map(|text| Policy::new(Place::Header, text))
            .collect();
        for id in document.walk() {
            let is_policy = document.name(id) == Some("meta")
                && document
                    .attribute(id, "http-equiv")
                    .is_some_and(|v| v.eq_ignore_ascii_case("content-security-policy"));
            if let (true, Some(content)) = (is_policy, document.attribute(id, "content")) {
                each.push(Policy::new(Place::Meta, content));
            }
        }
        Some(Policies { page: url, each })
    }

    /// The policies that only report, read as they will be once they are enforced; `None` where the
    /// page's address is none.
    pub fn reporting(page: &DeliveredPage) -> Option<Policies> {
        let url = Url::parse(&page.final_url).ok()?;
        let texts = page.header("content-security-policy-report-only");
        let texts = texts.flat_map(|value| value.split(',').map(str::trim));
        let each = texts.filter(|text| !text.is_empty());
        Some(Policies {
            page: url,
            each: each
                .map(|text| Policy::new(Place::ReportOnly, text))
                .collect(),
        })
    }

    /// Each policy that forbids one of the addresses, as it must read to let all of them through.
    /// What a source expression cannot help is left as it is.
    pub fn corrected(&self, needed: &[(ResourceKind, Url)]) -> Vec<Corrected> {
        let forbidden =
            |policy: &Policy| needed.iter().any(|(k, a)| self.blocks(policy, *k, a, ""));
        let each = self.each.iter().filter(|p| forbidden(p));
        each.map(|policy| {
            let mut now = Policy::new(policy.place, &policy.text);
            let mut added: Vec<(String, String)> = Vec::new();
            for (kind, address) in needed {
                if !self.blocks(&now, *kind, address, "") {
                    continue;
                }
                let change = self.change(&now, *kind, address);
                if change.missing.starts_with("'nonce") {
                    continue;
                }
                now = Policy::new(
                    policy.place,
                    &with_directive(&now.text, &change.directive, &change.becomes),
                );
                added.push((change.directive, change.missing));
            }
            Corrected {
                place: policy.place,
                text: now.text,
                added,
            }
        })
        .filter(|c| !c.added.is_empty())
        .collect()
    }

    /// The policies of one header.
    pub fn new(page: Url, header: &str) -> Policies {
        Policies {
            page,
            each: vec![Policy::new(Place::Header, header)],
        }
    }

    /// There is no policy.
    pub fn is_empty(&self) -> bool {
        self.each.is_empty()
    }

    /// Each policy as it stands there.
    pub fn texts(&self) -> impl Iterator<Item = (Place, &str)> {
        self.each.iter().map(|p| (p.place, p.text.as_str()))
    }

    /// Returns whether this one policy blocks the address.
    fn blocks(&self, policy: &Policy, asked: ResourceKind, address: &Url, nonce: &str) -> bool {
        let request = Request {
            url: address.clone(),
            current_url: address.clone(),
            origin: self.page.origin(),
            redirect_count: 0,
            destination: asked.destination(),
            initiator: Initiator::None,
            nonce: nonce.to_string(),
            integrity_metadata: String::new(),
            parser_metadata: ParserMetadata::ParserInserted,
        };
        matches!(
            policy.list.should_request_be_blocked(&request).0,
            CheckResult::Blocked
        )
    }

    /// True if all policies let the address through.
    pub fn allow(&self, asked: ResourceKind, address: &Url, nonce: &str) -> bool {
        !self
            .each
            .iter()
            .any(|policy| self.blocks(policy, asked, address, nonce))
    }

    /// True if all policies let script text in the page run.
    pub fn allow_inline_script(&self, text: &str, nonce: Option<&str>) -> bool {
        self.each.iter().all(|policy| {
            let element = Element {
                nonce: nonce.map(std::borrow::Cow::Borrowed),
            };
            matches!(
                policy
                    .list
                    .should_elements_inline_type_behavior_be_blocked(
                        &element,
                        InlineCheckType::Script,
                        text
                    )
                    .0,
                CheckResult::Allowed
            )
        })
    }

    /// The change to each policy that blocks the address. Every proposal has been evaluated again
    /// and lets the address through; where a source expression cannot help (`'strict-dynamic'`
    /// ignores them), the missing thing is a nonce.
    pub fn smallest_changes(&self, asked: ResourceKind, address: &Url) -> Vec<Change> {
        self.each
            .iter()
            .filter(|policy| self.blocks(policy, asked, address, ""))
            .map(|policy| self.change(policy, asked, address))
            .collect()
    }

    fn change(&self, policy: &Policy, asked: ResourceKind, address: &Url) -> Change {
        let (text, place) = (policy.text.as_str(), policy.place);
        let governing = asked
            .directives()
            .iter()
            .find_map(|name| directive(text, name).map(|value| (*name, value)));
        let (name, today) = governing.unwrap_or(("default-src", String::new()));
        // Widening default-src would open more than is needed: write the specific directive
        // instead.
        let target = if name == "default-src" {
            match asked {
                // `child-src` governs workers too.
                ResourceKind::Frame => "frame-src",
                _ => asked.directives().iter().rev().nth(1).unwrap_or(&name),
            }
        } else {
            name
        };
        let missing = source_expression(address);
        let mut sources: Vec<&str> = today
            .split_whitespace()
            .filter(|s| !s.eq_ignore_ascii_case("'none'"))
            .collect();
        sources.push(&missing);
        let becomes = format!("{target} {}", sources.join(" "));
        let changed = Policy::new(place, &with_directive(text, target, &becomes));
        if self.blocks(&changed, asked, address, "") {
            return Change {
                place,
                directive: target.to_string(),
                today: format!("{name} {today}").trim().to_string(),
                missing: "'nonce-\u{2026}'".to_string(),
                becomes: format!(
                    "{target} {today}, with this answer's nonce also on the script element"
                ),
            };
        }
        Change {
            place,
            directive: target.to_string(),
            today: format!("{name} {today}").trim().to_string(),
            missing,
            becomes,
        }
    }
}

/// `scheme://host[:port]`, which is the narrowest form that survives a new version in the path.
fn source_expression(address: &Url) -> String {
    let port = address.port().map(|p| format!(":{p}")).unwrap_or_default();
    format!(
        "{}://{}{port}",
        address.scheme(),
        address.host_str().unwrap_or_default()
    )
}

/// The value of a directive; the first of a name counts (CSP 3, 2.2.1 step 2.5).
fn directive(text: &str, name: &str) -> Option<String> {
    text.split(';').find_map(|part| {
        let part = part.trim();
        let (head, rest) = part.split_once(char::is_whitespace).unwrap_or((part, ""));
        head.eq_ignore_ascii_case(name)
            .then(|| rest.split_whitespace().collect::<Vec<_>>().join(" "))
    })
}

fn with_directive(text: &str, name: &str, becomes: &str) -> String {
    let mut parts: Vec<String> = text
        .split(';')
        .map(|p| p.trim().to_string())
        .filter(|p| !p.is_empty())
        .collect();
    let place = parts.iter().position(|p| {
        p.split_whitespace()
            .next()
            .is_some_and(|h| h.eq_ignore_ascii_case(name))
    });
    match place {
        Some(at) => parts[at] = becomes.to_string(),
        None => parts.push(becomes.to_string()),
    }
    parts.join("; ")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn policies(text: &str) -> Policies {
        Policies::new(Url::parse("https://kites.example/shop").unwrap(), text)
    }

    fn url(text: &str) -> Url {
        Url::parse(text).unwrap()
    }

    /// Found by fuzzing: a port that is no port ended the whole check.
    #[test]
    fn a_source_with_an_impossible_port_matches_nothing_and_ends_nothing() {
        for port in ["99999", "44343434343", "8x", "-1"] {
            let text =
                format!("script-src 'self' https://a.example:{port}/x https://b.example:8443");
            let policies = Policies::new(Url::parse("https://kites.example/shop").unwrap(), &text);
            let at = |address: &str| {
                policies.allow(ResourceKind::Script, &Url::parse(address).unwrap(), "")
            };
            assert!(
                !at("https://a.example/x") && at("https://b.example:8443/l.js"),
                "{text}"
            );
        }
    }

    #[test]
    fn the_host_is_added_to_the_directive_that_governs() {
        let changes = policies("default-src 'self'; script-src 'self' https://a.test")
            .smallest_changes(ResourceKind::Script, &url("https://cdn.example.test/l.js"));
        assert_eq!(
            changes[0].becomes,
            "script-src 'self' https://a.test https://cdn.example.test"
        );
        assert_eq!(changes[0].missing, "https://cdn.example.test");
    }

    #[test]
    fn default_src_is_not_widened() {
        let changes = policies("default-src 'none'").smallest_changes(
            ResourceKind::Connection,
            &url("wss://live.example.test:8443/s"),
        );
        assert_eq!(
            changes[0].becomes,
            "connect-src wss://live.example.test:8443"
        );
    }

    #[test]
    fn all_that_is_needed_is_added_at_once_and_evaluates_as_allowed() {
        let p = policies("default-src 'self'; script-src 'self'");
        let needed = [
            (ResourceKind::Script, url("https://cdn.example.test/l.js")),
            (ResourceKind::Frame, url("https://app.example.test/p")),
            (ResourceKind::Connection, url("https://api.example.test/s")),
            (ResourceKind::Connection, url("wss://live.example.test/")),
        ];
        let corrected = p.corrected(&needed);
        assert_eq!(
            corrected[0].text,
            "default-src 'self'; script-src 'self' https://cdn.example.test; frame-src 'self' \
            https://app.example.test; connect-src 'self' https://api.example.test \
            wss://live.example.test"
        );
        assert_eq!(corrected[0].added.len(), 4);
        let after = policies(&corrected[0].text);
        assert!(
            needed
                .iter()
                .all(|(kind, address)| after.allow(*kind, address, ""))
        );
        assert_eq!(after.corrected(&needed), []);
    }

    #[test]
    fn strict_dynamic_wants_a_nonce() {
        let p = policies("script-src 'nonce-abc' 'strict-dynamic'");
        let changes =
            p.smallest_changes(ResourceKind::Script, &url("https://cdn.example.test/l.js"));
        assert!(changes[0].missing.contains("nonce"));
        assert!(p.allow(
            ResourceKind::Script,
            &url("https://cdn.example.test/l.js"),
            "abc"
        ));
    }

    #[test]
    fn every_header_line_counts_alone() {
        let page = DeliveredPage {
            final_url: "https://kites.example/".into(),
            headers: vec![
                ("content-security-policy".into(), "script-src https:".into()),
                ("Content-Security-Policy".into(), "script-src 'self'".into()),
            ],
            html: "<meta http-equiv=Content-Security-Policy content=\"img-src 'none'\">".into(),
            ..DeliveredPage::default()
        };
        let p = Policies::of(&page).unwrap();
        assert_eq!(p.texts().count(), 3);
        assert_eq!(
            p.smallest_changes(ResourceKind::Script, &url("https://cdn.example.test/l.js"))
                .len(),
            1
        );
        assert_eq!(
            p.smallest_changes(ResourceKind::Image, &url("https://cdn.example.test/i.png"))[0]
                .place,
            Place::Meta
        );
    }
}
