//! Link `started`: the supplier's own "I am up" sign is true: its global, its frame, its socket.

pub mod frame;
pub mod service;
pub mod silent;
pub mod socket;
