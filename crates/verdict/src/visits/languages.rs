//! In which languages a widget is visited, and how long its prompt is watched for in each.

use newtfern_model::design::Field;
use newtfern_model::expectation::Widget;

/// Languages of a site that are visited at most.
const MOST_LANGUAGES: usize = 6;

/// Languages that a widget is visited in: those of a site that has several, and those that have
/// texts, in the order of the site's; the first carries the chain. Empty where there is neither:
/// then one visit in the browser's own language tells all.
pub fn languages_of<'a>(of_site: &'a [String], widget: Option<&'a Widget>) -> Vec<&'a str> {
    let Some(texts) = widget.map(|w| &w.texts) else {
        return Vec::new();
    };
    let several = of_site.len() > 1;
    let of_site = of_site.iter().take(MOST_LANGUAGES).map(String::as_str);
    let mut out: Vec<&str> = of_site
        .filter(|l| several || texts.contains_key(*l))
        .collect();
    let others = texts.keys().map(String::as_str);
    let others: Vec<&str> = others.filter(|l| !out.contains(l)).collect();
    out.extend(others);
    out
}

/// The language that the chain of a check is visited in; empty for the browser's own.
pub fn own_language<'a>(of_site: &'a [String], widget: Option<&'a Widget>) -> &'a str {
    let languages = languages_of(of_site, widget);
    languages.first().copied().unwrap_or_default()
}

/// A prompt is watched for until its second and this much longer (contract).
const PROMPT_MORE_MS: u64 = 5_000;
/// A prompt that is designed for later than this is not waited for.
const MOST_PROMPT_MS: u64 = 20_000;

/// Watch for a prompt.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PromptWatch {
    /// Time of the watch, ms after the launcher came or after what brings it.
    pub ms: u64,
    /// Cause that brings the prompt.
    pub by: PromptBy,
}

/// Cause that brings a prompt.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum PromptBy {
    /// The prompt comes after a time.
    Time,
    /// The page scrolled so far, percent of its way.
    Scroll(f64),
    /// The mouse on its way out of the page; phones have none.
    Leaving,
}

/// Returns how the prompt is watched for; none where none is designed, or for later than a visit
/// watches.
pub fn prompt_of(widget: Option<&Widget>, language: &str) -> Option<PromptWatch> {
    let texts = widget?.texts.get(language)?;
    texts.get(Field::Prompt)?;
    let watch = |ms, by| PromptWatch { ms, by };
    if let Some(percent) = texts.prompt_at_scroll {
        return Some(watch(PROMPT_MORE_MS, PromptBy::Scroll(percent)));
    }
    if texts.prompt_on_leaving {
        return Some(watch(PROMPT_MORE_MS, PromptBy::Leaving));
    }
    let after = (texts.prompt_after_s.unwrap_or(0.0) * 1000.0) as u64;
    (after <= MOST_PROMPT_MS).then_some(watch(after + PROMPT_MORE_MS, PromptBy::Time))
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_model::expectation::TextSet;

    #[test]
    fn a_site_with_several_languages_is_visited_in_each() {
        let mut widget = Widget::of("example", "k");
        let both = ["en".to_string(), "cy".to_string()];
        assert_eq!(languages_of(&both, Some(&widget)), ["en", "cy"]);
        assert_eq!(own_language(&both, Some(&widget)), "en");
        // One language tells nothing beyond the browser's own.
        assert_eq!(languages_of(&both[..1], Some(&widget)), [""; 0]);
        widget.texts.insert("ga".into(), TextSet::default());
        assert_eq!(languages_of(&both, Some(&widget)), ["en", "cy", "ga"]);
        assert_eq!(languages_of(&both, None), [""; 0]);
    }
}
