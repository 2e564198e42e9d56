//! What published standards define: addresses and hosts, HTML, scripts, policies, colours, archives
//! of requests, consent strings; and what a visit observes.
//!
//! **No IO lives here**: no clock, no network, no database, no interface, no randomness without a
//! seed passed in, so that every verdict can be repeated from stored data. A test of the verdict
//! crate (`tests/house/arrows.rs`) checks that no runtime, database, web or HTTP crate is among the
//! dependencies.

#![warn(missing_docs, clippy::missing_errors_doc)]

pub mod address;
pub mod address_template;
pub mod colour;
pub mod country;
pub mod direction;
pub mod har;
pub mod html;
pub mod image_hash;
pub mod mailbox;
pub mod nearest;
pub mod nesting;
pub mod observation;
pub mod policy;
pub mod private_hosts;
pub mod script_scan;
pub mod slot_text;
pub mod statistics;
pub mod strict_toml;
pub mod tcf;
pub mod typed;
