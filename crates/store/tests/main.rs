//! Rows and statements with a real PostgreSQL. One program for all of it: apart, each file would be
//! linked for itself and wait for its slowest test.
#![allow(clippy::unwrap_used)]

mod bucket;
mod common;
mod history;
mod local_server;
mod people;
mod queue;
mod sites;
