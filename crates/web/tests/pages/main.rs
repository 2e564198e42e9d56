//! Every page and form through the real router and a real database, without a browser: who may do
//! what, what is kept and what is refused with its reason. What needs a browser is in `e2e/`.
#![allow(clippy::unwrap_used)]

mod access;
mod clients;
mod forms;
mod handover;
mod house;
mod intake;
mod intake_whole;
mod lists;
mod profiles;
mod settings;
mod site;
mod stage;
mod writing;
