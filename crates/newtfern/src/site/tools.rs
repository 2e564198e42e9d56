//! Browsers and HTTP clients for checking sites.

use newtfern_probe::browser::Pool;
use newtfern_probe::http::Http;

/// Browsers and HTTP clients for checking sites.
pub struct SiteTools<'a> {
    /// Browsers for the visits.
    pub pool: &'a Pool,
    /// Copies beside visits, under the browser's name.
    pub http: &'a Http,
    /// Pages that nobody asked for, under our own.
    pub crawler: &'a Http,
}
