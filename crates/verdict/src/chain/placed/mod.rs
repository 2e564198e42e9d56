//! Link `placed`: the expected snippet (right supplier, right key) is in the delivered document, or
//! a tag manager put it there, in a place where it can run, once.

pub mod absent;
pub mod after_end;
pub mod altered;
pub mod blocking;
pub mod damaged;
pub mod framed;
pub mod late_delay;
pub mod left_out;
pub mod leftover;
pub mod no_key;
pub mod other_page;
pub mod rival;
pub mod stale_cache;
pub mod tag;
pub mod twice;
pub mod unexpected;
pub mod unpublished;
pub mod wrong_key;
