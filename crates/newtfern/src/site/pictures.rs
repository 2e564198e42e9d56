//! Hashes of the pictures that a panel shows, and of those that the design names.

use newtfern_model::design::Design;
use newtfern_probe::http::Http;
use newtfern_probe::pictures::hash_at;
use newtfern_standards::image_hash::ImageHash;
use newtfern_standards::observation::Observation;
use newtfern_verdict::brand::pictures::field_of;
use std::collections::HashMap;
use url::Url;

/// Fetches both at the same time of day, so that they can be compared, and each once, however many
/// visits show it; why one is missing stands beside it.
pub async fn hash(http: &Http, page: &Url, design: &Design, visits: &mut [Observation]) {
    let mut known = HashMap::new();
    let details = visits.iter_mut().filter_map(|seen| seen.details.as_mut());
    for picture in details.flat_map(|d| &mut d.pictures) {
        let wanted = field_of(&picture.name).map_or("", |field| design.get(field));
        // Nobody named one: there is nothing to compare with.
        if wanted.is_empty() || picture.src.is_empty() {
            continue;
        }
        let is = once(http, page, &picture.src, &mut known).await;
        let meant = once(http, page, wanted, &mut known).await;
        picture.why = match (&is, &meant) {
            (Err(why), _) => format!("the picture that shows could not be read: {why}"),
            (_, Err(why)) => format!("the designed picture could not be read: {why}"),
            _ => String::new(),
        };
        (picture.hash, picture.designed) = (is.ok(), meant.ok());
    }
}

type Known = HashMap<String, Result<ImageHash, String>>;

async fn once(
    http: &Http,
    page: &Url,
    address: &str,
    known: &mut Known,
) -> Result<ImageHash, String> {
    if let Some(told) = known.get(address) {
        return told.clone();
    }
    let told = match page.join(address) {
        Ok(url) => hash_at(http, &url).await,
        Err(_) => Err("it has no address that can be read".into()),
    };
    known.insert(address.to_string(), told.clone());
    told
}
