//! Supplier and consent profiles: what is known about the outside, as data (TOML). No supplier is
//! named in code; a new one is a new file. Fields that other parts of the job need (plans, prices)
//! may stand in the same file: what this module does not know it passes over.

mod consent_manager;
mod error;
mod hosted;
mod parameters;
mod parts;
pub mod sample_words;
mod sound;
mod template;

pub use consent_manager::{Banner, ConsentManager, ConsentMarks, Gating, StateScript, Texts};
pub use error::ProfileError;
pub use hosted::own_host;
pub use parts::{
    AwaySteps, BubblePlaces, ChannelList, Console, Desk, EchoStep, EchoSteps, PartPlaces,
    PicturePlaces, PresenceStates, TextPlaces,
};
pub(crate) use template::VALUE_MARK;

use crate::code::Code;
use newtfern_standards::strict_toml;
use newtfern_standards::tcf::ConsentClass;
use regex::Regex;
use serde::{Deserialize, Serialize};
use sound::Entries;
use url::Url;

/// A firm that provides a chat widget, as far as checks need to know it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Supplier {
    /// Unique short name.
    pub id: String,
    /// Name of the supplier, for people.
    pub name: String,
    /// Marks by which its code is recognised.
    pub recognise: SupplierMarks,
    /// Code that goes onto pages.
    pub snippet: Snippet,
    /// Signs that its widget is up.
    #[serde(default)]
    pub alive: LifeSigns,
    /// Controls that open and close its panel.
    #[serde(default)]
    pub open: Open,
    /// Consent that it needs.
    #[serde(default)]
    pub consent: SupplierConsent,
    /// Steps that send a message through it; none where they are not known.
    #[serde(default)]
    pub echo: Option<EchoSteps>,
    /// Places of its texts.
    #[serde(default)]
    pub texts: TextPlaces,
    /// Places of its links to other channels.
    #[serde(default)]
    pub channels: ChannelList,
    /// Places of its pictures.
    #[serde(default)]
    pub pictures: PicturePlaces,
    /// Places of the bubbles of a chat.
    #[serde(default)]
    pub bubbles: BubblePlaces,
    /// Places of the parts that a design shows or hides.
    #[serde(default)]
    pub parts: PartPlaces,
    /// Names that its own settings give the design's values.
    #[serde(default)]
    pub desk: Desk,
    /// Interface to the settings of a key; none where it is not known.
    #[serde(default)]
    pub console: Option<Console>,
    #[serde(skip)]
    patterns: Vec<Regex>,
    /// Places of its code that follow a design.
    #[serde(skip)]
    free: template::DesignPlaces,
}

/// Marks of a supplier in a page.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct SupplierMarks {
    /// Hosts that serve the loader: names without port, compared exactly.
    #[serde(default)]
    pub script_hosts: Vec<String>,
    /// Substrings that identify an inline loader.
    #[serde(default)]
    pub inline_markers: Vec<String>,
    /// Regular expressions with a group `key`.
    #[serde(default)]
    pub key_patterns: Vec<String>,
}

/// Code that a supplier asks its customers to place.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Snippet {
    /// The code as the supplier gives it, with `{{key}}` where the key goes.
    pub template: String,
    /// Place in the document: `body-end` or `head`.
    #[serde(default)]
    pub position: Position,
}

/// Place that a snippet goes to.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Position {
    /// In the document's head.
    Head,
    /// Before the end of the body.
    #[default]
    BodyEnd,
}

/// Signs of a widget that is up.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(default)]
pub struct LifeSigns {
    /// An expression evaluated in the page: true once the widget is up.
    pub script: String,
    /// CSS selector of the launcher; `>>>` steps into an open shadow root.
    pub launcher: String,
    /// Hosts of its frames.
    pub frame_hosts: Vec<String>,
    /// Hosts of its live connections.
    pub socket_hosts: Vec<String>,
    /// Hosts of its service.
    pub api_hosts: Vec<String>,
    /// Answers by which the supplier says no.
    pub refusals: Vec<Refusal>,
    /// ms that the widget may take after the document.
    pub start_within_ms: u64,
    /// Expressions that say who is there, as the widget tells it.
    pub states: PresenceStates,
}

impl Default for LifeSigns {
    fn default() -> Self {
        LifeSigns {
            script: String::new(),
            launcher: String::new(),
            frame_hosts: Vec::new(),
            socket_hosts: Vec::new(),
            api_hosts: Vec::new(),
            refusals: Vec::new(),
            start_within_ms: 5000,
            states: PresenceStates::default(),
        }
    }
}

/// An answer by which the supplier says no, and what that means.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Refusal {
    /// The answer has this status, if one is given.
    #[serde(default)]
    pub status: Option<u16>,
    /// The answer holds this text, if one is given.
    #[serde(default)]
    pub body: Option<String>,
    /// Code of the finding that the refusal means.
    pub code: Code,
}

/// Selectors of the panel.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Open {
    /// Selector of the control that opens the panel.
    pub click: String,
    /// Selector of the open panel.
    pub panel: String,
    /// Selector of the control that closes the panel.
    pub close: String,
}

