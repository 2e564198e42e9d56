//! Which fetches and visits a check makes, and what each waits for. The probe asks no rule: it
//! carries out what stands here and reports how far it looked. [`next`] is asked again after each
//! step; the first answer depends on the order alone, later ones on what was seen (a copy past the
//! cache, linked pages, consent given).

mod came_to;
mod groups;
mod languages;
mod reasons;

pub use came_to::{guarded, missed, was_had};
pub use groups::{CheckVisits, VisitGroup};
pub use languages::{PromptBy, PromptWatch, languages_of, own_language, prompt_of};
pub use reasons::{Reason, reasons, states_of};

use newtfern_model::placement::{Inspector, PieceState};
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_standards::html::Document;
use newtfern_standards::observation::{
    Aside, Condition, ConsentAct, DeliveredPage, Manner, Observation, Purpose, Viewport,
};
use url::Url;

/// The page must arrive within this (contract).
pub const PAGE_MS: u64 = 20_000;
/// The whole check ends by then (contract).
pub const CHECK_MS: u64 = 50_000;
/// A copy without a browser must arrive within this.
pub const FETCH_MS: u64 = 8_000;
/// Pages linked from this one that are fetched at most (contract).
const MOST_LINKED: usize = 5;
/// Time that a step needs beside its visits, ms: opening and closing pages.
const MARGIN_MS: u64 = 1_500;
/// Time that the launcher is watched after it appeared, ms, since a page may route itself
/// (contract).
const STAY_MS: u64 = 2_000;
/// Time that the widget gets after the visit has moved, scrolled and pressed a key, ms.
const NUDGE_MS: u64 = 3_000;
/// A script that waits for consent does not start before it; a short look tells whether something
/// does.
const HELD_MS: u64 = 2_500;

/// Order of a check.
#[derive(Clone, Copy)]
pub struct CheckOrder<'a> {
    /// Address of the page.
    pub url: &'a Url,
    /// The supplier whose widget is looked for.
    pub supplier: &'a Supplier,
    /// The consent manager of the site: visits untouched, then granted.
    pub consent: Option<&'a ConsentManager>,
    /// Visited side by side.
    pub viewports: &'a [Viewport],
    /// Take pictures of page, launcher and panel.
    pub pictures: bool,
    /// Letters and digits that no cache has seen, for the copy past the cache.
    pub stamp: &'a str,
    /// Way in which this page came to be looked at.
    pub asked: PageChoice,
    /// Designed delay from the load to the launcher, ms.
    pub delay_ms: u64,
    /// The visitor's language (BCP 47); empty for the browser's own.
    pub locale: &'a str,
    /// The prompt is watched for, before the panel is opened.
    pub prompt: Option<PromptWatch>,
    /// Consent states that somebody named, and no other is visited; none: those that tell whether
    /// anything waits for consent.
    pub states: Option<&'a [ConsentAct]>,
}

impl<'a> CheckOrder<'a> {
    /// Returns the states of the chain, in their order: nothing decided, then consent given.
    fn chain_states(&self) -> Vec<ConsentAct> {
        let possible: &[ConsentAct] = match (self.asked, self.consent) {
            (PageChoice::Found, Some(_)) => &[ConsentAct::Granted],
            (PageChoice::ByPerson, Some(_)) => &[ConsentAct::Untouched, ConsentAct::Granted],
            (_, None) => &[ConsentAct::Untouched],
        };
        let named = |act: &ConsentAct| self.states.is_none_or(|s| s.contains(act));
        let wanted: Vec<ConsentAct> = possible.iter().copied().filter(named).collect();
        // A page that we found is looked at once, in a state that was named.
        match (self.asked, wanted.is_empty(), named(&ConsentAct::Untouched)) {
            (PageChoice::Found, true, true) => vec![ConsentAct::Untouched],
            _ => wanted,
        }
    }

