//! What is written outside: slots, sets of tags, settings at suppliers.

pub(crate) mod begun;
pub(crate) mod placing;
pub(crate) mod reach;
pub mod slot_access;
pub(crate) mod supplier_settings;
pub(crate) mod tags;
