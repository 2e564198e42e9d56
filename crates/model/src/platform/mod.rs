//! Platforms and their slots: what a slot does to the code put into it, the form of a snippet that
//! survives it, and the proof, by parsing, that it does.

mod advice;
mod gating;
mod guess;
mod holding;
mod marks;
mod page_rules;
mod slot;
mod step;

pub use advice::{Advice, advise};
pub use gating::AtManager;
pub(crate) use gating::{called, in_script_tags};
pub use guess::guess;
pub use holding::Holding;
pub use marks::{MarkSeen, PlatformMarks, SetMarks};
pub use page_rules::rule_step;
pub use slot::{Scope, Slot, SlotEffect, SlotInput};
pub use step::Step;

use crate::placement::{Inspector, PieceState};
use crate::profile::{ConsentManager, Position, Supplier};
use newtfern_standards::address_template;
use newtfern_standards::html::Document;
use newtfern_standards::strict_toml::{self, TomlError};
use serde::{Deserialize, Serialize};
use url::Url;

/// Site builder or tag manager, as data.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Platform {
    /// Unique short name.
    pub id: String,
    /// Name of the platform, for people.
    pub name: String,
    /// Marks by which a page of it is recognised.
    #[serde(default)]
    pub recognise: PlatformMarks,
    /// Places that take code.
    #[serde(default, rename = "slot")]
    pub slots: Vec<Slot>,
    /// Interface to its slots, where the platform offers one.
    #[serde(default)]
    pub interface: Option<Interface>,
    /// Address of the desk at which a person works; `{{origin}}` is filled in.
    #[serde(default)]
    pub desk: Option<String>,
    /// Address at which the platform shows its pages with what is drafted; `{{origin}}` is filled
    /// in.
    #[serde(default)]
    pub preview: Option<String>,
    /// Marks by which a page names the published set that it loads, where this is a tag manager.
    #[serde(default)]
    pub sets: Option<SetMarks>,
}

/// Addresses of a code-slot interface; `{{origin}}` and `{{slot}}` are filled in. Reading gives
/// `{"text", "version"}`; writing takes the same and refuses a version that is not the last.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Interface {
    /// Address that gives the text of a slot; `{{origin}}` and `{{slot}}` are filled in.
    pub read: String,
    /// Address that takes the text of a slot.
    pub write: String,
    /// Address that makes what the slots hold what visitors get, where that is a step of its own
    /// (`POST`).
    #[serde(default)]
    pub publish: Option<String>,
}

impl Interface {
    /// Fills an address in; `None` where it is none then.
    pub fn fill(template: &str, site: &Url, slot: &str) -> Option<Url> {
        address_template::fill(template, Some(site), &[("slot", slot)]).ok()
    }
}

/// Reason why a profile is not taken.
#[derive(Debug, thiserror::Error)]
pub enum PlatformError {
    /// The text is no TOML of this shape.
    #[error(transparent)]
    Syntax(#[from] TomlError),
    /// A pattern of sets is no regular expression with a group `set`.
    #[error(
        "sets.patterns has \u{201c}{pattern}\u{201d}, which is not a regular expression with a \
        group named set: {why}"
    )]
    SetPattern {
        /// Pattern that cannot be compiled.
        pattern: String,
        /// Reason, as a clause for people.
        why: String,
    },
}

/// Reason why code does not go into a slot.
#[derive(Debug, thiserror::Error)]
pub enum FitError {
    /// The site has no key.
    #[error("the key is empty: choose the client's account first")]
    NoKey,
    /// The client runs the supplier itself, and nobody said where.
    #[error("each client runs {0} at an address of its own: enter it in the site's settings")]
    NoHost(String),
    /// The slot would lose a part of the code.
    #[error(
        "{slot} accepts only a loader address. The snippet of {supplier} also has {lost}, which \
        would be lost. Choose another slot"
    )]
    WouldLose {
        /// Name of the slot.
        slot: String,
        /// Name of the supplier.
        supplier: String,
        /// Part that would be lost.
        lost: String,
    },
    /// The slot leaves nothing of the code that a visitor's browser would run.
    #[error("{slot} {how}, so the snippet cannot run there. Choose another slot")]
    Destroys {
        /// Name of the slot.
        slot: String,
        /// Change that the slot makes, in words.
        how: &'static str,
    },
    /// The code is not the supplier's any more once the slot has taken it.
    #[error("{slot} breaks the code ({seen}). Choose another slot")]
    DoesNotSurvive {
        /// Name of the slot.
        slot: String,
        /// State that the code would be in.
        seen: String,
    },
}

/// A snippet in the form a slot needs, with what the page will then contain.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fitted {
    /// Code to paste into the slot.
    pub code: String,
    /// Markup that the slot makes of it in the page.
    pub becomes: String,
    /// Remarks on the code, although it works.
    #[serde(default)]
    pub notes: Vec<String>,
    /// Steps of a person at the consent manager, so that it holds back what the code cannot.
    #[serde(default)]
    pub at_manager: Option<AtManager>,
}

