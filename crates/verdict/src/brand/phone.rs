//! What is designed for phones alone: another side, another size, other offsets.

use super::{OFFSET_TOLERANCE, VisitComparison};
use crate::brand::values::{SIZE_TOLERANCE, finding, gap, value};
use crate::report::{ComparedValue, Report, sides};
use newtfern_model::code::Code;
use newtfern_model::design::{Design, Field, HIDDEN, OTHER_SIDE};
use newtfern_model::finding::Severity;
use newtfern_standards::observation::Observation;

/// Fields that a design can have for phones alone.
const FIELDS: [Field; 4] = [
    Field::OnPhones,
    Field::PhoneSize,
    Field::PhoneOffsetX,
    Field::PhoneOffsetY,
];

/// A number that a design can have for phones alone, what was measured there, and how both are
/// told.
struct Measure<'a> {
    field: Field,
    px: f64,
    tolerance: f64,
    code: Code,
    /// Behind the number: how large, how far from what.
    words: &'a str,
    setting: &'static str,
}

/// Compares the visit on a phone, with its figures, with what is designed for phones. The corner
/// itself is judged with the colours, in [`super::judge`].
pub fn judge(
    design: &Design,
    on_phone: Option<(&Observation, &VisitComparison)>,
) -> Report<Vec<ComparedValue>> {
    let mut out = Report::default();
    let hidden = design.get(Field::OnPhones) == HIDDEN;
    if hidden || !FIELDS.iter().any(|f| design.designed(*f).is_some()) {
        return out;
    }
    let seen = on_phone.and_then(|(v, c)| Some((v.launcher.as_ref().filter(|l| l.present)?, c)));
    let Some((launcher, compared)) = seen else {
        let why = "no launcher was seen on a phone";
        gap(&mut out, "look on phones", why);
        return out;
    };
    let size = Measure {
        field: Field::PhoneSize,
        px: launcher.rect.height.max(launcher.rect.width),
        tolerance: SIZE_TOLERANCE,
        code: Code::BrandSize,
        words: "large",
        setting: "its size on phones",
    };
    measured(design, &size, &mut out);
    if compared.expected_corner.is_empty() {
        return out;
    }
    let same = compared.corner == compared.expected_corner;
    if design.designed(Field::OnPhones) == Some(OTHER_SIDE) {
        let (wanted, is) = (&compared.expected_corner, compared.corner.clone());
        value(&mut out, Field::OnPhones, wanted, Some(is), same);
    }
    // In another corner its distances say nothing.
    if same {
        offsets(design, compared, &mut out);
    }
    out
}

fn offsets(design: &Design, c: &VisitComparison, out: &mut Report<Vec<ComparedValue>>) {
    let (upper, side) = c.corner.split_once('-').unwrap_or(("lower", "nearer"));
    for (field, edge, px) in [
        (Field::PhoneOffsetX, side, c.offset_x),
        (Field::PhoneOffsetY, upper, c.offset_y),
    ] {
        let offset = Measure {
            field,
            px,
            tolerance: OFFSET_TOLERANCE,
            code: Code::BrandOffset,
            words: &format!("from the {edge} edge"),
            setting: "its offsets on phones",
        };
        measured(design, &offset, out);
    }
}

/// Reports the measures of phones; nothing is told of what nobody designed for them.
fn measured(design: &Design, m: &Measure, out: &mut Report<Vec<ComparedValue>>) {
    let wanted = design.designed(m.field);
    let Some((wanted, px)) = wanted.and_then(|w| Some((w, w.parse::<f64>().ok()?))) else {
        return;
    };
    let is = format!("{:.0}", m.px);
    let same = (px - m.px).abs() <= m.tolerance;
    value(out, m.field, wanted, Some(is.clone()), same);
    if !same {
        let words = m.words;
        let summary = format!("On a phone the launcher is {is} px {words} and should be {wanted}.");
        let found = finding(m.code, Severity::Warning, summary, m.setting);
        out.findings.push(found.with_all(sides(wanted, &is)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::brand::compare;
    use crate::chain::testing::{launcher, with};
    use crate::testing::wished;
    use newtfern_standards::observation::Viewport;

    /// A launcher of 60 px on a phone of 390 by 844.
    fn told(wish: &[(Field, &str)], viewport: Viewport, x: f64) -> Report<Vec<ComparedValue>> {
        let design = wished(wish);
        let placed = launcher(|l| {
            (l.rect.x, l.rect.y) = (x, 844.0 - 60.0 - 16.0);
            (l.rect.width, l.rect.height) = (60.0, 60.0);
        });
        let seen = with(placed, |o| o.condition.viewport = viewport);
        let compared = compare(&seen, &design, None).unwrap();
        let phone = Some((&seen, &compared)).filter(|_| viewport == Viewport::Phone);
        judge(&design, phone)
    }

    #[test]
    fn what_is_designed_for_phones_is_compared_on_phones_alone() {
        let right = 390.0 - 60.0 - 16.0;
        let wish = [
            (Field::PhoneSize, "48"),
            (Field::PhoneOffsetX, "16"),
            (Field::PhoneOffsetY, "80"),
        ];
        let phone = told(&wish, Viewport::Phone, right);
        let same: Vec<_> = phone
            .what
            .iter()
            .map(|v| (v.name.as_ref(), v.same))
            .collect();
        assert_eq!(
            same,
            [
                ("phone_size_px", false),
                ("phone_offset_side_px", true),
                ("phone_offset_bottom_px", false)
            ]
        );
        let codes: Vec<_> = phone.findings.iter().map(|f| f.code).collect();
        assert_eq!(codes, [Code::BrandSize, Code::BrandOffset]);
        let (size, offset) = (&phone.findings[0], &phone.findings[1]);
        assert!(
            size.summary.contains("60 px large and should be 48"),
            "{}",
            size.summary
        );
        assert!(
            offset.summary.contains("16 px from the bottom edge"),
            "{}",
            offset.summary
        );
        assert!(offset.remedy.contains("offsets on phones"));
        let unseen = told(&wish, Viewport::Desktop, right);
        assert!(unseen.what.is_empty() && unseen.gaps[0].why.contains("on a phone"));
        // Values for desktops are nobody's wish for phones.
        let usual = [(Field::Size, "48"), (Field::OffsetX, "90")];
        assert!(told(&usual, Viewport::Phone, right).what.is_empty());
    }

    #[test]
    fn in_the_wrong_corner_distances_say_nothing() {
        let wish = [(Field::OnPhones, OTHER_SIDE), (Field::PhoneOffsetX, "16")];
        let other = told(&wish, Viewport::Phone, 16.0);
        assert!(other.what.iter().all(|v| v.same) && other.what.len() == 2);
        let same = told(&wish, Viewport::Phone, 390.0 - 76.0);
        let names: Vec<_> = same
            .what
            .iter()
            .map(|v| (v.name.as_ref(), v.same))
            .collect();
        assert_eq!(names, [("on_phones", false)]);
    }
}
