//! The rules in their order, one line each. The first that breaks a link is the root cause of the
//! visit, so inside a link the more specific rule stands first. Then come remarks, which break
//! nothing, and last the rules that read all visits of a check together; the first of those that
//! answers gives the verdict.

use super::answer::Answer;
use super::facts::Facts;
use super::{allowed, delivered, fetched, placed, ran, shown, started, usable};
use crate::chain::judged::JudgedVisits;
use crate::chain::verdict::Verdict;
use newtfern_model::code::Code::{self, *};
use newtfern_model::code::Link;
use newtfern_model::finding::Finding;

/// Question to a rule.
pub enum Ask {
    /// Whether something keeps the link from holding.
    Breaks(Link, fn(&Facts) -> Answer),
    /// Remarks on a visit.
    Remarks(fn(&Facts) -> Vec<Finding>),
    /// Verdict of all visits together.
    Together(fn(&JudgedVisits) -> Option<Verdict>),
}

/// One rule of the chain.
pub struct Rule {
    /// Name of the rule, in a few words.
    pub name: &'static str,
    /// The codes it can give.
    pub codes: &'static [Code],
    /// The question, and the function that answers it.
    pub ask: Ask,
}

const fn breaks(
    link: Link,
    name: &'static str,
    codes: &'static [Code],
    f: fn(&Facts) -> Answer,
) -> Rule {
    let ask = Ask::Breaks(link, f);
    Rule { name, codes, ask }
}

const fn remarks(
    name: &'static str,
    codes: &'static [Code],
    f: fn(&Facts) -> Vec<Finding>,
) -> Rule {
    let ask = Ask::Remarks(f);
    Rule { name, codes, ask }
}

const fn together(
    name: &'static str,
    codes: &'static [Code],
    f: fn(&JudgedVisits) -> Option<Verdict>,
) -> Rule {
    let ask = Ask::Together(f);
    Rule { name, codes, ask }
}

use Link::{Allowed, Delivered, Fetched, Placed, Ran, Shown, Started, Usable};

/// All rules of the chain.
#[rustfmt::skip]
pub const RULES: &[Rule] = &[
    breaks(Delivered, "the page could not be \
                       loaded", delivered::transport::CODES, delivered::transport::judge),
    breaks(Delivered, "the page answered with an \
                       error", &[DeliveredStatus], delivered::status::judge),
    breaks(Delivered, "the address leads to another \
                       site", &[DeliveredElsewhere], delivered::elsewhere::judge),
    breaks(Delivered, "the answer is not a \
                       document", &[DeliveredNotHtml], delivered::not_html::judge),
    breaks(Delivered, "a script of the page \
        blocks all others", &[DeliveredTimeout], delivered::held::judge),
    breaks(Placed, "the widget is there twice", &[PlacedTwice], placed::twice::judge),
    breaks(Placed, "it has a key that is empty or a sample", &[PlacedNoKey], placed::no_key::judge),
    breaks(Placed, "it has someone else's key", &[PlacedWrongKey], placed::wrong_key::judge),
    breaks(Placed, "the page asked for more than is kept", &[], placed::left_out::judge),
    breaks(Placed, "the cached copy lacks it", &[PlacedStaleCache], placed::stale_cache::judge),
    breaks(Placed, "it is there in a state \
        that does not run", placed::damaged::CODES, placed::damaged::judge),
    breaks(Placed, "it runs in a frame of its own", &[PlacedFramed], placed::framed::judge),
    breaks(Placed, "the draft has it", &[PlacedUnpublished], placed::unpublished::judge),
    breaks(Placed, "its tag does not fire", placed::tag::CODES, placed::tag::judge),
    breaks(Placed, "other pages have it", &[PlacedOtherPage], placed::other_page::judge),
    breaks(Placed, "there is no trace of it", &[PlacedAbsent], placed::absent::judge),
    breaks(Allowed, "the page's policy forbids it", &[AllowedPolicy], allowed::policy::judge),
    breaks(Allowed, "an http resource on an https page", &[AllowedMixed], allowed::mixed::judge),
    breaks(Allowed, "the supplier \
                     refuses", newtfern_model::profile::REFUSALS, allowed::refused::judge),
    breaks(Placed, "its code differs and that explains \
                    it", &[PlacedAltered], placed::altered::judge),
    breaks(Fetched, "a file it needs did not \
                     arrive", fetched::needed::CODES, fetched::needed::judge),
    breaks(Started, "the frame was refused", &[StartedFrame], started::frame::judge),
    breaks(Ran, "a script of the supplier blocks all others", &[RanError], ran::held::judge),
    breaks(Ran, "its code threw", &[RanSyntax, RanError, RanClash, RanOrder], ran::thrown::judge),
    breaks(Started, "its live connection failed", &[StartedSocket], started::socket::judge),
    breaks(Started, "its service answered with an \
                     error", &[StartedService], started::service::judge),
    breaks(Started, "it gives no sign of life", &[StartedSilent], started::silent::judge),
    breaks(Shown, "it went away with a change of \
                   route", &[ShownRouteLost], shown::route_lost::judge),
    breaks(Shown, "no element fits the launcher's selector", &[ShownAbsent], shown::absent::judge),
    breaks(Shown, "a style hides it", &[ShownHidden], shown::hidden::judge),
    breaks(Shown, "it has no size", &[ShownEmpty], shown::empty::judge),
    breaks(Shown, "it lies outside the viewport", &[ShownOutside], shown::outside::judge),
    breaks(Shown, "something lies on it", &[ShownCovered], shown::covered::judge),
    breaks(Usable, "it opens a new window", &[UsableNewWindow], usable::new_window::judge),
    breaks(Usable, "it does not open", &[UsableNoOpen], usable::no_open::judge),
    breaks(Usable, "it does not close", &[UsableNoClose], usable::no_close::judge),
    breaks(Usable, "it cannot be worked by \
                    keyboard", &[UsableNoKeyboard], usable::no_keyboard::judge),
    breaks(Usable, "it has no name", &[UsableNoName], usable::no_name::judge),
    remarks("another supplier is on the page", &[PlacedRival], placed::rival::remark),
    remarks("an optimiser holds it back", &[PlacedLateDelay], placed::late_delay::remark),
    remarks("it is after the end", &[PlacedAfterEnd], placed::after_end::remark),
    remarks("it blocks the page", &[PlacedBlocking], placed::blocking::remark),
    remarks("an old piece of it was left in", &[PlacedLeftover], placed::leftover::remark),
    remarks("it is too small a target", &[UsableSmallTarget], usable::small_target::remark),
    remarks("it overlaps something fixed", &[ShownOverlap], shown::overlap::remark),
    together("no visit was had", &[Unchecked], delivered::visited::judge),
    together("it should be \
              absent", &[PlacedUnexpected, AllowedPageRule], placed::unexpected::judge),
    together("the supplier's own rule keeps it \
              away", &[AllowedHours, AllowedDelay, AllowedPageRule], allowed::supplier_rule::judge),
    together("the page waits for consent by \
        the IAB interface", &[AllowedConsentWaits], allowed::managed::judge),
    together("its own delay is longer than the visit", &[AllowedDelay], allowed::delay::judge),
    together("consent was given and it \
        still does not start", &[AllowedConsentStuck], allowed::consent_stuck::judge),
    together("it waits for consent and then \
              starts", &[AllowedConsentWaits], allowed::consent_waits::judge),
    together("it is missing on phones only", &[ShownPhone], shown::phone::judge),
    together("the worst of the visits", &[], crate::chain::judged::worst),
];
