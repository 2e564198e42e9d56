//! Results with their history, and the jobs that bring them.

pub mod asked_visits;
pub mod blobs;
pub mod checks;
pub mod hand_tests;
pub mod history;
pub mod inputs;
pub mod queue;
pub mod rounds;
