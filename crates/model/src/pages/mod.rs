//! The pages of a site: which there are ([`robots`], [`sitemap`], [`inventory`]), what each is for
//! ([`kind`]), which were made alike ([`template`]), which a browser visits ([`sample`]), and where
//! the widget must and must not be (`rules`).

pub mod beside;
mod copy;
mod effect;
pub mod inventory;
pub mod kind;
mod page_kind;
mod pattern;
mod read;
pub mod robots;
mod rules;
pub mod sample;
pub mod sitemap;
pub mod template;
mod words;

pub use copy::{FoundBy, PageCopy};
pub use effect::{RuleEffect, RuleEffects, effect};
pub use kind::{KindSeen, kind_of};
pub use page_kind::PageKind;
pub use pattern::composed;
pub use pattern::{ComparedPage, MOST_PATTERNS, Pattern, PatternError};
pub use read::{ReadPage, languages, sorted};
pub use robots::Robots;
pub use rules::{Expect, PageRules};
