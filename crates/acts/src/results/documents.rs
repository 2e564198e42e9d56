//! Documents of a check are kept apart from what else its visits saw: as blobs by their hash, so
//! that the document which four visits got is there once, and no row of the database grows with a
//! page.

use crate::Result;
use newtfern_standards::observation::{Aside, AsideLook, Look, NotCheckedReason, Observation};
use newtfern_store::results::blobs::Blobs;
use std::collections::HashMap;

/// Not among the endings that pictures have: a page's own text is never sent to a browser.
const ENDING: &str = "document";

/// Documents that were kept, by their text: the visits of a check mostly get the same.
type Kept = HashMap<String, String>;

async fn put(
    blobs: &Blobs,
    kept: &mut Kept,
    html: &mut String,
    key: &mut Option<String>,
) -> Result<Option<String>> {
    let html = std::mem::take(html);
    if html.is_empty() {
        return Ok(None);
    }
    *key = match kept.get(&html) {
        Some(known) => Some(known.clone()),
        None => {
            let new = blobs.put(html.clone().into_bytes(), ENDING).await?;
            kept.insert(html, new.clone());
            Some(new)
        }
    };
    Ok(key.clone())
}

/// Moves the documents into blobs; gives their keys.
///
/// # Errors
/// Where a blob cannot be written.
pub(crate) async fn apart(
    blobs: &Blobs,
    visits: &mut [Observation],
    asides: &mut [Aside],
) -> Result<Vec<String>> {
    let (mut keys, mut kept) = (Vec::new(), Kept::new());
    for v in visits {
        keys.extend(put(blobs, &mut kept, &mut v.page.html, &mut v.page.html_blob).await?);
        keys.extend(put(blobs, &mut kept, &mut v.final_html, &mut v.final_blob).await?);
    }
    for a in asides {
        keys.extend(put(blobs, &mut kept, &mut a.html, &mut a.blob).await?);
    }
    Ok(keys)
}

async fn get(blobs: &Blobs, key: Option<&str>, html: &mut String) -> Result<bool> {
    let Some(key) = key else { return Ok(true) };
    let Some(bytes) = blobs.get(key).await? else {
        return Ok(false);
    };
    *html = String::from_utf8_lossy(&bytes).into_owned();
    Ok(true)
}

/// Brings the documents back. One that is gone was not looked at.
///
/// # Errors
/// Where a blob cannot be read.
pub(crate) async fn back(
    blobs: &Blobs,
    visits: &mut [Observation],
    asides: &mut [Aside],
) -> Result<()> {
    let gone = Look::NotLooked {
        why: NotCheckedReason::NotHad,
    };
    for v in visits {
        if !get(blobs, v.page.html_blob.as_deref(), &mut v.page.html).await? {
            v.looks.document = gone;
        }
        if !get(blobs, v.final_blob.as_deref(), &mut v.final_html).await? {
            v.looks.final_document = gone;
        }
    }
    for a in asides {
        if !get(blobs, a.blob.as_deref(), &mut a.html).await? {
            a.look = AsideLook::Missed {
                why: NotCheckedReason::NotHad,
            };
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_standards::observation::Purpose;

    fn had() -> (Vec<Observation>, Vec<Aside>) {
        let mut seen = Observation {
            final_html: "<p>end</p>".into(),
            ..Observation::default()
        };
        seen.page.html = "<p>shop</p>".into();
        let aside = Aside {
            purpose: Purpose::Linked,
            url: "https://mill.example/shop".into(),
            status: 200,
            html: "<p>shop</p>".into(),
            look: AsideLook::Had,
            blob: None,
        };
        (vec![seen.clone(), seen], vec![aside])
    }

    #[tokio::test]
    async fn documents_leave_the_visits_and_come_back_whole() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::folder(folder.path()).unwrap();
        let (mut visits, mut asides) = had();
        let keys = apart(&blobs, &mut visits, &mut asides).await.unwrap();
        let distinct: std::collections::BTreeSet<&String> = keys.iter().collect();
        assert_eq!((keys.len(), distinct.len()), (5, 2), "each text once");
        let row = serde_json::to_string(&(&visits, &asides)).unwrap();
        assert!(!row.contains("<p>"), "{row}");
        back(&blobs, &mut visits, &mut asides).await.unwrap();
        assert_eq!(visits[1].page.html, "<p>shop</p>");
        assert_eq!(visits[1].final_html, "<p>end</p>");
        assert_eq!(asides[0].html, "<p>shop</p>");
    }

    #[tokio::test]
    async fn a_document_that_is_gone_was_not_looked_at() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::folder(folder.path()).unwrap();
        let (mut visits, mut asides) = had();
        for key in apart(&blobs, &mut visits, &mut asides).await.unwrap() {
            blobs.remove(&key).await.unwrap();
        }
        back(&blobs, &mut visits, &mut asides).await.unwrap();
        let why = Some(NotCheckedReason::NotHad);
        assert_eq!(visits[0].looks.document.unlooked(), why);
        assert_eq!(visits[0].looks.final_document.unlooked(), why);
        assert!(!asides[0].is_page());
    }
}
