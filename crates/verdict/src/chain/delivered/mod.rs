//! Link `delivered`: the page itself arrived: right address, final status 2xx, HTML, within the
//! time limit.

pub mod elsewhere;
pub mod held;
pub mod not_html;
pub mod status;
pub mod transport;
pub mod visited;