impl Platform {
    /// Reads a platform's profile from TOML.
    ///
    /// # Errors
    /// Where the text is no TOML of this shape; the place is in the error.
    pub fn from_toml(text: &str) -> Result<Platform, TomlError> {
        strict_toml::read(text)
    }

    /// Reads a profile that somebody gives in: a pattern of sets without its group is refused.
    ///
    /// # Errors
    /// What is wrong, in words.
    pub fn given(text: &str) -> Result<Platform, PlatformError> {
        let platform = Platform::from_toml(text)?;
        strict_toml::read_known::<Platform>(text)?;
        for pattern in platform.sets.iter().flat_map(|s| &s.patterns) {
            let fail = |why: String| PlatformError::SetPattern {
                pattern: pattern.clone(),
                why,
            };
            let regex = regex::Regex::new(pattern).map_err(|e| fail(e.to_string()))?;
            if !regex.capture_names().flatten().any(|n| n == "set") {
                return Err(fail("no group named set".into()));
            }
        }
        Ok(platform)
    }

    /// The slot with a short name.
    pub fn slot(&self, id: &str) -> Option<&Slot> {
        self.slots.iter().find(|s| s.id == id)
    }
}

/// Rewrites a snippet for a slot, holds it back as the consent manager can do it there, and proves
/// that exactly this comes out of the slot once, with its key, live or waiting.
///
/// # Errors
/// [`FitError`], where this slot cannot hold this snippet.
pub fn fit(
    supplier: &Supplier,
    key: &str,
    slot: &Slot,
    consent: Option<&ConsentManager>,
) -> Result<Fitted, FitError> {
    if key.trim().is_empty() {
        return Err(FitError::NoKey);
    }
    if supplier.needs_host() {
        return Err(FitError::NoHost(supplier.name.clone()));
    }
    if let Some(how) = slot.destroys() {
        let slot = slot.name.clone();
        return Err(FitError::Destroys { slot, how });
    }
    let plain = supplier.snippet_for(key);
    let holding = consent.map(|manager| (Holding::of(slot, supplier, manager), manager));
    let (code, becomes) = match slot.takes {
        SlotInput::Markup => {
            let code = match holding {
                Some((Holding::Mark, manager)) => gating::marked(&plain, supplier, manager),
                Some((Holding::Call, manager)) => {
                    in_script_tags(&gating::called(&script_text(&plain), supplier, manager))
                }
                _ => plain,
            };
            (code.clone(), code)
        }
        SlotInput::Snippet => (plain.clone(), plain),
        SlotInput::Key => (key.to_string(), plain),
        // The platform knows the key by itself.
        SlotInput::Switch => (String::new(), plain),
        SlotInput::ScriptText => {
            let mut code = script_text(&plain);
            if let Some((Holding::Call, manager)) = holding {
                code = gating::called(&code, supplier, manager);
            }
            let becomes = format!("<script>\n{code}\n</script>");
            (code, becomes)
        }
        SlotInput::Address => {
            let address = address_form(supplier, &plain, slot)?;
            let escaped = address.replace('&', "&amp;");
            (
                address,
                format!("<script src=\"{escaped}\" async></script>"),
            )
        }
    };
    let at_manager = holding.filter(|(holding, _)| *holding == Holding::Hosts);
    let fitted = Fitted {
        code,
        becomes,
        notes: slot.notes(holding.map(|(holding, _)| holding)),
        at_manager: at_manager.map(|(_, manager)| AtManager::of(supplier, manager)),
    };
    prove(supplier, key, slot, &fitted, consent)?;
    Ok(fitted)
}

/// Unwrapped script text: inline parts as they are, external parts as code that makes the element.
pub(crate) fn script_text(snippet: &str) -> String {
    let document = Document::parse(snippet);
    let mut parts = Vec::new();
    for id in document.walk() {
        if document.name(id) != Some("script") {
            continue;
        }
        match document.attribute(id, "src") {
            None => parts.push(document.text(id).trim().to_string()),
            Some(_) => {
                let newtfern_standards::html::Kind::Element { attributes, .. } =
                    &document.nodes[id].kind
                else {
                    continue;
                };
                let mut code =
                    String::from("(function () {\n  var s = document.createElement(\"script\");\n");
                for (name, value) in attributes {
                    // A JSON string is a script string; `<` is written so that no end tag can
                    // arise.
                    let quoted = |t: &str| {
                        serde_json::Value::from(t)
                            .to_string()
                            .replace('<', "\\u003c")
                    };
                    code.push_str(&format!(
                        "  s.setAttribute({}, {});\n",
                        quoted(name),
                        quoted(value)
                    ));
                }
                code.push_str(
                    "  document.body ? document.body.appendChild(s) : \
                    document.head.appendChild(s);\n})();",
                );
                parts.push(code);
            }
        }
    }
    parts.join("\n")
}

