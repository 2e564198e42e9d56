//! Pictures become blobs; their keys go into the observations and onto the sheet.

use super::Tools;
use anyhow::Result;
use base64::Engine;
use newtfern_probe::visit::Pictures;
use newtfern_standards::observation::{Observation, Viewport};
use newtfern_verdict::family::detail::load::Shot;
use newtfern_web::sheet::Picture;

pub async fn keep(
    tools: &Tools,
    visits: Vec<Observation>,
    pictures: Vec<Pictures>,
) -> Result<Vec<Observation>> {
    let mut out = Vec::new();
    for (mut seen, taken) in visits.into_iter().zip(pictures) {
        seen.picture = put(tools, taken.page).await?;
        seen.launcher_picture = put(tools, taken.launcher).await?;
        seen.panel_picture = put(tools, taken.panel).await?;
        out.push(seen);
    }
    Ok(out)
}

async fn put(tools: &Tools, png: Option<Vec<u8>>) -> Result<Option<String>> {
    Ok(match png {
        Some(png) => Some(tools.acts.blobs.put(png, "png").await?),
        None => None,
    })
}

/// The pictures of visits with the widget up, at most one a viewport; one where it did not come up
/// where there is no better.
pub async fn carried(tools: &Tools, shots: &[Shot]) -> Result<Vec<Picture>> {
    let mut out = Vec::new();
    for viewport in [Viewport::Desktop, Viewport::Phone] {
        let of = || shots.iter().filter(|s| s.viewport == viewport);
        let best = of().find(|s| s.up_ms.is_some()).or_else(|| of().next());
        let Some(key) = best.and_then(|s| s.picture.as_deref()) else {
            continue;
        };
        if let Some(bytes) = tools.acts.blobs.get(key).await? {
            out.push(Picture {
                words: format!("On a {}", viewport.word()),
                data: base64::engine::general_purpose::STANDARD.encode(&bytes),
            });
        }
    }
    Ok(out)
}
