//! What the drawing and the section of each family are made from.

pub mod brand;
pub mod hand_over;
pub mod load;
pub mod pages;
pub mod weigh;

use serde::{Deserialize, Serialize};

/// Raised when a shape below changes so that what is stored cannot be read any more.
pub const DETAIL_VERSION: i32 = 2;

/// Data of a family's drawing and section.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(tag = "of", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Detail {
    Load(load::Detail),
    Pages(pages::Detail),
    Echo(Box<crate::echo::EchoResult>),
    Weigh(Box<weigh::Detail>),
    Consent(crate::consent::Grid),
    Brand(brand::Detail),
    HandOver(hand_over::Detail),
}
