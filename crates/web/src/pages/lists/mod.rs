//! Many sites at once.

pub mod bulk;
mod carried;
pub mod events;
pub mod lens;
pub mod lineup;
pub mod push_many;
pub mod removed;
pub mod rounds;
pub mod test_plan;
pub mod worklist;
