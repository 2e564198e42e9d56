//! What follows from what should be and what was seen: the chain, consent, looks, weight, and how a
//! site stands in each family of checks.
//!
//! **No IO lives here**: no clock, no network, no database, no interface, no randomness without a
//! seed passed in, so that every verdict can be repeated from stored data. A test of the verdict
//! crate (`tests/house/arrows.rs`) checks that no runtime, database, web or HTTP crate is among the
//! dependencies.

#![warn(missing_docs, clippy::missing_errors_doc)]

pub mod assess;
pub mod brand;
pub mod busy;
pub mod chain;
pub mod consent;
pub mod echo;
pub mod family;
pub mod inputs;
pub mod junit;
pub mod manners;
pub mod report;
pub mod site_check;
pub mod timeline;
pub mod visits;
pub mod weigh;

#[cfg(test)]
mod testing;