fn address_form(supplier: &Supplier, snippet: &str, slot: &Slot) -> Result<String, FitError> {
    let document = Document::parse(snippet);
    let scripts: Vec<usize> = document
        .walk()
        .into_iter()
        .filter(|id| document.name(*id) == Some("script"))
        .collect();
    let lost = |what: &str| FitError::WouldLose {
        slot: slot.name.clone(),
        supplier: supplier.name.clone(),
        lost: what.to_string(),
    };
    let [only] = scripts.as_slice() else {
        return Err(lost("more than one script element"));
    };
    let newtfern_standards::html::Kind::Element { attributes, .. } = &document.nodes[*only].kind
    else {
        return Err(lost("script text"));
    };
    if let Some((name, _)) = attributes
        .iter()
        .find(|(n, _)| !matches!(n.as_str(), "src" | "async" | "defer" | "type" | "charset"))
    {
        return Err(lost(&format!("the attribute {name}")));
    }
    document
        .attribute(*only, "src")
        .map(str::to_string)
        .ok_or_else(|| lost("script text"))
}

/// A page with what slots make of their texts, on which the proof is made.
pub(crate) fn proof_page(head: &str, body: &str) -> String {
    format!(
        "<!doctype \
        html>\n<html><head><title>x</title>\n{head}\n</head><body><p>x</p>\n{body}\n</body></html>"
    )
}

/// Parses a page that holds what the slot makes of the code.
fn prove(
    supplier: &Supplier,
    key: &str,
    slot: &Slot,
    fitted: &Fitted,
    consent: Option<&ConsentManager>,
) -> Result<(), FitError> {
    let (head, body) = match slot.position {
        Position::Head => (fitted.becomes.as_str(), ""),
        Position::BodyEnd => ("", fitted.becomes.as_str()),
    };
    let pieces = Inspector::new(supplier, consent).pieces_apart(&proof_page(head, body));
    // Script text that makes the element is seen as a mention of the loader by a script that parses
    // to its end.
    let fine = |p: &crate::placement::Piece| match p.state {
        PieceState::Live | PieceState::ConsentHeld(_) => p.key.key().is_none_or(|k| k == key),
        PieceState::Mentioned => {
            slot.takes == SlotInput::ScriptText && fitted.becomes.contains(key)
        }
        _ => false,
    };
    let whole = !newtfern_standards::script_scan::scan(&script_text(&fitted.becomes)).cut_off;
    if whole && !pieces.is_empty() && pieces.iter().all(fine) {
        return Ok(());
    }
    let seen = pieces
        .iter()
        .map(|p| format!("{:?}", p.state))
        .collect::<Vec<_>>()
        .join(", ");
    Err(FitError::DoesNotSurvive {
        slot: slot.name.clone(),
        seen: if seen.is_empty() {
            "nothing of it remains".into()
        } else {
            seen
        },
    })
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::profile::tests::{SAMPLE, sample};

    pub(crate) fn slot(takes: SlotInput) -> Slot {
        Slot {
            id: "s".into(),
            name: "the code box".into(),
            scope: Scope::Site,
            position: Position::BodyEnd,
            takes,
            steps: vec![],
            interface: None,
            does: vec![],
            undo: String::new(),
            paid_plan: false,
            page_rules: String::new(),
            lost_with_theme: false,
            follows_supplier: false,
        }
    }

    #[test]
    fn each_slot_gets_the_form_that_survives_it() {
        let s = sample();
        assert!(
            fit(&s, "abcd-1234", &slot(SlotInput::Markup), None)
                .unwrap()
                .code
                .starts_with("<script async")
        );
        assert_eq!(
            fit(&s, "abcd-1234", &slot(SlotInput::Key), None)
                .unwrap()
                .code,
            "abcd-1234"
        );
        let text = fit(&s, "abcd-1234", &slot(SlotInput::ScriptText), None).unwrap();
        assert!(
            !text.code.contains("<script") && text.code.contains("createElement"),
            "{}",
            text.code
        );
        let refused = fit(&s, "abcd-1234", &slot(SlotInput::Address), None).unwrap_err();
        assert!(refused.to_string().contains("data-key"), "{refused}");
        let by_query = Supplier::from_toml(
            &SAMPLE.replace("l.js\" data-key=\"{{key}}\"", "l.js?data-key={{key}}\""),
        )
        .unwrap();
        assert!(
            fit(&by_query, "abcd-1234", &slot(SlotInput::Address), None)
                .unwrap()
                .code
                .ends_with("l.js?data-key=abcd-1234")
        );
        assert!(matches!(
            fit(&s, " ", &slot(SlotInput::Markup), None),
            Err(FitError::NoKey)
        ));
    }

    #[test]
    fn a_form_that_does_not_survive_is_refused() {
        let fitted = Fitted {
            code: String::new(),
            becomes: format!("<script>{}</script>", sample().snippet_for("abcd-1234")),
            notes: vec![],
            at_manager: None,
        };
        let error = prove(
            &sample(),
            "abcd-1234",
            &slot(SlotInput::Markup),
            &fitted,
            None,
        )
        .unwrap_err();
        assert!(error.to_string().contains("DoubleWrapped"), "{error}");
    }
}
