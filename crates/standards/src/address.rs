//! Addresses that people type, and which network addresses are public.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};
use url::{Host, Url};

/// Reason why an address is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AddressError {
    /// The text is empty.
    #[error("no address was given")]
    Empty,
    /// The text does not parse; what was typed.
    #[error("\u{201c}{0}\u{201d} is not a web address: write it like https://www.tidemill.example")]
    Syntax(String),
    /// Neither `http` nor `https`; the scheme.
    #[error("the address begins with {0}:, and only http: and https: can be visited")]
    Scheme(String),
    /// The address has a user name or a password.
    #[error(
        "the address carries a user name or password: leave them out, visits are those of the \
        public"
    )]
    Credentials,
    /// A name without a dot; the name.
    #[error("the host {0} has no dot: write the full name of the site")]
    BareHost(String),
    /// The address lies in a private network; the host.
    #[error("{0} is a private or local address")]
    Private(String),
}

/// Reads an address as typed: blanks trimmed, `https://` put before a bare host, fragment dropped.
///
/// # Errors
/// [`AddressError`], in words for the person who typed it.
pub fn parse(text: &str) -> Result<Url, AddressError> {
    let plain = text.trim();
    if plain.is_empty() {
        return Err(AddressError::Empty);
    }
    let has_scheme = plain.split_once(':').is_some_and(|(s, rest)| {
        rest.starts_with("//")
            || (!s.contains('.') && !rest.starts_with(|c: char| c.is_ascii_digit()))
    });
    let whole = if has_scheme {
        plain.to_string()
    } else {
        format!("https://{plain}")
    };
    let mut url = Url::parse(&whole).map_err(|_| AddressError::Syntax(plain.to_string()))?;
    if !matches!(url.scheme(), "http" | "https") {
        return Err(AddressError::Scheme(url.scheme().to_string()));
    }
    if !url.username().is_empty() || url.password().is_some() {
        return Err(AddressError::Credentials);
    }
    if plain.contains(char::is_whitespace) {
        return Err(AddressError::Syntax(plain.to_string()));
    }
    match url.host() {
        Some(Host::Domain(name)) if !name.contains('.') && name != "localhost" => {
            return Err(AddressError::BareHost(name.to_string()));
        }
        None => return Err(AddressError::Syntax(plain.to_string())),
        _ => {}
    }
    url.set_fragment(None);
    Ok(url)
}

/// Names that are loopback by definition (RFC 6761, 6.3) and must not be asked of a resolver.
pub fn is_localhost_name(host: &str) -> bool {
    let host = host.trim_end_matches('.').to_ascii_lowercase();
    host == "localhost" || host.ends_with(".localhost")
}

/// Names that never resolve (RFC 6761, 6.4).
pub fn is_invalid_name(host: &str) -> bool {
    let host = host.trim_end_matches('.').to_ascii_lowercase();
    host == "invalid" || host.ends_with(".invalid")
}

/// Would what is sent to this address be readable on the way? Loopback leaves no machine.
pub fn is_unencrypted(url: &Url) -> bool {
    let stays = match url.host() {
        Some(Host::Domain(name)) => is_localhost_name(name),
        Some(Host::Ipv4(ip)) => ip.is_loopback(),
        Some(Host::Ipv6(ip)) => ip.to_canonical().is_loopback(),
        None => false,
    };
    url.scheme() == "http" && !stays
}

/// Globally reachable, after the special-purpose registries of RFC 6890 and its updates; the cloud
/// metadata addresses fall under link-local and unique-local. IPv4 inside IPv6 is judged as IPv4.
pub fn is_public(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(ip) => public_v4(ip),
        IpAddr::V6(ip) => public_v6(ip),
    }
}

fn public_v4(ip: Ipv4Addr) -> bool {
    let [a, b, c, _] = ip.octets();
    !(a == 0 // this network
        || ip.is_private()
        || (a == 100 && (64..128).contains(&b)) // shared address space, RFC 6598
        || ip.is_loopback()
        || ip.is_link_local()
        || (a == 192 && b == 0 && c == 0) // protocol assignments
        || ip.is_documentation()
        || (a == 192 && b == 88 && c == 99) // former 6to4 relay
        || (a == 198 && (18..20).contains(&b)) // benchmarking
        || a >= 224) // multicast, reserved, broadcast
}

fn public_v6(ip: Ipv6Addr) -> bool {
    let s = ip.segments();
    if let Some(v4) = ip.to_ipv4_mapped() {
        return public_v4(v4);
    }
    if s[0] == 0x64 && s[1] == 0xff9b {
        // NAT64, RFC 6052: the last 32 bits are the IPv4 address.
        return s[2] == 0 && public_v4(Ipv4Addr::from((u32::from(s[6]) << 16) | u32::from(s[7])));
    }
    if s[0] == 0x2002 {
        return public_v4(Ipv4Addr::from((u32::from(s[1]) << 16) | u32::from(s[2])));
    }
    // Only 2000::/3 is handed out for the public; of it, documentation and protocol blocks are not.
    (s[0] & 0xe000) == 0x2000
        && !(s[0] == 0x2001 && (s[1] < 0x200 || s[1] == 0xdb8))
        && !(s[0] == 0x3fff && s[1] < 0x1000)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_read_as_people_type_them() {
        for (typed, read) in [
            (" www.tidemill.example ", "https://www.tidemill.example/"),
            (
                "http://Tidemill.example/shop#top",
                "http://tidemill.example/shop",
            ),
            (
                "tidemill.localhost:8080/x",
                "https://tidemill.localhost:8080/x",
            ),
        ] {
            assert_eq!(parse(typed).unwrap().as_str(), read);
        }
    }

    #[test]
    fn what_cannot_be_visited_is_told_apart() {
        assert_eq!(parse(""), Err(AddressError::Empty));
        assert_eq!(
            parse("ftp://a.example"),
            Err(AddressError::Scheme("ftp".into()))
        );
        assert_eq!(
            parse("javascript:alert(1)"),
            Err(AddressError::Scheme("javascript".into()))
        );
        assert_eq!(
            parse("https://me:pw@a.example"),
            Err(AddressError::Credentials)
        );
        assert_eq!(
            parse("tidemill"),
            Err(AddressError::BareHost("tidemill".into()))
        );
        assert!(matches!(
            parse("https://a b.example"),
            Err(AddressError::Syntax(_))
        ));
    }

    /// Blocks of the IANA special-purpose address registries (RFC 6890, 8190), and neighbours that
    /// are public.
    #[test]
    fn special_purpose_addresses_are_not_public() {
        for ip in [
            "0.0.0.0",
            "10.1.2.3",
            "100.64.0.1",
            "127.0.0.1",
            "169.254.169.254",
            "172.16.0.1",
            "192.0.0.8",
            "192.0.2.1",
            "192.168.1.1",
            "198.18.0.1",
            "203.0.113.9",
            "224.0.0.1",
            "255.255.255.255",
            "::",
            "::1",
            "::ffff:10.0.0.1",
            "64:ff9b::a00:1",
            "fc00::1",
            "fd00:ec2::254",
            "fe80::1",
            "ff02::1",
            "2001:db8::1",
            "2002:7f00:1::",
        ] {
            assert!(!is_public(ip.parse().unwrap()), "{ip}");
        }
        for ip in [
            "1.1.1.1",
            "100.128.0.1",
            "172.32.0.1",
            "198.20.0.1",
            "2606:4700::1111",
            "::ffff:8.8.8.8",
            "64:ff9b::808:808",
        ] {
            assert!(is_public(ip.parse().unwrap()), "{ip}");
        }
    }
}
