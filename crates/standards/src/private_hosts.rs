//! Which private and local addresses visits may go to: an administrator's list of hosts and
//! networks.

use crate::address::{AddressError, is_localhost_name, is_public};
use ipnet::IpNet;
use std::fmt;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};
use std::sync::Arc;
use url::{Host, Url};

/// Entries that a list may have.
const MOST_ENTRIES: usize = 200;

/// Bytes of one: a name may have 253 (RFC 1035, 2.3.4, written with dots).
const MOST_ENTRY: usize = 260;

/// One line of the list.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Entry {
    /// A host, wherever it leads.
    Name(String),
    /// All hosts below a name, not the name itself.
    Below(String),
    /// All addresses of a network, whatever name led there.
    Net(IpNet),
}

/// Reason why a line of the list is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PrivateHostsError {
    /// A line that is neither host nor network.
    #[error(
        "\u{201c}{0}\u{201d} is neither a host nor a network: write a name \
        (stage.fenwick.example), all names below one (*.stage.fenwick.example), an address \
        (10.0.3.7) or a network (10.0.3.0/24)"
    )]
    Line(String),
    /// More entries than are taken.
    #[error(
        "the list has {0} entries, and may have {MOST_ENTRIES}: write networks in place of single \
        addresses"
    )]
    Many(usize),
}

/// The list; empty, it allows public addresses only.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PrivateHosts(Arc<[Entry]>);

impl PrivateHosts {
    /// Returns the rule that allows public addresses only.
    pub fn none() -> PrivateHosts {
        PrivateHosts::default()
    }

    /// Every address there is.
    pub fn all() -> PrivateHosts {
        let v4 = IpNet::new_assert(Ipv4Addr::UNSPECIFIED.into(), 0);
        let v6 = IpNet::new_assert(Ipv6Addr::UNSPECIFIED.into(), 0);
        PrivateHosts([Entry::Net(v4), Entry::Net(v6)].into())
    }

    /// Reads hosts and networks, parted by line ends, blanks or commas.
    ///
    /// # Errors
    /// [`PrivateHostsError`], with what is none.
    pub fn read(text: &str) -> Result<PrivateHosts, PrivateHostsError> {
        let parted = text.split(|c: char| c.is_whitespace() || c == ',');
        let lines: Vec<&str> = parted.filter(|l| !l.is_empty()).collect();
        if lines.len() > MOST_ENTRIES {
            return Err(PrivateHostsError::Many(lines.len()));
        }
        let mut entries: Vec<Entry> = Vec::new();
        for line in lines {
            if line.len() > MOST_ENTRY {
                let beginning = line.chars().take(40).collect();
                return Err(PrivateHostsError::Line(beginning));
            }
            let entry = entry(line).ok_or_else(|| PrivateHostsError::Line(line.to_string()))?;
            if !entries.contains(&entry) {
                entries.push(entry);
            }
        }
        Ok(PrivateHosts(entries.into()))
    }

    /// May a visit to a host go to the address that its name led to?
    pub fn allow(&self, host: &str, ip: IpAddr) -> bool {
        let plain = ip.to_canonical();
        if is_public(ip) {
            return true;
        }
        let host = plain_name(host);
        self.0.iter().any(|entry| match entry {
            Entry::Name(name) => *name == host,
            Entry::Below(name) => host
                .strip_suffix(name.as_str())
                .is_some_and(|rest| rest.ends_with('.')),
            Entry::Net(net) => net.contains(&plain),
        })
    }

    /// Refuses at once what needs no resolving. The guard in the probe judges again after
    /// resolving.
    ///
    /// # Errors
    /// [`AddressError::Private`], where the host is one and not on the list.
    pub fn refuse(&self, url: &Url) -> Result<(), AddressError> {
        let host = url.host_str().unwrap_or_default();
        let allowed = match url.host() {
            Some(Host::Domain(name)) if is_localhost_name(name) => {
                self.allow(host, Ipv4Addr::LOCALHOST.into())
                    || self.allow(host, Ipv6Addr::LOCALHOST.into())
            }
            Some(Host::Domain(_)) => true,
            Some(Host::Ipv4(ip)) => self.allow(host, ip.into()),
            Some(Host::Ipv6(ip)) => self.allow(host, ip.into()),
            None => false,
        };
        match allowed {
            true => Ok(()),
            false => Err(AddressError::Private(host.to_string())),
        }
    }
}

impl fmt::Display for PrivateHosts {
    /// Writes the list as it is read, one entry a line.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, entry) in self.0.iter().enumerate() {
            if i > 0 {
                f.write_str("\n")?;
            }
            match entry {
                Entry::Name(name) => f.write_str(name)?,
                Entry::Below(name) => write!(f, "*.{name}")?,
                Entry::Net(net) if net.prefix_len() == net.max_prefix_len() => {
                    write!(f, "{}", net.addr())?;
                }
                Entry::Net(net) => write!(f, "{net}")?,
            }
        }
        Ok(())
    }
}

/// Returns a host in lower case, without the root's dot and the brackets of an address.
fn plain_name(host: &str) -> String {
    let bare = host.trim_start_matches('[').trim_end_matches(']');
    bare.trim_end_matches('.').to_ascii_lowercase()
}

