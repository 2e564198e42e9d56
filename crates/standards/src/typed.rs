//! Texts as people type them: blanks at the ends dropped, no longer than is kept, none of the
//! characters that no place of ours can hold.

/// Mistake in a text; the words follow the name of its field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum TypedError {
    /// The text is too long; how many characters it may have.
    #[error("is longer than {0} characters")]
    Long(usize),
    /// PostgreSQL keeps no NUL, and no text needs one.
    #[error("contains a NUL character, which is not allowed")]
    Nul,
    /// A header of HTTP cannot carry it (RFC 9110, 5.5).
    #[error(
        "contains a line end or another control character: copy it again without its surroundings"
    )]
    Control,
}

/// A text of so many characters at most.
///
/// # Errors
/// [`TypedError`], where it cannot be kept.
pub fn text(typed: &str, most: usize) -> Result<&str, TypedError> {
    let typed = typed.trim();
    if typed.chars().count() > most {
        return Err(TypedError::Long(most));
    }
    if typed.contains('\0') {
        return Err(TypedError::Nul);
    }
    Ok(typed)
}

/// Characters of a token.
pub const MOST_TOKEN: usize = 4_000;

/// A token that is sent in a header.
///
/// # Errors
/// [`TypedError`], where it cannot be sent.
pub fn token(typed: &str) -> Result<&str, TypedError> {
    let typed = text(typed, MOST_TOKEN)?;
    if typed.chars().any(char::is_control) {
        return Err(TypedError::Control);
    }
    Ok(typed)
}

/// A name that is none of the known ones.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\u{201c}{0}\u{201d} is not known")]
pub struct UnknownName(pub String);

/// Characters of a name that still fit a row.
pub const MOST_NAME: usize = 120;

/// Characters of any other text.
pub const MOST_TEXT: usize = 400;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_trimmed_and_kept_or_refused_whole() {
        assert_eq!(text(" \u{e9}\u{e9} \n", 2), Ok("\u{e9}\u{e9}"));
        assert_eq!(text("\u{e9}\u{e9}\u{e9}", 2), Err(TypedError::Long(2)));
        assert_eq!(text("a\0b", 9), Err(TypedError::Nul));
        assert_eq!(text("two\nlines", 9), Ok("two\nlines"));
    }

    #[test]
    fn a_token_is_one_line() {
        assert_eq!(token(" abc.DEF-1 \r\n"), Ok("abc.DEF-1"));
        assert_eq!(token("abc\r\nX-Other: 1"), Err(TypedError::Control));
        assert_eq!(token(&"x".repeat(4_001)), Err(TypedError::Long(4_000)));
    }
}
