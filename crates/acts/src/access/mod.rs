//! Who may do what, and how they sign in.

pub(crate) mod actor;
pub(crate) mod hashing;
pub(crate) mod people;
pub(crate) mod second_factor;
pub(crate) mod sessions;
pub mod tries;
