//! The rules against recorded visits and outside references. One program for all of it: apart, each
//! file would be linked for itself and wait for its slowest test.
#![allow(clippy::disallowed_methods)] // tests may read files
#![allow(clippy::unwrap_used)]

mod contract;
mod dialects;
mod hostile;
mod platforms;
mod recorded;
mod recorded_entrances;
mod recorded_inputs;
mod recorded_visitors;
mod reference;
mod reference_looks;
mod reference_statistics;
