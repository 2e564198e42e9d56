//! People, their sessions and second factors, and the audit trail.

pub mod audit;
pub mod people;
pub mod second_factor;
pub mod sessions;
