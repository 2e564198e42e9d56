//! What the comparisons of a look say of one value.

use crate::report::{ComparedValue, Report};
use newtfern_model::code::Code;
use newtfern_model::design::Field;
use newtfern_model::finding::{Finding, NotChecked, Severity};
use std::borrow::Cow;

/// Sizes within this many px are the same.
pub(super) const SIZE_TOLERANCE: f64 = 4.0;

pub(super) fn value(
    out: &mut Report<Vec<ComparedValue>>,
    field: Field,
    wanted: &str,
    seen: Option<String>,
    same: bool,
) {
    let name = field.name_in_design().unwrap_or(field.key());
    out.what.push(ComparedValue {
        name: Cow::Borrowed(name),
        language: None,
        wanted: wanted.into(),
        seen,
        same,
    });
}

pub(super) fn gap(out: &mut Report<Vec<ComparedValue>>, what: &str, why: &str) {
    out.gaps.push(NotChecked {
        what: format!("the design\u{2019}s {what}"),
        why: why.into(),
    });
}

pub(super) fn finding(code: Code, severity: Severity, summary: String, what: &str) -> Finding {
    let remedy =
        format!("In the widget\u{2019}s settings at the supplier, set {what} as designed.");
    Finding::new(code, severity, summary, remedy)
}
