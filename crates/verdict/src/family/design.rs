//! Design: supplier, key and the widget's values. Judged by its own numbers and texts: that a
//! supplier and a key are chosen says nothing about them.

use super::entry::{Elsewhere, Entry, FamilyResult, FamilyStanding, by_findings, first_remedy};
use super::kind::{Family, Standing};
use crate::brand::SAMPLES;
use crate::inputs::input::Input;
use newtfern_model::code::Code;
use newtfern_model::design::{Design, FAR, Field, PAIRS, Pair, contrast, to_brand};
use newtfern_model::expectation::{Expectation, Form, OutsideHours, Widget};
use newtfern_model::finding::{Evidence, Finding, Severity};
use newtfern_model::site::SiteField;
use newtfern_model::variables;
use newtfern_standards::colour::Rgb;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Design,
    question: "Is the design complete, and are its colours readable?",
    drawing: "Design",
    job: None,
    reads: &[&[
        Input::Site(SiteField::Supplier),
        Input::Site(SiteField::Key),
        Input::Site(SiteField::SupplierHost),
        Input::Site(SiteField::Languages),
        Input::Design,
        Input::Texts,
        Input::Form,
        Input::Start,
        Input::Hours,
        Input::Delay,
        Input::Screens,
        Input::Site(SiteField::TimeZone),
    ]],
    act,
};

/// Context that a design is judged by.
#[derive(Debug, Clone, Copy, Default)]
pub struct DesignContext<'a> {
    /// The client's primary colour.
    pub brand: Option<Rgb>,
    /// Hours, and texts in further languages.
    pub widget: Option<&'a Widget>,
    /// The site's languages, the first of which has the design's own texts.
    pub languages: &'a [String],
}