fn entry(line: &str) -> Option<Entry> {
    let bare = line.trim_start_matches('[').trim_end_matches(']');
    if let Ok(ip) = bare.parse::<IpAddr>() {
        return Some(Entry::Net(IpNet::from(ip.to_canonical())));
    }
    if let Ok(net) = line.parse::<IpNet>() {
        return Some(Entry::Net(net.trunc()));
    }
    let (below, name) = match line.strip_prefix("*.") {
        Some(name) => (true, name),
        None => (false, line),
    };
    // As a browser reads a host: international names become ASCII, numbers that are addresses do
    // not pass.
    match Host::parse(name) {
        Ok(Host::Domain(name)) if !name.contains('*') => {
            let name = plain_name(&name);
            let entry = if below { Entry::Below } else { Entry::Name };
            (!name.is_empty()).then(|| entry(name))
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ip(text: &str) -> IpAddr {
        text.parse().unwrap()
    }

    #[test]
    fn only_what_is_on_the_list_is_allowed() {
        let list = PrivateHosts::read(
            "Stage.Fenwick.example\n*.mill.example, 10.0.3.0/24\r\n192.168.7.9 fd12::/16",
        )
        .unwrap();
        for (host, to, allowed) in [
            ("stage.fenwick.example", "10.9.9.9", true),
            ("STAGE.fenwick.example.", "127.0.0.1", true),
            ("other.stage.fenwick.example", "10.9.9.9", false),
            ("a.b.mill.example", "10.9.9.9", true),
            ("mill.example", "10.9.9.9", false),
            ("treadmill.example", "10.9.9.9", false),
            ("anything.example", "10.0.3.77", true),
            ("anything.example", "::ffff:10.0.3.77", true),
            ("anything.example", "10.0.4.1", false),
            ("192.168.7.9", "192.168.7.9", true),
            ("192.168.7.10", "192.168.7.10", false),
            ("x.example", "fd12::1", true),
            ("x.example", "fd13::1", false),
            ("x.example", "169.254.169.254", false),
            ("x.example", "1.1.1.1", true),
        ] {
            assert_eq!(list.allow(host, ip(to)), allowed, "{host} at {to}");
        }
    }

    #[test]
    fn none_and_all_are_the_two_ends() {
        for to in ["127.0.0.1", "::1", "10.0.0.1", "fe80::1", "169.254.169.254"] {
            assert!(!PrivateHosts::none().allow("x.example", ip(to)), "{to}");
            assert!(PrivateHosts::all().allow("x.example", ip(to)), "{to}");
        }
    }

    #[test]
    fn a_list_is_written_as_it_is_read() {
        let text = "stage.fenwick.example\n*.mill.example\n10.0.3.0/24\n192.168.7.9\n::1";
        let list = PrivateHosts::read(text).unwrap();
        assert_eq!(list.to_string(), text);
        // Host bits and repetitions are not kept; international names are, as browsers send them.
        let list = PrivateHosts::read("10.0.3.9/24 10.0.3.0/24 m\u{fc}hle.example").unwrap();
        assert_eq!(list.to_string(), "10.0.3.0/24\nxn--mhle-0ra.example");
        assert_eq!(PrivateHosts::read(" \n ").unwrap(), PrivateHosts::none());
    }

    #[test]
    fn what_is_no_entry_is_told() {
        for bad in [
            "*",
            "a.*.example",
            "10.0.0.0/40",
            "http://a.example/",
            "10.0.0",
            "*.",
            "a b@c",
        ] {
            let told = PrivateHosts::read(bad).unwrap_err().to_string();
            assert!(
                told.contains("is neither a host nor a network"),
                "{bad}: {told}"
            );
        }
        let long = format!("{}.example", "a".repeat(300));
        assert!(PrivateHosts::read(&long).is_err());
        let many = (0..201)
            .map(|i| format!("h{i}.example\n"))
            .collect::<String>();
        let told = PrivateHosts::read(&many).unwrap_err();
        assert_eq!(told, PrivateHostsError::Many(201));
    }

    #[test]
    fn names_and_numbers_are_refused_before_they_are_resolved() {
        let list = PrivateHosts::read("*.localhost").unwrap();
        let refused = |text: &str| list.refuse(&Url::parse(text).unwrap()).is_err();
        assert!(!refused("http://mill.localhost:8480/"));
        assert!(refused("http://localhost/"));
        assert!(refused("http://127.0.0.1/"));
        assert!(refused("http://[::1]/"));
        assert!(!refused("http://1.1.1.1/"));
        assert!(!refused("https://www.tidemill.example/"));
    }

    #[test]
    fn written_forms_of_loopback_are_seen_through() {
        for text in [
            "http://127.1/",
            "http://0x7f000001/",
            "http://2130706433/",
            "http://[::ffff:127.0.0.1]/",
            "http://x.localhost./",
        ] {
            let url = Url::parse(text).unwrap();
            assert!(PrivateHosts::none().refuse(&url).is_err(), "{text}");
        }
    }
}
