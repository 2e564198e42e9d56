//! Clients, and what they see.

pub mod client_acts;
pub mod clients;
pub mod errand;
pub mod handover;
