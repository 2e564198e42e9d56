//! Addresses with places to be filled in, as profiles write them for interfaces. What is filled in
//! comes from people and pages, and a token goes to where the address leads: so no value may change
//! the host, and each stands in the address as data.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use url::{Origin, Url};

/// All but the unreserved characters (RFC 3986, 2.3).
const DATA: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'_')
    .remove(b'.')
    .remove(b'~');

/// Mark for the address of the site, at the beginning only.
const ORIGIN: &str = "{{origin}}";

/// Reason why an address cannot be filled in.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TemplateError {
    /// A place stands in scheme, host or port.
    #[error("\u{201c}{0}\u{201d} has a place to be filled in where its host stands")]
    PlaceInHost(String),
    /// A place that nobody fills in.
    #[error("\u{201c}{0}\u{201d} has a place that is not known")]
    Unknown(String),
    /// Filled in, it is no address, or leads elsewhere.
    #[error("\u{201c}{0}\u{201d} is not an address once it is filled in")]
    NoAddress(String),
    /// A value that is a step in a path.
    #[error("\u{201c}{0}\u{201d} cannot stand in an address")]
    Value(String),
}

/// Fills values into an address. `site` gives `{{origin}}`.
///
/// # Errors
/// [`TemplateError`], where the address would not be what its writer meant.
///
/// ```
/// use newtfern_standards::address_template::fill;
/// let read = "https://console.osier.test/messages?key={{key}}";
/// let filled = fill(read, None, &[("key", "a&b=c")]).unwrap();
/// assert_eq!(filled.as_str(), "https://console.osier.test/messages?key=a%26b%3Dc");
/// ```
pub fn fill(
    template: &str,
    site: Option<&Url>,
    values: &[(&str, &str)],
) -> Result<Url, TemplateError> {
    let template = template.trim();
    let (base, rest) = parts(template, site)?;
    let mut address = base.clone();
    let mut rest = rest;
    while let Some((before, after)) = rest.split_once("{{") {
        let unknown = || TemplateError::Unknown(template.to_string());
        let (name, after) = after.split_once("}}").ok_or_else(unknown)?;
        let value = values
            .iter()
            .find(|(n, _)| *n == name.trim())
            .ok_or_else(unknown)?;
        if matches!(value.1, "." | "..") {
            return Err(TemplateError::Value(value.1.to_string()));
        }
        address.push_str(before);
        address.extend(utf8_percent_encode(value.1, DATA));
        rest = after;
    }
    address.push_str(rest);
    let no_address = || TemplateError::NoAddress(template.to_string());
    let url = Url::parse(&address).map_err(|_| no_address())?;
    let meant = Url::parse(&base).map_err(|_| no_address())?.origin();
    let same = matches!(meant, Origin::Tuple(..)) && url.origin() == meant;
    let plain = url.username().is_empty() && url.password().is_none();
    (same && plain).then_some(url).ok_or_else(no_address)
}

/// Scheme, host and port, in which nothing is filled in, and what follows them.
fn parts<'t>(template: &'t str, site: Option<&Url>) -> Result<(String, &'t str), TemplateError> {
    if let (Some(rest), Some(site)) = (template.strip_prefix(ORIGIN), site) {
        // Else what follows would belong to the host.
        if !(rest.is_empty() || rest.starts_with(['/', '?', '#'])) {
            return Err(TemplateError::PlaceInHost(template.to_string()));
        }
        return Ok((site.origin().ascii_serialization(), rest));
    }
    let host = template.find("://").map_or(0, |at| at + 3);
    let end = template[host..].find(['/', '?', '#', '\\']);
    let (base, rest) = template.split_at(end.map_or(template.len(), |e| host + e));
    match base.contains("{{") {
        true => Err(TemplateError::PlaceInHost(template.to_string())),
        false => Ok((base.to_string(), rest)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn filled(template: &str, value: &str) -> Result<String, TemplateError> {
        let site = Url::parse("https://mill.example:8443/shop").unwrap();
        fill(template, Some(&site), &[("key", value), ("slot", value)]).map(String::from)
    }

    #[test]
    fn values_stand_in_the_address_as_data() {
        let read = "{{origin}}/slots/{{slot}}?k={{key}}#x";
        assert_eq!(
            filled(read, "head code/../../x?y#z&\u{e9}").unwrap(),
            "https://mill.example:8443/slots/head%20code%2F..%2F..%2Fx%3Fy%23z%26%C3%A9\
             ?k=head%20code%2F..%2F..%2Fx%3Fy%23z%26%C3%A9#x"
        );
        assert_eq!(
            filled("https://c.osier.test", "x").unwrap(),
            "https://c.osier.test/"
        );
        // Placeholders in a value are text.
        assert_eq!(
            filled("https://c.osier.test/{{key}}", "{{slot}}").unwrap(),
            "https://c.osier.test/%7B%7Bslot%7D%7D"
        );
    }

    #[test]
    fn no_value_leads_elsewhere() {
        for template in [
            "https://{{key}}.osier.test/",
            "https://{{key}}/",
            "{{key}}://osier.test/",
            "https://osier.test:{{key}}/",
            "https://osier.test{{key}}/",
            "{{origin}}{{key}}",
            "{{origin}}.elsewhere.example/",
        ] {
            let error = filled(template, "x").unwrap_err();
            assert!(
                matches!(error, TemplateError::PlaceInHost(_)),
                "{template}: {error}"
            );
        }
        assert!(matches!(
            filled("{{origin}}/{{key}}", ".."),
            Err(TemplateError::Value(_))
        ));
        for value in [
            "@elsewhere.example",
            "//elsewhere.example",
            "\\\\elsewhere.example",
            "\u{ff20}",
        ] {
            let url = filled("{{origin}}/{{key}}", value).unwrap();
            assert!(url.starts_with("https://mill.example:8443/"), "{url}");
        }
    }

    #[test]
    fn what_is_no_address_says_so() {
        assert!(matches!(
            filled("osier.test/{{key}}", "x"),
            Err(TemplateError::NoAddress(_))
        ));
        assert!(matches!(
            filled("data:{{slot}}", "x"),
            Err(TemplateError::PlaceInHost(_))
        ));
        assert!(matches!(
            filled("https://user@osier.test/", "x"),
            Err(TemplateError::NoAddress(_))
        ));
        assert!(matches!(
            filled("https://osier.test/{{other}}", "x"),
            Err(TemplateError::Unknown(_))
        ));
        assert!(matches!(
            filled("https://osier.test/{{key", "x"),
            Err(TemplateError::Unknown(_))
        ));
        // Without a site there is no origin.
        let error = fill("{{origin}}/x", None, &[]).unwrap_err();
        assert!(matches!(error, TemplateError::PlaceInHost(_)));
    }

    proptest::proptest! {
        /// Whatever is filled in, the host stays.
        #[test]
        fn any_value_leaves_the_host(value in ".{0,40}") {
            if let Ok(url) = fill("https://console.osier.test/a/{{key}}?b={{key}}", None, &[("key",
                &value)]) {
                proptest::prop_assert_eq!(url.host_str(), Some("console.osier.test"));
                proptest::prop_assert!(url.path().starts_with("/a/"), "{}", url);
            }
        }
    }
}
