//! The program as people run it. One program for all of it: apart, each file would be linked for
//! itself and wait for its slowest test.
#![allow(clippy::unwrap_used)]

mod backup;
mod command_line;
mod dependencies;
mod designs;
mod many_pages;
mod other_makes;
mod outside;
mod records;
mod site;
mod some_visitors;
mod visitors;
mod workers;
