//! Ways to reach a business beside the chat: their kinds, their targets as people type them, and
//! when two targets are the same.

mod entry;
mod kind;
mod target;
mod typed;

pub use entry::Channel;
pub use kind::ChannelKind;
pub use target::Target;
pub use typed::{Addresses, link_of};
