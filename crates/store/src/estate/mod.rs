//! Clients and sites: their rows, lists, imports and surveys.

pub mod clients;
pub mod imports;
pub mod intake;
pub mod lists;
pub(crate) mod names;
pub mod removals;
pub mod sites;
pub mod surveys;
