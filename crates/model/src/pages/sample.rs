//! Which pages a browser visits, and in which order: the home page and one page of each template
//! before a second of any, and of a template's pages one of each kind first.

use super::PageKind;
use std::collections::BTreeMap;

/// Template and kind of each page, in the order in which they were found; gives their indices in
/// the order of visiting.
///
/// ```
/// use newtfern_model::pages::{PageKind, sample};
/// let pages = [
///     ("/", PageKind::Home),
///     ("/shop/*", PageKind::Item),
///     ("/shop/*", PageKind::Item),
///     ("/**", PageKind::Legal),
/// ];
/// assert_eq!(sample::order(&pages), [0, 1, 3, 2]);
/// ```
pub fn order(pages: &[(&str, PageKind)]) -> Vec<usize> {
    // How often a template, and a kind within it, came before: the rarer is visited earlier.
    let mut of_template: BTreeMap<(&str, PageKind), usize> = BTreeMap::new();
    let mut rank = Vec::with_capacity(pages.len());
    for (i, (template, kind)) in pages.iter().enumerate() {
        let times = of_template.entry((template, *kind)).or_default();
        rank.push((*times, i));
        *times += 1;
    }
    // Within a template the kinds take turns.
    let mut by_template: BTreeMap<&str, Vec<(usize, usize)>> = BTreeMap::new();
    for (i, (template, _)) in pages.iter().enumerate() {
        by_template.entry(template).or_default().push(rank[i]);
    }
    let mut turns: Vec<(usize, usize)> = Vec::with_capacity(pages.len());
    for mut of in by_template.into_values() {
        of.sort_unstable();
        turns.extend(of.into_iter().enumerate().map(|(turn, (_, i))| (turn, i)));
    }
    turns.sort_unstable();
    turns.into_iter().map(|(_, i)| i).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_of_each_template_then_one_of_each_kind() {
        let pages = [
            ("/", PageKind::Home),
            ("/a", PageKind::Other),
            ("/a", PageKind::Other),
            ("/a", PageKind::Legal),
            ("/b", PageKind::Item),
            ("/b", PageKind::Item),
        ];
        assert_eq!(order(&pages), [0, 1, 4, 3, 5, 2]);
        assert!(order(&[]).is_empty());
    }
}