    /// Returns the order of a person where nothing more is known: a desktop and a phone, no consent
    /// manager, nothing designed, no pictures.
    pub fn of(url: &'a Url, supplier: &'a Supplier, stamp: &'a str) -> CheckOrder<'a> {
        CheckOrder {
            url,
            supplier,
            consent: None,
            viewports: &[Viewport::Desktop, Viewport::Phone],
            pictures: false,
            stamp,
            asked: PageChoice::ByPerson,
            delay_ms: 0,
            locale: "",
            prompt: None,
            states: None,
        }
    }
}

/// A designed delay is waited for up to this.
pub const MOST_DELAY_MS: u64 = 25_000;
/// Time that is waited longer for what comes later than designed, ms.
const LATE_MS: u64 = 3_500;

/// Way in which a page came to be looked at.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum PageChoice {
    /// A person gave it: consent states in turn, and pages it links to where the snippet is
    /// missing.
    #[default]
    ByPerson,
    /// We found it on a site: one visit, in which the visitor agrees where a consent manager is
    /// named. Whether other pages have the snippet is known from the look through the site.
    Found,
}

/// One visit to make.
pub struct VisitPlan<'a> {
    /// Address of the page.
    pub url: &'a Url,
    /// Circumstances of the visit.
    pub condition: Condition,
    /// The supplier whose widget is looked for.
    pub supplier: &'a Supplier,
    /// The consent manager to recognise, and to use where the condition asks for a decision.
    pub consent: Option<&'a ConsentManager>,
    /// Whether to take pictures.
    pub pictures: bool,
    /// Designed delay from the load to the launcher, ms.
    pub delay_ms: u64,
    /// The prompt is watched for.
    pub prompt: Option<PromptWatch>,
    /// The page must arrive within this.
    pub page_ms: u64,
    /// The whole visit ends by then. Less than the page and the widget may need only where an
    /// earlier step used up the time of the check.
    pub total_ms: u64,
}

/// Times that a visit waits once the document is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct WaitTimes {
    /// The widget is looked for this long.
    pub start_ms: u64,
    /// Then the visit moves, scrolls and presses a key, and looks this long again; 0: it does not.
    pub nudge_ms: u64,
    /// The launcher is watched this long after it came.
    pub stay_ms: u64,
}

/// One copy to fetch without a browser.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FetchPlan {
    /// Purpose of the copy.
    pub purpose: Purpose,
    /// Address of the copy.
    pub url: Url,
    /// Time within which it must arrive, ms.
    pub ms: u64,
}

/// Visits and copies that are made side by side.
#[derive(Default)]
pub struct Step<'a> {
    /// Visits by the browser.
    pub visits: Vec<VisitPlan<'a>>,
    /// Copies to fetch without a browser.
    pub fetches: Vec<FetchPlan>,
}

impl Step<'_> {
    /// Returns whether nothing more is wanted.
    pub fn is_empty(&self) -> bool {
        self.visits.is_empty() && self.fetches.is_empty()
    }
}

impl VisitPlan<'_> {
    /// Returns the times to wait, seen from the delivered document: what the profile allows the
    /// widget, the delay that the page's own code shows, and whether the code is held back for
    /// consent.
    pub fn waits(&self, page: &DeliveredPage) -> WaitTimes {
        let inspector = Inspector::new(self.supplier, self.consent);
        if self.held_back(&inspector, page) {
            return WaitTimes {
                start_ms: HELD_MS,
                nudge_ms: 0,
                stay_ms: STAY_MS,
            };
        }
        let delay = inspector.delays(&page.html).into_iter().max().unwrap_or(0);
        let allowed = self.supplier.alive.start_within_ms.clamp(1_000, 20_000);
        let designed = match self.delay_ms {
            0 => 0,
            ms => ms.min(MOST_DELAY_MS) + LATE_MS,
        };
        WaitTimes {
            start_ms: (allowed + delay.min(20_000) + 500).max(designed),
            nudge_ms: NUDGE_MS,
            stay_ms: STAY_MS,
        }
    }

    /// All of the snippet waits for consent, and consent has not been given.
    fn held_back(&self, inspector: &Inspector, page: &DeliveredPage) -> bool {
        let given = matches!(
            self.condition.consent,
            ConsentAct::Granted | ConsentAct::Withdrawn
        );
        if self.consent.is_none() || given {
            return false;
        }
        let pieces = inspector.pieces(&page.html, self.url);
        let held =
            |p: &newtfern_model::placement::Piece| matches!(p.state, PieceState::ConsentHeld(_));
        !pieces.is_empty() && pieces.iter().all(held)
    }
}

