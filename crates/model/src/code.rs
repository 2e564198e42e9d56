//! Every code that a finding can have: the public contract of the command line, the JSON, the pages
//! and the reports. One table says of each what it speaks of, whether it breaks its link, and where
//! its remedy is to be found. `tests/contract.rs` holds the table against the contract's own words.

use newtfern_standards::nearest::nearest;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// The eight links from page to usable widget, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Link {
    /// The page itself arrived.
    Delivered,
    /// The snippet is in the page, once, where it can run.
    Placed,
    /// Policy, protocol, consent and the supplier let it run.
    Allowed,
    /// The files that it needs arrived, intact.
    Fetched,
    /// The loader executed without an error that stops it.
    Ran,
    /// The supplier's own sign is true.
    Started,
    /// The launcher is visible and not covered.
    Shown,
    /// The widget opens, closes, has a name and works by keyboard.
    Usable,
}

impl Link {
    /// Every link, in the order of the chain.
    pub const ALL: [Link; 8] = [
        Link::Delivered,
        Link::Placed,
        Link::Allowed,
        Link::Fetched,
        Link::Ran,
        Link::Started,
        Link::Shown,
        Link::Usable,
    ];

    /// Returns the link's word in codes.
    pub fn word(self) -> &'static str {
        match self {
            Link::Delivered => "delivered",
            Link::Placed => "placed",
            Link::Allowed => "allowed",
            Link::Fetched => "fetched",
            Link::Ran => "ran",
            Link::Started => "started",
            Link::Shown => "shown",
            Link::Usable => "usable",
        }
    }
}

/// Subject of a code: a link of the chain, or another family of checks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Area {
    /// A link of the chain.
    Chain(Link),
    /// Pages of a site against its page rules.
    Pages,
    /// Consent states against signals.
    Consent,
    /// Texts and looks against the design.
    Brand,
    /// The test message and its answer.
    Echo,
    /// Hours in which the chat is staffed.
    Hours,
    /// Cost of the widget for the page.
    Speed,
    /// The account's plan with its supplier.
    Plan,
    /// Differences from the accepted state.
    Drift,
    /// Nothing could be judged.
    Unchecked,
}

/// Place where a person settles a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Place {
    /// The address and its domain, or the site's hosting.
    Hosting,
    /// The slot that holds the snippet.
    Slot,
    /// The site's own templates, scripts and styles.
    Site,
    /// The tag manager's published set.
    TagManager,
    /// Pages of the consent manager.
    ConsentManager,
    /// The content security policy of the site.
    Policy,
    /// The client's account and the widget's settings at the supplier.
    Account,
    /// Console of the supplier.
    Supplier,
    /// Here: another visit, or a setting of ours.
    Here,
}

impl Place {
    /// Returns the place in a few words, for lists.
    pub fn words(self) -> &'static str {
        match self {
            Place::Hosting => "the site's hosting",
            Place::Slot => "the slot",
            Place::Site => "the site's templates and styles",
            Place::TagManager => "the tag manager",
            Place::ConsentManager => "the consent manager",
            Place::Policy => "the content security policy",
            Place::Account => "the account at the supplier",
            Place::Supplier => "the supplier",
            Place::Here => "here",
        }
    }
}

macro_rules! codes {
    ($($variant:ident $name:literal $area:expr, $breaks:literal, $place:ident;)*) => {
        /// A code of the contract. Never renamed or merged; added to where needed.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code { $(#[doc = $name] $variant,)* }

        impl Code {
            /// All codes, in the order of the contract.
            pub const ALL: &'static [Code] = &[$(Code::$variant,)*];

            /// The code as it is written everywhere, such as `placed.absent`.
            pub fn name(self) -> &'static str {
                match self { $(Code::$variant => $name,)* }
            }

            /// The link or family it speaks of.
            pub fn area(self) -> Area {
                use Area::*;
                match self { $(Code::$variant => $area,)* }
            }

            /// True where the link does not hold when this is found.
            pub fn breaks(self) -> bool {
                match self { $(Code::$variant => $breaks,)* }
            }

            /// Returns where the remedy is to be found.
            pub fn place(self) -> Place {
                match self { $(Code::$variant => Place::$place,)* }
            }
        }
    };
}

use Link::{Allowed, Delivered, Fetched, Placed, Ran, Shown, Started, Usable};

