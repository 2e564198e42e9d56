//! Design: supplier, key and the widget's values. Judged by its own numbers and texts: that a supplier
//! and a key are chosen says nothing about them.

use super::{Assessed, Family, Standing, Stood, Words, by_findings, first_remedy};
use crate::brand::SAMPLES;
use crate::code::Code;
use crate::colour::Rgb;
use crate::design::{Design, Field, numbers};
use crate::finding::{Evidence, Finding, Severity};

pub(super) const WORDS: Words = Words {
    key: "design",
    label: "Design",
    question: "Which colours, corner and texts does each widget have, and do they hold up?",
    drawing: "Design",
    job: None,
};

/// WCAG 2.2, SC 1.4.3: text of ordinary size.
const TEXT_CONTRAST: f64 = 4.5;
/// WCAG 2.2, SC 1.4.11: what is needed to see a control.
const CONTROL_CONTRAST: f64 = 3.0;

/// Judges the design of a site: contrast, samples left in, a notice without its link.
pub fn assess(design: &Design, brand: Option<Rgb>, chosen: bool) -> Assessed {
    let made = |standing, summary: String, remedy: String, findings| Assessed {
        family: Family::Design,
        standing,
        summary,
        remedy,
        findings,
        detail: None,
    };
    if !chosen {
        let summary = "No supplier and key are chosen yet.".into();
        return made(Standing::NotYet, summary, String::new(), Vec::new());
    }
    let findings = judge(design, brand);
    let (standing, summary) = by_findings(
        &findings,
        "Supplier and key are chosen; colours and texts hold up by their numbers.",
    );
    let remedy = first_remedy(&findings);
    made(standing, summary, remedy, findings)
}

fn judge(design: &Design, brand: Option<Rgb>) -> Vec<Finding> {
    let mut out = Vec::new();
    let n = numbers(design, brand, None);
    for (what, ratio, least) in [
        ("icon on the button", n.text_on_button, CONTROL_CONTRAST),
        ("text in the header", n.text_on_header, TEXT_CONTRAST),
    ] {
        if ratio < least {
            out.push(
                Finding::new(
                    Code::BrandContrast,
                    Severity::Fault,
                    format!("The {what} has a contrast of {ratio:.1} to 1; {least} is the least."),
                    "In the design, choose a lighter or darker colour for it.",
                )
                .with(Evidence::fact(format!(
                    "button {} with {}, header {} with {}",
                    design.get(Field::ButtonColour),
                    design.get(Field::IconColour),
                    design.get(Field::HeaderColour),
                    design.get(Field::HeaderText)
                ))),
            );
        }
    }
    for field in [
        Field::Title,
        Field::Greeting,
        Field::Prompt,
        Field::NoticeText,
    ] {
        let text = design.get(field);
        if let Some(sample) = SAMPLES.iter().find(|s| text.contains(**s)) {
            out.push(
                Finding::new(
                    Code::BrandSampleText,
                    Severity::Fault,
                    format!(
                        "{} still holds the sample \u{201c}{sample}\u{201d}.",
                        field.label()
                    ),
                    "In the design, write the client's own text.",
                )
                .with(Evidence::fact(text.to_string())),
            );
        }
    }
    if !design.get(Field::NoticeText).is_empty() && design.get(Field::NoticeLink).is_empty() {
        out.push(
            Finding::new(
                Code::BrandNoticeLink,
                Severity::Warning,
                "The notice has no link to the site's privacy page.",
                "In the design, give the address of the client's privacy page.",
            )
            .with(Evidence::fact(design.get(Field::NoticeText).to_string())),
        );
    }
    out
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::NotYet => Some("Choose a supplier and key for this site.".into()),
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Passing | Standing::NotApplicable => None,
        _ => Some("Look at the design.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::Layer;

    fn design(values: &[(Field, &str)]) -> Design {
        let layer: Layer = values.iter().map(|(f, v)| (*f, v.to_string())).collect();
        Design::resolve(&Layer::new(), &Layer::new(), &layer)
    }

    fn codes(values: &[(Field, &str)]) -> Vec<Code> {
        let a = assess(&design(values), None, true);
        a.findings.iter().map(|f| f.code).collect()
    }

    #[test]
    fn a_choice_alone_is_no_verdict() {
        let nothing = assess(&design(&[]), None, false);
        assert_eq!(nothing.standing, Standing::NotYet);
        // The default design has a notice and no link, which is worth a warning and fails nothing.
        let plain = assess(&design(&[]), None, true);
        assert_eq!(plain.standing, Standing::Passing);
        assert!(plain.summary.contains("no link"), "{}", plain.summary);
    }

    #[test]
    fn weak_contrast_and_samples_fail() {
        let link = (Field::NoticeLink, "/privacy");
        assert_eq!(codes(&[link]), []);
        // #777777 on white is 4.48 to 1 (WCAG): enough for an icon, too little for text.
        assert_eq!(codes(&[link, (Field::ButtonColour, "#777777")]), []);
        assert_eq!(
            codes(&[link, (Field::HeaderColour, "#777777")]),
            [Code::BrandContrast]
        );
        let sample = (Field::Greeting, "Welcome to your company!");
        let found = assess(&design(&[link, sample]), None, true);
        assert_eq!(found.standing, Standing::Failing);
        assert!(found.summary.contains("your company"), "{}", found.summary);
    }
}
