//! The database itself: a server of our own, a database for a test, backups.

pub mod backup;
pub(crate) mod compiled;
pub mod local_server;
pub mod scratch;
