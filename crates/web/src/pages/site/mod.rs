//! One site.

pub mod bench;
pub mod diary;
pub(crate) mod difference;
pub mod hand_test;
pub mod history;
pub mod intended;
pub mod message;
pub mod place;
pub mod site_pages;
pub mod sites;
pub mod timelines;
pub mod widgets;
