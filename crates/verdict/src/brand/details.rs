//! What is seen of a widget beyond colours, place and texts, beside the design: its size, its
//! typeface, the fields before a talk, its pictures. Only what somebody designed is compared; a
//! built-in default is nobody's wish.

use super::parts::{self, Stage};
use super::{bubbles, pictures};
use crate::brand::values::{SIZE_TOLERANCE, finding, gap, value};
use crate::report::{ComparedValue, Report, sides};
use newtfern_model::code::Code;
use newtfern_model::design::{Design, Field};
use newtfern_model::finding::{Evidence, Severity};
use newtfern_standards::direction::is_right_to_left;
use newtfern_standards::observation::{
    FieldSeen, Observation, PanelDetails, PictureSeen, TextName,
};

/// Compares one visit; nothing is told where no launcher was seen.
pub fn judge(design: &Design, seen: &Observation) -> Report<Vec<ComparedValue>> {
    let mut out = Report::default();
    let Some(launcher) = seen.launcher.as_ref().filter(|l| l.present) else {
        return out;
    };
    if let Some(wanted) = design.designed(Field::Size) {
        let px = launcher.rect.height.max(launcher.rect.width);
        let same = wanted
            .parse()
            .is_ok_and(|w: f64| (w - px).abs() <= SIZE_TOLERANCE);
        value(
            &mut out,
            Field::Size,
            wanted,
            Some(format!("{px:.0}")),
            same,
        );
        if !same {
            let summary = format!("The launcher is {px:.0} px large and should be {wanted}.");
            out.findings.push(finding(
                Code::BrandSize,
                Severity::Warning,
                summary,
                "the size",
            ));
        }
    }
    let Some(details) = &seen.details else {
        let inside = INSIDE.into_iter();
        let inside = inside.chain(bubbles::fields()).chain(parts::fields());
        for (_, name) in inside.filter(|(f, _)| design.designed(*f).is_some()) {
            gap(
                &mut out,
                name,
                "the panel did not open, or this look is of older make",
            );
        }
        return out;
    };
    typeface(design, details, &mut out);
    fields(design, details, &mut out);
    pictures::judge(design, details, &mut out);
    bubbles::judge(design, &details.bubbles, &mut out);
    parts::judge(design, &details.parts, Stage::Opened, &mut out);
    out
}

/// Fields that are seen in the open panel only.
const INSIDE: [(Field, &str); 4] = [
    (Field::Typeface, "typeface"),
    (Field::Asked, "fields before the chat"),
    (Field::AgentPhoto, "agent\u{2019}s photo"),
    (Field::LogoPicture, PictureSeen::LOGO),
];

/// Words that run from right to left in a panel laid out the other way: points and brackets stand
/// wrong. Told once, whichever of the visitors' languages shows it.
pub fn direction(visits: &[Observation]) -> Report<Vec<ComparedValue>> {
    let mut out = Report::default();
    for seen in visits {
        let Some(details) = &seen.details else {
            continue;
        };
        let read = seen.texts.iter().filter(|t| t.name != TextName::NoticeLink);
        let Some(text) = read.map(|t| &t.text).find(|t| is_right_to_left(t)) else {
            continue;
        };
        match details.right_to_left {
            None if out.gaps.is_empty() => {
                let why = "this look does not tell how the panel is laid out";
                gap(&mut out, "direction", why);
            }
            Some(false) if out.findings.is_empty() => {
                let summary = "The panel\u{2019}s words run from right to left, and it is laid \
                    out from left to right.";
                let found = finding(
                    Code::BrandDirection,
                    Severity::Warning,
                    summary.into(),
                    "the language and its direction",
                );
                let locale = match seen.condition.locale.as_str() {
                    "" => "the browser\u{2019}s own language".to_string(),
                    locale => format!("the language {locale}"),
                };
                out.findings.push(found.with_all([
                    Evidence::fact(format!("words: {text}")),
                    Evidence::fact(format!("for a visitor with {locale}")),
                ]));
            }
            _ => {}
        }
    }
    out
}

/// The first family of a list, without quotes.
fn family(list: &str) -> String {
    let first = list.split(',').next().unwrap_or_default();
    first.trim().trim_matches(['"', '\'']).to_string()
}

