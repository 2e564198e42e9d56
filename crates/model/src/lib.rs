//! What should be: profiles of suppliers and platforms, a site, its design and its pages, where its
//! snippet is placed, what a file expects.
//!
//! **No IO lives here**: no clock, no network, no database, no interface, no randomness without a
//! seed passed in, so that every verdict can be repeated from stored data. A test of the verdict
//! crate (`tests/house/arrows.rs`) checks that no runtime, database, web or HTTP crate is among the
//! dependencies.

#![warn(missing_docs, clippy::missing_errors_doc)]

pub mod agency;
pub mod calendar;
pub mod channel;
pub mod code;
pub mod derive;
pub mod design;
pub mod diary;
pub mod expectation;
pub mod finding;
pub mod intake;
pub mod job;
pub mod pages;
pub mod placement;
pub mod placing;
pub mod platform;
pub mod profile;
pub mod profile_form;
pub mod profiles;
pub mod region;
pub mod site;
pub mod survey;
pub mod tags;
pub mod value_sheet;
pub mod variables;

#[cfg(test)]
mod testing;
