//! Looks as they were seen against those values of the design that the expectation gives.

use super::case::WidgetCase;
use crate::brand::{
    COLOUR_TOLERANCE, OFFSET_TOLERANCE, VisitComparison, compare, details, judge, phone,
};
use crate::report::{ComparedValue, Report};
use newtfern_model::code::Code;
use newtfern_model::design::{Design, Field};
use newtfern_model::expectation::{Form, Widget, WidgetDesign};
use newtfern_model::finding::{Evidence, Finding, NotChecked};
use newtfern_standards::colour::Rgb;
use newtfern_standards::observation::{ConsentAct, Launcher, Observation, Viewport};
use std::borrow::Cow;

/// Compares what is designed beyond colours and places: size, shape, movement, notice, values for
/// phones alone.
pub(super) fn details_of(case: &WidgetCase, out: &mut Report<Vec<ComparedValue>>) {
    let design = case.widget.design.resolved();
    if let Some(seen) = best(case.chain()) {
        out.add(details::judge(&design, seen));
    }
    let on_phone = best_of(case.chain(), Some(Viewport::Phone));
    let on_phone = on_phone.and_then(|v| Some((v, compare(v, &design, None)?)));
    let on_phone = on_phone.as_ref().map(|(v, compared)| (*v, compared));
    out.add(phone::judge(&design, on_phone));
    out.add(details::direction(case.usual()));
    let uncompared = case.widget.uncompared.iter();
    out.gaps.extend(uncompared.map(|field| NotChecked {
        what: format!("the design\u{2019}s {}", field.label().to_lowercase()),
        why: why_not(*field).into(),
    }));
}

/// Reason why no look tells a value.
fn why_not(field: Field) -> &'static str {
    match field {
        Field::Icon | Field::IconDrawn => "a drawing is not told from its picture",
        Field::Badge | Field::Movement => "a visit does not watch for it",
        Field::Ground | Field::GroundWords => "the panel\u{2019}s ground is not measured",
        Field::Sound => "a visit does not listen",
        Field::Styles => "the widget\u{2019}s own styles are not read",
        _ => "no profile says where it is seen",
    }
}

/// Compares colours, corner and offsets of a widget, on each screen that it was seen on.
pub(super) fn of_widget(case: &WidgetCase, out: &mut Report<Vec<ComparedValue>>) {
    if case.widget.design.is_empty() {
        return;
    }
    let design = case.widget.design.resolved();
    let widget = placeless(case.widget);
    let mut seen = case.screens(&design, None).into_iter();
    let Some((best, compared)) = seen.next() else {
        out.gaps.push(NotChecked {
            what: format!("the looks of {}", case.supplier.name),
            why: "no launcher was seen".into(),
        });
        return;
    };
    values(&widget.design, &compared, out);
    let mut findings: Vec<Finding> = Vec::new();
    for (visit, compared) in [(best, compared)].into_iter().chain(seen) {
        let place = Evidence::fact(format!("on a {}", visit.condition.viewport.word()));
        let meant = judge(visit, &compared)
            .into_iter()
            .filter(|f| is_meant(&widget.design, f.code));
        // A difference seen on both screens is one finding that names both.
        for finding in meant {
            match findings.iter_mut().find(|known| known.code == finding.code) {
                Some(known) => known.evidence.push(place.clone()),
                None => findings.push(finding.with(place.clone())),
            }
        }
    }
    out.findings.extend(findings);
}

impl<'a> WidgetCase<'a> {
    /// The visits whose launcher was seen, one a screen, the desktop's first, each beside the
    /// design.
    pub fn screens(
        &self,
        design: &Design,
        brand: Option<Rgb>,
    ) -> Vec<(&'a Observation, VisitComparison)> {
        let best = |viewport| best_of(self.chain(), Some(viewport));
        let seen = [Viewport::Desktop, Viewport::Phone].map(best).into_iter();
        seen.flatten()
            .filter_map(|v| Some((v, compare(v, design, brand)?)))
            .collect()
    }
}

/// The desktop's visit on which the launcher is seen, with consent where that was given; else the
/// phone's.
pub(super) fn best(visits: &[Observation]) -> Option<&Observation> {
    best_of(visits, None)
}

/// The same of one screen only, where one is given.
fn best_of(visits: &[Observation], on: Option<Viewport>) -> Option<&Observation> {
    let shown = |v: &&Observation| {
        let visible = |l: &Launcher| l.present && l.hidden_by.is_none();
        let asked = on.is_none_or(|on| on == v.condition.viewport);
        asked && v.launcher.as_ref().is_some_and(visible)
    };
    visits.iter().filter(shown).max_by_key(|v| {
        let desktop = v.condition.viewport == Viewport::Desktop;
        (desktop, v.condition.consent == ConsentAct::Granted)
    })
}

/// Only what stands in a corner is compared by it: a tab is compared by its edge, and what is in
/// the page by neither.
fn placeless(widget: &Widget) -> Cow<'_, Widget> {
    if !matches!(widget.form, Form::Tab | Form::Inline) {
        return Cow::Borrowed(widget);
    }
    let mut widget = widget.clone();
    for field in [Field::Corner, Field::OffsetX, Field::OffsetY] {
        widget.design.set(field, None);
    }
    Cow::Owned(widget)
}

/// Returns whether this finding is about a value that the expectation gives. Contrast is about no
/// value, but about reading.
fn is_meant(design: &WidgetDesign, code: Code) -> bool {
    let given = |field| design.get(field).is_some();
    match code {
        Code::BrandLauncherColour => given(Field::ButtonColour),
        Code::BrandHeaderColour => given(Field::HeaderColour),
        Code::BrandCorner => given(Field::Corner),
        Code::BrandOffset => given(Field::OffsetX) && given(Field::OffsetY),
        Code::BrandContrast | Code::BrandStandsOut => true,
        _ => false,
    }
}

/// Colours are the same within CIEDE2000 3, offsets within 4 px: what eyes do not tell apart.
fn values(design: &WidgetDesign, c: &VisitComparison, out: &mut Report<Vec<ComparedValue>>) {
    let mut tell = |field: Field, wanted: String, seen: Option<String>, same| {
        let name = field.name_in_design().unwrap_or(field.key());
        if seen.is_none() {
            out.gaps.push(NotChecked {
                what: format!("the design\u{2019}s {name}"),
                why: "it could not be measured on the page".into(),
            });
        }
        out.what.push(ComparedValue {
            name: name.into(),
            language: None,
            wanted,
            seen,
            same,
        });
    };
    let pairs = [
        (Field::ButtonColour, c.launcher),
        (Field::HeaderColour, c.header),
        (Field::IconColour, c.icon),
        // What stands on the header is not read from the picture.
        (Field::HeaderText, None),
    ];
    for (field, pair) in pairs {
        if let Some(wanted) = design.get(field) {
            let same = pair.is_some_and(|p| p.difference <= COLOUR_TOLERANCE);
            tell(field, wanted.into(), pair.map(|p| p.seen.hex()), same);
        }
    }
    if let Some(wanted) = design.get(Field::Corner) {
        let same = wanted == c.corner;
        tell(Field::Corner, wanted.into(), Some(c.corner.clone()), same);
    }
    for (field, seen) in [(Field::OffsetX, c.offset_x), (Field::OffsetY, c.offset_y)] {
        if let Some(wanted) = design.number(field) {
            let same = (wanted - seen).abs() <= OFFSET_TOLERANCE;
            tell(field, wanted.to_string(), Some(format!("{seen:.0}")), same);
        }
    }
}
