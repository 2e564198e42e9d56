//! Entries of profiles that mean nothing, or everything: they are refused when a profile is read,
//! not met when a site is judged by it.

use super::ProfileError;
use newtfern_standards::address_template::fill;
use url::Url;

/// Entries of one profile that are looked at.
pub(crate) struct Entries<'a> {
    /// Short name of the profile.
    pub id: &'a str,
}

impl Entries<'_> {
    pub(super) fn refuse(
        &self,
        entry: &'static str,
        value: &str,
        why: impl Into<String>,
    ) -> ProfileError {
        ProfileError::Entry {
            id: self.id.to_string(),
            entry,
            value: value.to_string(),
            why: why.into(),
        }
    }

    /// A short name that can stand in addresses and lists.
    pub fn id(&self) -> Result<(), ProfileError> {
        let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_');
        if !self.id.is_empty() && self.id.len() <= 60 && self.id.chars().all(plain) {
            return Ok(());
        }
        Err(self.refuse(
            "id",
            self.id,
            "which is not a short name: letters, digits, - and _",
        ))
    }

    /// An empty mark would be found in every page.
    pub fn marks(&self, entry: &'static str, marks: &[String]) -> Result<(), ProfileError> {
        match marks.iter().find(|m| m.trim().is_empty()) {
            Some(mark) => {
                Err(self.refuse(entry, mark, "which is empty and would be found everywhere"))
            }
            None => Ok(()),
        }
    }

    /// Names of hosts, each whole.
    pub fn hosts(&self, entry: &'static str, hosts: &[String]) -> Result<(), ProfileError> {
        let odd = |h: &&String| {
            h.trim().is_empty()
                || h.contains(['*', '/', ':', '@', '?', '#', '\\'])
                || h.contains(char::is_whitespace)
        };
        match hosts.iter().find(odd) {
            Some(host) => {
                let why =
                    "which is not a host: give the whole name, without address, port or wildcard";
                Err(self.refuse(entry, host, why))
            }
            None => Ok(()),
        }
    }

    /// An address that can be filled in with any value.
    pub fn address(
        &self,
        entry: &'static str,
        template: &str,
        site: Option<&Url>,
        places: &[&str],
    ) -> Result<(), ProfileError> {
        let values: Vec<(&str, &str)> = places.iter().map(|p| (*p, "x")).collect();
        match fill(template, site, &values) {
            Ok(_) => Ok(()),
            Err(error) => Err(self.refuse(entry, template, error.to_string())),
        }
    }
}
