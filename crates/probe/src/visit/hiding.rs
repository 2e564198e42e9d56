//! The style rule that hides a launcher: sheet, line and selector, as the browser matched it.

use super::Tab;
use newtfern_standards::observation::StyleRule;
use serde_json::{Value, json};

/// Returns the rule that hides what a selector finds; nothing where the browser does not tell.
pub async fn rule(tab: &Tab, selector: &str) -> Option<StyleRule> {
    let hider = format!(
        "(() => {{ const el = nf.pick({}); return el ? nf.hider(el) : null; }})()",
        Value::from(selector)
    );
    let property = tab.evaluate(&format!("{hider}?.[1]")).await.ok()?;
    let object = tab
        .evaluate_raw(&format!("{hider}?.[0]"), false)
        .await
        .ok()?;
    for domain in ["DOM.enable", "CSS.enable"] {
        tab.call(domain, json!({})).await.ok()?;
    }
    tab.call("DOM.getDocument", json!({"depth": 0}))
        .await
        .ok()?;
    let asked = json!({"objectId": object["objectId"]});
    let node = tab.call("DOM.requestNode", asked).await.ok()?;
    let asked = json!({"nodeId": node["nodeId"]});
    let matched = tab.call("CSS.getMatchedStylesForNode", asked).await.ok()?;
    let found = winner(&matched, property.as_str()?)?;
    let sheet = tab.with(|s| s.sheets.get(&found.sheet_id).cloned());
    Some(match sheet {
        Some((url, first_line)) => StyleRule {
            sheet: url,
            line: found.line.map(|line| first_line + line + 1),
            ..found.rule
        },
        None => found.rule,
    })
}

/// A rule, and where it stands in its sheet.
struct Matched {
    rule: StyleRule,
    sheet_id: String,
    /// Line in the sheet, from 0.
    line: Option<u32>,
}

/// The declaration of a property that wins: an important one, else the element's own, else the last
/// that matches (CSS Cascade 5, section 6; the browser gives rules in that order).
fn winner(matched: &Value, property: &str) -> Option<Matched> {
    let rules = matched["matchedCSSRules"].as_array();
    let rules = rules.into_iter().flatten().map(|m| &m["rule"]);
    let own = &matched["inlineStyle"];
    let mut all: Vec<(bool, Matched)> = Vec::new();
    for rule in rules {
        let selector = rule["selectorList"]["text"].as_str().unwrap_or_default();
        let by_browser = rule["origin"] == "user-agent";
        all.extend(
            declaration(&rule["style"], property).map(|(text, important, line)| {
                let sheet = match by_browser {
                    true => "the browser\u{2019}s own styles",
                    false => "a style sheet of the page",
                };
                let made = matched_rule(sheet, selector, text);
                let sheet_id = rule["styleSheetId"]
                    .as_str()
                    .unwrap_or_default()
                    .to_string();
                (
                    important,
                    Matched {
                        sheet_id,
                        line,
                        ..made
                    },
                )
            }),
        );
    }
    all.extend(declaration(own, property).map(|(text, important, _)| {
        (
            important,
            matched_rule("the element\u{2019}s style attribute", "", text),
        )
    }));
    // Of equals the last is the greatest.
    let best = all
        .iter()
        .enumerate()
        .max_by_key(|(i, (important, _))| (*important, *i))?
        .0;
    Some(all.swap_remove(best).1)
}

fn matched_rule(sheet: &str, selector: &str, text: String) -> Matched {
    Matched {
        rule: StyleRule {
            sheet: sheet.into(),
            line: None,
            selector: selector.chars().take(300).collect(),
            declaration: text,
        },
        sheet_id: String::new(),
        line: None,
    }
}

/// Declaration of a property in a style that counts there, whether it is important, and its line.
fn declaration(style: &Value, property: &str) -> Option<(String, bool, Option<u32>)> {
    let all = style["cssProperties"].as_array()?;
    let counts =
        |p: &&Value| p["name"] == property && p["disabled"] != true && p["parsedOk"] != false;
    let found = all.iter().rev().find(counts)?;
    let value = found["value"].as_str().unwrap_or_default();
    let important = found["important"] == true || value.contains("!important");
    let line = found["range"]["startLine"].as_u64();
    let line = line.or_else(|| style["range"]["startLine"].as_u64());
    let text: String = format!("{property}: {value}").chars().take(200).collect();
    Some((text, important, line.and_then(|l| u32::try_from(l).ok())))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rule(selector: &str, properties: Value) -> Value {
        json!({"rule": {
            "selectorList": {"text": selector}, "origin": "regular", "styleSheetId": selector,
            "style": {"cssProperties": properties, "range": {"startLine": 3}},
        }})
    }

    fn told(matched: Value) -> Option<(String, String, Option<u32>)> {
        let found = winner(&matched, "display")?;
        Some((found.rule.selector, found.rule.declaration, found.line))
    }

    #[test]
    fn the_last_rule_wins_and_an_important_one_before_it() {
        let none = json!([{"name": "display", "value": "none", "range": {"startLine": 4}}]);
        let block = json!([{"name": "display", "value": "block"}]);
        let two = vec![rule("#a", block.clone()), rule("#b", none.clone())];
        let words = ("#b".to_string(), "display: none".to_string(), Some(4));
        assert_eq!(told(json!({"matchedCSSRules": two})), Some(words));
        let important = json!([{"name": "display", "value": "none !important"}]);
        let two = vec![rule("#a", important), rule("#b", block)];
        let own = json!({"cssProperties": none});
        let found = told(json!({"matchedCSSRules": two, "inlineStyle": own})).unwrap();
        assert_eq!((found.0.as_str(), found.2), ("#a", Some(3)));
        let own = told(json!({"matchedCSSRules": [], "inlineStyle": own})).unwrap();
        assert_eq!(own.0, "");
        assert_eq!(told(json!({})), None);
    }
}
