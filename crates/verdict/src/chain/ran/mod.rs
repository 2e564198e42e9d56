//! Link `ran`: the loader executed without an error that stops it.

pub mod held;
pub mod thrown;
