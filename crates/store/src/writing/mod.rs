//! What was written outside, and writes that have begun.

pub mod begun_writes;
pub mod placements;
pub mod supplier_writes;
