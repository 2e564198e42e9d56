//! Whose code a paste is. Hosts and markers decide; a key is looked for only by the patterns of
//! that supplier, since those of others find keys in anybody's code.

use super::scripts::scripts_of;
use super::{hosts_of, mend};
use crate::placement::Inspector;
use crate::profile::Supplier;
use url::Url;

/// Owner of pasted code.
#[derive(Debug, Clone)]
pub struct CodeOwner<'a> {
    /// Supplier whose hosts or markers are in the code; none where no profile has them.
    pub supplier: Option<&'a Supplier>,
    /// Key that the supplier's patterns find; none where it is missing or a sample.
    pub key: Option<String>,
    /// First host that the code loads from.
    pub host: Option<String>,
}

/// Reads whose code was pasted, in any state of damage; nothing where it is no code. A supplier
/// that is already chosen goes before others whose hosts are in the code too.
pub fn owner_of<'a>(
    pasted: &str,
    chosen: Option<&str>,
    suppliers: &[&'a Supplier],
) -> Option<CodeOwner<'a>> {
    let (code, _) = mend::mend(pasted).ok()?;
    let scripts = scripts_of(&code);
    let hosts = hosts_of(&scripts);
    let by_host = |s: &Supplier| hosts.iter().any(|h| s.serves_loader(h));
    let by_marker = |s: &Supplier| scripts.iter().any(|script| s.has_marker(&script.text));
    let rank = |s: &Supplier| (Some(s.id.as_str()) != chosen, !by_host(s));
    let own = suppliers
        .iter()
        .copied()
        .filter(|s| by_host(s) || by_marker(s));
    let supplier = own.min_by_key(|s| rank(s));
    Some(CodeOwner {
        supplier,
        key: supplier.and_then(|s| key_of(s, &code)),
        host: hosts.into_iter().next(),
    })
}

/// The real key in a supplier's own code.
fn key_of(supplier: &Supplier, code: &str) -> Option<String> {
    let page = Url::parse("https://page.invalid/").ok()?;
    let html = format!("<!doctype html><title>x</title><body>{code}</body>");
    let pieces = Inspector::new(supplier, None).pieces(&html, &page);
    pieces.iter().find_map(|p| p.key.key().map(str::to_string))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::tests::SAMPLE;

    /// Two suppliers whose key patterns find each other's keys.
    fn two() -> Vec<Supplier> {
        let other = SAMPLE
            .replace("id = \"example\"", "id = \"osier\"")
            .replace("cdn.example.test", "cdn.osier.test")
            .replace("exampleChat", "osierTalk");
        [SAMPLE, &other]
            .map(|t| Supplier::from_toml(t).unwrap())
            .into()
    }

    fn told(pasted: &str, chosen: Option<&str>) -> Option<(Option<String>, Option<String>)> {
        let all = two();
        let owner = owner_of(pasted, chosen, &all.iter().collect::<Vec<_>>())?;
        Some((owner.supplier.map(|s| s.id.clone()), owner.key))
    }

    const OSIER: &str =
        "<script async src=\"https://cdn.osier.test/l.js\" data-key=\"abcd-1234\"></script>";

    #[test]
    fn hosts_and_markers_decide_whatever_patterns_would_find() {
        let whose = |id: &str, key: &str| Some((Some(id.to_string()), Some(key.to_string())));
        assert_eq!(told(OSIER, None), whose("osier", "abcd-1234"));
        assert_eq!(told(OSIER, Some("example")), whose("osier", "abcd-1234"));
        let inline = "<script>osierTalk('wxyz-9876')</script>";
        assert_eq!(told(inline, None), whose("osier", "wxyz-9876"));
    }

    #[test]
    fn a_key_that_a_mail_broke_is_whole_again() {
        for broken in [
            OSIER.replace("abcd-", "abcd-\n"),
            OSIER.replace("abcd-", "abcd-\r\n    "),
            OSIER
                .replace("abcd-", "abcd-=\r\n")
                .replace("data-key=", "data-key=3D"),
            OSIER.replace("abcd-", "abcd-\n> "),
        ] {
            let (supplier, key) = told(&broken, None).unwrap();
            assert_eq!(supplier.as_deref(), Some("osier"), "{broken}");
            assert_eq!(key.as_deref(), Some("abcd-1234"), "{broken}");
        }
    }

    #[test]
    fn code_of_nobody_known_has_no_key() {
        let other = OSIER.replace("cdn.osier.test", "cdn.reed.test");
        let all = two();
        let owner = owner_of(&other, Some("example"), &all.iter().collect::<Vec<_>>()).unwrap();
        assert!(owner.supplier.is_none() && owner.key.is_none());
        assert_eq!(owner.host.as_deref(), Some("cdn.reed.test"));
        let sample = OSIER.replace("abcd-1234", "YOUR-KEY-HERE");
        assert_eq!(told(&sample, None), Some((Some("osier".into()), None)));
        assert_eq!(told("abcd-1234", None), None);
        assert_eq!(told("(none yet)", None), None);
    }
}
