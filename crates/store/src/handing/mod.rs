//! Handovers, placing links and the diary of manual work.

pub mod diary;
pub mod errands;
pub mod handovers;
