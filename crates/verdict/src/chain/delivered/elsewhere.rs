//! "Right address": the address leads to another site. `www.` or http to https is not elsewhere;
//! redirects by script or meta count.

use crate::chain::answer::Answer;
use crate::chain::evidence::hops;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use url::Url;

/// Host without `www.`, since that is no other site.
fn plain_host(url: &Url) -> String {
    let host = url.host_str().unwrap_or_default();
    let host = host.strip_prefix("www.").unwrap_or(host);
    host.to_ascii_lowercase()
}

/// Judges whether the address leads to another site.
pub fn judge(c: &Facts) -> Answer {
    let Ok(asked) = Url::parse(&c.seen.url) else {
        return Answer::Holds;
    };
    // A redirect by script or meta shows as a later navigation.
    let moved = |n: &&newtfern_standards::observation::Navigation| {
        !n.same_document && n.url.starts_with("http")
    };
    let last = c.seen.navigations.iter().rfind(moved);
    let landed = last
        .and_then(|n| Url::parse(&n.url).ok())
        .unwrap_or_else(|| c.page.clone());
    let same_port = asked.port_or_known_default() == landed.port_or_known_default()
        || asked.scheme() != landed.scheme();
    if plain_host(&asked) == plain_host(&landed) && same_port {
        return Answer::Holds;
    }
    let host = landed.host_str().unwrap_or_default();
    Finding::broken(
        Code::DeliveredElsewhere,
        format!("The address leads to another site, {host}."),
        "Correct the site's address, or remove the redirect at the site.",
    )
    .with(Evidence::Request {
        url: c.seen.url.clone(),
        outcome: format!("ends at {landed}"),
    })
    .with_all(hops(&c.seen.page))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, healthy, page, root, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::Navigation;

    #[test]
    fn another_host_is_elsewhere_by_header_or_by_script() {
        let landed = with(page(""), |o| {
            o.page.final_url = "https://elsewhere.example/".into()
        });
        assert_eq!(root(landed), Some(Code::DeliveredElsewhere));
        let sent_on = with(page(GOOD), |o| {
            o.navigations.push(Navigation {
                url: "https://parked.example/".into(),
                at_ms: 300.0,
                same_document: false,
            });
        });
        assert_eq!(root(sent_on), Some(Code::DeliveredElsewhere));
        let port = with(healthy(), |o| o.url = "https://kites.example:8443/".into());
        assert_eq!(root(port), Some(Code::DeliveredElsewhere));
    }

    #[test]
    fn www_https_and_a_route_are_the_same_site() {
        let from = |url: &str| with(healthy(), |o| o.url = url.into());
        assert_eq!(root(from("http://www.kites.example/")), None);
        assert_eq!(root(from("https://kites.example:443/")), None);
        let routed = with(healthy(), |o| {
            o.navigations.push(Navigation {
                url: "https://other.example/".into(),
                at_ms: 10.0,
                same_document: true,
            });
        });
        assert_eq!(root(routed), None);
    }
}
