//! A supplier from a pasted snippet.

use super::super::{form_again, render};
use super::edit::page_for;
use crate::error::PageResult;
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;
use newtfern_model::derive as core_derive;
use newtfern_model::profiles::ProfileKind;

#[derive(Template)]
#[template(path = "profiles/derive.html")]
struct Page {
    frame: Frame,
    pasted: String,
    problem: String,
}

/// The box to paste into.
pub async fn paste(State(app): State<App>, reader: Reader) -> PageResult {
    render(&Page {
        frame: Frame::new(&app, &reader, "New supplier from a snippet", "", "profiles").await?,
        pasted: String::new(),
        problem: String::new(),
    })
}

/// The draft of a profile, to be looked through and kept.
///
/// # Errors
/// A paste that tells nothing comes back with the reason.
pub async fn derive(State(app): State<App>, posted: Posted) -> PageResult {
    let pasted = posted.fields.get("snippet");
    match core_derive::derive(pasted) {
        Err(error) => {
            let title = "New supplier from a snippet";
            form_again(&Page {
                frame: Frame::new(&app, &posted.reader(), title, "", "profiles").await?,
                pasted: pasted.to_string(),
                problem: format!("{error}."),
            })
        }
        Ok(mut derived) => {
            let mut notes: Vec<String> = derived
                .mended
                .iter()
                .map(|m| m.words().to_string())
                .collect();
            // The key belongs to a site and not into a profile that all sites share.
            if let Some(key) = derived.key.take() {
                notes.push(format!(
                    "The snippet has the key {key}. Enter it in the site's \
                    settings."
                ));
            }
            notes.extend(
                derived
                    .unknown
                    .iter()
                    .map(|u| format!("Not known from the snippet: {u}")),
            );
            let page = page_for(
                &app,
                &posted.reader(),
                ProfileKind::Supplier,
                "",
                derived.toml(),
            )
            .await?;
            render(&page.noted(notes))
        }
    }
}
