//! Kinds that the browser's protocol gives requests, those who ask for them, and places of storage.

use serde::{Deserialize, Serialize};

macro_rules! kinds {
    ($(#[$about:meta])* $name:ident { $first:ident $first_word:literal $first_doc:literal,
        $($variant:ident $word:literal $doc:literal,)* }) => {
        $(#[$about])*
        #[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
        pub enum $name {
            #[default]
            #[doc = $first_doc]
            #[serde(rename = $first_word)]
            $first,
            $(
                #[doc = $doc]
                #[serde(rename = $word)]
                $variant,
            )*
        }

        impl $name {
            /// Every value, in declaration order.
            pub const ALL: &'static [$name] = &[$name::$first, $($name::$variant),*];

            /// Returns the word that records have.
            pub fn word(self) -> &'static str {
                match self {
                    $name::$first => $first_word,
                    $($name::$variant => $word,)*
                }
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(self.word())
            }
        }
    };
}

kinds! {
    /// Purpose of a request: a resource type of the browser's debugging protocol.
    RequestKind {
        Untold "" "The browser has not said.",
        Document "document" "A page or a frame.",
        Stylesheet "stylesheet" "A style sheet.",
        Image "image" "A picture.",
        Media "media" "Sound or film.",
        Font "font" "A typeface.",
        Script "script" "A script.",
        TextTrack "texttrack" "Words for a film.",
        Xhr "xhr" "Data that a script asked for in the older way.",
        Fetch "fetch" "Data that a script asked for.",
        Prefetch "prefetch" "For later use.",
        EventSource "eventsource" "A stream of events.",
        WebSocket "websocket" "A live connection.",
        Manifest "manifest" "The manifest of a web application.",
        SignedExchange "signedexchange" "An answer that somebody signed.",
        Ping "ping" "Word of something, without an answer.",
        PolicyReport "cspviolationreport" "A report of what a policy forbade.",
        Preflight "preflight" "A question whether another origin may ask.",
        SignIn "fedcm" "A sign-in through the browser.",
        Other "other" "What the browser calls other, and what it will call by names \
            not known here.",
    }
}

kinds! {
    /// Origin of a request.
    InitiatorKind {
        Untold "" "The browser has not said.",
        Parser "parser" "The document, as it was read.",
        Script "script" "A script.",
        Preload "preload" "A hint in the head of the page.",
        SignedExchange "SignedExchange" "An answer that somebody signed.",
        Preflight "preflight" "The question that goes before another request.",
        SignIn "FedCM" "A sign-in through the browser.",
        Other "other" "What the browser calls other, and what it will call by names \
            not known here.",
    }
}

kinds! {
    /// Place in which something was stored.
    StorageKind {
        Cookie "cookie" "A cookie.",
        Local "local" "Local storage.",
        Session "session" "Session storage.",
        Database "indexeddb" "An indexed database.",
        Cache "cache" "A cache of answers.",
    }
}

kinds! {
    /// Text of a widget, as profiles, expectation files and reports name it.
    TextName {
        Title "title" "Above the chat.",
        Subtitle "subtitle" "Below the title.",
        Greeting "greeting" "The first words.",
        Notice "notice" "What is to be read before a chat begins.",
        NoticeLink "notice_link" "Where the notice's link leads.",
        Prompt "prompt" "Beside the launcher.",
        Away "away" "While nobody is there.",
        AgentName "agent_name" "Whoever answers.",
    }
}

impl RequestKind {
    /// Returns the kind of the protocol's word, in any letter case.
    pub fn of(word: &str) -> RequestKind {
        let mut all = RequestKind::ALL.iter().copied();
        let known = all.find(|kind| kind.word().eq_ignore_ascii_case(word));
        known.unwrap_or(RequestKind::Other)
    }
}

impl InitiatorKind {
    /// Returns the kind of the protocol's word.
    pub fn of(word: &str) -> InitiatorKind {
        let mut all = InitiatorKind::ALL.iter().copied();
        let known = all.find(|kind| kind.word() == word);
        known.unwrap_or(InitiatorKind::Other)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The words are the browser's protocol's ("Network.ResourceType", "Network.Initiator");
    /// records have them in small letters.
    #[test]
    fn words_are_read_back_and_new_ones_of_the_browser_are_other() {
        for kind in RequestKind::ALL {
            let written = serde_json::to_string(kind).unwrap();
            assert_eq!(written, format!("\"{kind}\""));
            assert_eq!(
                serde_json::from_str::<RequestKind>(&written).unwrap(),
                *kind
            );
            assert_eq!(RequestKind::of(&kind.word().to_uppercase()), *kind);
        }
        assert_eq!(RequestKind::of("EventSource"), RequestKind::EventSource);
        assert_eq!(
            RequestKind::of("CSPViolationReport"),
            RequestKind::PolicyReport
        );
        assert_eq!(RequestKind::of("SomethingNew"), RequestKind::Other);
        assert_eq!(InitiatorKind::of("parser"), InitiatorKind::Parser);
        assert_eq!(InitiatorKind::of("new"), InitiatorKind::Other);
        // A record that holds another word is not read as if it held a known one.
        assert!(serde_json::from_str::<RequestKind>("\"SomethingNew\"").is_err());
        assert!(serde_json::from_str::<StorageKind>("\"shelf\"").is_err());
    }
}
