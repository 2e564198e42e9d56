//! Every page and form through the real router and a real database, without a browser: who may do
//! what, what is kept and what is refused with its reason. What needs a browser is in `e2e/`.
#![allow(clippy::unwrap_used)]

mod accounts;
mod again;
mod bulk;
mod clients;
mod designs;
mod fields;
mod forms;
mod hand_test;
mod hand_work;
mod handover;
mod house;
mod intake;
mod intended;
mod lenses;
mod people;
mod placing;
mod placing_many;
mod profiles;
mod rounds;
mod rules_beside;
mod serving;
mod settings;
mod site_pages;
mod sites;
mod stage;
mod tags;
