//! What a site's widget sends and keeps, as a spreadsheet for the client's privacy notice.

use crate::error::{PageError, PageResult};
use crate::pages::csv;
use crate::session::Reader;
use crate::state::App;
use axum::extract::{Path, State};
use axum::response::Response;
use newtfern_acts::store::results::checks::Drawing;
use newtfern_verdict::consent::declared;
use newtfern_verdict::family::{Detail, Family};

/// Shows the table of the last look; a site that was never looked at has none.
///
/// # Errors
/// Where there is no such site, or nothing is known of it.
pub async fn table(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
) -> PageResult<Response> {
    let site = crate::pages::site_of(&app, id).await?;
    let what = format!("what the widget of {} sends and keeps", site.url);
    app.acts.sites().note_export(&reader.actor(), &what).await?;
    let mut drawings = app
        .reads()
        .checks()
        .drawings(&[id], Some(Family::Consent))
        .await?;
    let Some(Drawing::Known(detail)) = drawings.remove(&(id, Family::Consent)) else {
        return Err(PageError::NotFound("look at consent on this site"));
    };
    let rows = match *detail {
        Detail::Consent(grid) => grid.declared,
        _ => Vec::new(),
    };
    Ok(csv(&format!("privacy-{id}.csv"), declared::csv(&rows)))
}
