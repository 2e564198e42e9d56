//! What a widget's bytes are: scripts, frames, styles, fonts, pictures, data.

use newtfern_standards::observation::RequestKind;
use serde::{Deserialize, Serialize};

/// Kind of what a request brought.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Owner {
    /// The loader and what it pulls in.
    Scripts,
    /// Documents of the widget's frames.
    Frames,
    /// Style sheets of the widget.
    Styles,
    /// Typefaces of the widget.
    Fonts,
    /// Pictures, sound and film.
    Pictures,
    /// Settings, talks, everything else.
    Data,
}

impl Owner {
    /// All of them, in the order they are told.
    pub const ALL: [Owner; 6] = [
        Owner::Scripts,
        Owner::Frames,
        Owner::Styles,
        Owner::Fonts,
        Owner::Pictures,
        Owner::Data,
    ];

    /// Returns the owner of the browser's word for a request.
    pub fn of(kind: RequestKind) -> Owner {
        match kind {
            RequestKind::Script => Owner::Scripts,
            RequestKind::Document => Owner::Frames,
            RequestKind::Stylesheet => Owner::Styles,
            RequestKind::Font => Owner::Fonts,
            RequestKind::Image | RequestKind::Media => Owner::Pictures,
            _ => Owner::Data,
        }
    }

    /// Returns the owner's name for people.
    pub fn words(self) -> &'static str {
        match self {
            Owner::Scripts => "scripts",
            Owner::Frames => "frames",
            Owner::Styles => "styles",
            Owner::Fonts => "fonts",
            Owner::Pictures => "pictures",
            Owner::Data => "data",
        }
    }
}

/// Cost of one owner on the wire.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Share {
    /// Bytes over the network, headers included.
    pub bytes: u64,
    /// Number of requests.
    pub requests: u32,
}

/// A share for each owner, in the order of [`Owner::ALL`].
pub type Shares = [Share; 6];

/// Puts one request to its owner.
pub fn add(shares: &mut Shares, kind: RequestKind, bytes: u64) {
    let owner = Owner::of(kind);
    if let Some(at) = Owner::ALL.iter().position(|o| *o == owner) {
        shares[at].bytes += bytes;
        shares[at].requests += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_request_has_one_owner() {
        let mut shares = Shares::default();
        for (kind, bytes) in [
            (RequestKind::Script, 900),
            (RequestKind::Script, 100),
            (RequestKind::Image, 50),
            (RequestKind::Fetch, 10),
            (RequestKind::Ping, 1),
        ] {
            add(&mut shares, kind, bytes);
        }
        let told: Vec<(&str, u64, u32)> = Owner::ALL
            .iter()
            .zip(shares)
            .filter(|(_, s)| s.requests > 0)
            .map(|(o, s)| (o.words(), s.bytes, s.requests))
            .collect();
        assert_eq!(
            told,
            [("scripts", 1_000, 2), ("pictures", 50, 1), ("data", 11, 2)]
        );
    }
}