/// Meaning of consent for a widget.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct SupplierConsent {
    /// Class of its purpose.
    pub class: ConsentClass,
    /// Names that it stores.
    pub storage: Vec<String>,
}

/// Codes that a refusal of the supplier may mean; a profile that names another is refused when it
/// is read.
pub const REFUSALS: &[Code] = &[
    Code::AllowedDomain,
    Code::AllowedCountry,
    Code::AllowedAccount,
    Code::AllowedHours,
    Code::AllowedDelay,
    Code::AllowedPageRule,
    Code::AllowedPolicy,
    Code::AllowedMixed,
    Code::AllowedConsentWaits,
    Code::AllowedConsentStuck,
    Code::PlacedWrongKey,
];

impl Supplier {
    /// Reads a supplier's profile from TOML.
    ///
    /// # Errors
    /// [`ProfileError`], with the entry that is wrong.
    pub fn from_toml(text: &str) -> Result<Supplier, ProfileError> {
        let mut supplier: Supplier = strict_toml::read(text)?;
        if supplier.recognise.script_hosts.is_empty()
            && supplier.recognise.inline_markers.is_empty()
        {
            return Err(ProfileError::RecognisesNothing { id: supplier.id });
        }
        for refusal in &supplier.alive.refusals {
            let (id, code) = (supplier.id.clone(), refusal.code);
            if !REFUSALS.contains(&code) {
                return Err(ProfileError::RefusalCode { id, code });
            }
            if refusal.status.is_none() && refusal.body.is_none() {
                return Err(ProfileError::RefusesAll { id, code });
            }
        }
        for pattern in &supplier.recognise.key_patterns {
            let fail = |why: String| ProfileError::KeyPattern {
                id: supplier.id.clone(),
                pattern: pattern.clone(),
                why,
            };
            let regex = Regex::new(pattern).map_err(|e| fail(e.to_string()))?;
            if !regex.capture_names().flatten().any(|n| n == "key") {
                return Err(fail("no group named key".into()));
            }
            supplier.patterns.push(regex);
        }
        supplier.free = template::DesignPlaces::of(&supplier.snippet.template);
        Ok(supplier)
    }

    /// Reads a profile that somebody gives in: entries that mean nothing, or everything, are
    /// refused. One that is kept already is read by [`Supplier::from_toml`], whatever was allowed
    /// when it was kept.
    ///
    /// # Errors
    /// [`ProfileError`], with the entry that is wrong.
    pub fn given(text: &str) -> Result<Supplier, ProfileError> {
        let supplier = Supplier::from_toml(text)?;
        strict_toml::read_known::<Supplier>(text)?;
        supplier.sound()?;
        Ok(supplier)
    }

    fn sound(&self) -> Result<(), ProfileError> {
        let entries = Entries { id: &self.id };
        entries.id()?;
        entries.marks("recognise.inline_markers", &self.recognise.inline_markers)?;
        entries.hosts("recognise.script_hosts", &self.recognise.script_hosts)?;
        entries.hosts("alive.frame_hosts", &self.alive.frame_hosts)?;
        entries.hosts("alive.socket_hosts", &self.alive.socket_hosts)?;
        entries.hosts("alive.api_hosts", &self.alive.api_hosts)?;
        template::sound(&entries, &self.snippet.template)?;
        if let Some(echo) = &self.echo {
            let talk = ["key", "conversation"];
            for (entry, address, places) in [
                ("echo.console_read", &echo.console_read, &talk[..1]),
                ("echo.console_answer", &echo.console_answer, &talk[..1]),
                ("echo.console_tidy", &echo.console_tidy, &talk[..]),
                ("echo.console_talk", &echo.console_talk, &talk[..]),
            ] {
                // Left out where the console has no such interface.
                if !address.is_empty() {
                    entries.address(entry, address, None, places)?;
                }
            }
        }
        for address in self.channels.addresses.values() {
            entries.address("channels.addresses", address, None, &["handle"])?;
        }
        if let Some(console) = &self.console {
            entries.address("console.read", &console.read, None, &["key"])?;
            if let Some(write) = &console.write {
                entries.address("console.write", write, None, &["key"])?;
            }
        }
        Ok(())
    }

    /// The first key that any of the profile's patterns finds.
    pub fn key_in(&self, text: &str) -> Option<String> {
        self.patterns.iter().find_map(|p| {
            p.captures(text)
                .and_then(|c| c.name("key"))
                .map(|m| m.as_str().to_string())
        })
    }

    /// Would the profile's patterns find this key, whole, in the snippet made with it? A profile
    /// without patterns takes any.
    pub fn accepts_key(&self, key: &str) -> bool {
        let snippet = self.snippet_for(key);
        self.patterns.is_empty()
            || !self.snippet.template.contains("{{key}}")
            || self.key_in(&snippet).as_deref() == Some(key)
    }

    /// The snippet for one key, exactly as the supplier gives it.
    pub fn snippet_for(&self, key: &str) -> String {
        self.bare_template().replace("{{key}}", key)
    }

