//! What tests of all modules are made from.

use newtfern_model::design::{Design, Field};
use newtfern_model::profile::Supplier;

pub const SAMPLE: &str = include_str!("../../model/tests/sample.toml");

pub fn sample() -> Supplier {
    Supplier::from_toml(SAMPLE).expect("the sample profile is valid")
}

/// Returns the design that somebody wishes for, over the built-in values.
pub fn wished(wish: &[(Field, &str)]) -> Design {
    let layer = wish.iter().map(|(f, v)| (*f, v.to_string()));
    Design::of_layer(&layer.collect())
}
