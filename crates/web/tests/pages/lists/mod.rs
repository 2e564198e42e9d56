//! Many sites at once.

pub(crate) mod bulk;
pub(crate) mod lenses;
pub(crate) mod placing_many;
pub(crate) mod rounds;
