//! What is written outside.

pub(crate) mod broken_writes;
pub(crate) mod hand_work;
pub(crate) mod placing;
pub(crate) mod placing_advice;
pub(crate) mod rules_beside;
pub(crate) mod tags;
pub(crate) mod token_origins;
