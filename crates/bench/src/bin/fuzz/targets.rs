//! Every parser of texts from outside, with real texts to begin from.

use crate::target::{Target, kind_of, shape_of, size, target};
use newtfern_model::intake;
use newtfern_model::placement::Inspector;
use newtfern_model::platform::Platform;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::region::Region;
use newtfern_model::site::{SiteChoices, SiteFields};
use newtfern_probe::{cdp, decoding};
use newtfern_standards::address::{self, AddressError};
use newtfern_standards::colour::Rgb;
use newtfern_standards::html::Document;
use newtfern_standards::observation::Observation;
use newtfern_standards::policy::{Policies, ResourceKind};
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_standards::{country, script_scan, slot_text};
use newtfern_verdict::brand::BrandSheet;
use std::collections::{BTreeMap, HashMap};
use std::mem::{Discriminant, discriminant};
use std::sync::LazyLock;
use url::Url;

/// Returns the parsers of files and forms.
pub fn all() -> Vec<Target> {
    let texts = pages().into_iter().flatten();
    let texts = texts.chain(typed().into_iter().flatten());
    texts
        .chain(files())
        .chain(super::sites::all())
        .chain(super::outside::all())
        .collect()
}

fn supplier() -> Option<Supplier> {
    Supplier::from_toml(&newtfern_standins::supplier_profile(80)).ok()
}

/// Parsers of what pages send.
fn pages() -> Option<Vec<Target>> {
    // Kept to the end of the program, so that the inspector is made once and not for each run.
    let supplier: &'static Supplier = Box::leak(Box::new(supplier()?));
    let manager = ConsentManager::from_toml(newtfern_standins::consent_profile()).ok()?;
    let manager: &'static ConsentManager = Box::leak(Box::new(manager));
    let inspector = Inspector::new(supplier, Some(manager));
    let page = Url::parse("https://mill.example/").ok()?;
    let snippet = supplier.snippet_for("mill-live");
    let html = format!("<html><body><p>Hours</p><!-- {snippet} -->{snippet}</body></html>");
    let script = "var a = `x${1}`; /* b */ s.src = \"https://cdn.example/l.js?k=mill-live\";";
    let policy =
        "default-src 'self'; script-src 'nonce-abc' https://*.example:443/a 'strict-dynamic'";
    let (inspected, linked) = (page.clone(), page.clone());
    let asked = page.join("/l.js").ok()?;
    Some(vec![
        target("snippet inspection", &[&html, &snippet], move |t| {
            let found = inspector.inspect(t, &inspected);
            let keys = found.pieces.iter().filter_map(|p| p.key.key());
            // A NUL of a document becomes U+FFFD, which an address writes in nine characters.
            assert!(keys.into_iter().all(|k| k.len() <= 9 * t.len()));
            let pieces = found.pieces.iter().take(4);
            let pieces = pieces.map(|p| (p.form, discriminant(&p.state), discriminant(&p.key)));
            (pieces.collect::<Vec<_>>(), found.cut)
        }),
        target("document and links", &[&html], move |t| {
            let document = Document::parse(t);
            let links = document.links(&linked).len();
            let nodes = document.walk();
            for id in &nodes {
                document.start_tag(*id, false);
            }
            (size(links), size(nodes.len()), document.cut)
        }),
        target("script scan", &[script, &snippet], |t| {
            let scanned = script_scan::scan(t);
            format!("{scanned:?}")
                .chars()
                .filter(char::is_ascii_uppercase)
                .take(24)
                .collect::<String>()
        }),
        target("policy", &[policy], move |t| {
            let policies = Policies::new(page.clone(), t);
            let file = policies.allow(ResourceKind::Script, &asked, "abc");
            let inline = policies.allow_inline_script("x()", Some("abc"));
            let changes = policies.smallest_changes(ResourceKind::Script, &asked);
            (file, inline, kind_of(format!("{changes:?}")))
        }),
    ])
}

