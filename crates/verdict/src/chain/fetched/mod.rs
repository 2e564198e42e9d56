//! Link `fetched`: the loader and everything it needs arrived, intact, as script.

pub mod needed;
