//! Where a link to a channel leads: targets compared as their standards say, handles as they are
//! written. Telephone numbers by RFC 3966 (section 4), short messages by RFC 5724, mail by RFC 6068
//! (section 2), all other links by the URL standard.

use super::kind::ChannelKind;
use crate::pages::composed;
use percent_encoding::percent_decode_str;
use std::fmt;
use url::{Host, Url};

/// A target in the form in which two of them are compared.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// Kind of channel, as its scheme tells.
    pub scheme: String,
    /// The rest, without what makes no difference.
    rest: String,
}

impl fmt::Display for Target {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "{}:{}", self.scheme, self.rest)
    }
}

impl Target {
    /// Reads a link as a page writes it; nothing where it is none.
    ///
    /// ```
    /// use newtfern_model::channel::Target;
    /// let same = |a: &str, b: &str| Target::read(a, None) == Target::read(b, None);
    /// assert!(same("tel:+44-1632-960-123", "TEL:+44(1632)960123"));
    /// assert!(!same("tel:+441632960123", "tel:+441632960124"));
    /// ```
    pub fn read(link: &str, page: Option<&Url>) -> Option<Target> {
        let link = link.trim();
        let (scheme, rest) = link.split_once(':').unwrap_or(("", link));
        let rest = match scheme.to_ascii_lowercase().as_str() {
            "tel" => number(rest),
            "sms" => recipients(rest),
            "mailto" => mail(rest),
            _ => return Target::url(link, page),
        };
        Some(Target {
            scheme: scheme.to_ascii_lowercase(),
            rest,
        })
    }

    fn url(link: &str, page: Option<&Url>) -> Option<Target> {
        let url = match page {
            Some(page) => page.join(link),
            None => Url::parse(link),
        };
        let url = url.ok()?;
        let (scheme, rest) = url.as_str().split_once(':')?;
        Some(Target {
            scheme: scheme.into(),
            rest: rest.into(),
        })
    }

    /// Do both lead to the same service: the same scheme, and of pages the same host?
    pub fn is_of_service(&self, other: &Target) -> bool {
        let host = |t: &Target| {
            Url::parse(&t.to_string())
                .ok()?
                .host_str()
                .map(str::to_string)
        };
        self.scheme == other.scheme && host(self) == host(other)
    }

    /// Can a link of this kind lead here? Live chat and messaging lead wherever their service is.
    pub fn fits(&self, kind: ChannelKind) -> bool {
        match kind {
            ChannelKind::Phone => self.scheme == "tel",
            ChannelKind::Sms => self.scheme == "sms",
            ChannelKind::Mail => self.scheme == "mailto",
            ChannelKind::Messaging | ChannelKind::Chat => true,
            ChannelKind::Link => !matches!(self.scheme.as_str(), "tel" | "sms" | "mailto"),
        }
    }
}

fn decoded(text: &str) -> String {
    composed(&percent_decode_str(text).decode_utf8_lossy())
}

/// A number with its parameters: visual separators fall away, parameters are sorted, letter case is
/// folded.
fn number(text: &str) -> String {
    let text = decoded(text);
    let mut parts = text.split(';');
    let digits = parts.next().unwrap_or_default();
    let digits: String = digits
        .chars()
        .filter(|c| !matches!(c, '-' | '.' | '(' | ')') && !c.is_whitespace())
        .collect();
    let mut parameters: Vec<String> = parts.map(|p| parameter(p.trim())).collect();
    parameters.sort();
    parameters.insert(0, digits.to_ascii_lowercase());
    parameters.join(";")
}

/// Extensions and contexts that are numbers have separators too.
fn parameter(text: &str) -> String {
    let lower = text.to_ascii_lowercase();
    match lower.split_once('=') {
        Some((name @ ("ext" | "phone-context"), value))
            if value.starts_with(|c: char| c == '+' || c.is_ascii_digit()) =>
        {
            let value: String = value
                .chars()
                .filter(|c| !matches!(c, '-' | '.' | '(' | ')'))
                .collect();
            format!("{name}={value}")
        }
        _ => lower,
    }
}

fn recipients(text: &str) -> String {
    let (to, fields) = text.split_once('?').unwrap_or((text, ""));
    let mut to: Vec<String> = to.split(',').map(number).collect();
    to.sort();
    with_fields(to.join(","), fields_of(fields))
}

/// Addressees may stand before the question mark, in `to`, or in both. Domains know no letter case;
/// what stands before the @ is kept as it is written.
fn mail(text: &str) -> String {
    let (before, fields) = text.split_once('?').unwrap_or((text, ""));
    let mut to: Vec<String> = before.split(',').map(decoded).collect();
    let (more, fields): (Vec<_>, Vec<_>) =
        fields_of(fields).into_iter().partition(|(n, _)| n == "to");
    to.extend(
        more.iter()
            .flat_map(|(_, v)| v.split(',').map(str::to_string)),
    );
    let mut to: Vec<String> = to
        .iter()
        .flat_map(|t| t.split(','))
        .map(|t| addressee(t.trim()))
        .filter(|t| !t.is_empty())
        .collect();
    to.sort();
    with_fields(to.join(","), fields)
}

