//! What a site's widget sends and keeps, as a spreadsheet for the client's privacy notice.

use super::csv;
use crate::error::{PageError, PageResult};
use crate::session::Reader;
use crate::state::App;
use axum::extract::{Path, State};
use axum::response::Response;
use newtfern_acts::store::checks::Drawing;
use newtfern_core::consent::declared;
use newtfern_core::family::{Detail, Family};

/// By the last look; a site that was never looked at has none.
///
/// # Errors
/// Where there is no such site, or nothing is known of it.
pub async fn table(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult<Response> {
    super::site_of(&app, id).await?;
    let mut drawings = app.store().drawings(&[id], Some(Family::Consent)).await?;
    let Some(Drawing::Known(detail)) = drawings.remove(&(id, Family::Consent)) else {
        return Err(PageError::NotFound("look at consent on this site"));
    };
    let rows = match *detail {
        Detail::Consent(grid) => grid.declared,
        _ => Vec::new(),
    };
    Ok(csv(&format!("privacy-{id}.csv"), declared::csv(&rows)))
}
