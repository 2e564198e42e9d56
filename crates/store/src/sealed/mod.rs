//! Sealed values, and the origins that they may go to.

pub mod client_tokens;
pub mod seal;
pub mod token_origins;
