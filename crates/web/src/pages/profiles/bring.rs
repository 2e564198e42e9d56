//! Profiles as files: brought in, all or none, and taken out together.

use super::super::{form_again, render};
use crate::archive;
use crate::error::PageResult;
use crate::session::{Reader, check, uploads};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{Multipart, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use newtfern_acts::{ActError, ImportedProfile};
use newtfern_model::profiles::ProfileKind;

#[derive(Template)]
#[template(path = "profiles/brought.html")]
struct Page {
    frame: Frame,
    files: Vec<ImportedProfile>,
    problem: String,
}

/// Imports profile files.
///
/// # Errors
/// Where a file did not arrive, or something fails on our side; then nothing was brought in.
pub async fn bring(State(app): State<App>, reader: Reader, mut form: Multipart) -> PageResult {
    let (csrf, files) = uploads(&mut form, "files").await?;
    check(&reader.0, &csrf)?;
    let texts = files
        .into_iter()
        .map(|(name, bytes)| archive::text(&name, bytes));
    let texts: Result<Vec<_>, String> = texts.collect();
    let brought = match texts {
        Ok(texts) => match app
            .acts
            .profiles()
            .bring_profiles(&reader.actor(), &texts)
            .await
        {
            Ok(brought) => Ok(brought),
            Err(ActError::Bad(problem)) => Err(problem),
            Err(other) => return Err(other.into()),
        },
        Err(problem) => Err(problem),
    };
    let frame = Frame::new(&app, &reader, "Imported profiles", "", "profiles").await?;
    match brought {
        Ok(files) => render(&Page {
            frame,
            files,
            problem: String::new(),
        }),
        Err(problem) => form_again(&Page {
            frame,
            files: Vec::new(),
            problem,
        }),
    }
}

/// All profiles in one archive (tar, POSIX.1-2001), in a folder a kind.
pub async fn take_out(State(app): State<App>, reader: Reader) -> PageResult<Response> {
    app.acts
        .sites()
        .note_export(&reader.actor(), "all profiles")
        .await?;
    let store = app.reads();
    let mut archive = tar::Builder::new(Vec::new());
    let mut offset = 0;
    loop {
        let (rows, total) = store
            .profiles()
            .profiles_found(None, "", offset, 200)
            .await?;
        for row in &rows {
            let kind: ProfileKind = row.kind()?;
            let text = store
                .profiles()
                .profile_text(kind, &row.id)
                .await?
                .unwrap_or_default();
            let mut head = tar::Header::new_ustar();
            head.set_size(text.len() as u64);
            head.set_mode(0o644);
            let path = format!("profiles/{}/{}.toml", kind.key(), row.id);
            // Writing to memory fails only for a path that is too long; short names are not.
            let _ = archive.append_data(&mut head, path, text.as_bytes());
        }
        offset += rows.len() as i64;
        if rows.is_empty() || offset >= total {
            break;
        }
    }
    let bytes = archive.into_inner().unwrap_or_default();
    let headers = [
        (header::CONTENT_TYPE, "application/x-tar"),
        (
            header::CONTENT_DISPOSITION,
            "attachment; filename=\"profiles.tar\"",
        ),
    ];
    Ok((headers, bytes).into_response())
}
