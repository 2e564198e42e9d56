//! Tokens: sealed, shown once, given to confirmed origins alone.

pub(crate) mod secrets;
pub(crate) mod token_origins;
pub(crate) mod tokens;
