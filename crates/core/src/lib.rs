//! All rules and computation of Newtfern.
//!
//! **No IO lives here**: no clock, no network, no database, no interface, no randomness without a
//! seed passed in. The probe brings [`observation::Observation`]s, the store keeps them, and the
//! functions below judge them; so every verdict can be repeated from stored data.
//! `tests/arrows.rs` checks that no runtime, database, web or HTTP crate is among the dependencies.

#![warn(missing_docs, clippy::missing_errors_doc)]

pub mod address;
pub mod address_template;
pub mod agency;
pub mod assess;
pub mod brand;
pub mod calendar;
pub mod chain;
pub mod channel;
pub mod code;
pub mod colour;
pub mod consent;
pub mod country;
pub mod derive;
pub mod design;
pub mod diary;
pub mod direction;
pub mod echo;
pub mod expectation;
pub mod family;
pub mod finding;
pub mod har;
pub mod html;
pub mod image_hash;
pub mod intake;
pub mod job;
pub mod junit;
pub mod mailbox;
pub mod manners;
pub mod observation;
pub mod pages;
pub mod placement;
pub mod placing;
pub mod platform;
pub mod policy;
pub mod private_hosts;
pub mod profile;
pub mod profile_form;
pub mod profiles;
pub mod script_scan;
pub mod site;
pub mod site_check;
pub mod slot_text;
pub mod strict_toml;
pub mod survey;
pub mod tags;
pub mod tcf;
pub mod timeline;
pub mod typed;
pub mod value_sheet;
pub mod visits;
pub mod weigh;
