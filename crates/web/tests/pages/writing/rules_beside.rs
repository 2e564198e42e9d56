//! Page rules that stand in an extension and at the supplier's console: read there, and what cannot
//! be read is told.

use crate::writing::placing::placing;
use newtfern_acts::Actor;
use newtfern_model::pages::beside::PageRuleReport;
use newtfern_store::sealed::client_tokens::TokenKind;
use serde_json::json;

const EXTENSION: &str = "https://site1.example/_tarn/slots/extension-key";
const CONSOLE: &str = "http://console.brindle.localhost/api/settings?key=kite-001";

#[tokio::test]
async fn rules_of_extension_and_console_are_read_and_what_cannot_be_is_told() {
    let p = placing().await;
    let stage = &p.house.stage;
    let id: i64 = p.page.split('/').nth(2).unwrap().parse().unwrap();
    let acts = p.house.acts();
    let rules = PageRuleReport {
        on: Vec::new(),
        not_on: vec!["/news/**".into()],
    };
    stage.rules.lock().unwrap().insert(EXTENSION.into(), rules);
    let subject = acts.sites().subject(id).await.unwrap();

    // An extension that holds nothing keeps nothing off; without a token nobody asks the console.
    let told = acts.sites().rules_beside(&subject).await.unwrap();
    assert!(told.rules.is_empty(), "{told:?}");
    let missed = &told.not_looked_at[0];
    assert_eq!(missed.what, "page rules in Brindle\u{2019}s console");
    assert!(
        missed.why.contains("has no token for Brindle"),
        "{missed:?}"
    );

    stage.put(EXTENSION, "kite-001");
    let settings = json!({"pages_off": ["/terms", "/legal/**"], "title": "Mill"});
    stage
        .settings
        .lock()
        .unwrap()
        .insert(CONSOLE.into(), settings);
    let client = subject.client.id;
    let kind = TokenKind::Supplier;
    acts.tokens()
        .set_client_token(
            &Actor::program("test"),
            client,
            kind,
            "brindle",
            Some("own"),
        )
        .await
        .unwrap();
    let told = acts.sites().rules_beside(&subject).await.unwrap();
    assert!(told.not_looked_at.is_empty(), "{told:?}");
    let lines = told.rules.iter().map(|r| {
        let off: Vec<&str> = r.rules.not_on.iter().map(|p| p.text()).collect();
        format!("{}: {}", r.place, off.join(" "))
    });
    let lines: Vec<String> = lines.collect();
    assert_eq!(lines.len(), 2, "{lines:?}");
    assert!(lines[0].ends_with(": /news/**"));
    assert_eq!(lines[1], "Brindle\u{2019}s console: /terms /legal/**");
}