/// Parsers of what people send.
// Long: a list.
fn typed() -> Option<Vec<Target>> {
    let snippet = supplier()?.snippet_for("mill-live");
    let pushed = snippet.clone();
    let csv = "client,name,address,country\nMill,Shop,https://mill.example/,GB\n";
    let addresses = ["https://www.mill.example:8443/a?b#c", "mill.example"];
    let colours = [
        "#2f6b4f",
        "rgb(1, 2, 3)",
        "hsl(120deg 50% 50%)",
        "oklch(60% 0.1 150 / 0.5)",
        "rebeccapurple",
    ];
    Some(vec![
        target("slot text", &[&snippet, "<!-- x -->"], move |t| {
            let once = slot_text::push(t, &pushed, None);
            assert!(once.text.contains(pushed.trim()), "what is pushed is there");
            let lines = slot_text::difference(t, &once.text);
            (once.changed, size(lines.len()))
        }),
        target("spreadsheet", &[csv], |t| {
            let sheet = intake::read(t.as_bytes()).map_err(kind_of);
            sheet.map(|sheet| {
                let (rows, asked) = intake::plan(&sheet, &nothing_there());
                // What is refused can be given back, whatever it was.
                let back = intake::refused(&sheet, &rows);
                assert!(intake::read(back.as_bytes()).is_ok(), "{back}");
                let outcome = |r: &intake::PlannedRow| r.refused().map(kind_of);
                let outcomes: Vec<_> = rows.iter().take(3).map(outcome).collect();
                (outcomes, asked.len(), sheet.remarks.len())
            })
        }),
        target("addresses", &addresses, |t| {
            let url = address::parse(t).map_err(|e| discriminant(&e))?;
            let private = PrivateHosts::none().refuse(&url).is_err();
            let host = url.host().map(|h| discriminant(&h.to_owned()));
            let parts = (
                url.port().is_some(),
                url.query().is_some(),
                url.path().len() > 1,
            );
            // What is accepted is accepted again as it is kept.
            assert_eq!(address::parse(url.as_str()).ok(), Some(url));
            Ok::<_, Discriminant<AddressError>>((private, host, parts))
        }),
        target("colours", &colours, |t| {
            let colour = Rgb::parse(t);
            if let Ok(colour) = colour {
                assert_eq!(Rgb::parse(&colour.hex()).ok(), Some(colour));
            }
            let name: String = t
                .trim()
                .chars()
                .take_while(char::is_ascii_alphabetic)
                .take(6)
                .collect();
            (colour.is_ok(), name, t.contains('%'), t.contains('/'))
        }),
        target("countries", &["Norway", "GB"], |t| {
            country::code_of(t).map(|code| code.len())
        }),
    ])
}

/// Parsers of files and messages.
// Long: a list.
fn files() -> Vec<Target> {
    let supplier = newtfern_standins::supplier_profile(80);
    let tokens = BrandSheet::default().to_tokens().to_string();
    let seen = serde_json::to_string(&Observation::default()).unwrap_or_default();
    let message = r#"{"method":"Network.responseReceived",
        "params":{"response":{"status":200}},"sessionId":"A"}"#;
    let mut encodings = target(
        "encodings",
        &["<meta charset=windows-1252>M\u{fc}hle"],
        |_| (),
    );
    encodings.run = Box::new(|bytes| {
        let text = decoding::text_of(bytes, Some("text/html; charset=x"));
        assert!(text.len() <= bytes.len() * 3 + 3);
        let replaced = text.matches('\u{fffd}').count();
        shape_of((size(replaced), size(text.len()), size(bytes.len())))
    });
    vec![
        target(
            "supplier profile",
            &[&supplier, newtfern_standins::rival_profile()],
            |t| {
                let supplier = Supplier::from_toml(t).map_err(kind_of)?;
                let snippet = supplier.snippet_for("mill-live");
                Ok::<_, String>((size(snippet.len()), supplier.key_in(t).is_some()))
            },
        ),
        target(
            "consent profile",
            &[newtfern_standins::consent_profile()],
            |t| ConsentManager::from_toml(t).map(|_| ()).map_err(kind_of),
        ),
        target(
            "platform profile",
            &[newtfern_standins::platform_profile()],
            |t| {
                Platform::from_toml(t)
                    .map(|p| p.slots.len())
                    .map_err(kind_of)
            },
        ),
        target(
            "region profile",
            &[include_str!("../../../../../profiles/regions/opt-in.toml")],
            |t| Region::from_toml(t).map(|_| ()).map_err(kind_of),
        ),
        target("design tokens", &[&tokens], |t| {
            BrandSheet::from_tokens(t)
                .map(|s| {
                    (
                        s.primary.is_some(),
                        s.secondary.is_some(),
                        s.legal_name.is_empty(),
                    )
                })
                .map_err(kind_of)
        }),
        target("observations", &[&seen], |t| {
            serde_json::from_str::<Observation>(t)
                .map(|o| (o.requests.len().min(3), o.looks.alive.unlooked()))
                .map_err(kind_of)
        }),
        target("protocol messages", &[message], |t| {
            cdp::read(t.as_bytes())
                .map(|v| {
                    (
                        v["method"].is_string(),
                        v["params"].is_object(),
                        v["id"].is_u64(),
                    )
                })
                .map_err(kind_of)
        }),
        encodings,
    ]
}

/// An estate of one client, for what files are read against.
fn nothing_there() -> intake::Estate<'static> {
    static SITES: LazyLock<HashMap<String, intake::ExistingSite>> = LazyLock::new(HashMap::new);
    static USUAL: LazyLock<SiteFields> = LazyLock::new(SiteFields::default);
    static ANSWERS: BTreeMap<String, String> = BTreeMap::new();
    static CLIENTS: LazyLock<Vec<String>> = LazyLock::new(|| vec!["Kites".to_string()]);
    static PRIVATE: LazyLock<PrivateHosts> = LazyLock::new(PrivateHosts::none);
    intake::Estate {
        known: SiteChoices::default(),
        sites: &SITES,
        clients: &CLIENTS,
        private: &PRIVATE,
        client: None,
        usual: &USUAL,
        answers: &ANSWERS,
    }
}
