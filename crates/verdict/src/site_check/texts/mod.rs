//! Texts as they were seen against those that the expectation gives, language by language.

use super::case::WidgetCase;
use crate::brand::SAMPLES;
use crate::busy;
use crate::report::{ComparedValue, Report};
use newtfern_model::code::Code;
use newtfern_model::expectation::TextSet;
use newtfern_model::finding::{Finding, NotChecked, Severity};
use newtfern_model::pages::composed;
use newtfern_model::variables;
use newtfern_standards::observation::{
    ConsentAct, Observation, Presence, TextName, TextSeen, Viewport,
};
use url::Url;

/// A prompt that comes this much later than designed is late, s (contract).
const LATE_S: f64 = 1.0;

/// Texts as they are compared: composed (NFC), blanks folded.
fn folded(text: &str) -> String {
    let words: Vec<&str> = text.split_whitespace().collect();
    composed(&words.join(" "))
}

/// Compares the texts of a widget in each language that has some.
pub(super) fn of_widget(case: &WidgetCase, out: &mut Report<Vec<ComparedValue>>) {
    for (language, wanted) in &case.widget.texts {
        let look = Look {
            case,
            language,
            wanted,
        };
        match best(case.usual(), language) {
            Some(seen) => look.compare(seen, out),
            None => out.gaps.push(NotChecked {
                what: format!("the texts{}", look.in_language()),
                why: "the panel was not opened by a visitor of this language".into(),
            }),
        }
    }
}

/// The desktop's visit in a language whose panel was opened, with consent where that was given.
fn best<'a>(visits: &'a [Observation], language: &str) -> Option<&'a Observation> {
    let fits = |v: &&Observation| {
        v.condition.locale == language
            && v.condition.viewport == Viewport::Desktop
            && v.looks.opening.seen_ms().is_some()
            && matches!(
                v.condition.consent,
                ConsentAct::Untouched | ConsentAct::Granted
            )
    };
    let fitting = visits.iter().filter(fits);
    fitting.max_by_key(|v| v.condition.consent == ConsentAct::Granted)
}

struct Look<'a> {
    case: &'a WidgetCase<'a>,
    language: &'a str,
    wanted: &'a TextSet,
}