codes! {
    DeliveredDns "delivered.dns" Chain(Delivered), true, Hosting;
    DeliveredRefused "delivered.refused" Chain(Delivered), true, Hosting;
    DeliveredTls "delivered.tls" Chain(Delivered), true, Hosting;
    DeliveredTimeout "delivered.timeout" Chain(Delivered), true, Hosting;
    DeliveredStatus "delivered.status" Chain(Delivered), true, Hosting;
    DeliveredNotHtml "delivered.not-html" Chain(Delivered), true, Hosting;
    DeliveredRedirectLoop "delivered.redirect-loop" Chain(Delivered), true, Hosting;
    DeliveredElsewhere "delivered.elsewhere" Chain(Delivered), true, Hosting;
    PlacedAbsent "placed.absent" Chain(Placed), true, Slot;
    PlacedOtherPage "placed.other-page" Chain(Placed), true, Slot;
    PlacedUnpublished "placed.unpublished" Chain(Placed), true, Slot;
    PlacedStaleCache "placed.stale-cache" Chain(Placed), true, Site;
    PlacedAsText "placed.as-text" Chain(Placed), true, Slot;
    PlacedCommented "placed.commented" Chain(Placed), true, Slot;
    PlacedFramed "placed.framed" Chain(Placed), true, Slot;
    PlacedInert "placed.inert" Chain(Placed), true, Slot;
    PlacedDoubleWrapped "placed.double-wrapped" Chain(Placed), true, Slot;
    PlacedBadQuotes "placed.bad-quotes" Chain(Placed), true, Slot;
    PlacedTruncated "placed.truncated" Chain(Placed), true, Slot;
    PlacedWrongType "placed.wrong-type" Chain(Placed), true, Slot;
    PlacedWrongKey "placed.wrong-key" Chain(Placed), true, Slot;
    PlacedNoKey "placed.no-key" Chain(Placed), true, Slot;
    PlacedTwice "placed.twice" Chain(Placed), true, Slot;
    PlacedRival "placed.rival" Chain(Placed), false, Slot;
    PlacedAltered "placed.altered" Chain(Placed), true, Slot;
    PlacedUnexpected "placed.unexpected" Chain(Placed), true, Slot;
    PlacedTagMissing "placed.tag-missing" Chain(Placed), true, TagManager;
    PlacedTagDraft "placed.tag-draft" Chain(Placed), true, TagManager;
    PlacedTagPaused "placed.tag-paused" Chain(Placed), true, TagManager;
    PlacedTagRule "placed.tag-rule" Chain(Placed), true, TagManager;
    PlacedTagOtherSet "placed.tag-other-set" Chain(Placed), true, TagManager;
    PlacedLateDelay "placed.late-delay" Chain(Placed), false, Site;
    PlacedAfterEnd "placed.after-end" Chain(Placed), false, Slot;
    PlacedBlocking "placed.blocking" Chain(Placed), false, Slot;
    PlacedLeftover "placed.leftover" Chain(Placed), false, Slot;
    AllowedPolicy "allowed.policy" Chain(Allowed), true, Policy;
    AllowedMixed "allowed.mixed" Chain(Allowed), true, Slot;
    AllowedDomain "allowed.domain" Chain(Allowed), true, Account;
    AllowedCountry "allowed.country" Chain(Allowed), true, Account;
    AllowedAccount "allowed.account" Chain(Allowed), true, Account;
    AllowedConsentWaits "allowed.consent-waits" Chain(Allowed), false, ConsentManager;
    AllowedConsentStuck "allowed.consent-stuck" Chain(Allowed), true, ConsentManager;
    AllowedPageRule "allowed.page-rule" Chain(Allowed), true, Account;
    AllowedHours "allowed.hours" Chain(Allowed), true, Account;
    AllowedDelay "allowed.delay" Chain(Allowed), true, Account;
    FetchedDns "fetched.dns" Chain(Fetched), true, Slot;
    FetchedRefused "fetched.refused" Chain(Fetched), true, Supplier;
    FetchedTls "fetched.tls" Chain(Fetched), true, Supplier;
    FetchedTimeout "fetched.timeout" Chain(Fetched), true, Supplier;
    FetchedStatus "fetched.status" Chain(Fetched), true, Slot;
    FetchedType "fetched.type" Chain(Fetched), true, Slot;
    FetchedIntegrity "fetched.integrity" Chain(Fetched), true, Slot;
    FetchedCors "fetched.cors" Chain(Fetched), true, Slot;
    FetchedCutOff "fetched.cut-off" Chain(Fetched), true, Supplier;
    FetchedBlockedClient "fetched.blocked-client" Chain(Fetched), true, Here;
    RanSyntax "ran.syntax" Chain(Ran), true, Slot;
    RanError "ran.error" Chain(Ran), true, Supplier;
    RanClash "ran.clash" Chain(Ran), true, Site;
    RanOrder "ran.order" Chain(Ran), true, Slot;
    StartedFrame "started.frame" Chain(Started), true, Account;
    StartedSocket "started.socket" Chain(Started), true, Supplier;
    StartedService "started.service" Chain(Started), true, Account;
    StartedSilent "started.silent" Chain(Started), true, Account;
    ShownAbsent "shown.absent" Chain(Shown), true, Account;
    ShownHidden "shown.hidden" Chain(Shown), true, Site;
    ShownCovered "shown.covered" Chain(Shown), true, Site;
    ShownOutside "shown.outside" Chain(Shown), true, Account;
    ShownEmpty "shown.empty" Chain(Shown), true, Site;
    ShownPhone "shown.phone" Chain(Shown), true, Account;
    ShownRouteLost "shown.route-lost" Chain(Shown), true, Site;
    ShownOverlap "shown.overlap" Chain(Shown), false, Account;
    UsableNoOpen "usable.no-open" Chain(Usable), true, Supplier;
    UsableNoClose "usable.no-close" Chain(Usable), true, Supplier;
    UsableNoName "usable.no-name" Chain(Usable), true, Account;
    UsableNoKeyboard "usable.no-keyboard" Chain(Usable), true, Supplier;
    UsableSmallTarget "usable.small-target" Chain(Usable), false, Account;
    UsableZoom "usable.zoom" Chain(Usable), false, Account;
    ShownSecondVisit "shown.second-visit" Chain(Shown), false, Account;
    UsableNewWindow "usable.new-window" Chain(Usable), true, Account;
    PagesMissing "pages.missing" Pages, false, Slot;
    PagesRulesContradict "pages.rules-contradict" Pages, false, Account;
    PagesNotReached "pages.not-reached" Pages, false, Hosting;
    ConsentRequestEarly "consent.request-early" Consent, false, ConsentManager;
    ConsentCookieEarly "consent.cookie-early" Consent, false, ConsentManager;
    ConsentStorageEarly "consent.storage-early" Consent, false, ConsentManager;
    ConsentFrameEarly "consent.frame-early" Consent, false, ConsentManager;
    ConsentAfterRefusal "consent.after-refusal" Consent, false, ConsentManager;
    ConsentGpcIgnored "consent.gpc-ignored" Consent, false, ConsentManager;
    ConsentLingers "consent.lingers" Consent, false, ConsentManager;
    ConsentNeverStarts "consent.never-starts" Consent, false, ConsentManager;
    ConsentNoRefusal "consent.no-refusal" Consent, false, ConsentManager;
    ConsentNoticeSilent "consent.notice-silent" Consent, false, Site;
    BrandTextDiffers "brand.text-differs" Brand, false, Account;
    BrandTextMissing "brand.text-missing" Brand, false, Account;
    BrandSampleText "brand.sample-text" Brand, false, Account;
    BrandVariable "brand.variable" Brand, false, Account;
    BrandLanguage "brand.language" Brand, false, Account;
    BrandNoticeMissing "brand.notice-missing" Brand, false, Account;
    BrandNoticeLink "brand.notice-link" Brand, false, Account;
    BrandPromptLate "brand.prompt-late" Brand, false, Account;
    BrandChannel "brand.channel" Brand, false, Account;
    BrandSize "brand.size" Brand, false, Account;
    BrandTypeface "brand.typeface" Brand, false, Account;
    BrandFields "brand.fields" Brand, false, Account;
    BrandPicture "brand.picture" Brand, false, Account;
    BrandBubbleColour "brand.bubble-colour" Brand, false, Account;
    BrandPart "brand.part" Brand, false, Account;
    BrandDirection "brand.direction" Brand, false, Account;
    BrandMotion "brand.motion" Brand, false, Account;
    BrandStart "brand.start" Brand, false, Account;
    BrandForm "brand.form" Brand, false, Account;
    BrandLauncherColour "brand.launcher-colour" Brand, false, Account;
    BrandHeaderColour "brand.header-colour" Brand, false, Account;
    BrandContrast "brand.contrast" Brand, false, Account;
    BrandStandsOut "brand.stands-out" Brand, false, Account;
    BrandCorner "brand.corner" Brand, false, Account;
    BrandOffset "brand.offset" Brand, false, Account;
    EchoNotSent "echo.not-sent" Echo, false, Account;
    EchoNotArrived "echo.not-arrived" Echo, false, Account;
    EchoNoAnswer "echo.no-answer" Echo, false, Supplier;
    EchoSlow "echo.slow" Echo, false, Supplier;
    EchoForm "echo.form" Echo, false, Here;
    EchoNoSteps "echo.no-steps" Echo, false, Here;
    EchoPage "echo.page" Echo, false, Account;
    EchoLanguage "echo.language" Echo, false, Account;
    EchoLeft "echo.left" Echo, false, Account;
    EchoAnswers "echo.answers" Echo, false, Supplier;
    EchoFile "echo.file" Echo, false, Account;
    EchoNoMail "echo.no-mail" Echo, false, Account;
    EchoQuiet "echo.quiet" Echo, false, Here;
    HoursOpenOutOfHours "hours.open-out-of-hours" Hours, false, Account;
    HoursStaffedButAway "hours.staffed-but-away" Hours, false, Account;
    HoursPromise "hours.promise" Hours, false, Here;
    Unchecked "unchecked" Unchecked, false, Here;
}

