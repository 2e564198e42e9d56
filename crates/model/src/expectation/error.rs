//! What is wrong with an expectation.

use newtfern_standards::strict_toml::TomlError;

/// Reason why a file is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ExpectationError {
    /// The text is no TOML of this shape.
    #[error(transparent)]
    Syntax(#[from] TomlError),
    /// A value that means nothing.
    #[error("{field}: {why}")]
    Value {
        /// Path of the field in the file.
        field: String,
        /// Reason, as a clause for people.
        why: String,
    },
}

pub(super) fn bad<T>(
    field: impl Into<String>,
    why: impl Into<String>,
) -> Result<T, ExpectationError> {
    Err(ExpectationError::Value {
        field: field.into(),
        why: why.into(),
    })
}
