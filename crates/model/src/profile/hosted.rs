//! Suppliers that a client runs at an address of its own: the profile has `{{host}}` in its places,
//! and each site says what stands there.

use super::Supplier;

/// Place of the client's own address in a profile.
const HOST: &str = "{{host}}";

/// Reads the address at which a client runs its supplier: a host, with its port where it has one.
///
/// # Errors
/// Why it is none.
///
/// ```
/// use newtfern_model::profile::own_host;
/// assert_eq!(own_host(" https://chat.mill.example/login ").unwrap(), "chat.mill.example");
/// assert_eq!(own_host("chat.mill.example:8443").unwrap(), "chat.mill.example:8443");
/// assert!(own_host("chat mill").is_err());
/// ```
pub fn own_host(typed: &str) -> Result<String, String> {
    let typed = typed.trim();
    let none = || {
        format!("\u{201c}{typed}\u{201d} is not a host: enter one such as chat.tidemill.example")
    };
    let rest = typed.split_once("://").map_or(typed, |(_, rest)| rest);
    let host = rest.split(['/', '?', '#']).next().unwrap_or_default();
    let url = url::Url::parse(&format!("https://{host}/")).map_err(|_| none())?;
    let named = url.host_str().is_some_and(|h| h.contains('.')) && url.username().is_empty();
    match (named, url.port()) {
        (false, _) => Err(none()),
        (true, None) => Ok(url.host_str().unwrap_or_default().to_string()),
        (true, Some(port)) => Ok(format!("{}:{port}", url.host_str().unwrap_or_default())),
    }
}

impl Supplier {
    /// Returns whether each client runs it at an address of its own.
    pub fn needs_host(&self) -> bool {
        self.snippet.template.contains(HOST)
    }

    /// Returns the supplier as it is at this address: its code, its hosts, its console and its test
    /// steps. Without an address, and where it needs none, it is unchanged.
    pub fn at_host(self, host: &str) -> Supplier {
        if host.is_empty() || !self.needs_host() {
            return self;
        }
        // Lists of hosts have names without port.
        let name = host.split(':').next().unwrap_or(host);
        let Ok(text) = toml::to_string(&self) else {
            return self;
        };
        let list = format!("\"{HOST}\"");
        let text = text
            .replace(&list, &format!("\"{name}\""))
            .replace(HOST, host);
        Supplier::from_toml(&text).unwrap_or(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const OWN: &str = "id = 'own'\nname = 'Own'\n[recognise]\nscript_hosts = ['{{host}}']\n\
        key_patterns = ['k=(?P<key>[a-z0-9-]+)']\n[snippet]\ntemplate = '<script async \
        src=\"https://{{host}}/l.js?k={{key}}\"></script>'\n[alive]\nscript = 'window.own'\n\
        frame_hosts = ['{{host}}']\n[console]\nread = 'https://{{host}}/api/{{key}}'";

    #[test]
    fn code_hosts_and_console_are_at_the_clients_address() {
        let supplier = Supplier::from_toml(OWN).unwrap();
        assert!(supplier.needs_host());
        let at = supplier.clone().at_host("chat.mill.example:8443");
        assert_eq!(at.recognise.script_hosts, ["chat.mill.example"]);
        assert_eq!(at.alive.frame_hosts, ["chat.mill.example"]);
        let code = at.snippet_for("ab-1");
        assert_eq!(
            code,
            "<script async src=\"https://chat.mill.example:8443/l.js?k=ab-1\"></script>"
        );
        assert!(at.owns("https://chat.mill.example:8443/l.js") && !at.needs_host());
        let console = at.console.unwrap();
        assert!(console.read.contains("chat.mill.example:8443/api"));
        assert!(supplier.at_host("").needs_host());
    }
}
