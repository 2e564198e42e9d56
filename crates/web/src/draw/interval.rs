//! An interval against the budget line, on a scale that is the same for every row.

use super::escape;

pub struct Bar {
    pub low: f64,
    pub mid: f64,
    pub high: f64,
}

const WIDTH: f64 = 260.0;

/// `from` and `to` are the scale's ends in ms; what lies outside is drawn at the edge with an arrow.
pub fn svg(
    bar: &Bar,
    budget: Option<f64>,
    floor: Option<(f64, f64)>,
    from: f64,
    to: f64,
    words: &str,
) -> String {
    let x = |v: f64| 6.0 + (v.clamp(from, to) - from) / (to - from) * (WIDTH - 12.0);
    let words = escape(words);
    let mut out = format!(
        r#"<svg class="interval" viewBox="0 0 {WIDTH} 30" width="{WIDTH}" height="30" role="img" aria-label="{words}"><title>{words}</title><path class="axis" d="M6 24H{}"/>"#,
        WIDTH - 6.0
    );
    for i in 0..=4 {
        let v = from + (to - from) * f64::from(i) / 4.0;
        out.push_str(&format!(r#"<path class="axis" d="M{0:.1} 22v4"/>"#, x(v)));
    }
    if let Some((a, b)) = floor {
        out.push_str(&format!(
            r#"<rect class="floor" x="{:.1}" y="3" width="{:.1}" height="18"/>"#,
            x(a),
            (x(b) - x(a)).max(1.0)
        ));
    }
    if from < 0.0 && to > 0.0 {
        out.push_str(&format!(r#"<path class="zero" d="M{:.1} 2v22"/>"#, x(0.0)));
    }
    let over = budget.is_some_and(|b| bar.low > b);
    let class = match budget {
        Some(_) if over => "bad",
        Some(b) if bar.high <= b => "ok",
        _ => "open",
    };
    out.push_str(&format!(
        r#"<path class="range {class}" d="M{:.1} 12H{:.1}"/><path class="end {class}" d="M{:.1} 8v8M{:.1} 8v8"/>"#,
        x(bar.low),
        x(bar.high).max(x(bar.low) + 1.0),
        x(bar.low),
        x(bar.high)
    ));
    out.push_str(&format!(
        r#"<rect class="mid {class}" x="{:.1}" y="7.5" width="5" height="9"/>"#,
        x(bar.mid) - 2.5
    ));
    if bar.high > to {
        out.push_str(&format!(
            r#"<path class="end {class}" d="M{0:.1} 7l5 5l-5 5"/>"#,
            WIDTH - 8.0
        ));
    }
    if let Some(b) = budget {
        out.push_str(&format!(r#"<path class="budget" d="M{0:.1} 1v24"/>"#, x(b)));
    }
    out.push_str("</svg>");
    out
}
