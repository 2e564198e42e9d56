//! The agency that runs this installation: what its sheets and mails say, whom a site's owner can
//! write to about our looks, and what new sites have unless something else is given.

use crate::site::{USUAL_BUDGET, budget as budget_of, country_of};
use newtfern_standards::typed::{self, MOST_NAME, MOST_TEXT};
use serde::{Deserialize, Serialize};

/// Test talks a month that small plans bear (common practice: a free plan has some tens of talks).
const USUAL_TESTS: u32 = 10;
/// More are no tests.
const MOST_TESTS: u32 = 1_000;

/// Facts about the agency.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Agency {
    /// Name of the agency.
    pub name: String,
    /// A mail address or a page, told to sites whose pages are looked through.
    pub contact: String,
    /// The address that its mails come from.
    pub sender: String,
    /// ISO 3166-1 alpha-2, of new sites' visitors.
    pub country: String,
    /// ms of thread time, of new sites.
    pub budget_ms: f64,
    /// Test talks that may be had at one client's account in a month: each costs the client a talk.
    pub tests_a_month: u32,
    /// Blob of its logo.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub logo: Option<String>,
}

impl Default for Agency {
    fn default() -> Self {
        Agency {
            name: String::new(),
            contact: String::new(),
            sender: String::new(),
            country: String::new(),
            budget_ms: USUAL_BUDGET,
            tests_a_month: USUAL_TESTS,
            logo: None,
        }
    }
}

/// A mail address as people type it: one `@`, something on both sides, a dot in the host, no
/// blanks.
fn is_mail(text: &str) -> bool {
    let Some((name, host)) = text.split_once('@') else {
        return false;
    };
    let plain = |t: &str| {
        !t.is_empty() && !t.contains(|c: char| c.is_whitespace() || c == '@' || c.is_control())
    };
    plain(name)
        && plain(host)
        && host.contains('.')
        && !host.starts_with('.')
        && !host.ends_with('.')
}

impl Agency {
    /// Reads the stored agency; an earlier version stored the name alone.
    pub fn read(value: &serde_json::Value) -> Agency {
        match value.as_str() {
            Some(name) => Agency {
                name: name.to_string(),
                ..Agency::default()
            },
            None => serde_json::from_value(value.clone()).unwrap_or_default(),
        }
    }

    /// Reads a form; every mistake is told with its field.
    pub fn typed(get: &dyn Fn(&str) -> String) -> (Agency, Vec<String>) {
        let mut out = Agency::default();
        let mut wrong = Vec::new();
        let mut text = |field: &str, label: &str, most: usize| {
            let typed = get(field);
            match typed::text(&typed, most) {
                Ok(kept) => kept.to_string(),
                Err(e) => {
                    wrong.push(format!("{label} {e}"));
                    String::new()
                }
            }
        };
        out.name = text("name", "The name", MOST_NAME);
        out.contact = text("contact", "The contact", MOST_TEXT);
        out.sender = text("sender", "The sender", MOST_TEXT);
        let country = text("country", "The country", MOST_TEXT);
        let budget = text("budget_ms", "The budget", MOST_TEXT);
        let tests = text("tests_a_month", "The number of test chats", MOST_TEXT);
        if out.name.is_empty() {
            wrong.push("The name is empty".into());
        }
        // It goes into a header of every request (RFC 9110, 10.1.5).
        if out
            .contact
            .chars()
            .any(|c| c.is_control() || c == '(' || c == ')')
            || !out.contact.is_ascii()
        {
            wrong.push("The contact must be a mail address or a page, in plain letters".into());
        }
        if !out.sender.is_empty() && !is_mail(&out.sender) {
            wrong.push(format!(
                "\u{201c}{}\u{201d} is not a mail address",
                out.sender
            ));
        }
        // As a site's own are read.
        match country_of(&country) {
            Ok(code) => out.country = code,
            Err(why) => wrong.push(why),
        }
        match budget_of(&budget) {
            Ok(ms) => out.budget_ms = ms,
            Err(why) => wrong.push(format!("The budget {why}")),
        }
        match tests.parse::<u32>() {
            Ok(n) if n <= MOST_TESTS => out.tests_a_month = n,
            _ if tests.is_empty() => {}
            _ => wrong.push(format!(
                "The number of test chats per month must be a whole number from 0 to {MOST_TESTS}"
            )),
        }
        (out, wrong)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_typed_is_kept_or_told() {
        let form = |sender: &'static str, country: &'static str, budget: &'static str| {
            move |field: &str| {
                match field {
                    "name" => "Fenwick & Sallow",
                    "sender" => sender,
                    "country" => country,
                    "budget_ms" => budget,
                    _ => "",
                }
                .to_string()
            }
        };
        let (agency, wrong) = Agency::typed(&form("talk@fenwick.example", "Norway", "40"));
        assert_eq!(wrong, Vec::<String>::new());
        assert_eq!((agency.country.as_str(), agency.budget_ms), ("NO", 40.0));
        for (sender, country, budget) in [
            ("talk@", "", ""),
            ("", "Atlantis", ""),
            ("", "", "-1"),
            ("a b@c.example", "", ""),
        ] {
            let (_, wrong) = Agency::typed(&form(sender, country, budget));
            assert_eq!(wrong.len(), 1, "{sender}{country}{budget}: {wrong:?}");
        }
        assert_eq!(Agency::typed(&|_| String::new()).1, ["The name is empty"]);
        let tests = |n: &'static str| {
            Agency::typed(&move |field| match field {
                "name" => "Fenwick & Sallow".to_string(),
                "tests_a_month" => n.to_string(),
                _ => String::new(),
            })
        };
        assert_eq!(tests("").0.tests_a_month, USUAL_TESTS);
        assert_eq!(tests("0").0.tests_a_month, 0);
        assert_eq!(tests("-1").1.len(), 1);
    }

    #[test]
    fn the_name_alone_is_read_as_it_was_kept_before() {
        let before = Agency::read(&serde_json::json!("Fenwick & Sallow"));
        assert_eq!(before.name, "Fenwick & Sallow");
        let now = serde_json::to_value(&before).unwrap();
        assert_eq!(Agency::read(&now), before);
    }
}
