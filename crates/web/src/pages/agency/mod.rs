//! What holds for the whole agency.

pub mod house;
pub mod settings;
pub mod suppliers;
