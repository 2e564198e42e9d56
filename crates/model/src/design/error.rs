//! What is wrong with a value of a design.

use crate::design::field::Field;

/// A value that a field does not take.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{} {why}", field.label())]
pub struct DesignError {
    /// Field that the value was meant for.
    pub field: Field,
    /// Reason, as a clause for people.
    pub why: String,
}
