//! What is done with a client beside its brand sheet: merged, removed, its accounts' tokens.

use crate::error::PageResult;
use crate::session::Posted;
use crate::state::App;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::sealed::client_tokens::TokenKind;
use newtfern_acts::{ActError, TokenHolder};

/// Merges a client into another one.
///
/// # Errors
/// Where one of the two is gone.
pub async fn merge(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let into = posted.fields.get("into").parse().unwrap_or(0);
    match app
        .acts
        .clients()
        .merge_client(&posted.actor(), id, into)
        .await
    {
        Ok(()) => Ok(Redirect::to(&format!("/clients/{into}")).into_response()),
        Err(error) => crate::pages::client::clients::told(&app, &posted, id, error).await,
    }
}

/// Removes a client without sites.
///
/// # Errors
/// Where it has some.
pub async fn remove(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    match app.acts.clients().remove_client(&posted.actor(), id).await {
        Ok(()) => Ok(Redirect::to("/clients").into_response()),
        Err(error) => crate::pages::client::clients::told(&app, &posted, id, error).await,
    }
}

/// Keeps the token of an account, or lets it go.
///
/// # Errors
/// Where it is no token.
pub async fn token(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let (kind, profile) = f.get("for").split_once(':').unwrap_or_default();
    let token = f.some("token").filter(|_| f.get("act") != "remove");
    let kept = match TokenKind::from_key(kind) {
        Some(kind) if f.get("act") == "confirm" => {
            let holder = TokenHolder::Client {
                client: id,
                kind,
                profile,
            };
            let actor = posted.actor();
            app.acts
                .tokens()
                .confirm_token_origin(&actor, holder, f.get("origin"))
                .await
        }
        Some(kind) if f.get("act") == "remove" || token.is_some() => {
            let actor = posted.actor();
            let kept =
                app.acts
                    .tokens()
                    .set_client_token(&actor, id, kind, profile, token.as_deref());
            kept.await
        }
        Some(_) => Err(ActError::Bad(
            "The token is empty. Enter the token, or use Remove to \
            delete the saved one."
                .into(),
        )),
        None => Err(ActError::Bad(
            "Choose the platform or supplier for this token.".into(),
        )),
    };
    match kept {
        Ok(()) => Ok(Redirect::to(&format!("/clients/{id}")).into_response()),
        Err(error) => crate::pages::client::clients::told(&app, &posted, id, error).await,
    }
}
