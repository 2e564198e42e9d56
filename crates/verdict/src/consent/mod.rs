//! The consent grid: consent states against signals, with a verdict by the rules of a region.
//!
//! What an opt-in region asks (Directive 2002/58/EC, article 5(3), as read by supervisory
//! authorities): nothing that is not strictly necessary is stored on or read from the visitor's
//! device before consent. Requests alone are judged by the region's profile.

pub mod declared;
pub mod notice;
mod signals;
pub mod words;

pub(crate) use signals::is_ours;

use declared::DeclaredItem;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding, Severity};
use newtfern_model::profile::Supplier;
use newtfern_model::region::{Region, Signal};
use newtfern_standards::observation::{ConsentAct, FirstLayer, Navigation, Observation};
use newtfern_standards::tcf::{ConsentClass, TcString};
use serde::{Deserialize, Serialize};
use signals::signals;

fn told_early(signal: Signal) -> (Code, &'static str) {
    match signal {
        Signal::Requests => (Code::ConsentRequestEarly, "requests go to the supplier"),
        Signal::Cookies => (Code::ConsentCookieEarly, "cookies of the widget are set"),
        Signal::Storage => (
            Code::ConsentStorageEarly,
            "the widget stores data in the browser",
        ),
        Signal::Frames => (Code::ConsentFrameEarly, "frames of the supplier are opened"),
    }
}

/// One signal as it was seen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Example {
    /// Address, or name and place.
    pub what: String,
    /// ms since the navigation began.
    pub at_ms: f64,
    /// Whether it came before the visitor decided, or although the decision could not be made.
    pub before: bool,
}

/// One cell: how often the signal was seen, when first, and what exactly.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Cell {
    /// Decision of the visitor.
    pub state: ConsentAct,
    /// Signal of the widget.
    pub signal: Signal,
    /// All of the supplier's own.
    pub count: usize,
    /// Number of times before the decision.
    pub before: usize,
    /// ms after the navigation began, of the first such signal.
    pub first_ms: Option<f64>,
    /// Each with its own time.
    pub examples: Vec<Example>,
    /// The rule for this state, whatever the count.
    pub allowed: bool,
    /// The rule while the visitor had not decided.
    pub allowed_before: bool,
}

impl Cell {
    /// Signals that the rules do not allow.
    pub fn wrong(&self) -> usize {
        match (self.allowed, self.allowed_before) {
            (false, _) => self.count,
            (true, false) => self.before,
            (true, true) => 0,
        }
    }
}

/// Consent states against signals.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Grid {
    /// Name of the region whose rules judge.
    pub region: String,
    /// Short name of the region.
    #[serde(default)]
    pub region_id: String,
    /// Reason why the strictest region judges, where no list has the visitors' country.
    #[serde(default)]
    pub for_want_of: Option<String>,
    /// Cells, one for each decision and signal.
    pub cells: Vec<Cell>,
    /// Did the widget come up in each state that was visited? Not where that is not known.
    pub up: Vec<(ConsentAct, bool)>,
    /// A manager was found on the page or the states could be told apart.
    pub managed: bool,
    /// States whose decision could not be made, and why.
    #[serde(default)]
    pub not_made: Vec<(ConsentAct, String)>,
    /// Choices that the banner offered where a refusal was tried.
    #[serde(default)]
    pub first_layer: Option<FirstLayer>,
    /// Items that the widget sent and kept in all states together.
    #[serde(default)]
    pub declared: Vec<DeclaredItem>,
    /// Content of the visitor's consent string in each state, for people.
    #[serde(default)]
    pub strings: Vec<(ConsentAct, String)>,
}

/// Examples kept of one cell.
const MOST_EXAMPLES: usize = 5;

/// Builds the grid from one visit for each consent state.
pub fn grid(supplier: &Supplier, region: &Region, visits: &[&Observation]) -> Grid {
    let mut grid = Grid {
        region: region.name.clone(),
        region_id: region.id.clone(),
        for_want_of: region.for_want_of.clone(),
        cells: Vec::new(),
        up: Vec::new(),
        managed: visits.iter().any(|v| v.consent.manager || v.consent.tcf),
        not_made: Vec::new(),
        first_layer: first_layer(visits),
        declared: declared::declared(supplier, visits),
        strings: visits.iter().filter_map(|v| string_of(v)).collect(),
    };
    for seen in visits {
        let state = seen.condition.consent;
        let decides = !matches!(state, ConsentAct::Untouched | ConsentAct::Gpc);
        let made = seen.looks.consent_act.seen_ms().is_some();
        if decides && !made {
            let why = match seen.consent.error.as_str() {
                "" => "the decision did not take".to_string(),
                error => error.to_string(),
            };
            grid.not_made.push((state, why));
        }
        if seen.looks.alive.unlooked().is_none() {
            grid.up.push((state, seen.looks.alive.seen_ms().is_some()));
        }
        for signal in Signal::ALL {
            grid.cells.push(cell(supplier, region, seen, signal));
        }
    }
    grid
}