impl<'a> DesignContext<'a> {
    /// Returns the part of a site's expectation that stands beside its design.
    pub fn of(file: &'a Expectation, brand: Option<Rgb>) -> DesignContext<'a> {
        DesignContext {
            brand,
            widget: file.widgets.first(),
            languages: &file.languages,
        }
    }
}

/// Judges the design of a site: contrast, samples left in, broken variables, texts that are
/// missing, a notice without its link, a promise that nobody keeps.
pub fn assess(design: &Design, beside: DesignContext, chosen: bool) -> FamilyResult {
    let made = |standing, summary: String, remedy: String, findings| FamilyResult {
        family: Family::Design,
        standing,
        summary,
        remedy,
        findings,
        detail: None,
    };
    if !chosen {
        let summary = "No supplier and key are set.".into();
        return made(Standing::NotYet, summary, String::new(), Vec::new());
    }
    let mut findings = contrasts(design);
    findings.extend(texts(design));
    findings.extend(missing(design, beside));
    findings.extend(promise(design, beside.widget));
    findings.extend(no_channel(beside.widget));
    findings.extend(far_from_brand(design, beside.brand));
    findings.sort_by_key(|f| std::cmp::Reverse(f.severity));
    let (standing, summary) = by_findings(
        &findings,
        "Supplier and key are set. Colours are readable and texts are complete.",
    );
    let remedy = first_remedy(&findings);
    made(standing, summary, remedy, findings)
}

fn contrasts(design: &Design) -> Vec<Finding> {
    let weak = |pair: &Pair| {
        let (own, ground, least) = (pair.own, pair.ground, pair.needs.least());
        let ratio = contrast(design, own, ground);
        (ratio < least).then(|| {
            let what = pair.what.to_lowercase();
            let near = design
                .colour(own)
                .nearest_readable(design.colour(ground), least);
            let near = near.map_or_else(String::new, |c| format!(", such as {}", c.hex()));
            Finding::new(
                Code::BrandContrast,
                Severity::Fault,
                format!(
                    "The {what} has a contrast of {ratio:.1} to 1. At least {least} is \
                    needed."
                ),
                format!("In the design, choose a lighter or darker colour{near}."),
            )
            .with(Evidence::fact(format!(
                "{} on {}",
                design.get(own),
                design.get(ground)
            )))
        })
    };
    PAIRS.iter().filter_map(weak).collect()
}

fn far_from_brand(design: &Design, brand: Option<Rgb>) -> Option<Finding> {
    let (apart, brand) = (to_brand(design, brand)?, brand?);
    (apart > FAR).then(|| {
        let button = design.get(Field::ButtonColour);
        Finding::new(
            Code::BrandLauncherColour,
            Severity::Warning,
            format!("The button colour differs from the brand colour (CIEDE2000 {apart:.1})."),
            "In the design, use the brand colour, or leave the colour if it should stand out.",
        )
        .with(Evidence::fact(format!(
            "button {button}, brand {}",
            brand.hex()
        )))
    })
}

/// Samples, and variables that are not whole.
fn texts(design: &Design) -> Vec<Finding> {
    let mut out = Vec::new();
    for field in Field::ALL.iter().filter(|f| f.is_text()) {
        let text = design.get(*field);
        if let Some(sample) = SAMPLES.iter().find(|s| text.contains(**s)) {
            let summary = format!(
                "{} still has the sample text \u{201c}{sample}\u{201d}.",
                field.label()
            );
            let remedy = "In the design, enter the client's own text.";
            let found = Finding::new(Code::BrandSampleText, Severity::Fault, summary, remedy);
            out.push(found.with(Evidence::fact(text.to_string())));
        }
        if let Some(torn) = variables::torn(text) {
            let summary = format!(
                "{} has a variable without its closing brackets.",
                field.label()
            );
            let remedy = "In the design, close the variable with the same kind of brackets.";
            let found = Finding::new(Code::BrandVariable, Severity::Fault, summary, remedy);
            out.push(found.with(Evidence::fact(format!("{torn} in: {text}"))));
        }
    }
    let notice = design.get(Field::NoticeText);
    if !notice.is_empty() && design.get(Field::NoticeLink).is_empty() {
        let summary = "The notice has no link to the site's privacy page.";
        let remedy = "In the design, enter the address of the client's privacy page.";
        let found = Finding::new(Code::BrandNoticeLink, Severity::Warning, summary, remedy);
        out.push(found.with(Evidence::fact(notice.to_string())));
    }
    out
}

/// Texts of a state or a language that others have.
fn missing(design: &Design, beside: DesignContext) -> Vec<Finding> {
    let mut out = Vec::new();
    let warn = |summary: String, remedy: &str| {
        Finding::new(Code::BrandTextMissing, Severity::Warning, summary, remedy)
    };
    let hidden = beside
        .widget
        .is_some_and(|w| w.outside_hours == OutsideHours::Hide);
    let timed = beside
        .widget
        .is_some_and(|w| !w.hours.is_empty() || !w.closed.is_empty());
    if timed
        && !hidden
        && [Field::Away, Field::Closed]
            .iter()
            .all(|f| design.get(*f).is_empty())
    {
        let summary = "Outside its hours the widget stays, but no text tells visitors what to do.";
        let remedy = "In the design, enter the text for \u{201c}While away\u{201d} or \
            \u{201c}Outside hours\u{201d}.";
        out.push(warn(summary.into(), remedy));
    }
    let texts = beside.widget.map(|w| &w.texts);
    for language in beside.languages.iter().skip(1) {
        let has = texts
            .and_then(|t| t.get(language))
            .is_some_and(|t| t.given().next().is_some());
        if !has {
            let summary = format!(
                "The site has pages in {language}, but the widget has no texts \
                in this language."
            );
            let remedy = "On the page \u{201c}Hours, channels and languages\u{201d}, enter the \
                texts in this language.";
            out.push(warn(summary, remedy));
        }
    }
    out
}

/// A list of channels without one.
fn no_channel(widget: Option<&Widget>) -> Option<Finding> {
    let empty = widget.filter(|w| w.form == Form::Channels && w.channels.is_empty());
    empty.map(|_| {
        let summary = "The widget is a list of channels, and no channel is entered.";
        let remedy = "On the page \u{201c}Hours, channels and languages\u{201d}, enter the \
                      channels, \
            or choose another form in the design.";
        let found = Finding::new(Code::BrandChannel, Severity::Fault, summary, remedy);
        found.with(Evidence::fact("form: channels; channels: none"))
    })
}

/// A reply is promised in minutes, at hours at which nobody is there to give it.
fn promise(design: &Design, widget: Option<&Widget>) -> Option<Finding> {
    let minutes = design.number(Field::Promise);
    let widget =
        widget.filter(|w| !w.hours.is_empty() && w.outside_hours == OutsideHours::Message)?;
    let said = [Field::Away, Field::Closed]
        .iter()
        .any(|f| !design.get(*f).is_empty());
    // A day and more is true at night as well.
    (minutes > 0.0 && minutes < 720.0 && !said).then(|| {
        let hours: Vec<String> = widget.hours.iter().map(|h| h.to_string()).collect();
        Finding::new(
            Code::HoursPromise,
            Severity::Fault,
            format!(
                "The widget promises a reply within {minutes} minutes, even outside its \
                hours."
            ),
            "In the design, enter a text for outside hours, or remove the promise.",
        )
        .with(Evidence::fact(format!("staffed: {}", hours.join("; "))))
    })
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::NotYet => Some("Set a supplier and key for this site.".into()),
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        _ => Some("Review the design.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_model::design::Layer;

    fn design(values: &[(Field, &str)]) -> Design {
        let layer: Layer = values.iter().map(|(f, v)| (*f, v.to_string())).collect();
        Design::of_layer(&layer)
    }

    fn codes(values: &[(Field, &str)]) -> Vec<Code> {
        let a = assess(&design(values), DesignContext::default(), true);
        a.findings.iter().map(|f| f.code).collect()
    }

    #[test]
    fn a_choice_alone_is_no_verdict() {
        let nothing = assess(&design(&[]), DesignContext::default(), false);
        assert_eq!(nothing.standing, Standing::NotYet);
        // The default design has a notice and no link, which is worth a warning and fails nothing.
        let plain = assess(&design(&[]), DesignContext::default(), true);
        assert_eq!(plain.standing, Standing::Remarks);
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
        let found = assess(&design(&[link, sample]), DesignContext::default(), true);
        assert_eq!(found.standing, Standing::Failing);
        assert!(found.summary.contains("your company"), "{}", found.summary);
    }

    #[test]
    fn a_promise_is_held_against_the_hours_and_languages_against_the_texts() {
        let file = "address = 'https://kites.example/'\n[[widget]]\nsupplier = \
            'example'\n[[widget.hours]]\ndays = ['mon']\nfrom = '09:00'\nto = '17:00'\n";
        let file = newtfern_model::expectation::Expectation::read(file).unwrap();
        let languages = ["en".to_string(), "cy".to_string()];
        let beside = DesignContext {
            brand: None,
            widget: file.widgets.first(),
            languages: &languages,
        };
        let told = |values: &[(Field, &str)]| -> Vec<&'static str> {
            let all = [&[(Field::NoticeLink, "/privacy")], values].concat();
            let found = assess(&design(&all), beside, true).findings;
            found.iter().map(|f| f.code.name()).collect()
        };
        let five = (Field::Promise, "5");
        assert_eq!(
            told(&[five]),
            ["hours.promise", "brand.text-missing", "brand.text-missing"]
        );
        // What is said for the time outside hours makes the promise true, and a day is true at
        // night.
        assert_eq!(
            told(&[five, (Field::Closed, "Tomorrow from nine.")]),
            ["brand.text-missing"]
        );
        assert_eq!(told(&[(Field::Promise, "1440")]).len(), 2);
    }

    #[test]
    fn a_list_of_channels_needs_one() {
        let told = |channels: &str| {
            let mut widget = Widget::of("example", "k");
            widget.form = Form::Channels;
            widget.channels = serde_json::from_str(channels).unwrap();
            let beside = DesignContext {
                widget: Some(&widget),
                ..DesignContext::default()
            };
            let all = [(Field::NoticeLink, "/privacy")];
            assess(&design(&all), beside, true).findings
        };
        let empty = told("[]");
        assert_eq!(empty[0].code, Code::BrandChannel);
        assert!(
            empty[0].remedy.contains("enter the channels"),
            "{:?}",
            empty[0]
        );
        let one = "[{\"kind\": \"phone\", \"target\": \"tel:+441632960123\"}]";
        assert_eq!(told(one), []);
    }

    #[test]
    fn variables_survive_and_torn_ones_fail() {
        let link = (Field::NoticeLink, "/privacy");
        assert_eq!(
            codes(&[link, (Field::Greeting, "Hello {{name}}, ${day}!")]),
            []
        );
        let torn = [
            "Hello {{name!",
            "On ${day",
            "[[first there",
            "{visitor name!",
            "{{name}!",
        ];
        for torn in torn {
            assert_eq!(
                codes(&[link, (Field::Greeting, torn)]),
                [Code::BrandVariable]
            );
        }
    }
}
