//! A channel of a widget, as a file gives it.

use super::kind::ChannelKind;
use super::typed::{Addresses, link_of};
use serde::{Deserialize, Serialize};

/// One link to another channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Channel {
    /// Kind of the channel.
    pub kind: ChannelKind,
    /// Address, number or name that the channel leads to.
    pub target: String,
}

impl Channel {
    /// Returns the channel with the link that it means wherever it is; a name at a service stays as
    /// it was typed, since only a supplier's profile tells its address.
    ///
    /// # Errors
    /// In words for the person, where nothing tells what is meant.
    pub fn anywhere(&self) -> Result<Channel, String> {
        if self.target.trim().is_empty() {
            return Err("the target of a channel is empty".into());
        }
        match self.kind.is_of_a_service() {
            true => Ok(self.clone()),
            false => self.at(&Addresses::new()),
        }
    }

    /// Returns the channel with the link that it means at a supplier.
    ///
    /// # Errors
    /// In words for the person, where nothing tells what is meant.
    pub fn at(&self, addresses: &Addresses) -> Result<Channel, String> {
        let target = link_of(self.kind, &self.target, addresses)?;
        Ok(Channel { target, ..*self })
    }
}
