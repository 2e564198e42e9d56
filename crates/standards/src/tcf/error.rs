//! Why a consent string cannot be read.

/// Reason why a text is no consent string.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TcfError {
    /// A character that base64url does not have.
    #[error("it has the character \u{201c}{0}\u{201d}, which base64url does not have")]
    Letter(char),
    /// The text ends before its fields do.
    #[error("it ends before its fields do")]
    Short,
    /// A version that cannot be decoded.
    #[error("it is of version {0}; 2 is read")]
    Version(u64),
}
