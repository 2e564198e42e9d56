//! How the house is built: which rooms stand on which, that no files lean on each other in a
//! circle, that nothing calls itself without a bound, and that lines and functions are short. All
//! of it is read from the sources.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo
#![allow(clippy::unwrap_used)]

mod arrows;
mod circles;
mod lengths;
mod names;
mod recursion;
mod sources;
