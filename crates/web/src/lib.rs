//! The web application: pages, forms, server-sent events. It reads through [`newtfern_acts`], asks
//! the core for judgements, and changes nothing but by an act.

mod answer;
pub mod archive;
pub mod assets;
pub mod draw;
pub mod edit;
pub mod error;
pub mod families;
pub mod host;
pub mod pages;
pub mod peer;
pub mod router;
pub mod seats;
pub mod serving;
pub mod session;
pub mod sheet;
pub mod state;
pub mod streams;
pub mod view;

pub use serving::{Patience, serve};
pub use state::{App, Settings};
