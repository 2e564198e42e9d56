//! Sites: their fields, their pages, what should be on them, how they come in and go out.

pub(crate) mod bulk;
pub(crate) mod estate;
pub(crate) mod exports;
pub(crate) mod import;
mod import_rows;
pub(crate) mod intended;
pub(crate) mod pages;
pub(crate) mod rules_beside;
pub(crate) mod sites;
pub(crate) mod subject;
pub(crate) mod survey;
pub(crate) mod versions;
pub(crate) mod widgets;
