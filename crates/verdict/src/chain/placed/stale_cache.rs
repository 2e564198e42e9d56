//! `placed.stale-cache`: the origin has it, the cached copy that visitors get does not. Told by a
//! second copy with a query that no cache has seen; where that copy could not be had, nothing is
//! known about the cache.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::Purpose;

/// Response headers by which caches speak (RFC 9111 and common practice).
const CACHE_HEADERS: [&str; 6] = [
    "age",
    "x-cache",
    "cache-status",
    "cache-control",
    "x-cache-status",
    "via",
];

/// Judges whether a cache delivers an older page.
pub fn judge(c: &Facts) -> Answer {
    if c.arrived() || c.live().next().is_some() || c.held_by_consent() {
        return Answer::Holds;
    }
    let fresh = c
        .asides(Purpose::Uncached)
        .find_map(|a| Some((a, c.live_in(a)?)));
    let Some((aside, piece)) = fresh else {
        // Only where nothing else explains the absence does the missing copy leave it open.
        let missed = c.asides_missed(Purpose::Uncached).next();
        return match missed.filter(|_| c.pieces().is_empty()) {
            Some((_, why)) => Answer::cannot_tell("the copy of the page behind its cache", why),
            None => Answer::Holds,
        };
    };
    let spoken = c.seen.page.headers.iter().filter(|(name, _)| {
        let name = name.to_ascii_lowercase();
        CACHE_HEADERS.contains(&name.as_str()) || name.ends_with("-cache-status")
    });
    Finding::broken(
        Code::PlacedStaleCache,
        "Visitors get a cached copy without the snippet; the page behind the cache has it.",
        "Empty the page cache of the site.",
    )
    .with(Evidence::Request {
        url: c.seen.page.final_url.clone(),
        outcome: "no snippet".into(),
    })
    .with(Evidence::Request {
        url: aside.url.clone(),
        outcome: format!("snippet on line {}: {}", piece.line, piece.excerpt),
    })
    .with_all(spoken.map(|(name, value)| Evidence::Header {
        name: name.clone(),
        value: value.clone(),
    }))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::Outcome;
    use crate::chain::testing::{GOOD, Wanted, aside, loader, missed, page, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{NotCheckedReason, Purpose};

    #[test]
    fn a_fresh_copy_that_has_it_tells_of_the_cache() {
        let old = with(page(""), |o| {
            o.page.headers = vec![("Age".into(), "86400".into()), ("date".into(), "x".into())];
        });
        let d = Wanted::with_asides([aside(Purpose::Uncached, GOOD)]).of(&[old]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedStaleCache));
        let lines: Vec<String> = d.verdict.findings()[0]
            .evidence
            .iter()
            .map(|e| e.line())
            .collect();
        assert!(lines.iter().any(|l| l == "Age: 86400"), "{lines:?}");
        assert!(!lines.iter().any(|l| l.starts_with("date")), "{lines:?}");
    }

    #[test]
    fn a_fresh_copy_without_it_is_no_cache() {
        let d = Wanted::with_asides([aside(Purpose::Uncached, "")]).of(&[page("")]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedAbsent));
    }

    #[test]
    fn a_copy_that_could_not_be_had_leaves_it_open() {
        let late = missed(Purpose::Uncached, NotCheckedReason::Deadline);
        let d = Wanted::with_asides([late.clone()]).of(&[page("")]);
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::Unchecked, None)
        );
        assert!(
            d.verdict.not_looked_at()[0]
                .what
                .contains("behind its cache")
        );
        // A piece that is there and damaged explains the absence by itself.
        let d = Wanted::with_asides([late]).of(&[page(&format!("<!-- {GOOD} -->"))]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedCommented));
    }

    #[test]
    fn where_it_came_runs_or_waits_the_cache_is_no_matter() {
        let fresh = || Wanted::with_asides([aside(Purpose::Uncached, GOOD)]);
        let brought = with(page(""), |o| o.requests.push(loader(Some(200), None)));
        assert_eq!(
            fresh().of(&[brought]).verdict.root(),
            Some(Code::StartedSilent)
        );
        assert_eq!(
            fresh().of(&[page(GOOD)]).verdict.root(),
            Some(Code::StartedSilent)
        );
        let held = page(&GOOD.replace("async", "type=text/plain"));
        let waits = with(held, |o| o.consent.tcf = true);
        assert_ne!(
            fresh().of(&[waits]).verdict.root(),
            Some(Code::PlacedStaleCache)
        );
    }
}