/// Choices of the banner's first layer: from the visit that tried to refuse, which looked a layer
/// deeper too, else from one that left it as it stood.
fn first_layer(visits: &[&Observation]) -> Option<FirstLayer> {
    let layers = || visits.iter().filter_map(|v| v.consent.first_layer);
    let deeper = layers().find(|l| l.refuses_deeper.is_some());
    deeper.or_else(|| layers().next())
}

/// The consent string of a visit, in words; one that cannot be read says why.
fn string_of(seen: &Observation) -> Option<(ConsentAct, String)> {
    let text = Some(seen.consent.tc_string.as_str()).filter(|t| !t.is_empty())?;
    let words = match TcString::decode(text) {
        Ok(told) => told.words(),
        Err(why) => format!("a consent string that cannot be read: {why}"),
    };
    Some((seen.condition.consent, words))
}

fn cell(supplier: &Supplier, region: &Region, seen: &Observation, signal: Signal) -> Cell {
    let state = seen.condition.consent;
    let class = supplier.consent.class;
    let decided_ms = decided_ms(seen, region.gpc_refuses(class));
    let mut found = signals(supplier, seen, signal);
    if state == ConsentAct::Withdrawn {
        // What came while consent was given was allowed: what counts is what came after it was
        // taken back.
        let since = decided_ms.unwrap_or(f64::INFINITY);
        let after = |at_ms: &f64| *at_ms >= since;
        // What was stored before stays in use where the widget goes on.
        let goes_on = signals(supplier, seen, Signal::Requests)
            .iter()
            .any(|(_, at_ms)| after(at_ms));
        let stored = matches!(signal, Signal::Cookies | Signal::Storage);
        found.retain(|(_, at_ms)| after(at_ms) || (stored && goes_on && since.is_finite()));
    }
    found.sort_by(|a, b| a.1.total_cmp(&b.1));
    let next = next_page(seen);
    let is_before = |at_ms: f64| decided_ms.is_none_or(|d| at_ms < d);
    let allowed_before = region.before.of(signal).contains(&class);
    let allowed = match (state, decided_ms) {
        (ConsentAct::Granted | ConsentAct::Untouched, Some(_)) => true,
        (ConsentAct::Refused | ConsentAct::Withdrawn | ConsentAct::Gpc, Some(_)) => {
            class == ConsentClass::Necessary
        }
        _ => allowed_before,
    };
    Cell {
        state,
        signal,
        count: found.len(),
        before: found.iter().filter(|(_, at)| is_before(*at)).count(),
        first_ms: found.first().map(|(_, at)| *at),
        examples: found
            .into_iter()
            .take(MOST_EXAMPLES)
            .map(|(what, at_ms)| Example {
                what: match next {
                    Some(page) if at_ms >= page.at_ms => {
                        format!("{what} on the next page, {}", page.url)
                    }
                    _ => what,
                },
                at_ms,
                before: is_before(at_ms),
            })
            .collect(),
        allowed,
        allowed_before,
    }
}

/// Returns when the visitor's decision was made; none where it was not.
fn decided_ms(seen: &Observation, gpc_refuses: bool) -> Option<f64> {
    let made = seen.looks.consent_act.seen_ms().is_some();
    match seen.condition.consent {
        ConsentAct::Untouched if granted_by_interface(seen) => Some(0.0),
        // Each decision is made before the page can do anything.
        ConsentAct::Gpc if gpc_refuses => Some(0.0),
        ConsentAct::Untouched | ConsentAct::Gpc => None,
        // A decision that did not take is none: all came while the visitor had not decided.
        _ if !made => None,
        _ => seen.consent.acted_ms,
    }
}

/// Returns the page that the visitor went to after a decision.
fn next_page(seen: &Observation) -> Option<&Navigation> {
    let decided_ms = seen.consent.acted_ms?;
    let mut gone = seen.navigations.iter().filter(|n| !n.same_document);
    gone.find(|n| n.at_ms > decided_ms)
}

/// The standard consent interface says, before the visitor did anything, that the widget may run:
/// by where the visitor is, say. Its answer goes before the look of any banner.
fn granted_by_interface(seen: &Observation) -> bool {
    seen.consent.tcf && seen.consent.state_before == ConsentAct::Granted.word()
}