/// Visits in further consent states, on one viewport: beside the chain, each with the time of a
/// check for itself. A decision needs a consent manager; Global Privacy Control does not.
pub fn further_states<'a>(order: &CheckOrder<'a>, states: &[ConsentAct]) -> Vec<VisitPlan<'a>> {
    let possible = |s: &&ConsentAct| match s {
        ConsentAct::Untouched | ConsentAct::Granted => false,
        ConsentAct::Gpc => true,
        ConsentAct::Refused | ConsentAct::Withdrawn => order.consent.is_some(),
    };
    let states = states.iter().filter(possible);
    states.flat_map(|s| beside_the_chain(order, *s)).collect()
}

/// The further consent states on phones too, where their document has the snippet in another state
/// than that of desktops: where the documents do not differ, neither does what they hold back.
pub fn further_on_phones<'a>(
    order: &CheckOrder<'a>,
    states: &[ConsentAct],
    visits: &[Observation],
) -> Vec<VisitPlan<'a>> {
    let inspector = Inspector::new(order.supplier, order.consent);
    let held = |viewport: Viewport| {
        let of = |o: &&Observation| o.condition.viewport == viewport && was_had(o);
        let seen = visits.iter().find(of)?;
        let page = Url::parse(&seen.page.final_url).ok()?;
        let pieces = inspector.pieces(&seen.page.html, &page);
        Some(pieces.into_iter().map(|p| p.state).collect::<Vec<_>>())
    };
    let (desktop, phone) = (held(Viewport::Desktop), held(Viewport::Phone));
    if desktop.is_none() || phone.is_none() || desktop == phone {
        return Vec::new();
    }
    let on_phones = CheckOrder {
        viewports: &[Viewport::Phone],
        ..*order
    };
    further_states(&on_phones, states)
}

/// Returns the visits in other languages, after those of the chain, with consent given where there
/// is a manager.
pub fn in_language<'a>(order: &CheckOrder<'a>) -> Vec<VisitPlan<'a>> {
    let act = order.chain_states().pop();
    act.map_or_else(Vec::new, |act| beside_the_chain(order, act))
}

/// Visits in other manners than the usual one, after those of the chain: where the widget stays,
/// and whether it fits.
pub fn in_other_manners<'a>(order: &CheckOrder<'a>) -> Vec<VisitPlan<'a>> {
    let mut plans = Vec::new();
    for manner in [Manner::Zoomed, Manner::Again] {
        for mut plan in in_language(order) {
            plan.condition.manner = manner;
            // What is enlarged is a desktop's page.
            plan.condition.viewport = match manner {
                Manner::Zoomed => Viewport::Desktop,
                _ => plan.condition.viewport,
            };
            plan.prompt = None;
            plans.push(plan);
        }
    }
    plans
}

/// Returns the plan of a visit on the first viewport and without pictures, with the time of a check
/// for itself.
fn beside_the_chain<'a>(order: &CheckOrder<'a>, consent: ConsentAct) -> Vec<VisitPlan<'a>> {
    let one = CheckOrder {
        viewports: &order.viewports[..order.viewports.len().min(1)],
        pictures: false,
        ..*order
    };
    side_by_side(&one, consent, CHECK_MS - MARGIN_MS)
}

/// Returns the next step, from what was seen so far; empty when the questions are answered.
/// `spent_ms` is the time since the check began.
pub fn next<'a>(
    order: &CheckOrder<'a>,
    visits: &[Observation],
    asides: &[Aside],
    spent_ms: u64,
) -> Step<'a> {
    let left = CHECK_MS.saturating_sub(MARGIN_MS + spent_ms);
    let mut states = order.chain_states();
    if visits.is_empty() {
        let rounds = states.len().max(1) as u64;
        let first = states.first().copied();
        return Step {
            visits: first.map_or_else(Vec::new, |act| side_by_side(order, act, left / rounds)),
            fetches: Vec::new(),
        };
    }
    // A page that cannot be had will not be had with consent or by another way either.
    if !visits.iter().any(was_had) {
        return Step::default();
    }
    states.retain(|act| visits.iter().all(|o| o.condition.consent != *act));
    let mut step = Step::default();
    if let Some(act) = states.first() {
        step.visits = side_by_side(order, *act, left);
    }
    if asides.is_empty() {
        step.fetches = copies(order, visits, left.min(FETCH_MS));
    }
    step
}