fn typeface(design: &Design, details: &PanelDetails, out: &mut Report<Vec<ComparedValue>>) {
    let Some(wanted) = design.designed(Field::Typeface) else {
        return;
    };
    let Some(seen) = &details.typeface else {
        gap(
            out,
            "typeface",
            "the panel\u{2019}s words could not be read for it",
        );
        return;
    };
    let (meant, is) = (family(wanted), family(seen));
    let same = meant.eq_ignore_ascii_case(&is);
    value(out, Field::Typeface, &meant, Some(is.clone()), same);
    if !same {
        let summary = format!("The panel is set in {is} and should be set in {meant}.");
        let found = finding(
            Code::BrandTypeface,
            Severity::Warning,
            summary,
            "the typeface",
        );
        out.findings
            .push(found.with(Evidence::fact(format!("font-family: {seen}"))));
    }
}

/// A field that the design names: `mail*` is required.
struct WantedField<'a> {
    name: &'a str,
    required: bool,
}

impl WantedField<'_> {
    /// Returns whether a seen field is meant: by its type, or by the word in its label.
    fn is(&self, seen: &FieldSeen) -> bool {
        let name = self.name.to_lowercase();
        let kind = match name.as_str() {
            "mail" | "e-mail" | "email" => "email",
            "phone" | "telephone" => "tel",
            _ => "",
        };
        seen.label.to_lowercase().contains(&name) || (!kind.is_empty() && seen.kind == kind)
    }
}

