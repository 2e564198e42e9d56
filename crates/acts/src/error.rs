//! Why an act was not done.

use crate::writing::slot_access::SlotError;
use newtfern_model::placing::PlacingError;
use newtfern_model::site::FieldError;
use newtfern_store::StoreError;

/// Reason why an act was not done; nothing of it is stored then.
#[derive(Debug, thiserror::Error)]
pub enum ActError {
    #[error("{0}")]
    Forbidden(&'static str),
    #[error("this {0} does not exist: it may have been removed")]
    NotFound(&'static str),
    /// The person can mend it.
    #[error("{0}")]
    Bad(String),
    /// A token would go to this origin unencrypted.
    #[error(
        "The token was not saved. It would go to {0} without encryption, and others could read \
        it. Use an https address, or tick the box to send it anyway and type the token again."
    )]
    Unencrypted(String),
    /// The same, each at its field.
    #[error("{}", .0.iter().map(FieldError::to_string).collect::<Vec<_>>().join("; "))]
    Fields(Vec<FieldError>),
    #[error(transparent)]
    Placing(#[from] PlacingError),
    #[error(transparent)]
    Slot(#[from] SlotError),
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A form was made from another state than the one that is kept now.
    #[error("Not saved: this was changed after you opened it.")]
    Outdated,
    /// The person's password was asked for once more and was wrong.
    #[error("Your current password is wrong. Try again.")]
    WrongPassword,
    /// A code of the person's second factor was asked for and was wrong.
    #[error("The code is wrong or was already used. Enter the newest code or a recovery code.")]
    WrongCode,
    /// Too much of it is asked for at once.
    #[error("too many people are signing in: try again in a minute")]
    Busy,
    /// The job was taken over by another worker; its result here is dropped.
    #[error("the job was taken over by another worker")]
    TakenOver,
}

impl ActError {
    /// The same act may be done again: the database was out of reach for a moment.
    pub fn is_passing(&self) -> bool {
        matches!(self, ActError::Store(error) if error.is_passing())
    }
}

/// The result of an act.
pub type Result<T> = std::result::Result<T, ActError>;
