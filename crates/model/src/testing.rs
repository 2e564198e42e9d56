//! What tests of several modules are made from.

use crate::profile::ConsentManager;

pub const GOOD: &str =
    "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>";

pub fn consent() -> Option<ConsentManager> {
    ConsentManager::from_toml("[gating]\ntype = \"text/plain\"\nattribute = \"data-wait\"").ok()
}
