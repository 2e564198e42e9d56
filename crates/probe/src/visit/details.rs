//! What an open panel shows beside its texts: typeface, fields for the visitor, addresses of its
//! pictures, colours of its bubbles, and parts that a design can hide.

use super::Tab;
use crate::ProbeError;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{BubbleSeen, PanelDetails, Part, PartSeen, PictureSeen};
use serde_json::Value;

/// Reads them, in the page or in a frame of the panel.
///
/// # Errors
/// Where the page does not answer.
pub async fn read(tab: &Tab, supplier: &Supplier) -> Result<(), ProbeError> {
    // What is written is no field about the visitor, while somebody is there or not.
    let echo = supplier.echo.as_ref();
    let away = echo.and_then(|e| e.away.as_ref()).map(|a| a.input.as_str());
    let messages: Vec<&str> = echo
        .map(|e| e.input.as_str())
        .into_iter()
        .chain(away)
        .collect();
    let ask = format!(
        "nf.details({}, {})",
        Value::from(supplier.open.panel.as_str()),
        Value::from(messages)
    );
    let mut details: PanelDetails =
        serde_json::from_value(tab.evaluate(&ask).await?).unwrap_or_default();
    // A panel that is a frame has all of it inside.
    for session in tab.child_sessions() {
        let Ok(inner) = tab.evaluate_in(&session, &ask).await else {
            continue;
        };
        let inner: PanelDetails = serde_json::from_value(inner).unwrap_or_default();
        details.typeface = inner.typeface.or(details.typeface);
        details.right_to_left = inner.right_to_left.or(details.right_to_left);
        let fields = inner.fields.filter(|f| !f.is_empty());
        details.fields = fields.or(details.fields);
    }
    let logo = (supplier.parts.all()).filter(|(part, _)| *part == Part::Logo);
    let logo = logo.map(|(_, selector)| (PictureSeen::LOGO, selector));
    for (name, selector) in supplier.pictures.all().chain(logo) {
        details.pictures.push(PictureSeen {
            name: name.into(),
            src: source(tab, selector).await?,
            ..PictureSeen::default()
        });
    }
    (details.bubbles, details.parts) = (bubbles(tab, supplier).await?, parts(tab, supplier).await?);
    tab.mark(|o| o.details = Some(details));
    Ok(())
}

/// The first bubble of each side, of those that stand there.
///
/// # Errors
/// Where the page does not answer.
pub async fn bubbles(tab: &Tab, supplier: &Supplier) -> Result<Vec<BubbleSeen>, ProbeError> {
    let mut out = Vec::new();
    for (by, selector) in supplier.bubbles.all() {
        let read = |v: Value| {
            let text = |name: &str| v[name].as_str().map(str::to_string);
            text("ground").zip(text("words"))
        };
        let seen = ask_at(tab, "bubble", selector, read).await?;
        out.extend(seen.map(|(ground, words)| BubbleSeen { by, ground, words }));
    }
    Ok(out)
}

/// Reads whether each part that the profile names shows.
///
/// # Errors
/// Where the page does not answer.
pub async fn parts(tab: &Tab, supplier: &Supplier) -> Result<Vec<PartSeen>, ProbeError> {
    let mut out = Vec::new();
    for (part, selector) in supplier.parts.all() {
        let shown = shows(tab, selector).await?;
        out.push(PartSeen { part, shown });
    }
    Ok(out)
}

/// Returns whether something shows there, in the page or in one of its frames; none where one of
/// them gave no answer.
async fn shows(tab: &Tab, selector: &str) -> Result<Option<bool>, ProbeError> {
    if tab.find(selector).await?.is_some_and(|f| f.shown) {
        return Ok(Some(true));
    }
    let ask = format!("nf.shows({})", Value::from(selector));
    let mut all = true;
    for session in tab.child_sessions() {
        match tab.evaluate_in(&session, &ask).await.map(|v| v.as_bool()) {
            Ok(Some(true)) => return Ok(Some(true)),
            Ok(Some(false)) => {}
            _ => all = false,
        }
    }
    Ok(all.then_some(false))
}

/// The address of the picture that shows there; empty where none does.
async fn source(tab: &Tab, selector: &str) -> Result<String, ProbeError> {
    let src = |v: Value| v.as_str().map(str::to_string);
    let found = ask_at(tab, "pictureAt", selector, src).await?;
    Ok(found.unwrap_or_default())
}

/// Asks one of the page's tools about an element, in the page or in a frame of it.
async fn ask_at<T>(
    tab: &Tab,
    tool: &str,
    selector: &str,
    read: impl Fn(Value) -> Option<T>,
) -> Result<Option<T>, ProbeError> {
    // Finding it opens closed shadow roots on the way.
    tab.find(selector).await?;
    let ask = format!("nf.{tool}({})", Value::from(selector));
    tab.first_answer(&ask, read).await
}
