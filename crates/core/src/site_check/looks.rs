//! Looks as they were seen against those values of the design that the expectation gives.

use super::{Told, ValueTold, WidgetCase};
use crate::brand::{COLOUR_TOLERANCE, Compared, OFFSET_TOLERANCE, compare, details, judge, phone};
use crate::chain::NotLookedAt;
use crate::code::Code;
use crate::design::Field;
use crate::expectation::{Form, Widget, WidgetDesign};
use crate::finding::Finding;
use crate::observation::{ConsentAct, Launcher, Observation, Viewport};
use std::borrow::Cow;

/// Compares the looks of a widget.
pub(super) fn of_widget(case: &WidgetCase, out: &mut Told<Vec<ValueTold>>) {
    let design = case.widget.design.resolved();
    let seen = best(case.chain());
    if let Some(seen) = seen {
        out.add(details::judge(&design, seen));
    }
    let on_phone = best_of(case.chain(), Some(Viewport::Phone));
    let on_phone = on_phone.and_then(|v| Some((v, compare(v, &design, None)?)));
    let on_phone = on_phone.as_ref().map(|(v, compared)| (*v, compared));
    out.add(phone::judge(&design, on_phone));
    out.add(details::direction(case.visits));
    if case.widget.design == WidgetDesign::default() {
        return;
    }
    let seen = seen.and_then(|v| Some((v, compare(v, &design, None)?)));
    let Some((seen, compared)) = seen else {
        out.gaps.push(NotLookedAt {
            what: format!("the looks of {}", case.supplier.name),
            why: "no launcher was seen".into(),
        });
        return;
    };
    let widget = placeless(case.widget);
    let meant = |f: &Finding| is_meant(&widget.design, f.code);
    out.findings
        .extend(judge(seen, &compared).into_iter().filter(meant));
    values(&widget.design, &compared, out);
    // Where a phone has another corner, it is judged there too.
    let turned = design.designed(Field::OnPhones).is_some() && widget.design.corner.is_some();
    let phone = on_phone.filter(|(v, _)| turned && !std::ptr::eq(*v, seen));
    if let Some((seen, compared)) = phone {
        let corner = |f: &Finding| f.code == Code::BrandCorner;
        out.findings
            .extend(judge(seen, compared).into_iter().filter(corner));
    }
}

/// The desktop's visit on which the launcher is seen, with consent where that was given; else the phone's.
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

/// Only what stands in a corner is compared by it: a tab is compared by its edge, and what is in the page
/// by neither.
fn placeless(widget: &Widget) -> Cow<'_, Widget> {
    if !matches!(widget.form, Form::Tab | Form::Inline) {
        return Cow::Borrowed(widget);
    }
    let mut widget = widget.clone();
    widget.design.corner = None;
    widget.design.offset_side_px = None;
    widget.design.offset_bottom_px = None;
    Cow::Owned(widget)
}

/// Is this finding about a value that the expectation gives? Contrast is about no value, but about reading.
fn is_meant(design: &WidgetDesign, code: Code) -> bool {
    match code {
        Code::BrandLauncherColour => design.launcher_colour.is_some(),
        Code::BrandHeaderColour => design.header_colour.is_some(),
        Code::BrandCorner => design.corner.is_some(),
        Code::BrandOffset => design.offset_side_px.is_some() && design.offset_bottom_px.is_some(),
        Code::BrandContrast | Code::BrandStandsOut => true,
        _ => false,
    }
}

/// Colours are the same within CIEDE2000 3, offsets within 4 px: what eyes do not tell apart.
fn values(design: &WidgetDesign, c: &Compared, out: &mut Told<Vec<ValueTold>>) {
    let mut tell = |name: &'static str, wanted: String, seen: Option<String>, same| {
        if seen.is_none() {
            out.gaps.push(NotLookedAt {
                what: format!("the design\u{2019}s {name}"),
                why: "it could not be measured on the page".into(),
            });
        }
        out.what.push(ValueTold {
            name: name.into(),
            language: None,
            wanted,
            seen,
            same,
        });
    };
    let pairs = [
        ("launcher_colour", &design.launcher_colour, c.launcher),
        ("header_colour", &design.header_colour, c.header),
        ("icon_colour", &design.icon_colour, c.icon),
        // What stands on the header is not read from the picture.
        ("header_text_colour", &design.header_text_colour, None),
    ];
    for (name, wanted, pair) in pairs {
        if let Some(wanted) = wanted {
            let same = pair.is_some_and(|p| p.difference <= COLOUR_TOLERANCE);
            tell(name, wanted.clone(), pair.map(|p| p.seen.hex()), same);
        }
    }
    if let Some(wanted) = &design.corner {
        let same = *wanted == c.corner;
        tell("corner", wanted.clone(), Some(c.corner.clone()), same);
    }
    let offsets = [
        ("offset_side_px", design.offset_side_px, c.offset_x),
        ("offset_bottom_px", design.offset_bottom_px, c.offset_y),
    ];
    for (name, wanted, seen) in offsets {
        if let Some(wanted) = wanted {
            let same = (wanted - seen).abs() <= OFFSET_TOLERANCE;
            tell(name, wanted.to_string(), Some(format!("{seen:.0}")), same);
        }
    }
}
