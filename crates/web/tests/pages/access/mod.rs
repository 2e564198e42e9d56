//! Signing in, people, and what nobody may do.

pub(crate) mod accounts;
pub(crate) mod fields;
pub(crate) mod hardened;
pub(crate) mod people;
pub(crate) mod people_act;
pub(crate) mod serving;
