//! Link `shown`: the launcher has a box in the viewport, is visible, not covered.

pub mod absent;
pub mod covered;
pub mod empty;
pub mod hidden;
pub mod outside;
pub mod overlap;
pub mod phone;
pub mod route_lost;
