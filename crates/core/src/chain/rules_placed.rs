//! Rules of the link `placed`: is the snippet in the page, once, with the right key, where it can run?

use super::Purpose;
use super::context::Ctx;
use super::rules::{held_by_consent, remark};
use crate::finding::{Evidence, Finding, Severity};
use crate::placement::{Form, Inspector, KeySeen, Piece, State};
use url::Url;

fn lines<'a>(pieces: impl IntoIterator<Item = &'a Piece>) -> Vec<Evidence> {
    pieces
        .into_iter()
        .map(|p| Evidence::Html {
            line: p.line,
            text: p.excerpt.clone(),
        })
        .collect()
}

/// The widget came to the page, whoever brought it: a loader was asked for, or it is up.
fn arrived(c: &Ctx) -> bool {
    c.alive || c.loader_requests().next().is_some()
}

pub fn twice(c: &Ctx) -> Option<Finding> {
    let shape = &c.inspector.shape;
    let count = |pieces: &[Piece], form: Form| {
        pieces
            .iter()
            .filter(|p| p.form == form && p.state == State::Live)
            .count()
    };
    let externals = count(&c.pieces, Form::External) > shape.externals.max(1);
    let inlines = count(&c.pieces, Form::Inline) > shape.inlines.max(1);
    // A snippet and another way of placing (an extension, a tag manager) show as loaders in the final document.
    let loaders: Vec<&Piece> = c
        .final_pieces()
        .iter()
        .filter(|p| p.form == Form::External && p.state == State::Live)
        .filter(|p| {
            p.src
                .as_ref()
                .is_some_and(|s| shape.is_loader(c.case.supplier, s))
        })
        .collect();
    let by_script = shape.loader.is_some() && loaders.len() > shape.externals.max(1);
    let mixed = count(&c.pieces, Form::External) > 0
        && shape.externals == 0
        && count(&c.pieces, Form::Inline) > 0;
    if !(externals || inlines || by_script || mixed) {
        return None;
    }
    let mut evidence = lines(c.live());
    if by_script && !externals {
        evidence.extend(
            loaders
                .iter()
                .map(|p| Evidence::fact(format!("in the final document: {}", p.excerpt))),
        );
    }
    let keys: std::collections::BTreeSet<&str> = c.live().filter_map(|p| p.key.key()).collect();
    let which = if keys.len() > 1 {
        format!(
            " with different keys ({})",
            keys.into_iter().collect::<Vec<_>>().join(", ")
        )
    } else {
        String::new()
    };
    Some(
        Finding::broken(
            "placed.twice",
            format!("The same widget is in the page more than once{which}."),
            "Remove one of the two: look in the template, the code boxes and the extensions of the site.",
        )
        .with_all(evidence),
    )
}

pub fn no_key(c: &Ctx) -> Option<Finding> {
    if !c.inspector.expects_key()
        || c.live().any(|p| p.key.key().is_some())
        || c.live().any(|p| p.altered.is_some())
    {
        return None;
    }
    let blank = c.live().find_map(|p| match &p.key {
        KeySeen::Placeholder(text) => Some((p, text.clone())),
        _ => None,
    });
    // Without a placeholder, a missing key is only known where the supplier's pattern would find one.
    let (piece, text) = match blank {
        Some(found) => found,
        None if c.alive => return None,
        None if !c.inspector.expects_key_on_element() => return None,
        None => (
            c.live()
                .find(|p| p.key == KeySeen::Nothing && p.form == Form::External)?,
            String::new(),
        ),
    };
    let said = if text.trim().is_empty() {
        "is empty".to_string()
    } else {
        format!("is still the sample \u{201c}{text}\u{201d}")
    };
    Some(
        Finding::broken(
            "placed.no-key",
            format!("The key in the snippet {said}."),
            "Copy the key from the client's account and put it into the snippet.",
        )
        .with_all(lines([piece])),
    )
}

pub fn wrong_key(c: &Ctx) -> Option<Finding> {
    let expected = c.case.key?;
    let keyed: Vec<(&Piece, &str)> = c.live().filter_map(|p| Some((p, p.key.key()?))).collect();
    let from_requests = || {
        c.loader_requests()
            .find_map(|r| c.case.supplier.key_in(&r.url).map(|k| (r.url.clone(), k)))
    };
    let from_final = || {
        c.final_pieces()
            .iter()
            .filter(|p| p.state == State::Live)
            .find_map(|p| Some((p.excerpt.clone(), p.key.key()?.to_string())))
    };
    let (evidence, seen) = if let Some((piece, key)) = keyed.first() {
        if keyed.iter().any(|(_, k)| *k == expected) {
            return None;
        }
        (lines([*piece]), key.to_string())
    } else if let Some((place, key)) = from_requests().or_else(from_final) {
        (vec![Evidence::fact(place)], key)
    } else {
        return None;
    };
    if seen == expected {
        return None;
    }
    let said = if seen.trim() == expected {
        "The key has blanks around it".to_string()
    } else {
        format!("The page has the key {seen} and should have {expected}")
    };
    Some(
        Finding::broken(
            "placed.wrong-key",
            format!("{said}."),
            format!("Where the snippet is placed, put in the key {expected}."),
        )
        .with_all(evidence),
    )
}

