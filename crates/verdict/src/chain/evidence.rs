//! Evidence in the forms that many rules give.

use super::facts::Facts;
use newtfern_model::finding::Evidence;
use newtfern_model::placement::Piece;
use newtfern_standards::observation::{DeliveredPage, Launcher, Message, Rect, Request};

/// The lines of the document that pieces stand on.
pub fn lines<'a>(pieces: impl IntoIterator<Item = &'a Piece>) -> Vec<Evidence> {
    let line = |p: &Piece| Evidence::Html {
        line: p.line,
        text: p.excerpt.clone(),
    };
    pieces.into_iter().map(line).collect()
}

/// A request and what became of it.
pub fn request(r: &Request) -> Evidence {
    Evidence::Request {
        url: r.url.clone(),
        outcome: r.outcome(),
    }
}

/// The redirects before the page.
pub fn hops(page: &DeliveredPage) -> impl Iterator<Item = Evidence> {
    page.redirects.iter().map(|h| Evidence::Request {
        url: h.url.clone(),
        outcome: format!("{} to {}", h.status, h.location),
    })
}

/// The picture of the visit, if one was taken.
pub fn picture(c: &Facts) -> Option<Evidence> {
    let key = c.seen.picture.clone()?;
    Some(Evidence::Picture { key })
}

/// A line of the console.
pub fn console(m: &Message) -> Evidence {
    Evidence::Console {
        text: m.text.clone(),
        source: m.url.clone(),
        line: m.line,
    }
}

/// A rectangle of the page.
pub fn boxed(what: &str, r: &Rect) -> Evidence {
    Evidence::Box {
        what: what.to_string(),
        x: r.x,
        y: r.y,
        width: r.width,
        height: r.height,
    }
}

/// The launcher, where the profile names one and an element fits.
pub fn launcher<'a>(c: &Facts<'a>) -> Option<&'a Launcher> {
    let named = !c.case.supplier.alive.launcher.is_empty();
    c.seen.launcher.as_ref().filter(|l| named && l.present)
}
