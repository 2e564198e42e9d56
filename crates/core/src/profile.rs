//! Supplier and consent profiles: what is known about the outside, as data (TOML). No supplier is
//! named in code; a new one is a new file. Fields that other parts of the job need (plans, prices)
//! may stand in the same file: what this module does not know it passes over.

mod consent_manager;
mod parameters;
mod parts;
mod sound;

use crate::code::Code;
use crate::strict_toml::{self, TomlError};
use regex::Regex;
use serde::{Deserialize, Serialize};
use url::Url;

use sound::Entries;

pub use consent_manager::{Banner, ConsentManager, ConsentMarks, Gating, StateScript, Texts};
pub(crate) use parameters::VALUE_MARK;
pub use parts::{
    AwaySteps, BubblePlaces, ChannelList, Console, Desk, EchoStep, EchoSteps, PartPlaces,
    PicturePlaces, PresenceStates, TextPlaces,
};

/// Why a profile is not taken.
#[derive(Debug, thiserror::Error)]
pub enum ProfileError {
    /// It is no TOML of the shape.
    #[error("the profile is not valid: {0}")]
    Syntax(#[from] TomlError),
    /// A key pattern is no regular expression with a group `key`.
    #[error(
        "the profile \u{201c}{id}\u{201d} has the key pattern \u{201c}{pattern}\u{201d}, which is not a regular expression with a group named key: {why}"
    )]
    KeyPattern {
        /// The profile.
        id: String,
        /// The pattern.
        pattern: String,
        /// Why.
        why: String,
    },
    /// It names neither a host nor a marker.
    #[error(
        "the profile \u{201c}{id}\u{201d} recognises nothing: give [recognise] script_hosts or inline_markers"
    )]
    RecognisesNothing {
        /// The profile.
        id: String,
    },
    /// A refusal has a code that no refusal means.
    #[error(
        "the profile \u{201c}{id}\u{201d} has a refusal with the code {code}; a refusal means one of the codes allowed.* or placed.wrong-key"
    )]
    RefusalCode {
        /// The profile.
        id: String,
        /// The code.
        code: Code,
    },
    /// A refusal fits every answer.
    #[error(
        "the profile \u{201c}{id}\u{201d} has a refusal with the code {code} that fits every answer: give it a status or a body"
    )]
    RefusesAll {
        /// The profile.
        id: String,
        /// The code.
        code: Code,
    },
    /// An entry that means nothing, or everything.
    #[error("the profile \u{201c}{id}\u{201d} has in {entry} \u{201c}{value}\u{201d}: {why}")]
    Entry {
        /// The profile.
        id: String,
        /// The entry.
        entry: &'static str,
        /// What it says.
        value: String,
        /// What is wrong with it.
        why: String,
    },
}

/// A firm that provides a chat widget, as far as checks need to know it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Supplier {
    /// Short name, unique.
    pub id: String,
    /// Name for people.
    pub name: String,
    /// How it is recognised.
    pub recognise: SupplierMarks,
    /// Its code.
    pub snippet: Snippet,
    /// How its widget shows that it is up.
    #[serde(default)]
    pub alive: Alive,
    /// How its panel is opened and closed.
    #[serde(default)]
    pub open: Open,
    /// What it needs consent for.
    #[serde(default)]
    pub consent: SupplierConsent,
    /// How a message is sent through it; `None` where that is not known.
    #[serde(default)]
    pub echo: Option<EchoSteps>,
    /// Where its texts are seen.
    #[serde(default)]
    pub texts: TextPlaces,
    /// Where its links to other channels are.
    #[serde(default)]
    pub channels: ChannelList,
    /// Where its pictures are.
    #[serde(default)]
    pub pictures: PicturePlaces,
    /// Where the talk's bubbles are.
    #[serde(default)]
    pub bubbles: BubblePlaces,
    /// Where the parts are that a design shows or hides.
    #[serde(default)]
    pub parts: PartPlaces,
    /// How its own settings name the design's values.
    #[serde(default)]
    pub desk: Desk,
    /// Its interface to the settings of a key; `None` where there is none that is known.
    #[serde(default)]
    pub console: Option<Console>,
    #[serde(skip)]
    patterns: Vec<Regex>,
    /// Where its code follows a design.
    #[serde(skip)]
    free: parameters::Free,
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

