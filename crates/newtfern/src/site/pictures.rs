//! Hashes of the pictures that a panel shows, and of those that the design names.

use newtfern_core::brand::pictures::LOGO;
use newtfern_core::design::{Design, Field};
use newtfern_core::observation::Observation;
use newtfern_probe::http::Http;
use newtfern_probe::pictures::hash_at;
use url::Url;

/// Fetches both at the same time of day, so that they can be compared; why one is missing stands beside it.
pub async fn hash(http: &Http, page: &Url, design: &Design, visits: &mut [Observation]) {
    for seen in visits.iter_mut() {
        let Some(details) = seen.details.as_mut() else {
            continue;
        };
        for picture in &mut details.pictures {
            let wanted = match picture.name.as_str() {
                "photo" => Field::AgentPhoto,
                LOGO => Field::LogoPicture,
                _ => Field::Picture,
            };
            let wanted = design.get(wanted);
            // Nobody named one: there is nothing to compare with.
            if wanted.is_empty() || picture.src.is_empty() {
                continue;
            }
            let of = async |address: &str| match page.join(address) {
                Ok(url) => hash_at(http, &url).await,
                Err(_) => Err("it has no address that can be read".into()),
            };
            let (is, meant) = (of(&picture.src).await, of(wanted).await);
            picture.why = match (&is, &meant) {
                (Err(why), _) => format!("the picture that shows could not be read: {why}"),
                (_, Err(why)) => format!("the designed picture could not be read: {why}"),
                _ => String::new(),
            };
            (picture.hash, picture.designed) = (is.ok(), meant.ok());
        }
    }
}
