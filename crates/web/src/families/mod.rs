//! The families in the interface: what a row of a lens shows and what the bench's section holds.
//! Judging, words and drawings' data are the core's; a new family is one module here, and its line
//! in `view`.

mod brand;
mod cell;
mod consent;
mod design;
mod echo;
mod hand_over;
pub mod load;
mod next_step;
pub mod pages;
mod place;
mod view;
pub mod weigh;

pub use cell::{Cell, SectionData};

use crate::draw::frond;
use crate::view::ago;
use newtfern_acts::store::estate::sites::{Site, StandingRow};
use newtfern_acts::store::results::checks::Drawing;
use newtfern_model::design::Design;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::colour::Rgb;
use newtfern_verdict::family::Family;
use next_step::{NextStep, next_step};
use view::{CellData, OLDER, View};

/// The view of a family: the one list of them.
fn view(family: Family) -> &'static View {
    match family {
        Family::Design => &design::VIEW,
        Family::Place => &place::VIEW,
        Family::Load => &load::VIEW,
        Family::Pages => &pages::VIEW,
        Family::Echo => &echo::VIEW,
        Family::Weigh => &weigh::VIEW,
        Family::Consent => &consent::VIEW,
        Family::Brand => &brand::VIEW,
        Family::HandOver => &hand_over::VIEW,
        // What changed since is told in words.
        Family::Watch => &View::PLAIN,
    }
}

/// Returns how to read the drawings of a list; empty where its marks say all.
pub fn legend(family: Option<Family>) -> String {
    family.map_or(String::new(), |f| (view(f).legend)())
}

/// Returns the link and its words where a person acts on a family of a site, beside a job of the
/// family or without one.
pub fn place_to_act(family: Family, site: i64, has_job: bool) -> Option<(String, &'static str)> {
    let place = view(family).place.as_ref();
    let place = place.filter(|p| p.beside_job || !has_job)?;
    Some(((place.link)(site), place.words))
}

/// Returns the cell of a family; the estate shows loading, the heart of the job.
pub fn cell(
    family: Option<Family>,
    drawing: Option<&Drawing>,
    site: &Site,
    design: Option<(&Design, Option<Rgb>)>,
) -> Cell {
    let detail = match drawing {
        Some(Drawing::Older) => {
            return Cell {
                note: OLDER.to_string(),
                ..Cell::default()
            };
        }
        Some(Drawing::Known(detail)) => Some(detail.as_ref()),
        None => None,
    };
    let data = CellData {
        site,
        detail,
        design,
    };
    (view(family.unwrap_or(Family::Load)).cell)(&data)
}

/// A finding in words.
pub struct FindingText {
    pub code: &'static str,
    pub severity: &'static str,
    pub summary: String,
    pub remedy: String,
    pub evidence: Vec<String>,
    pub candidates: Vec<String>,
    pub step: Option<NextStep>,
}

/// Findings of a site in words; pictures are shown elsewhere.
pub fn told(site: i64, findings: &[Finding]) -> Vec<FindingText> {
    let lines = |f: &Finding| {
        let seen = f.evidence.iter();
        let lines = seen.filter(|e| !matches!(e, Evidence::Picture { .. }));
        lines.map(Evidence::line).collect()
    };
    let tell = |f: &Finding| FindingText {
        code: f.code.name(),
        severity: f.severity.word(),
        summary: f.summary.clone(),
        remedy: f.remedy.clone(),
        evidence: lines(f),
        candidates: f
            .candidates
            .iter()
            .map(|c| format!("{}: {}", c.code.name(), c.tell))
            .collect(),
        step: next_step(site, f),
    };
    findings.iter().map(tell).collect()
}

/// One section of the bench.
pub struct Section {
    pub family: &'static str,
    pub label: &'static str,
    pub mark: String,
    pub state: &'static str,
    pub state_key: &'static str,
    pub summary: String,
    pub when: String,
    pub findings: Vec<FindingText>,
    /// The drawing above the findings, and what stands below them: markup of the family's own
    /// templates.
    pub head: String,
    pub body: String,
    pub act: Option<(&'static str, &'static str)>,
}

/// Builds the section of a family.
///
/// # Errors
/// Where a template fails.
pub fn section(
    standing: &StandingRow,
    findings: &[Finding],
    drawing: Option<&Drawing>,
    known: &SectionData,
) -> askama::Result<Section> {
    let (family, state) = (standing.family, standing.state);
    let view = view(family);
    let looked = standing.check_id.is_some();
    let job = family.job_for(state);
    Ok(Section {
        family: family.key(),
        label: family.label(),
        mark: frond::mark(state),
        state: state.words(),
        state_key: state.key(),
        summary: standing.summary.clone(),
        when: if looked {
            ago(standing.at)
        } else {
            String::new()
        },
        findings: told(known.site.id, findings),
        head: match drawing {
            Some(Drawing::Known(d)) => (view.head)(d)?,
            _ => String::new(),
        },
        body: (view.body)(known, drawing)?,
        // Placing ends with a look like the others', but the button stands beside its own steps.
        act: job.filter(|_| known.may_change).map(|j| (j.key(), j.act())),
    })
}
