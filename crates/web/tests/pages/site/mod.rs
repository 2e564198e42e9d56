//! One site.

pub(crate) mod again;
pub(crate) mod designs;
pub(crate) mod hand_test;
pub(crate) mod intended;
pub(crate) mod own_design;
pub(crate) mod site_pages;
pub(crate) mod sites;
pub(crate) mod widgets;