fn told(state: ConsentAct) -> &'static str {
    match state {
        ConsentAct::Refused => "although consent was refused",
        ConsentAct::Withdrawn => "although consent was withdrawn",
        ConsentAct::Gpc => {
            "although the visitor\u{2019}s browser asks for privacy (Global Privacy Control)"
        }
        _ => "before the visitor gave consent",
    }
}

fn remedy(code: Code, managed: bool) -> &'static str {
    match code {
        _ if !managed => {
            "No consent manager was recognised that could hold the snippet back: place its form \
             that \
            waits for a click of the visitor, add a consent manager, or agree on an exception in \
            writing, with name and date."
        }
        Code::ConsentAfterRefusal => {
            "Let the refusal reach the snippet: assign it to a category in the consent manager \
            that a refusal switches off."
        }
        Code::ConsentLingers => {
            "Let the consent manager stop the widget when consent is withdrawn: hold its snippet \
            back again on the next page, and delete what it stored."
        }
        Code::ConsentGpcIgnored => {
            "Let the consent manager take Global Privacy Control (the header Sec-GPC) as a refusal."
        }
        _ => {
            "Hold the snippet back until consent: assign it to a category in the consent manager, \
            or place its consent-gated form."
        }
    }
}

/// Returns the findings of what the rules do not allow in the grid.
pub fn judge(grid: &Grid) -> Vec<Finding> {
    let mut out: Vec<Finding> = Vec::new();
    let wrong = |c: &&Cell| c.wrong() > 0;
    let early = |c: &Cell| c.state == ConsentAct::Untouched;
    let any_early = grid.cells.iter().filter(wrong).any(early);
    for cell in grid.cells.iter().filter(wrong) {
        let (early, what) = told_early(cell.signal);
        let code = match cell.state {
            ConsentAct::Refused if !cell.allowed => Code::ConsentAfterRefusal,
            ConsentAct::Withdrawn => Code::ConsentLingers,
            // What comes whatever the browser asks for is early, and told as that.
            ConsentAct::Gpc if any_early => continue,
            ConsentAct::Gpc => Code::ConsentGpcIgnored,
            _ => early,
        };
        if out.iter().any(|f| f.code == code) {
            continue;
        }
        let wrong = cell.examples.iter().filter(|e| !cell.allowed || e.before);
        let line =
            |e: &Example| Evidence::fact(format!("{} after {:.2} s", e.what, e.at_ms / 1000.0));
        out.push(
            Finding::new(
                code,
                Severity::Fault,
                format!("{}: {what} {}.", grid.region, told(cell.state)),
                remedy(code, grid.managed),
            )
            .with_all(wrong.map(line))
            .with_all(strictest(grid)),
        );
    }
    if let Some(finding) = no_refusal(grid) {
        out.push(finding);
    }
    let up = |state| grid.up.iter().find(|(s, _)| *s == state).map(|(_, up)| *up);
    let granted = grid.not_made.iter().all(|(s, _)| *s != ConsentAct::Granted);
    if granted && up(ConsentAct::Granted) == Some(false) && up(ConsentAct::Untouched) == Some(false)
    {
        out.push(
            Finding::new(
                Code::ConsentNeverStarts,
                Severity::Fault,
                "The widget does not start in any consent state.",
                "Look at the chain of this site first.",
            )
            .with(Evidence::fact(
                "no sign of life before a choice, and none after consent",
            )),
        );
    }
    out
}

/// Reason why the strictest rules are those that count, where nothing else tells.
fn strictest(grid: &Grid) -> Option<Evidence> {
    let why = grid.for_want_of.as_ref()?;
    let words = format!(
        "judged by the strictest region, {}, since {why}",
        grid.region
    );
    Some(Evidence::fact(words))
}

/// The banner's first layer agrees and does not refuse.
fn no_refusal(grid: &Grid) -> Option<Finding> {
    let layer = grid.first_layer.filter(|l| l.accepts && !l.refuses)?;
    let beyond = match layer.refuses_deeper {
        Some(true) => "a refusal was found one layer below",
        Some(false) => "no refusal was found below it either",
        None => "as the banner stood before any choice; no layer below was opened",
    };
    let summary = "The banner offers consent and no refusal on its first layer.";
    let remedy =
        "Put a way to refuse beside the way to agree, in the settings of the consent manager.";
    let finding = Finding::new(Code::ConsentNoRefusal, Severity::Warning, summary, remedy);
    Some(finding.with(Evidence::fact(beyond)))
}

#[cfg(test)]
mod tests;