    /// Returns whether a host serves the loader.
    pub fn serves_loader(&self, host: &str) -> bool {
        self.recognise
            .script_hosts
            .iter()
            .any(|h| h.eq_ignore_ascii_case(host))
    }

    /// The text holds one of the markers.
    pub fn has_marker(&self, text: &str) -> bool {
        self.recognise
            .inline_markers
            .iter()
            .any(|m| text.contains(m.as_str()))
    }

    /// All hosts that belong to the supplier, as far as the profile names them.
    pub fn hosts(&self) -> impl Iterator<Item = &str> {
        let alive = &self.alive;
        [
            &self.recognise.script_hosts,
            &alive.frame_hosts,
            &alive.socket_hosts,
            &alive.api_hosts,
        ]
        .into_iter()
        .flatten()
        .map(String::as_str)
    }

    /// Returns whether a host belongs to the supplier.
    pub fn owns_host(&self, host: &str) -> bool {
        self.hosts().any(|h| h.eq_ignore_ascii_case(host))
    }

    /// An address on one of them.
    pub fn owns(&self, address: &str) -> bool {
        let url = Url::parse(address).ok();
        url.is_some_and(|u| u.host_str().is_some_and(|h| self.owns_host(h)))
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;

    pub(crate) const SAMPLE: &str = include_str!("../../tests/sample.toml");

    pub(crate) fn sample() -> Supplier {
        Supplier::from_toml(SAMPLE).expect("the sample profile is valid")
    }

    #[test]
    fn the_published_example_is_read() {
        let supplier = sample();
        assert_eq!(
            supplier
                .key_in("<script data-key=\"abcd-1234\">")
                .as_deref(),
            Some("abcd-1234")
        );
        assert!(supplier.owns_host("LIVE.example.test"));
        assert_eq!(supplier.alive.refusals[0].code, Code::AllowedDomain);
    }

    #[test]
    fn a_profile_that_recognises_nothing_is_refused() {
        let text = SAMPLE
            .replace("script_hosts", "script_host")
            .replace("inline_markers", "markers");
        let error = Supplier::from_toml(&text).unwrap_err();
        assert!(error.to_string().contains("script_hosts"), "{error}");
    }

    #[test]
    fn a_refusal_with_a_typing_error_or_without_a_mark_is_refused() {
        let error = |text: &str| Supplier::from_toml(text).unwrap_err().to_string();
        let typo = error(&SAMPLE.replace("allowed.domain", "allowed.domian"));
        assert!(typo.contains("allowed.domain"), "{typo}");
        let other = error(&SAMPLE.replace("allowed.domain", "fetched.dns"));
        assert!(other.contains("allowed.* or placed.wrong-key"), "{other}");
        let all = SAMPLE.replace("status = 403, body = \"domain not allowed\", ", "");
        assert!(error(&all).contains("every answer"));
    }

    #[test]
    fn entries_that_mean_nothing_or_everything_are_refused() {
        assert!(Supplier::given(SAMPLE).is_ok());
        let error = |from: &str, to: &str| {
            let text = SAMPLE.replace(from, to);
            assert_ne!(text, SAMPLE, "{from}");
            // One that was kept before is still read.
            assert!(Supplier::from_toml(&text).is_ok(), "{to}");
            Supplier::given(&text).unwrap_err().to_string()
        };
        let empty = error("[\"exampleChat(\"]", "[\"exampleChat(\", \" \"]");
        assert!(empty.contains("recognise.inline_markers"), "{empty}");
        assert!(empty.contains("found everywhere"), "{empty}");
        for host in [
            "*",
            "*.example.test",
            "https://app.example.test",
            "app.example.test:80",
            "",
            "a b",
        ] {
            let told = error("[\"app.example.test\"]", &format!("[\"{host}\"]"));
            assert!(
                told.contains("alive.frame_hosts") && told.contains("is not a host"),
                "{told}"
            );
        }
        let id = error("id = \"example\"", "id = \"../x\"");
        assert!(id.contains("not a short name"), "{id}");
        let echo = "[echo]\ninput = \"#i\"\nsend = \"#s\"\nanswers = \"#a\"\nconsole_read = \
            \"https://{{key}}.example.test/\"\nconsole_answer = \
            \"https://c.example.test/{{key}}\"\n[consent]";
        let place = error("[consent]", echo);
        assert!(
            place.contains("echo.console_read") && place.contains("host"),
            "{place}"
        );
    }

    #[test]
    fn a_key_pattern_without_a_key_group_is_told() {
        let error = Supplier::from_toml(&SAMPLE.replace("?P<key>[^", "?P<k>[^")).unwrap_err();
        assert!(error.to_string().contains("no group named key"), "{error}");
    }

    #[test]
    fn banner_selectors_may_be_one_or_many() {
        let one = ConsentManager::from_toml(
            "[banner]\naccept = '#yes'\nrefuse = ['#no', \
            '.no']\n[gating]\ntype='text/plain'\nattribute='data-wait'",
        )
        .unwrap();
        assert_eq!(one.banner.accept.0, ["#yes"]);
        assert_eq!(one.banner.refuse.0.len(), 2);
        assert_eq!(one.gating.script_type, "text/plain");
    }
}
