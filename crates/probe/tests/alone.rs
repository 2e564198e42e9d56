//! What is measured, and what is read from a log of all that goes through: other tests beside it
//! would be measured and read with it.
#![allow(clippy::unwrap_used)]

mod known_cost;
mod page_figures;
mod private;
mod single;
