//! Results: what workers bring, what is judged again, and what grows old.

pub(crate) mod checks;
pub(crate) mod documents;
pub(crate) mod ground;
pub(crate) mod hand_tests;
pub(crate) mod mailbox;
pub(crate) mod other_hours;
pub(crate) mod rounds;
pub(crate) mod test_talks;
