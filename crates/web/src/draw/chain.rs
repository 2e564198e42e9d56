//! The chain of eight links.

use super::escape;
use newtfern_core::chain::{ChainLink, LinkState};

/// Rings that hold, a broken one, and dots for what was not reached. `large` adds the links' names.
pub fn svg(chain: &[ChainLink], large: bool) -> String {
    let words: Vec<String> = chain
        .iter()
        .map(|l| format!("{} {}", l.link.word(), l.state.word()))
        .collect();
    let words = escape(&words.join(", "));
    let step = if large { 92.0 } else { 21.0 };
    let (height, y) = if large { (58.0, 20.0) } else { (24.0, 12.0) };
    let width = step * 8.0;
    let k = if large { 1.7 } else { 1.0 };
    let mut out = format!(
        r#"<svg class="chain" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" aria-label="{words}"><title>{words}</title>"#
    );
    for (i, link) in chain.iter().enumerate() {
        let x = step * (i as f64 + 0.5);
        let (w, h) = (7.0 * k, 4.6 * k);
        if i > 0 {
            let whole = link.state == LinkState::Holds || link.state == LinkState::Broken;
            let class = if whole { "tie" } else { "tie faint" };
            out.push_str(&format!(
                r#"<path class="{class}" d="M{} {y}H{}"/>"#,
                x - step + w,
                x - w
            ));
        }
        match link.state {
            LinkState::Holds => out.push_str(&format!(r#"<ellipse class="ring ok" cx="{x}" cy="{y}" rx="{w}" ry="{h}"/>"#)),
            LinkState::Broken => out.push_str(&format!(
                r#"<path class="ring bad" d="M{} {y}a{w} {h} 0 0 1 {} -{h}M{} {}l-{} {}M{} {y}a{w} {h} 0 0 1 -{} {h}"/>"#,
                x - w,
                w - 1.5 * k,
                x + 2.0 * k,
                y - h - 1.5 * k,
                4.0 * k,
                2.0 * h + 3.0 * k,
                x + w,
                w - 1.5 * k
            )),
            LinkState::NotReached => out.push_str(&format!(r#"<circle class="ring faint" cx="{x}" cy="{y}" r="{}"/>"#, 1.8 * k)),
            LinkState::NotApplicable => out.push_str(&format!(r#"<path class="ring na" d="M{} {y}h{}"/>"#, x - 4.0 * k, 8.0 * k)),
        }
        if large {
            let class = if link.state == LinkState::Broken {
                "name bad"
            } else {
                "name"
            };
            out.push_str(&format!(
                r#"<text class="{class}" x="{x}" y="50" text-anchor="middle">{}</text>"#,
                link.link.word()
            ));
        }
    }
    out.push_str("</svg>");
    out
}
