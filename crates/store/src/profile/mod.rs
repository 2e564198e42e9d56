//! Profiles and their versions, and settings of the house.

pub mod profile_room;
pub mod profiles;
