//! What is wrong with a profile.

use crate::code::Code;
use newtfern_standards::strict_toml::TomlError;

/// Reason why a profile is not taken.
#[derive(Debug, thiserror::Error)]
pub enum ProfileError {
    /// The text is no TOML of this shape.
    #[error("the profile is not valid: {0}")]
    Syntax(#[from] TomlError),
    /// A key pattern is no regular expression with a group `key`.
    #[error(
        "the profile \u{201c}{id}\u{201d} has the key pattern \u{201c}{pattern}\u{201d}, which is \
        not a regular expression with a group named key: {why}"
    )]
    KeyPattern {
        /// Short name of the profile.
        id: String,
        /// Pattern that cannot be compiled.
        pattern: String,
        /// Reason, as a clause for people.
        why: String,
    },
    /// The profile names neither a host nor a marker.
    #[error(
        "the profile \u{201c}{id}\u{201d} recognises nothing: give [recognise] script_hosts \
        or inline_markers"
    )]
    RecognisesNothing {
        /// Short name of the profile.
        id: String,
    },
    /// A refusal has a code that no refusal means.
    #[error(
        "the profile \u{201c}{id}\u{201d} has a refusal with the code {code}; a refusal means one \
        of the codes allowed.* or placed.wrong-key"
    )]
    RefusalCode {
        /// Short name of the profile.
        id: String,
        /// Code that the refusal names.
        code: Code,
    },
    /// A refusal fits every answer.
    #[error(
        "the profile \u{201c}{id}\u{201d} has a refusal with the code {code} that fits every \
        answer: give it a status or a body"
    )]
    RefusesAll {
        /// Short name of the profile.
        id: String,
        /// Code that the refusal names.
        code: Code,
    },
    /// An entry that means nothing, or everything.
    #[error("the profile \u{201c}{id}\u{201d} has in {entry} \u{201c}{value}\u{201d}: {why}")]
    Entry {
        /// Short name of the profile.
        id: String,
        /// Name of the entry.
        entry: &'static str,
        /// Value of the entry.
        value: String,
        /// Mistake in the entry.
        why: String,
    },
}