/// A supplier's code.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Snippet {
    /// The code as the supplier gives it, with `{{key}}` where the key goes.
    pub template: String,
    /// `body-end` or `head`.
    #[serde(default)]
    pub position: Position,
}

/// Where a snippet goes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Position {
    /// In the head.
    Head,
    /// Before the end of the body.
    #[default]
    BodyEnd,
}

/// Signs of a widget that is up.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(default)]
pub struct Alive {
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
    /// Who is there, as the widget tells it.
    pub states: PresenceStates,
}

impl Default for Alive {
    fn default() -> Self {
        Alive {
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
    /// What it means.
    pub code: Code,
}

/// Selectors of the panel.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Open {
    /// What opens it.
    pub click: String,
    /// The panel.
    pub panel: String,
    /// What closes it.
    pub close: String,
}

/// What consent means to a widget.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct SupplierConsent {
    /// What it is for.
    pub class: ConsentClass,
    /// Names that it stores.
    pub storage: Vec<String>,
}

/// What something is for, as consent managers sort it (common practice).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ConsentClass {
    /// The page does not work without it.
    Necessary,
    /// It does something for the visitor.
    #[default]
    Functional,
    /// It counts.
    Analytics,
    /// It advertises.
    Marketing,
}

impl Supplier {
    /// Reads a profile.
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
            if !crate::chain::allowed::refused::CODES.contains(&code) {
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
        supplier.note_parameters();
        Ok(supplier)
    }

    /// Reads a profile that somebody gives in: entries that mean nothing, or everything, are refused. One
    /// that is kept already is read by [`Supplier::from_toml`], whatever was allowed when it was kept.
    ///
    /// # Errors
    /// [`ProfileError`], with the entry that is wrong.
    pub fn given(text: &str) -> Result<Supplier, ProfileError> {
        let supplier = Supplier::from_toml(text)?;
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
        parameters::sound(&entries, &self.snippet.template)?;
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

    /// One of the hosts that serve the loader.
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

    /// One of the hosts that belong to the supplier.
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

    pub(crate) const SAMPLE: &str = r##"
id = "example"
name = "Example Chat"
[recognise]
script_hosts = ["cdn.example.test"]
inline_markers = ["exampleChat("]
key_patterns = ['data-key="(?P<key>[A-Za-z0-9-]{8,36})"', 'exampleChat\("(?P<key>[^"]+)"']
[snippet]
template = '<script async src="https://cdn.example.test/l.js" data-key="{{key}}"></script>'
position = "body-end"
[alive]
script = "window.exampleChat && window.exampleChat.ready === true"
launcher = "#example-launcher"
frame_hosts = ["app.example.test"]
socket_hosts = ["live.example.test"]
api_hosts = ["api.example.test"]
refusals = [ { status = 403, body = "domain not allowed", code = "allowed.domain" } ]
start_within_ms = 5000
[open]
click = "#example-launcher"
panel = "#example-panel"
close = "#example-panel .x"
[consent]
class = "functional"
storage = ["ex_id", "ex_session"]
"##;

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
                told.contains("alive.frame_hosts") && told.contains("is no host"),
                "{told}"
            );
        }
        let id = error("id = \"example\"", "id = \"../x\"");
        assert!(id.contains("no short name"), "{id}");
        let echo = "[echo]\ninput = \"#i\"\nsend = \"#s\"\nanswers = \"#a\"\nconsole_read = \"https://{{key}}.example.test/\"\nconsole_answer = \"https://c.example.test/{{key}}\"\n[consent]";
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
        let one = ConsentManager::from_toml("[banner]\naccept = '#yes'\nrefuse = ['#no', '.no']\n[gating]\ntype='text/plain'\nattribute='data-wait'").unwrap();
        assert_eq!(one.banner.accept.0, ["#yes"]);
        assert_eq!(one.banner.refuse.0.len(), 2);
        assert_eq!(one.gating.script_type, "text/plain");
    }
}
