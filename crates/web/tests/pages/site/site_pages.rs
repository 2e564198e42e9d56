//! The pages of a site and its survey: shown, found, taken over by ticking.

use crate::house::{House, house};
use newtfern_model::job::JobKind;
use newtfern_model::pages::{FoundBy, PageCopy};
use newtfern_model::survey::{SurveyInput, read};
use newtfern_standards::observation::DeliveredPage;
use newtfern_store::access::people::Role;
use newtfern_store::results::queue::Urgency;
use url::Url;

fn copy(address: &str, html: &str) -> PageCopy {
    let url = Url::parse(address).unwrap();
    PageCopy {
        found: FoundBy::Link,
        page: DeliveredPage {
            final_url: url.to_string(),
            status: Some(200),
            mime: "text/html".into(),
            html: format!(
                "<!doctype html><html lang=cy><meta name=generator content='Tarnwork \
                3'><title>{address}</title><body>{html}"
            ),
            ..DeliveredPage::default()
        },
        url,
    }
}

/// A worker's survey of the site, of pages with the widget under a key of its own.
async fn surveyed(house: &House, site: i64) {
    let mut tx = house.store().begin().await.unwrap();
    tx.start_round(JobKind::Survey, "Survey", "test", &[site], Urgency::Person)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let profiles = house.acts().profiles().all().await.unwrap();
    let snippet = profiles.suppliers[0].snippet_for("found-there-1");
    let unknown = "<script src='https://static.parley.test/chat/widget.js'></script>";
    let base = "https://site1.example/";
    let copies = [
        copy(base, &snippet),
        copy(&format!("{base}shop/kite"), &format!("{snippet}{unknown}")),
        copy(
            &format!("{base}privacy"),
            "<script>alert('x')</script><i>&lt;",
        ),
    ];
    let gathered = SurveyInput {
        url: &copies[0].url,
        copies: &copies,
        left: &copies.each_ref().map(|c| c.url.clone()),
        closed: &[],
        shut: None,
        told: &[],
    };
    let survey = read(&gathered, &profiles);
    let job = house.store().queue().claim().await.unwrap().unwrap();
    let at = house.store().now().await.unwrap();
    house
        .acts()
        .sites()
        .finish_survey(&job, at, &survey)
        .await
        .unwrap();
}

#[tokio::test]
async fn a_survey_is_shown_and_what_is_ticked_is_taken_over() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let path = format!("/sites/{site}/pages");
    technician
        .get(&path)
        .await
        .has("Survey site")
        .has("A survey reads up to")
        .has("https://site1.example/");
    let take = format!("{path}/take-over");
    technician
        .post(&take, &[("platform", "yes")])
        .await
        .is(422)
        .has("this site has no survey yet");

    surveyed(&house, site).await;
    let shown = technician.get(&path).await;
    shown
        .has("Surveyed just now")
        .has("3 pages by kind")
        .has("found-there-1")
        .has("a widget of unknown origin from static.parley.test")
        .has("its generator is")
        .has("3 further pages of the site")
        .lacks("<script>alert");
    technician
        .get(&format!("{path}?kind=legal"))
        .await
        .has("/privacy")
        .lacks("/shop/kite</a>");
    technician
        .get(&format!("{path}?q=kite"))
        .await
        .has("/shop/kite")
        .lacks("/privacy</a>");

    technician
        .post(&take, &[])
        .await
        .is(422)
        .has("the site already has all selected values");
    technician
        .post(&take, &[("widget", "1")])
        .await
        .is(422)
        .has("of unknown origin");
    technician
        .post(&take, &[("consent", "yes")])
        .await
        .is(422)
        .has("no consent manager was recognised");
    technician
        .post(&take, &[("languages", "yes"), ("widget", "0")])
        .await
        .leads();
    let kept = house.store().sites().site(site).await.unwrap().unwrap();
    assert_eq!(
        (kept.languages.as_str(), kept.key.as_str()),
        ("cy", "found-there-1")
    );
    technician.get(&path).await.has("already set");
    technician.get("/audit?q=site").await.has("found-there-1");
}

/// A page that a later survey does not find stays in the inventory; a second survey makes no second
/// row.
#[tokio::test]
async fn the_inventory_is_kept_and_refreshed() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    surveyed(&house, site).await;
    surveyed(&house, site).await;
    assert_eq!(house.count("select count(*) from pages").await, 3);
    assert_eq!(house.count("select count(*) from surveys").await, 1);
    assert_eq!(
        house
            .count("select count(*) from pages where place = 1 and kind = 'item'")
            .await,
        1
    );
}

/// Each rule is shown with the pages that it takes and that it decides about, while it is typed.
#[tokio::test]
async fn page_rules_are_shown_against_the_pages_that_are_known() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let path = format!("/sites/{site}/pages/rules");
    technician
        .post(&path, &[])
        .await
        .is(200)
        .has("Only one page is known");
    surveyed(&house, site).await;
    technician
        .post(
            &path,
            &[("on", "/shop/** kind:home"), ("not_on", "/shop/kite")],
        )
        .await
        .is(200)
        .has("1 of 3 known pages must have the widget, 2 must not. No rule matches 1 of those.")
        .has("without <code>/shop/kite</code></td><td>1</td>\n<td>1</td><td>/shop/kite")
        // The page that both name is decided by the one that keeps it off.
        .has("with <code>/shop/**</code></td><td>1</td>\n<td>0</td>");
    technician
        .post(&path, &[("on", "/nowhere")])
        .await
        .has("matches no page of this site");
    technician
        .post(&path, &[("on", "<b>")])
        .await
        .is(200)
        .has("begins with no slash")
        .lacks("<b>");
    // Kept with the site, in one form; a rule that is none is told at its field.
    let settings = format!("/sites/{site}/settings");
    let fields = [
        ("name", "Shop"),
        ("address", "https://site1.example/"),
        ("on", "/shop/**,\nkind:home"),
        ("not_on", "/legal/**"),
    ];
    technician.post(&settings, &fields).await.is(303);
    technician
        .get(&settings)
        .await
        .has(">/shop/** kind:home</textarea>");
    let wrong = [fields[0], fields[1], fields[2], ("not_on", "legal")];
    technician
        .post(&settings, &wrong)
        .await
        .is(422)
        .has("begins with no slash")
        .has(">legal</textarea>");
}
