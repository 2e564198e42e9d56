//! What is to be weighed, and how long each load may take.

use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_standards::observation::Viewport;
use url::Url;

/// Order of a weigh-in: what is weighed, and how often.
#[derive(Clone, Copy)]
pub struct WeighOrder<'a> {
    /// Address of the page.
    pub url: &'a Url,
    /// The supplier whose widget is weighed.
    pub supplier: &'a Supplier,
    /// A page that holds the widget back is weighed with consent given, in both arms alike.
    pub consent: Option<&'a ConsentManager>,
    /// Screen that the page is loaded on.
    pub viewport: Viewport,
    /// Loads in which the widget's own work is measured, at most.
    pub own_loads: usize,
    /// Number of loads in which the widget is opened, left open, and the page visited again.
    pub further_loads: usize,
    /// Budget, ms: the loads end at the first look that decides
    /// ([`newtfern_verdict::weigh::stopping`]); none: all are made.
    pub stop_at: Option<f64>,
    /// A document with nothing but the snippet, to weigh the widget alone.
    pub empty_page: Option<&'a str>,
    /// Loads on a phone with a slower processor.
    pub phone_loads: usize,
    /// Loads with and without the widget.
    pub pairs: usize,
    /// Seed of the order of loads and of the resampling.
    pub seed: u64,
    /// The processor runs so many times slower, as a phone's does; 1: as it is.
    pub slow: f64,
}

pub(super) const LOAD_MS: u64 = 20_000;

/// After the load event, how long the page is left alone before its figures are read.
pub(super) const SETTLE_MS: u64 = 1200;
