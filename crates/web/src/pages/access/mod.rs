//! Signing in, people, their own account.

pub mod account;
pub mod people;
pub mod privacy;
pub mod sign_in;