/// A live piece in another document.
fn live_in(c: &Ctx, html: &str, address: &str) -> Option<Piece> {
    let page = Url::parse(address).ok()?;
    let pieces = Inspector::new(c.case.supplier, c.case.consent).pieces(html, &page);
    pieces.into_iter().find(|p| {
        p.state == State::Live
            && (c.case.key.is_none() || p.key.key().is_none() || p.key.key() == c.case.key)
    })
}

pub fn stale_cache(c: &Ctx) -> Option<Finding> {
    if arrived(c) || c.live().next().is_some() || held_by_consent(c) {
        return None;
    }
    let fresh = c
        .case
        .asides
        .iter()
        .filter(|a| a.purpose == Purpose::Uncached && a.status < 300)
        .find_map(|a| Some((a, live_in(c, &a.html, &a.url)?)))?;
    let cache_headers = c.seen.page.headers.iter().filter(|(n, _)| {
        matches!(
            n.to_ascii_lowercase().as_str(),
            "age" | "x-cache" | "cf-cache-status" | "cache-control" | "x-cache-status" | "via"
        )
    });
    Some(
        Finding::broken(
            "placed.stale-cache",
            "Visitors get a cached copy without the snippet; the page behind the cache has it.",
            "Empty the page cache of the site.",
        )
        .with(Evidence::Request {
            url: c.seen.page.final_url.clone(),
            outcome: "no snippet".into(),
        })
        .with(Evidence::Request {
            url: fresh.0.url.clone(),
            outcome: format!("snippet on line {}: {}", fresh.1.line, fresh.1.excerpt),
        })
        .with_all(cache_headers.map(|(n, v)| Evidence::Header {
            name: n.clone(),
            value: v.clone(),
        })),
    )
}

/// The snippet is there, in a state in which it does not run.
pub fn damaged(c: &Ctx) -> Option<Finding> {
    if arrived(c) || c.live().next().is_some() {
        return None;
    }
    let rank = |p: &Piece| match p.state {
        State::BadQuotes => 0,
        State::Truncated => 1,
        State::DoubleWrapped => 2,
        State::ConsentHeld(_) => 3,
        State::WrongType(_) | State::Delayed(_) => 4,
        State::Inert(_) => 5,
        State::AsText => 6,
        State::Commented => 7,
        State::Live | State::Mentioned => 9,
    };
    let piece = c
        .pieces
        .iter()
        .filter(|p| rank(p) < 9)
        .min_by_key(|p| rank(p))?;
    let made = |code: &str, summary: String, remedy: &str| {
        Some(Finding::broken(code, summary, remedy).with_all(lines([piece])))
    };
    match &piece.state {
        State::BadQuotes => made(
            "placed.bad-quotes",
            "Typographic quotes or hard blanks broke the code.".into(),
            "Paste the code again as plain text, not through a word processor or visual editor.",
        ),
        State::Truncated => made("placed.truncated", "The code is cut off before its end.".into(), "Copy the whole code again and check that its last line arrived."),
        State::DoubleWrapped => made(
            "placed.double-wrapped",
            "The code stands with its own script tags inside another script element.".into(),
            "In the code box, which adds the script tags itself, paste the code without them.",
        ),
        State::ConsentHeld(mark) => made(
            "allowed.consent-stuck",
            format!("The script is held back for consent ({mark}) and was not let go."),
            "In the consent manager, assign the script to the category that the visitor granted.",
        ),
        State::WrongType(attribute) if held_by_consent(c) => made("allowed.consent-waits", format!("The script waits for consent ({attribute})."), ""),
        State::WrongType(attribute) => made(
            "placed.wrong-type",
            format!("The script has {attribute}, which keeps browsers from running it."),
            "Remove that attribute, or have the consent manager or optimiser that set it let the script go.",
        ),
        State::Delayed(attribute) => made(
            "placed.wrong-type",
            format!("The script's address stands in {attribute} and was never put in place."),
            "In the optimiser or consent manager of the site, exempt this script.",
        ),
        State::Inert(by) if by == "innerHTML" => made(
            "placed.inert",
            "The code is put in as markup by another script; browsers do not run script elements put in that way.".into(),
            "Place the snippet in the page itself, or create the script element by document.createElement.",
        ),
        State::Inert(element) => made(
            "placed.inert",
            format!("The code stands inside a {element} element, whose content does not run."),
            "Move the code out of that element, to just before the end of the body.",
        ),
        State::AsText => made(
            "placed.as-text",
            "The code is shown to visitors as text.".into(),
            "In the editor, switch to source or code mode and paste it there, or use the site-wide code box.",
        ),
        State::Commented => made("placed.commented", "The code stands inside an HTML comment.".into(), "Remove the comment marks around the code."),
        State::Live | State::Mentioned => None,
    }
}

