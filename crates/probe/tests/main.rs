//! Real pages in a real browser. One program for all of it: apart, each file would be linked for
//! itself and wait for its slowest test.
#![allow(clippy::unwrap_used)]

mod builders;
mod common;
mod crawl;
mod crooked_console;
mod faults;
mod gating;
mod hostile;
mod hostile_sites;
mod manners;
mod other_supplier;
mod secure;
mod service_supplier;
mod single;
mod talk;
