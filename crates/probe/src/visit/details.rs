//! What an open panel shows beside its texts: typeface, fields for the visitor, addresses of its pictures.

use super::Tab;
use crate::ProbeError;
use newtfern_core::observation::{PanelDetails, PictureSeen};
use newtfern_core::profile::Supplier;
use serde_json::Value;

/// Reads them, in the page or in a frame of the panel.
///
/// # Errors
/// Where the page does not answer.
pub async fn read(tab: &Tab, supplier: &Supplier) -> Result<(), ProbeError> {
    let message = supplier.echo.as_ref().map_or("", |e| e.input.as_str());
    let ask = format!(
        "nf.details({}, {})",
        Value::from(supplier.open.panel.as_str()),
        Value::from(message)
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
    for (name, selector) in supplier.pictures.all() {
        details.pictures.push(PictureSeen {
            name: name.into(),
            src: source(tab, selector).await?,
            ..PictureSeen::default()
        });
    }
    tab.mark(|o| o.details = Some(details));
    Ok(())
}

/// The address of the picture that shows there; empty where none does.
async fn source(tab: &Tab, selector: &str) -> Result<String, ProbeError> {
    // Finding it opens closed shadow roots on the way.
    tab.find(selector).await?;
    let ask = format!("nf.pictureAt({})", Value::from(selector));
    let src = |v: Value| v.as_str().map(str::to_string);
    Ok(tab.first_answer(&ask, src).await?.unwrap_or_default())
}
