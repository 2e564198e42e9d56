//! What is kept of each family in one place, and what its judging gives.

use crate::family::detail::Detail;
use crate::family::kind::{Family, Standing};
use crate::inputs::input::Input;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;

/// Standing of the site in each family.
pub type Elsewhere<'a> = &'a dyn Fn(Family) -> Standing;

/// All that is known of one family.
pub struct Entry {
    /// Family that the entry describes.
    pub family: Family,
    /// The question its lens answers.
    pub question: &'static str,
    /// Head of the column with its drawing.
    pub drawing: &'static str,
    /// Job of workers for it, if there is one.
    pub job: Option<JobKind>,
    /// Inputs that its judging reads, in groups: nothing else makes its results old, but time.
    pub reads: &'static [&'static [Input]],
    /// Function that returns what a site needs in it, given how it stands; none where it stands
    /// well.
    pub act: fn(&FamilyStanding, Elsewhere) -> Option<String>,
}

/// Inputs of every judging of a look at the site's address: what it goes to, what it looks for, and
/// how.
pub(super) const A_LOOK: &[Input] = &[
    Input::Site(SiteField::Address),
    Input::Site(SiteField::Supplier),
    Input::Site(SiteField::Key),
    Input::Site(SiteField::SupplierHost),
    Input::Site(SiteField::On),
    Input::Site(SiteField::NotOn),
    Input::Site(SiteField::Consent),
    Input::Site(SiteField::Languages),
    Input::Supplier,
    Input::ConsentManager,
    Input::Screens,
    Input::FurtherWidgets,
    Input::Slots,
];

/// Inputs that the verdict over the chain reads beside that.
pub(super) const A_CHAIN: &[Input] = &[
    Input::Site(SiteField::TimeZone),
    Input::Rivals,
    Input::Start,
    Input::Delay,
    Input::Hours,
];

/// New standing of one family, with its findings and the data of its drawing.
#[derive(Debug, Clone)]
pub struct FamilyResult {
    /// Family of the result.
    pub family: Family,
    /// Standing of the family.
    pub standing: Standing,
    /// Result in one sentence.
    pub summary: String,
    /// Remedy, if the check knows one.
    pub remedy: String,
    /// Findings, the root cause first.
    pub findings: Vec<Finding>,
    /// The data of its drawing and its section.
    pub detail: Option<Detail>,
}

impl FamilyResult {
    /// A family that has nothing to judge on a page that should be without the widget.
    pub(crate) fn kept_off(family: Family) -> FamilyResult {
        FamilyResult {
            family,
            standing: Standing::NotApplicable,
            summary: "The page rules keep the widget off the site's address.".into(),
            remedy: String::new(),
            findings: Vec::new(),
            detail: None,
        }
    }
}

/// The standing that findings give: the worst of them decides; faults fail, warnings are remarks.
pub fn by_findings(findings: &[Finding], good: &str) -> (Standing, String) {
    match first_worst(findings) {
        Some(f) if f.severity >= Severity::Fault => (Standing::Failing, f.summary.clone()),
        Some(f) if f.severity == Severity::Warning => (Standing::Remarks, f.summary.clone()),
        Some(f) => (Standing::Passing, f.summary.clone()),
        None => (Standing::Passing, good.to_string()),
    }
}

/// The worst finding; of several alike the first.
pub fn first_worst(findings: &[Finding]) -> Option<&Finding> {
    // Of equals the last is the greatest to `max_by_key`.
    findings.iter().rev().max_by_key(|f| f.severity)
}

/// Returns the remedy of the worst finding.
pub fn first_remedy(findings: &[Finding]) -> String {
    first_worst(findings)
        .map(|f| f.remedy.clone())
        .unwrap_or_default()
}

/// Standing of a site in one family, as far as the next action depends on it.
#[derive(Debug, Clone, Copy)]
pub struct FamilyStanding<'a> {
    /// Family of the standing.
    pub family: Family,
    /// Standing of the family.
    pub standing: Standing,
    /// Result in one sentence.
    pub summary: &'a str,
    /// Remedy of a failure, if the check knows one.
    pub remedy: &'a str,
    /// Code of the finding that leads it; empty where none does.
    pub code: &'a str,
    /// Whether a survey saw the snippet with the site's key in its pages.
    pub seen: bool,
}

impl FamilyStanding<'_> {
    /// A family that nobody has looked at.
    pub fn not_yet(family: Family) -> FamilyStanding<'static> {
        FamilyStanding {
            family,
            standing: Standing::NotYet,
            summary: "",
            remedy: "",
            code: "",
            seen: false,
        }
    }
}
