//! The room of profiles: what is known of the outside. Listed, looked through while they are typed,
//! tried on an address, kept with their versions, brought in and taken out as files.

mod bring;
mod derive;
mod edit;
mod list;

pub use bring::{bring, take_out};
pub use derive::{derive, paste};
pub use edit::{confirm_origin, file_of, keep, keep_new, look, new, page, propose, remove, try_on};
pub use list::{act, list};

use crate::error::{PageError, PageResult};
use newtfern_model::profiles::ProfileKind;

/// The kind in an address.
fn kind_of(key: &str) -> PageResult<ProfileKind> {
    ProfileKind::from_key(key).ok_or(PageError::NotFound("kind of profile"))
}