fn side_by_side<'a>(
    order: &CheckOrder<'a>,
    consent: ConsentAct,
    total_ms: u64,
) -> Vec<VisitPlan<'a>> {
    let plan = |viewport: &Viewport| VisitPlan {
        url: order.url,
        condition: Condition {
            viewport: *viewport,
            consent,
            locale: order.locale.to_string(),
            ..Condition::default()
        },
        supplier: order.supplier,
        consent: order.consent,
        pictures: order.pictures,
        delay_ms: order.delay_ms,
        prompt: order.prompt,
        page_ms: PAGE_MS,
        total_ms,
    };
    order.viewports.iter().map(plan).collect()
}

/// Copies beside the page, only where the snippet is not live in what visitors get and nothing of
/// the widget came.
fn copies(order: &CheckOrder, visits: &[Observation], ms: u64) -> Vec<FetchPlan> {
    let missing = |o: &&Observation| was_had(o) && o.looks.alive.seen_ms().is_none();
    let Some(seen) = visits.iter().find(missing) else {
        return Vec::new();
    };
    let Ok(page) = Url::parse(&seen.page.final_url) else {
        return Vec::new();
    };
    let inspector = Inspector::new(order.supplier, order.consent);
    let pieces = inspector.pieces(&seen.page.html, &page);
    if pieces.iter().any(|p| p.state == PieceState::Live) {
        return Vec::new();
    }
    let fetch = |purpose, url| FetchPlan { purpose, url, ms };
    let mut wanted = vec![fetch(Purpose::Uncached, uncached(&page, order.stamp))];
    if order.asked == PageChoice::Found {
        return wanted;
    }
    let other = |l: &Url| l.origin() == page.origin() && l.path() != page.path();
    let links = Document::parse(&seen.page.html).links(&page);
    let linked = links.into_iter().filter(other).take(MOST_LINKED);
    wanted.extend(linked.map(|url| fetch(Purpose::Linked, url)));
    wanted
}