fn addressee(text: &str) -> String {
    match text.rsplit_once('@') {
        Some((local, domain)) => {
            let domain = match Host::parse(domain) {
                Ok(host) => host.to_string(),
                Err(_) => domain.to_lowercase(),
            };
            format!("{local}@{domain}")
        }
        None => text.to_string(),
    }
}

/// Names of fields know no letter case.
fn fields_of(text: &str) -> Vec<(String, String)> {
    let pairs = text.split('&').filter(|p| !p.is_empty());
    let mut out: Vec<(String, String)> = pairs
        .map(|p| {
            let (name, value) = p.split_once('=').unwrap_or((p, ""));
            (decoded(name).to_ascii_lowercase(), decoded(value))
        })
        .collect();
    out.sort();
    out
}

fn with_fields(mut to: String, fields: Vec<(String, String)>) -> String {
    for (i, (name, value)) in fields.into_iter().enumerate() {
        to.push(if i == 0 { '?' } else { '&' });
        to.push_str(&format!("{name}={value}"));
    }
    to
}

#[cfg(test)]
mod tests {
    use super::*;

    fn same(a: &str, b: &str) -> bool {
        let (a, b) = (Target::read(a, None), Target::read(b, None));
        assert!(a.is_some() && b.is_some());
        a == b
    }

    // RFC 3966, sections 3, 4 and 6.
    #[test]
    fn numbers_are_compared_as_rfc_3966_says() {
        assert!(same("tel:+1-201-555-0123", "tel:+12015550123"));
        assert!(same("tel:+1 (201) 555.0123", "TEL:+12015550123"));
        assert!(same(
            "tel:+358-555-1234567;POSTD=pp22",
            "tel:+358-555-1234567;postd=PP22"
        ));
        assert!(same(
            "tel:7042;phone-context=example.com;ext=12",
            "tel:7042;ext=1-2;phone-context=EXAMPLE.com"
        ));
        assert!(same(
            "tel:863-1234;phone-context=+1-914-555",
            "tel:8631234;phone-context=+1914555"
        ));
        // Global and local numbers differ, and so does a number in another context.
        assert!(!same("tel:+12015550123", "tel:12015550123"));
        assert!(!same(
            "tel:7042;phone-context=example.com",
            "tel:7042;phone-context=example.org"
        ));
    }

    // RFC 5724, section 2.5.
    #[test]
    fn short_messages_are_compared_by_recipient_and_body() {
        assert!(same(
            "sms:+15105550101,+15105550102?body=hello%20there",
            "sms:+1-510-555-0102,+1-510-555-0101?body=hello%20there"
        ));
        assert!(!same("sms:+15105550101", "sms:+15105550101?body=hello"));
        assert!(!same("sms:+15105550101", "tel:+15105550101"));
    }

    // RFC 6068, sections 2 and 6.
    #[test]
    fn mail_is_compared_as_rfc_6068_says() {
        let three = [
            "mailto:addr1@an.example,addr2@an.example",
            "mailto:?to=addr1@an.example,addr2@an.example",
            "mailto:addr1@an.example?to=addr2@an.example",
        ];
        assert!(three.iter().all(|t| same(t, three[0])));
        assert!(same("mailto:chris@example.com", "MAILTO:chris@EXAMPLE.com"));
        assert!(!same(
            "mailto:chris@example.com",
            "mailto:Chris@example.com"
        ));
        assert!(same(
            "mailto:joe@example.com?cc=bob@example.com&body=hello",
            "mailto:joe@example.com?BODY=hello&cc=bob@example.com"
        ));
        assert!(same(
            "mailto:gorby%25kremvax@example.com",
            "mailto:gorby%25kremvax@Example.COM"
        ));
        assert!(!same(
            "mailto:user@example.org?subject=caf%C3%A9",
            "mailto:user@example.org"
        ));
        // Composed and decomposed are the same words (Unicode NFC).
        assert!(same(
            "mailto:user@example.org?subject=caf%C3%A9",
            "mailto:user@example.org?subject=cafe%CC%81"
        ));
        // RFC 6068, section 6.2: an internationalised domain.
        assert!(same(
            "mailto:user@%E7%B4%8D%E8%B1%86.example.org",
            "mailto:user@xn--99zt52a.example.org"
        ));
    }

    #[test]
    fn other_links_are_resolved_and_their_handles_kept() {
        let page = Url::parse("https://www.kites.example/a/b").unwrap();
        let read = |t: &str| Target::read(t, Some(&page)).unwrap();
        assert_eq!(read("../c"), read("https://WWW.kites.example:443/c"));
        assert_ne!(
            read("https://m.example/KiteShop"),
            read("https://m.example/kiteshop")
        );
        assert!(Target::read("no address", None).is_none());
        assert!(read("tel:+44").fits(ChannelKind::Phone));
        assert!(!read("https://m.example/x").fits(ChannelKind::Phone));
    }
}
