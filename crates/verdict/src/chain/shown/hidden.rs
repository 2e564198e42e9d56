//! `shown.hidden`: hidden by style; the style and the element that has it are named.

use crate::chain::answer::Answer;
use crate::chain::evidence::{launcher, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::StyleRule;

/// Judges whether a style hides the launcher.
pub fn judge(c: &Facts) -> Answer {
    let hidden = launcher(c).and_then(|l| Some((l, l.hidden_by.as_ref()?)));
    let Some((l, by)) = hidden else {
        return Answer::Holds;
    };
    let remedy = match &l.hidden_rule {
        Some(rule) => format!(
            "In {}, remove or narrow the rule that hides it.",
            place(rule)
        ),
        None => "In the site's styles, remove or narrow the rule that hides it.".into(),
    };
    let rule = l.hidden_rule.as_ref().map(|rule| {
        let named = match rule.selector.as_str() {
            "" => rule.declaration.clone(),
            selector => format!("{selector} {{ {} }}", rule.declaration),
        };
        Evidence::fact(format!("{}: {named}", place(rule)))
    });
    Finding::broken(
        Code::ShownHidden,
        format!("The launcher is hidden by {by}."),
        remedy,
    )
    .with_all(rule)
    .with(Evidence::fact(l.html.clone()))
    .with_all(picture(c))
    .into()
}

fn place(rule: &StyleRule) -> String {
    match rule.line {
        Some(line) => format!("{}, line {line}", rule.sheet),
        None => rule.sheet.clone(),
    }
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{launcher, root, told};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::StyleRule;

    #[test]
    fn the_rule_that_hides_it_is_named_with_its_sheet_line_and_selector() {
        let found = told(launcher(|l| {
            l.hidden_by = Some("display: none on #x".into());
            l.hidden_rule = Some(StyleRule {
                sheet: "https://kites.example/own.css".into(),
                line: Some(12),
                selector: "div[id^=chat]".into(),
                declaration: "display: none".into(),
            });
        }));
        let line = "https://kites.example/own.css, line 12: div[id^=chat] { display: none }";
        assert_eq!(found.evidence[0].line(), line);
        assert!(
            found.remedy.contains("own.css, line 12"),
            "{}",
            found.remedy
        );
    }

    #[test]
    fn the_style_that_hides_it_is_named() {
        let found = told(launcher(|l| {
            l.hidden_by = Some("display: none on #x".into())
        }));
        assert_eq!(found.code, Code::ShownHidden);
        assert!(found.summary.contains("display: none on #x"));
        assert_eq!(root(launcher(|_| {})), None);
    }
}