/// The same address with a query no cache has seen.
fn uncached(page: &Url, stamp: &str) -> Url {
    let mut url = page.clone();
    url.query_pairs_mut().append_pair("newtfern", stamp);
    url
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{GOOD, consent, healthy, page, with};
    use crate::testing::sample;

    const BOTH: &[Viewport] = &[Viewport::Desktop, Viewport::Phone];

    struct World {
        url: Url,
        supplier: Supplier,
        consent: Option<ConsentManager>,
    }

    fn world(consent: Option<ConsentManager>) -> World {
        World {
            url: Url::parse("https://kites.example/").unwrap(),
            supplier: sample(),
            consent,
        }
    }

    impl World {
        fn order(&self) -> CheckOrder<'_> {
            CheckOrder {
                consent: self.consent.as_ref(),
                ..CheckOrder::of(&self.url, &self.supplier, "7")
            }
        }

        fn plan(&self, consent: ConsentAct) -> VisitPlan<'_> {
            side_by_side(&self.order(), consent, 30_000).remove(0)
        }
    }

    #[test]
    fn a_healthy_page_is_visited_once_on_each_viewport_and_nothing_more() {
        let w = world(None);
        let first = next(&w.order(), &[], &[], 0);
        let seen: Vec<Viewport> = first.visits.iter().map(|v| v.condition.viewport).collect();
        assert_eq!(seen, BOTH);
        assert_eq!(first.visits[0].total_ms, CHECK_MS - MARGIN_MS);
        assert!(next(&w.order(), &[healthy()], &[], 4_000).is_empty());
    }

    #[test]
    fn a_page_without_the_snippet_asks_for_copies_once() {
        let w = world(None);
        let links = "<a href=/a>a</a><a href=/a#b>a</a><a href=https://other.example/>o</a>";
        let step = next(&w.order(), &[page(links)], &[], 9_000);
        let urls: Vec<&str> = step.fetches.iter().map(|f| f.url.as_str()).collect();
        assert_eq!(
            urls,
            [
                "https://kites.example/?newtfern=7",
                "https://kites.example/a"
            ]
        );
        let got = crate::chain::testing::aside(Purpose::Uncached, "");
        assert!(next(&w.order(), &[page(links)], &[got], 12_000).is_empty());
        assert!(next(&w.order(), &[page(GOOD)], &[], 9_000).is_empty());
    }

    #[test]
    fn consent_is_given_in_a_second_step_beside_the_copies() {
        let w = world(consent());
        let first = next(&w.order(), &[], &[], 0);
        assert!(first.visits.iter().all(|v| v.total_ms > PAGE_MS));
        let step = next(&w.order(), &[page("")], &[], 9_000);
        let acts: Vec<ConsentAct> = step.visits.iter().map(|v| v.condition.consent).collect();
        assert_eq!(acts, [ConsentAct::Granted; 2]);
        assert_eq!(step.fetches.len(), 1);
    }

    #[test]
    fn a_page_that_was_found_is_visited_once_with_consent_given() {
        let w = world(consent());
        let order = CheckOrder {
            asked: PageChoice::Found,
            viewports: &[Viewport::Desktop],
            ..w.order()
        };
        let first = next(&order, &[], &[], 0);
        assert_eq!(first.visits.len(), 1);
        assert_eq!(first.visits[0].condition.consent, ConsentAct::Granted);
        assert_eq!(first.visits[0].total_ms, CHECK_MS - MARGIN_MS);
        let seen = with(page("<a href=/a>a</a>"), |o| {
            o.condition.consent = ConsentAct::Granted;
        });
        let step = next(&order, &[seen], &[], 5_000);
        assert!(step.visits.is_empty());
        // Past the cache, and no page that it links to.
        let copies: Vec<Purpose> = step.fetches.iter().map(|f| f.purpose).collect();
        assert_eq!(copies, [Purpose::Uncached]);
    }

    #[test]
    fn exactly_the_states_that_somebody_named_are_visited() {
        let w = world(consent());
        let made = |states: &'static [ConsentAct]| {
            let order = CheckOrder {
                states: Some(states),
                viewports: &[Viewport::Desktop],
                ..w.order()
            };
            let mut acts = Vec::new();
            let mut seen = Vec::new();
            loop {
                let step = next(&order, &seen, &[], 0);
                let Some(visit) = step.visits.first() else {
                    break;
                };
                let act = visit.condition.consent;
                acts.push(act);
                seen.push(with(page(GOOD), |o| o.condition.consent = act));
            }
            acts.extend(
                further_states(&order, states)
                    .iter()
                    .map(|p| p.condition.consent),
            );
            acts.extend(in_language(&order).iter().map(|p| p.condition.consent));
            acts.dedup();
            acts
        };
        use ConsentAct::{Gpc, Granted, Refused, Untouched};
        for states in [
            &[Untouched] as &[_],
            &[Granted],
            &[Refused],
            &[Untouched, Refused, Gpc],
        ] {
            let mut visited = made(states);
            visited.sort_by_key(|a| a.word());
            visited.dedup();
            let mut wanted = states.to_vec();
            wanted.sort_by_key(|a| a.word());
            assert_eq!(visited, wanted);
        }
    }

    #[test]
    fn a_page_that_cannot_be_had_is_not_visited_again() {
        let w = world(consent());
        let gone = with(page(""), |o| o.page.status = Some(503));
        assert!(next(&w.order(), &[gone], &[], 1_000).is_empty());
    }

    #[test]
    fn waiting_follows_the_profile_the_pages_delay_and_consent() {
        let w = world(consent());
        let waits = |plan: &VisitPlan, html: &str| {
            let html = html.to_string();
            plan.waits(&DeliveredPage {
                html,
                ..DeliveredPage::default()
            })
        };
        let untouched = w.plan(ConsentAct::Untouched);
        assert_eq!(waits(&untouched, GOOD).start_ms, 5_500);
        let late = "<script>setTimeout(function () { exampleChat('abcd-1234') }, 7000)</script>";
        assert_eq!(waits(&untouched, late).start_ms, 12_500);
        let held = GOOD.replace("async", "type=text/plain data-wait=chat");
        let short = waits(&untouched, &held);
        assert_eq!((short.start_ms, short.nudge_ms), (2_500, 0));
        assert_eq!(waits(&w.plan(ConsentAct::Granted), &held).start_ms, 5_500);
    }
}
