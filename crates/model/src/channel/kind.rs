//! Kinds of channels.

use serde::{Deserialize, Serialize};

/// Ways to reach a business.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ChannelKind {
    /// A telephone call.
    Phone,
    /// A text message (SMS).
    Sms,
    /// An electronic mail.
    Mail,
    /// A conversation at a messaging service.
    Messaging,
    /// The widget's own chat.
    Chat,
    /// Any other web page.
    Link,
}

impl ChannelKind {
    /// Every kind, in the order of the form.
    pub const ALL: [ChannelKind; 6] = [
        ChannelKind::Phone,
        ChannelKind::Sms,
        ChannelKind::Mail,
        ChannelKind::Messaging,
        ChannelKind::Chat,
        ChannelKind::Link,
    ];

    /// Returns whether it leads to a service at which people have names.
    pub fn is_of_a_service(self) -> bool {
        matches!(self, ChannelKind::Messaging | ChannelKind::Chat)
    }

    /// The word of the file.
    pub fn word(self) -> &'static str {
        match self {
            ChannelKind::Phone => "phone",
            ChannelKind::Sms => "sms",
            ChannelKind::Mail => "mail",
            ChannelKind::Messaging => "messaging",
            ChannelKind::Chat => "chat",
            ChannelKind::Link => "link",
        }
    }
}
