//! Is the application alive, and does the database answer?

use crate::error::PageResult;
use crate::state::App;
use axum::extract::State;

pub async fn health(State(app): State<App>) -> PageResult<&'static str> {
    app.reads().alive().await?;
    Ok("ok")
}
