//! Link `allowed`: page policy, protocol, consent state, page rules and the supplier's own domain
//! and country rules let it run.

pub mod consent_stuck;
pub mod consent_waits;
pub mod delay;
pub mod managed;
pub mod mixed;
pub mod policy;
pub mod refused;
pub mod supplier_rule;