/// The text is no code of the contract.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\u{201c}{given}\u{201d} is not a code; the nearest is {nearest}")]
pub struct UnknownCode {
    /// The text as it was read.
    pub given: String,
    /// The code most like it.
    pub nearest: &'static str,
}

impl Code {
    /// Reads a code by its name.
    ///
    /// # Errors
    /// [`UnknownCode`], with the nearest code there is.
    ///
    /// ```
    /// use newtfern_model::code::Code;
    /// assert_eq!(Code::parse("placed.absent"), Ok(Code::PlacedAbsent));
    /// assert!(Code::parse("placed.abesnt").unwrap_err().to_string().contains("placed.absent"));
    /// ```
    pub fn parse(name: &str) -> Result<Code, UnknownCode> {
        let same = Code::ALL.iter().copied().find(|c| c.name() == name);
        same.ok_or_else(|| UnknownCode {
            given: name.to_string(),
            nearest: nearest(name, Code::ALL.iter().map(|c| c.name())).unwrap_or("unchecked"),
        })
    }

    /// Returns whether the code says that something did not come, or not in time: what a page
    /// without the processor's time looks like too. An answer that did come (a refusal, a status, a
    /// policy's word, a request made too early) is certain on any machine.
    pub fn rests_on_waiting(self) -> bool {
        use Code::*;
        match self.area() {
            Area::Chain(Shown | Usable) | Area::Brand | Area::Hours => true,
            _ => matches!(
                self,
                DeliveredTimeout
                    | PlacedAbsent
                    | PlacedOtherPage
                    | PlacedUnpublished
                    | PlacedStaleCache
                    | PlacedInert
                    | PlacedTagMissing
                    | PlacedTagDraft
                    | PlacedTagPaused
                    | PlacedTagRule
                    | PlacedTagOtherSet
                    | PlacedAltered
                    | PlacedLateDelay
                    | AllowedConsentStuck
                    | AllowedDelay
                    | FetchedTimeout
                    | RanError
                    | StartedFrame
                    | StartedSocket
                    | StartedSilent
                    | ConsentLingers
                    | ConsentNeverStarts
                    | ConsentNoRefusal
            ),
        }
    }

    /// The link of the chain that it speaks of, if it is one of the chain's.
    pub fn link(self) -> Option<Link> {
        match self.area() {
            Area::Chain(link) => Some(link),
            _ => None,
        }
    }
}

impl std::fmt::Display for Code {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

impl Serialize for Code {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(self.name())
    }
}

impl<'de> Deserialize<'de> for Code {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Code, D::Error> {
        let name = std::borrow::Cow::<str>::deserialize(from)?;
        Code::parse(&name).map_err(serde::de::Error::custom)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_begin_with_what_they_speak_of_and_are_read_back() {
        for code in Code::ALL {
            assert_eq!(Code::parse(code.name()), Ok(*code));
            if let Area::Chain(link) = code.area() {
                assert!(code.name().starts_with(link.word()), "{code}");
            } else {
                assert!(!code.breaks(), "{code} breaks no link");
            }
        }
    }
}