pub fn other_page(c: &Ctx) -> Option<Finding> {
    if arrived(c) || !c.pieces.iter().all(|p| p.state == State::Mentioned) {
        return None;
    }
    let (aside, piece) = c
        .case
        .asides
        .iter()
        .filter(|a| a.purpose == Purpose::Linked && a.status < 300)
        .find_map(|a| Some((a, live_in(c, &a.html, &a.url)?)))?;
    Some(
        Finding::broken(
            "placed.other-page",
            "The snippet is missing here and present on another page of the site.",
            "Place the snippet in the template or site-wide code box, not in a single page.",
        )
        .with(Evidence::Request {
            url: aside.url.clone(),
            outcome: format!("snippet on line {}: {}", piece.line, piece.excerpt),
        }),
    )
}

pub fn absent(c: &Ctx) -> Option<Finding> {
    if arrived(c) || c.live().next().is_some() {
        return None;
    }
    let mut finding = Finding::broken(
        "placed.absent",
        format!(
            "No trace of the {} snippet is in the page.",
            c.case.supplier.name
        ),
        "Place the snippet in the site's code slot and publish.",
    )
    .with(Evidence::fact(format!(
        "{} bytes of HTML and {} requests were searched.",
        c.seen.page.html.len(),
        c.seen.requests.len()
    )));
    if let Some(p) = c.pieces.iter().find(|p| p.state == State::Mentioned) {
        finding = finding
            .with_all(lines([p]))
            .or_else("A script mentions the supplier's host; it may place the widget under a condition that this visit did not meet.");
    }
    Some(finding.or_else(
        "The change may be saved and not yet published: look at the platform's list of drafts.",
    ))
}

/// A difference in the code, only where something failed that it explains.
pub fn altered(c: &Ctx) -> Option<Finding> {
    if c.alive {
        return None;
    }
    let piece = c.live().find(|p| p.altered.is_some())?;
    let how = piece.altered.clone()?;
    Some(
        Finding::broken(
            "placed.altered",
            format!("The loader code differs from the supplier's: {how}."),
            "Replace it by the code that the supplier gives for this key.",
        )
        .with_all(lines([piece])),
    )
}

pub fn rival(c: &Ctx) -> Option<Finding> {
    c.case.rivals.iter().find_map(|rival| {
        let inspector = Inspector::new(rival, None);
        let pieces = inspector.pieces(&c.seen.page.html, &c.page);
        let live: Vec<&Piece> = pieces.iter().filter(|p| p.state == State::Live).collect();
        let asked: Vec<Evidence> = c
            .seen
            .requests
            .iter()
            .filter(|r| r.host().is_some_and(|h| rival.serves_loader(&h)) && r.kind == "script")
            .map(|r| Evidence::Request {
                url: r.url.clone(),
                outcome: r.outcome(),
            })
            .collect();
        if live.is_empty() && asked.is_empty() {
            return None;
        }
        Some(
            remark(
                "placed.rival",
                Severity::Fault,
                format!("The page also loads the widget of {}.", rival.name),
                "Remove the other supplier's snippet, or agree with the client which one stays.",
            )
            .with_all(lines(live))
            .with_all(asked),
        )
    })
}

pub fn late_delay(c: &Ctx) -> Option<Finding> {
    if !(c.alive && c.seen.alive.after_interaction) {
        return None;
    }
    let held: Vec<&Piece> = c
        .pieces
        .iter()
        .filter(|p| matches!(p.state, State::WrongType(_) | State::Delayed(_)))
        .collect();
    Some(
        remark(
            "placed.late-delay",
            Severity::Fault,
            "The widget starts only after the visitor moves, scrolls or presses a key.".into(),
            "In the optimiser of the site, exempt this script from delaying.",
        )
        .with(Evidence::fact(format!(
            "no sign of life until interaction, then after {:.1} s",
            c.seen.alive.at_ms.unwrap_or(0.0) / 1000.0
        )))
        .with_all(lines(held)),
    )
}

pub fn after_end(c: &Ctx) -> Option<Finding> {
    let piece = c.live().find(|p| p.after_end)?;
    Some(
        remark(
            "placed.after-end",
            Severity::Warning,
            "The code stands after the end of the body.".into(),
            "Move it to just before the closing body tag.",
        )
        .with_all(lines([piece])),
    )
}

pub fn blocking(c: &Ctx) -> Option<Finding> {
    let piece = c.live().find(|p| p.blocking)?;
    Some(
        remark(
            "placed.blocking",
            Severity::Warning,
            "The loader blocks the page in the head.".into(),
            "Add async to the script element, or move it to the end of the body.",
        )
        .with_all(lines([piece])),
    )
}