fn fields(design: &Design, details: &PanelDetails, out: &mut Report<Vec<ComparedValue>>) {
    let Some(wanted) = design.designed(Field::Asked) else {
        return;
    };
    let Some(seen) = &details.fields else {
        gap(
            out,
            "fields before the chat",
            "the panel\u{2019}s fields could not be read",
        );
        return;
    };
    let wished: Vec<WantedField> = wanted
        .split(", ")
        .map(|w| WantedField {
            name: w.trim_end_matches('*'),
            required: w.ends_with('*'),
        })
        .collect();
    let star = |required| if required { "*" } else { "" };
    let told: Vec<String> = seen
        .iter()
        .map(|f| format!("{}{}", f.label, star(f.required)))
        .collect();
    let missing = wished.iter().filter(|w| !seen.iter().any(|f| w.is(f)));
    let mut wrong: Vec<String> = missing.map(|w| format!("{} is missing", w.name)).collect();
    let surplus = seen.iter().filter(|f| !wished.iter().any(|w| w.is(f)));
    wrong.extend(surplus.map(|f| format!("\u{201c}{}\u{201d} is asked for, too", f.label)));
    for w in &wished {
        if let Some(f) = seen.iter().find(|f| w.is(f) && f.required != w.required) {
            wrong.push(match f.required {
                true => format!("{} is required and should not be", w.name),
                false => format!("{} is not required and should be", w.name),
            });
        }
    }
    value(
        out,
        Field::Asked,
        wanted,
        Some(told.join(", ")),
        wrong.is_empty(),
    );
    if !wrong.is_empty() {
        let summary = format!("The fields before the chat differ: {}.", wrong.join("; "));
        let found = finding(Code::BrandFields, Severity::Fault, summary, "the fields");
        out.findings
            .push(found.with_all(sides(wanted, &told.join(", "))));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{launcher, with};
    use crate::testing::wished;

    fn told(
        wish: &[(Field, &str)],
        change: impl FnOnce(&mut Observation),
    ) -> Report<Vec<ComparedValue>> {
        let seen = with(launcher(|l| l.rect.height = 60.0), change);
        judge(&wished(wish), &seen)
    }

    fn codes(told: &Report<Vec<ComparedValue>>) -> Vec<Code> {
        told.findings.iter().map(|f| f.code).collect()
    }

    fn field(label: &str, kind: &str, required: bool) -> FieldSeen {
        FieldSeen {
            label: label.into(),
            kind: kind.into(),
            required,
        }
    }

    fn shows(details: PanelDetails) -> impl FnOnce(&mut Observation) {
        move |o| o.details = Some(details)
    }

    #[test]
    fn only_what_somebody_designed_is_compared() {
        let details = || PanelDetails {
            right_to_left: Some(false),
            typeface: Some("system-ui".into()),
            fields: Some(vec![field("Your name", "text", true)]),
            ..PanelDetails::default()
        };
        let none = told(&[], shows(details()));
        assert!(none.what.is_empty() && none.findings.is_empty() && none.gaps.is_empty());
        let size = told(&[(Field::Size, "80")], shows(details()));
        assert_eq!(codes(&size), [Code::BrandSize]);
        assert!(codes(&told(&[(Field::Size, "62")], shows(details()))).is_empty());
        // A panel that did not open tells nothing of what is in it.
        let closed = told(&[(Field::Typeface, "Kite Sans")], |_| {});
        assert!(closed.findings.is_empty());
        assert_eq!(closed.gaps[0].what, "the design\u{2019}s typeface");
        let talk = [(Field::AnswerBubble, "#e9ede8"), (Field::Files, "yes")];
        let talk = told(&talk, |_| {});
        let words = talk.gaps.iter().map(|g| g.what.as_str());
        assert_eq!(
            words.collect::<Vec<_>>(),
            [
                "the design\u{2019}s agent\u{2019}s bubble",
                "the design\u{2019}s place for files"
            ]
        );
    }

    #[test]
    fn words_from_right_to_left_need_a_panel_that_is() {
        use newtfern_standards::observation::TextSeen;
        let seen = |right_to_left, words: &str, locale: &str| {
            with(launcher(|_| {}), |o| {
                o.condition.locale = locale.into();
                o.texts.push(TextSeen {
                    besides_links: None,
                    name: TextName::Greeting,
                    text: words.into(),
                    at_ms: 0.0,
                });
                o.details = Some(PanelDetails {
                    right_to_left,
                    ..PanelDetails::default()
                });
            })
        };
        let of = |right_to_left, words: &str| direction(&[seen(right_to_left, words, "ar")]);
        let arabic = "\u{645}\u{631}\u{62d}\u{628}\u{627}!";
        assert_eq!(codes(&of(Some(false), arabic)), [Code::BrandDirection]);
        assert!(codes(&of(Some(true), arabic)).is_empty());
        assert_eq!(of(None, arabic).gaps.len(), 1);
        let english = of(Some(false), "Hello!");
        assert!(english.findings.is_empty() && english.gaps.is_empty());
        // Of several languages the one that shows it is named, and it is told once.
        let both = [
            seen(Some(false), "Hello!", "en"),
            seen(Some(false), arabic, "ar"),
            seen(Some(false), arabic, "ar"),
        ];
        let told = direction(&both).findings;
        assert_eq!(told.len(), 1);
        assert!(told[0].evidence[1].line().contains("language ar"));
    }

    #[test]
    fn the_first_family_counts_whatever_its_quotes() {
        let of = |is: &str| {
            let details = PanelDetails {
                typeface: Some(is.into()),
                ..PanelDetails::default()
            };
            told(&[(Field::Typeface, "Kite Sans, serif")], shows(details))
        };
        assert!(codes(&of("\"Kite Sans\", sans-serif")).is_empty());
        let other = of("Times, serif");
        assert_eq!(codes(&other), [Code::BrandTypeface]);
        assert!(other.findings[0].summary.contains("set in Times"));
    }

    #[test]
    fn fields_are_found_by_label_or_by_what_they_are_for() {
        let of = |fields: Vec<FieldSeen>| {
            let details = PanelDetails {
                fields: Some(fields),
                ..PanelDetails::default()
            };
            told(&[(Field::Asked, "name, mail*")], shows(details))
        };
        let good = vec![
            field("Your name", "text", false),
            field("Where do we answer?", "email", true),
        ];
        assert!(codes(&of(good)).is_empty());
        let bad = of(vec![
            field("E-mail address", "email", false),
            field("Order number", "text", true),
        ]);
        assert_eq!(codes(&bad), [Code::BrandFields]);
        assert_eq!(
            bad.findings[0].summary,
            "The fields before the chat differ: name is missing; \u{201c}Order number\u{201d} is \
            asked for, too; mail is not required and should be."
        );
    }
}
