//! Profiles, and proposals for one from a visit.

pub(crate) mod profiles;
pub(crate) mod proposals;