impl Look<'_> {
    /// Returns the language as words; empty where the site says no language.
    fn in_language(&self) -> String {
        match self.language {
            "" => String::new(),
            language => format!(" in {language}"),
        }
    }

    fn compare(&self, seen: &Observation, out: &mut Report<Vec<ComparedValue>>) {
        let page = Url::parse(&seen.page.final_url).ok();
        let nobody = matches!(seen.presence, Some(Presence::Away | Presence::Closed));
        let mut strange = 0;
        for (name, wanted) in self.wanted.given() {
            if let Some(why) = self.not_looked_for(name, seen, nobody) {
                out.gaps.push(self.gap(name, why));
                continue;
            }
            let found = seen.texts.iter().find(|t| t.name == name);
            let found = found.and_then(|t| own_words(t, wanted));
            let away = found.is_none() && !wanted.trim().is_empty();
            if name == TextName::Greeting && away && self.has_form_first() {
                let why = "a form comes before the chat, and a visit does not begin one";
                out.gaps.push(self.gap(name, why.into()));
                continue;
            }
            let off = wanted.trim().is_empty();
            let same = found.as_ref().map_or(off, |f| match name {
                _ if off => f.trim().is_empty(),
                TextName::NoticeLink => same_link(page.as_ref(), f, wanted),
                _ => variables::fits(&folded(wanted), &folded(f)),
            });
            if !same && nobody && name == TextName::Greeting && self.has_words_for_nobody() {
                let why = "nobody is there now, and the panel shows its own words for that";
                out.gaps.push(self.gap(name, why.into()));
                continue;
            }
            let told = ComparedValue {
                name: name.word().into(),
                language: self.told_language(),
                wanted: wanted.to_string(),
                seen: found,
                same,
            };
            if !same && self.is_of_another_language(&told) {
                strange += 1;
                if strange == 1 {
                    out.findings.push(self.language_differs(&told));
                }
            } else if !same && !is_unfilled(&told) {
                out.findings.push(self.differs(name, &told, seen));
            }
            out.what.push(told);
        }
        self.prompt_late(seen, out);
        out.findings.extend(self.left_in(seen));
    }

    /// The talk's first words are shown once the form before it is sent.
    fn has_form_first(&self) -> bool {
        let echo = self.case.supplier.echo.as_ref();
        echo.is_some_and(|e| !e.before.is_empty())
    }

    /// Returns why a text was not looked for, where it was not.
    fn not_looked_for(&self, name: TextName, seen: &Observation, nobody: bool) -> Option<String> {
        if name == TextName::Away && !nobody {
            return Some("the widget did not say that nobody is there".into());
        }
        if self.case.supplier.texts.of(name).is_none() {
            let supplier = &self.case.supplier.name;
            return Some(format!(
                "the profile of {supplier} does not say where it is seen"
            ));
        }
        if name == TextName::Prompt && seen.prompt_until_ms.is_none() {
            let why = match self.wanted.prompt_at_scroll {
                Some(_) => "the page is too short to be scrolled there",
                None if self.wanted.prompt_on_leaving => "phones have no mouse that leaves",
                None => "it was not watched for: it is designed for later than a visit watches",
            };
            return Some(why.into());
        }
        None
    }

    /// The panel has a text of its own for when nobody is there.
    fn has_words_for_nobody(&self) -> bool {
        let mut given = self.wanted.given();
        given.any(|(name, words)| name == TextName::Away && !words.trim().is_empty())
    }

    fn told_language(&self) -> Option<String> {
        Some(self.language.to_string()).filter(|l| !l.is_empty())
    }

    fn gap(&self, name: TextName, why: String) -> NotChecked {
        NotChecked {
            what: format!("{name}{}", self.in_language()),
            why,
        }
    }

    /// Returns whether what is seen is what another language of the site should show.
    fn is_of_another_language(&self, told: &ComparedValue) -> bool {
        let Some(seen) = &told.seen else { return false };
        let others = self
            .case
            .widget
            .texts
            .iter()
            .filter(|(l, _)| *l != self.language);
        let mut others = others.flat_map(|(_, set)| set.given());
        let fits = |text: &str| variables::fits(&folded(text), &folded(seen));
        others.any(|(name, text)| told.name == name.word() && fits(text))
    }

    fn fault(&self, code: Code, summary: String, remedy: String) -> Finding {
        Finding::new(code, Severity::Fault, summary, remedy)
    }

    fn account(&self) -> String {
        format!(
            "in the widget\u{2019}s settings at {}",
            self.case.supplier.name
        )
    }

    fn language_differs(&self, told: &ComparedValue) -> Finding {
        let summary = format!(
            "A visitor whose browser speaks {} is shown another language of the site.",
            self.language
        );
        let remedy = format!(
            "Let the language follow the visitor\u{2019}s browser {}.",
            self.account()
        );
        self.fault(Code::BrandLanguage, summary, remedy)
            .with_all(told.sides())
    }

    fn differs(&self, name: TextName, told: &ComparedValue, seen: &Observation) -> Finding {
        let what = told.words();
        let language = self.in_language();
        if told.wanted.trim().is_empty() {
            let summary = format!("The {what}{language} is shown, and the design is without it.");
            let remedy = format!("Switch the {what}{language} off {}.", self.account());
            let found = self.fault(Code::BrandTextDiffers, summary, remedy);
            return found.with_all(told.sides());
        }
        let (code, summary) = match (name, &told.seen) {
            (TextName::Notice | TextName::NoticeLink, None) => (
                Code::BrandNoticeMissing,
                format!("The {what}{language} is not in the open panel."),
            ),
            (TextName::NoticeLink, Some(_)) => (
                Code::BrandNoticeLink,
                format!("The link of the notice{language} leads elsewhere."),
            ),
            (TextName::Prompt, None) => {
                let since = seen.looks.launcher.seen_ms().unwrap_or_default();
                let watched = (seen.prompt_until_ms.unwrap_or(since) - since) / 1000.0;
                let done = match self.wanted.prompt_at_scroll {
                    Some(percent) => format!(", with the page scrolled to {percent:.0} %"),
                    None if self.wanted.prompt_on_leaving => {
                        ", with the mouse on its way out of the page".into()
                    }
                    None => String::new(),
                };
                (
                    Code::BrandTextMissing,
                    format!(
                        "The prompt{language} did not come in {watched:.0} s after the \
                        launcher{done}."
                    ),
                )
            }
            (_, None) => (
                Code::BrandTextMissing,
                format!("The {what}{language} is not in the open panel."),
            ),
            (_, Some(_)) => (
                Code::BrandTextDiffers,
                format!("The {what}{language} is not as designed."),
            ),
        };
        let remedy = format!("Set the {what}{language} {}.", self.account());
        self.fault(code, summary, remedy).with_all(told.sides())
    }

    fn prompt_late(&self, seen: &Observation, out: &mut Report<Vec<ComparedValue>>) {
        let Some(after) = self.wanted.prompt_after_s else {
            return;
        };
        let found = seen.texts.iter().find(|t| t.name == TextName::Prompt);
        let (Some(found), Some(from_ms)) = (found, seen.looks.launcher.seen_ms()) else {
            return;
        };
        let came_s = (found.at_ms - from_ms) / 1000.0;
        let late = came_s > after + LATE_S;
        // What a busy machine took may be the prompt's delay or not: it cannot be told.
        let lost_s = seen.withheld.lost_ms(from_ms, found.at_ms) / 1000.0;
        if late && came_s - lost_s <= after + LATE_S {
            let gap = busy::gap("when the prompt comes", &seen.withheld);
            return out.gaps.push(gap);
        }
        out.what.push(ComparedValue {
            name: "prompt_after_s".into(),
            language: self.told_language(),
            wanted: after.to_string(),
            seen: Some(format!("{came_s:.1}")),
            same: !late,
        });
        if late {
            let summary = format!(
                "The prompt came {came_s:.1} s after the launcher; {after} s are designed."
            );
            let remedy = format!("Set the prompt\u{2019}s second {}.", self.account());
            out.findings
                .push(self.fault(Code::BrandPromptLate, summary, remedy));
        }
    }

    /// Sample words and variables that nobody wanted, inside the widget's own panel.
    fn left_in(&self, seen: &Observation) -> Vec<Finding> {
        let meant: Vec<String> = self
            .wanted
            .given()
            .map(|(_, t)| folded(t).to_lowercase())
            .collect();
        let is_meant = |words: &str| meant.iter().any(|m| m.contains(&words.to_lowercase()));
        let prompt = seen.texts.iter().filter(|t| t.name == TextName::Prompt);
        let mut panel = folded(&seen.panel_text);
        for text in prompt {
            panel.push(' ');
            panel.push_str(&folded(&text.text));
        }
        let given = self.case.sample_words.all();
        let samples = SAMPLES.iter().copied().chain(given);
        let lower = variables::without(&panel).to_lowercase();
        let sample = samples.into_iter().find(|s| {
            let s = folded(s).to_lowercase();
            !s.is_empty() && lower.contains(&s) && !is_meant(&s)
        });
        let sample = sample.map(|s| {
            let summary = format!("A sample text was left in the widget: \u{201c}{s}\u{201d}.");
            let remedy = format!("Replace the sample {}.", self.account());
            self.fault(Code::BrandSampleText, summary, remedy)
        });
        // A variable is never meant to be read; half of one may stand in the design, which says so.
        let whole = variables::variables(&panel).next().map(str::to_string);
        let torn = variables::torn(&panel).filter(|v| !is_meant(v));
        let variable = whole.or(torn).map(|v| {
            let summary = format!("A variable is shown as it is written: \u{201c}{v}\u{201d}.");
            let remedy = format!(
                "Give the variable a value, or take it out of the text {}.",
                self.account()
            );
            self.fault(Code::BrandVariable, summary, remedy)
        });
        sample.into_iter().chain(variable).collect()
    }
}

/// Returns the words that are compared: those of a notice's links are none of its text, unless the
/// wanted text has them; nothing where only a link is there.
fn own_words(seen: &TextSeen, wanted: &str) -> Option<String> {
    let Some(besides) = seen.besides_links.as_deref() else {
        return Some(seen.text.clone());
    };
    if variables::fits(&folded(wanted), &folded(&seen.text)) {
        return Some(seen.text.clone());
    }
    Some(folded(besides)).filter(|words| !words.is_empty())
}

/// The text is as wanted but for a variable that nobody filled, which is told as that.
fn is_unfilled(told: &ComparedValue) -> bool {
    let seen = told.seen.as_deref().map(folded);
    seen.is_some_and(|s| s == folded(&told.wanted) && variables::variables(&s).next().is_some())
}

fn same_link(page: Option<&Url>, seen: &str, wanted: &str) -> bool {
    let read = |text: &str| match page {
        Some(page) => page.join(text).ok(),
        None => Url::parse(text).ok(),
    };
    read(seen).is_some_and(|s| read(wanted) == Some(s))
}

#[cfg(test)]
mod tests;
