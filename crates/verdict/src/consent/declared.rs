//! What a widget really sends and keeps, as a client can put it into the privacy notice: hosts, and
//! names with how long they stay.

use super::is_ours;
use newtfern_model::intake::guarded;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Observation, StorageKind, StoredItem};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use url::Url;

/// Sort of a declared item.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Sort {
    /// A host that visitors' browsers connect to.
    Host,
    /// A cookie with its name.
    Cookie,
    /// An entry of local storage.
    Local,
    /// An entry of session storage.
    Session,
    /// A database of the browser (IndexedDB).
    Database,
    /// A cache that scripts keep.
    Cache,
}

impl Sort {
    /// Returns the sort as words for people.
    pub fn words(self) -> &'static str {
        match self {
            Sort::Host => "connection",
            Sort::Cookie => "cookie",
            Sort::Local => "local storage",
            Sort::Session => "session storage",
            Sort::Database => "database",
            Sort::Cache => "cache",
        }
    }

    fn of(stored: &StoredItem) -> Sort {
        match stored.kind {
            StorageKind::Cookie => Sort::Cookie,
            StorageKind::Local => Sort::Local,
            StorageKind::Session => Sort::Session,
            StorageKind::Database => Sort::Database,
            StorageKind::Cache => Sort::Cache,
        }
    }
}

/// One row of the notice's table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct DeclaredItem {
    /// Sort of the item: host, cookie or storage.
    pub sort: Sort,
    /// The host, or the name.
    pub name: String,
    /// Domain or origin that keeps it; of a host nothing.
    pub place: String,
    /// Seconds a cookie stays; none for what has no end of its own.
    pub stays_s: Option<f64>,
}

impl DeclaredItem {
    /// Returns how long it stays, for people.
    pub fn stays(&self) -> String {
        match (self.sort, self.stays_s) {
            (Sort::Host, _) => String::new(),
            (Sort::Cookie | Sort::Session, None) => "until the browser is closed".into(),
            (Sort::Local | Sort::Database | Sort::Cache, _) => "until it is deleted".into(),
            (_, Some(s)) if s >= 2.0 * 86_400.0 => format!("{:.0} days", s / 86_400.0),
            (_, Some(s)) if s >= 2.0 * 3_600.0 => format!("{:.0} hours", s / 3_600.0),
            (_, Some(s)) => format!("{:.0} minutes", (s / 60.0).max(1.0)),
        }
    }
}

/// All that was seen of a supplier in these visits, each once; of a cookie the longest stay.
pub fn declared(supplier: &Supplier, visits: &[&Observation]) -> Vec<DeclaredItem> {
    let mut all: BTreeMap<(Sort, String, String), Option<f64>> = BTreeMap::new();
    for seen in visits {
        let requests = seen.requests.iter().map(|r| r.url.as_str());
        let sockets = seen.sockets.iter().map(|s| s.url.as_str());
        let frames = seen.frames.iter().map(|f| f.url.as_str());
        for address in requests.chain(sockets).chain(frames) {
            let host = Url::parse(address).ok();
            let host = host.and_then(|u| u.host_str().map(str::to_string));
            if let Some(host) = host.filter(|h| supplier.owns_host(h)) {
                all.entry((Sort::Host, host, String::new())).or_default();
            }
        }
        for kept in seen.stored.iter().filter(|s| is_ours(supplier, s)) {
            let key = (Sort::of(kept), kept.name.clone(), kept.place.clone());
            let stays = all.entry(key).or_default();
            *stays = match (*stays, kept.expires_s) {
                (Some(a), Some(b)) => Some(a.max(b)),
                (a, b) => a.or(b),
            };
        }
    }
    let row = |((sort, name, place), stays_s)| DeclaredItem {
        sort,
        name,
        place,
        stays_s,
    };
    all.into_iter().map(row).collect()
}

/// Returns the rows as a spreadsheet (CSV, RFC 4180), with headings.
pub fn csv(rows: &[DeclaredItem]) -> String {
    let mut out = csv::Writer::from_writer(Vec::new());
    // Writing to memory does not fail.
    let _ = out.write_record(["what", "name", "kept_by", "stays", "stays_s"]);
    for row in rows {
        let seconds = row.stays_s.map(|s| format!("{s:.0}")).unwrap_or_default();
        // Names come from pages: a spreadsheet must not run them.
        let _ = out.write_record([
            row.sort.words(),
            &guarded(row.name.clone()),
            &guarded(row.place.clone()),
            &row.stays(),
            &seconds,
        ]);
    }
    String::from_utf8(out.into_inner().unwrap_or_default()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{healthy, loader, with};
    use crate::testing::sample;

    #[test]
    fn hosts_and_names_are_told_once_with_the_longest_stay() {
        let stored = |kind: StorageKind, name: &str, expires_s| StoredItem {
            kind,
            place: "kites.example".into(),
            name: name.into(),
            expires_s,
            ..StoredItem::default()
        };
        let mut supplier = sample();
        supplier.consent.storage = vec!["visitor".into(), "seen".into()];
        let first = with(healthy(), |o| {
            o.requests.push(loader(Some(200), None));
            o.stored = vec![
                stored(StorageKind::Cookie, "visitor", Some(7_200.0)),
                stored(StorageKind::Local, "others", None),
            ];
        });
        let second = with(healthy(), |o| {
            o.stored = vec![
                stored(StorageKind::Cookie, "visitor", Some(30.0 * 86_400.0)),
                stored(StorageKind::Local, "seen", None),
            ];
        });
        let told = declared(&supplier, &[&first, &second]);
        let rows: Vec<(Sort, &str, String)> = told
            .iter()
            .map(|d| (d.sort, d.name.as_str(), d.stays()))
            .collect();
        assert_eq!(
            rows,
            [
                (Sort::Host, "cdn.example.test", String::new()),
                (Sort::Cookie, "visitor", "30 days".into()),
                (Sort::Local, "seen", "until it is deleted".into()),
            ]
        );
        let mut strange = told.clone();
        strange[2].name = "=HYPERLINK(\"x\")".into();
        let text = csv(&strange);
        assert!(text.starts_with("what,name,kept_by,stays,stays_s\n"));
        assert!(text.contains("cookie,visitor,kites.example,30 days,2592000"));
        assert!(text.contains("\"'=HYPERLINK"), "{text}");
    }
}
