//! Sheets printed to PDF by our own Chromium, from HTML that carries its pictures with it: the page
//! is given to the browser directly and makes no request.

use crate::ProbeError;
use crate::browser::Browser;
use crate::visit::{Tab, decode};
use newtfern_standards::observation::Viewport;
use serde_json::json;

/// Prints a page of ours as PDF, A4.
///
/// # Errors
/// Where no page could be opened or the browser does not print it.
pub async fn print(browser: &Browser, html: &str) -> Result<Vec<u8>, ProbeError> {
    let tab = Tab::open(browser, Viewport::Desktop, None).await?;
    let tree = tab.call("Page.getFrameTree", json!({})).await?;
    let frame = tree["frameTree"]["frame"]["id"].clone();
    tab.call(
        "Page.setDocumentContent",
        json!({"frameId": frame, "html": html}),
    )
    .await?;
    tab.evaluate(
        "Promise.all([...document.images].map((i) => i.decode().catch(() => null))) && true",
    )
    .await?;
    // A4 in inches.
    let how = json!({
        "printBackground": true, "generateTaggedPDF": true,
        "paperWidth": 8.27, "paperHeight": 11.69,
        "marginTop": 0.5, "marginBottom": 0.6, "marginLeft": 0.5, "marginRight": 0.5,
    });
    let answer = tab
        .cdp
        .call(&tab.session, "Page.printToPDF", how, 20_000)
        .await?;
    let pdf = decode(answer["data"].as_str().unwrap_or_default())?;
    tab.close().await;
    Ok(pdf)
}

/// A picture of a site's own page for the design preview.
///
/// # Errors
/// Where no page could be opened or the browser takes no picture.
pub async fn picture_of(
    browser: &Browser,
    url: &url::Url,
    viewport: Viewport,
    withhold: &[String],
) -> Result<Option<Vec<u8>>, ProbeError> {
    let tab = Tab::open(browser, viewport, None).await?;
    tab.withhold(withhold).await?;
    let mut png = None;
    if tab.goto(url, 15_000).await? {
        tab.wait_until(std::time::Duration::from_secs(10), |s| s.loaded || s.over)
            .await;
        png = tab.picture().await.ok();
    }
    tab.close().await;
    Ok(png)
}
