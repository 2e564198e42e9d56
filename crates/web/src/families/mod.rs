//! The families in the interface: what a row of a lens shows and what the bench's section holds. Judging,
//! words and drawings' data are the core's; a new family is one module here beside one there.

mod brand;
mod consent;
mod design;
mod echo;
mod hand_over;
pub mod load;
pub mod pages;
mod place;
pub mod weigh;

use crate::draw::frond;
use crate::draw::swatch::Swatch;
use crate::view::ago;
use newtfern_acts::store::checks::Drawing;
use newtfern_acts::store::handovers::Handover;
use newtfern_acts::store::placements::Placement;
use newtfern_acts::store::sites::{Site, StandingRow};
use newtfern_core::design::Design;
use newtfern_core::family::{Detail, Family};
use newtfern_core::finding::{Evidence, Finding};

/// The middle column of a lens.
#[derive(Default)]
pub struct Cell {
    pub drawing: String,
    /// Blob key of a small picture.
    pub crop: Option<String>,
    pub swatches: Vec<Swatch>,
    pub note: String,
}

/// Words for what an older version kept in a shape that is not read any more.
const OLDER: &str = "kept by an older version: look again to see it drawn";

/// What a row shows of a family; the estate shows loading, the heart of the job.
pub fn cell(family: Option<Family>, drawing: Option<&Drawing>, site: &Site) -> Cell {
    let detail = match drawing {
        Some(Drawing::Known(detail)) => detail,
        Some(Drawing::Older) => {
            let note = OLDER.to_string();
            return Cell {
                note,
                ..Cell::default()
            };
        }
        None => {
            return match family {
                Some(Family::Place) => place::cell(site),
                _ => Cell::default(),
            };
        }
    };
    match detail.as_ref() {
        Detail::Load(d) => load::cell(d),
        Detail::Pages(d) => pages::cell(d),
        Detail::Echo(d) => echo::cell(d),
        Detail::Weigh(d) => weigh::cell(d),
        Detail::Consent(d) => consent::cell(d),
        Detail::Brand(d) => brand::cell(d),
        Detail::HandOver(_) => Cell::default(),
    }
}

/// The middle column of the lens of designs.
pub fn design_cell(design: &Design, brand: Option<newtfern_core::colour::Rgb>) -> Cell {
    design::cell(design, brand)
}

/// A finding in words.
pub struct Told {
    pub code: &'static str,
    pub severity: &'static str,
    pub summary: String,
    pub remedy: String,
    pub evidence: Vec<String>,
    pub candidates: Vec<String>,
}

/// Findings in words; pictures are shown elsewhere.
pub fn told(findings: &[Finding]) -> Vec<Told> {
    let lines = |f: &Finding| {
        let seen = f.evidence.iter();
        let lines = seen.filter(|e| !matches!(e, Evidence::Picture { .. }));
        lines.map(Evidence::line).collect()
    };
    let tell = |f: &Finding| Told {
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
    };
    findings.iter().map(tell).collect()
}

/// What sections are made from.
pub struct Known<'a> {
    pub site: &'a Site,
    pub design: &'a Design,
    pub placements: &'a [Placement],
    pub handovers: &'a [Handover],
    pub csrf: &'a str,
    pub may_change: bool,
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
    pub findings: Vec<Told>,
    /// The drawing above the findings, and what stands below them: markup of the family's own templates.
    pub head: String,
    pub body: String,
    pub act: Option<(&'static str, &'static str)>,
}

/// Makes a section.
///
/// # Errors
/// Where a template fails.
pub fn section(
    standing: &StandingRow,
    findings: &[Finding],
    drawing: Option<&Drawing>,
    known: &Known,
) -> askama::Result<Section> {
    let (family, state) = (standing.family(), standing.state());
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
        findings: told(findings),
        head: match drawing {
            Some(Drawing::Known(d)) => head(d)?,
            _ => String::new(),
        },
        body: body(family, drawing, known)?,
        // Placing ends with a look like the others', but the button stands beside its own steps.
        act: job.filter(|_| known.may_change).map(|j| (j.key(), j.act())),
    })
}

fn head(detail: &Detail) -> askama::Result<String> {
    match detail {
        Detail::Load(d) => load::head(d),
        _ => Ok(String::new()),
    }
}

fn body(family: Family, drawing: Option<&Drawing>, known: &Known) -> askama::Result<String> {
    match family {
        Family::Design => return design::section(known.design),
        Family::Place => return place::section(known),
        Family::HandOver => return hand_over::section(known),
        // Also where nothing was tried: a test can be made by hand.
        Family::Echo => return echo::section(drawing, known.site.id),
        _ => {}
    }
    match drawing {
        None => Ok(String::new()),
        Some(Drawing::Older) => Ok(format!("<p class=\"small\">What was found is {OLDER}.</p>")),
        Some(Drawing::Known(detail)) => match detail.as_ref() {
            Detail::Load(d) => load::section(d),
            Detail::Pages(d) => pages::section(d),
            Detail::Weigh(d) => weigh::section(d),
            Detail::Consent(d) => consent::section(d, known.site.id),
            Detail::Brand(d) => brand::section(d),
            Detail::Echo(_) | Detail::HandOver(_) => Ok(String::new()),
        },
    }
}
