//! Visits in other manners than the usual one, and what brings a prompt, in real Chromium: at 200 %
//! zoom with less motion asked for, and by a visitor who comes again and follows a link of a page
//! that routes itself.
#![allow(clippy::unwrap_used)]

use axum::response::Html;
use newtfern_model::expectation::Widget;
use newtfern_model::profile::Supplier;
use newtfern_probe::browser::Browser;
use newtfern_probe::guard::Guard;
use newtfern_probe::visit::visit;
use newtfern_standards::observation::{Manner, Observation, Viewport};
use newtfern_verdict::manners::judge;
use newtfern_verdict::visits::{
    CheckOrder, PromptBy, PromptWatch, VisitPlan, in_language, in_other_manners,
};
use url::Url;

const PROFILE: &str = r##"
id = "withy"
name = "Withy"
[recognise]
script_hosts = ["gust.localhost"]
key_patterns = ['data-key="(?P<key>[a-z0-9-]+)"']
[snippet]
template = '<script async src="http://gust.localhost/w.js" data-key="{{key}}"></script>'
[alive]
script = "window.withy === true"
launcher = "#withy"
start_within_ms = 1500
[open]
click = "#withy"
panel = "#withy-panel"
[texts]
prompt = "#withy-prompt"
"##;

/// What differs from a widget that does all well.
#[derive(Default)]
struct Ways<'a> {
    /// Style of the panel.
    panel: &'a str,
    /// Style of the launcher.
    launcher: &'a str,
    /// Runs before the widget starts; `return` keeps it away.
    first: &'a str,
    /// Runs when the page changes its route.
    route: &'a str,
}

/// A page whose links change the route without leaving the document.
fn page(ways: &Ways<'_>) -> String {
    format!(
        "<!doctype html><html lang=en><title>Gust</title><style>
@keyframes pulse {{ to {{ transform: scale(1.1) }} }}
#withy {{ position: fixed; right: 20px; bottom: 20px; width: 56px; height: 56px; {launcher} }}
#withy-panel {{ position: fixed; right: 20px; bottom: 84px; width: 300px; {panel} }}
</style><body><h1>Kites</h1><a href=/shop>Shop</a><main>Wind today</main><script>
document.querySelector('a').onclick = e => {{
  e.preventDefault();
  history.pushState(null, '', '/shop');
  {route}
}};
(() => {{
  {first}
  const b = document.createElement('button');
  b.id = 'withy';
  b.textContent = 'Chat';
  b.onclick = () => {{
    const p = document.createElement('div');
    p.id = 'withy-panel';
    p.textContent = 'Hello';
    document.body.append(p);
  }};
  document.body.append(b);
  window.withy = true;
}})();
</script><script async src=/w.js data-key=\"withy-4821\"></script>",
        launcher = ways.launcher,
        panel = ways.panel,
        route = ways.route,
        first = ways.first,
    )
}

async fn serve(html: String) -> Url {
    let app = axum::Router::new().fallback(move || async { Html(html) });
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
    Url::parse(&format!("http://gust.localhost:{port}/")).unwrap()
}

fn order<'a>(url: &'a Url, supplier: &'a Supplier) -> CheckOrder<'a> {
    CheckOrder {
        viewports: &[Viewport::Desktop],
        ..CheckOrder::of(url, supplier, "7")
    }
}

/// A visit, made again where our machine was busy.
async fn settled(browser: &Browser, plan: &VisitPlan<'_>) -> Observation {
    let mut seen = visit(browser, plan).await.unwrap().0;
    for _ in 0..4 {
        if !seen.withheld.starved() {
            break;
        }
        seen = visit(browser, plan).await.unwrap().0;
    }
    seen
}

/// Both visits of a page, and the codes of what they told.
async fn look(browser: &Browser, ways: Ways<'_>) -> (Vec<Observation>, Vec<&'static str>) {
    let (supplier, url) = (
        Supplier::from_toml(PROFILE).unwrap(),
        serve(page(&ways)).await,
    );
    let order = order(&url, &supplier);
    let mut seen = Vec::new();
    for plan in in_other_manners(&order) {
        seen.push(settled(browser, &plan).await);
    }
    let told = judge(&Widget::of("withy", "withy-4821"), &seen);
    assert!(told.gaps.is_empty(), "{:?}", told.gaps);
    (seen, told.findings.iter().map(|f| f.code.name()).collect())
}

/// What a widget that does all well, and is drawn anew on a change of route, is near to.
const NEAR: &[&str] = &["usable.zoom", "shown.second-visit"];

#[tokio::test(flavor = "multi_thread")]
async fn what_only_some_visitors_meet_is_found_and_nothing_else() {
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let (good, tall, moving, heeds, once, lost, redrawn) = tokio::join!(
        look(&browser, Ways::default()),
        look(
            &browser,
            Ways {
                panel: "height: 560px;",
                ..Ways::default()
            }
        ),
        look(
            &browser,
            Ways {
                launcher: "animation: pulse 1s infinite;",
                ..Ways::default()
            }
        ),
        look(
            &browser,
            Ways {
                launcher: "} @media (prefers-reduced-motion: no-preference) { #withy \
                    { animation: pulse 1s infinite; } ",
                ..Ways::default()
            }
        ),
        look(
            &browser,
            Ways {
                first: "if (localStorage.seen) return; localStorage.seen = 1;",
                ..Ways::default()
            }
        ),
        look(
            &browser,
            Ways {
                route: "document.querySelector('#withy').remove();",
                ..Ways::default()
            }
        ),
        look(
            &browser,
            Ways {
                route: "const b = document.querySelector('#withy'); b.remove(); setTimeout(() => \
                    document.body.append(b), 700);",
                ..Ways::default()
            }
        ),
    );
    assert!(good.1.is_empty());
    let [zoomed, again] = good.0.as_slice() else {
        panic!("two visits are made");
    };
    assert_eq!(zoomed.condition.manner, Manner::Zoomed);
    assert_eq!((zoomed.view().width, zoomed.view().height), (640.0, 400.0));
    assert!(zoomed.looks.opening.seen_ms().is_some());
    let second = again.second.as_ref().unwrap();
    assert_eq!(second.open, Some(false));
    assert!(second.route.as_ref().unwrap().to.ends_with("/shop"));

    assert_eq!(tall.1, ["usable.zoom"]);
    assert_eq!(moving.1, ["brand.motion"]);
    let told = moving.0[0].moving.clone().unwrap();
    assert_eq!(told, ["animation pulse on button, without end"]);
    assert!(heeds.1.is_empty());
    assert_eq!(once.1, ["shown.second-visit"]);
    assert_eq!(lost.1, ["shown.route-lost"]);
    assert!(redrawn.1.is_empty());
    let told = good.1.iter().chain(&redrawn.1);
    assert!(told.clone().all(|code| !NEAR.contains(code)));
}

/// A page whose prompt comes by this code; `show` shows it.
async fn prompted(browser: &Browser, by: &str, watch: PromptBy, long: bool) -> Observation {
    let show = "const show = () => \
        { if (document.querySelector('#withy-prompt')) return; const p = \
        document.createElement('p'); p.id = 'withy-prompt'; p.style.cssText = \
        'position:fixed;right:90px;bottom:20px'; p.textContent = 'Any questions?'; \
        document.body.append(p); };";
    let first = format!("{show} {by}");
    let mut html = page(&Ways {
        first: &first,
        ..Ways::default()
    });
    if long {
        html.push_str("<div style='height: 3000px'></div>");
    }
    let (supplier, url) = (Supplier::from_toml(PROFILE).unwrap(), serve(html).await);
    let order = CheckOrder {
        prompt: Some(PromptWatch {
            ms: 1_500,
            by: watch,
        }),
        ..order(&url, &supplier)
    };
    let plan = in_language(&order).remove(0);
    settled(browser, &plan).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_prompt_is_brought_by_scrolling_or_leaving() {
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let half = "addEventListener('scroll', () => \
        { if (scrollY > (document.documentElement.scrollHeight - innerHeight) * 0.49) show(); });";
    let out = "document.addEventListener('mouseout', e => \
        { if (!e.relatedTarget && e.clientY <= 0) show(); });";
    let (scrolled, too_little, short, left, still) = tokio::join!(
        prompted(&browser, half, PromptBy::Scroll(50.0), true),
        prompted(&browser, half, PromptBy::Scroll(20.0), true),
        prompted(&browser, half, PromptBy::Scroll(50.0), false),
        prompted(&browser, out, PromptBy::Leaving, false),
        prompted(&browser, out, PromptBy::Time, false),
    );
    let came = |o: &Observation| o.texts.iter().any(|t| t.text == "Any questions?");
    assert!(came(&scrolled) && came(&left), "{:?}", scrolled.texts);
    assert!(!came(&too_little) && too_little.prompt_until_ms.is_some());
    assert!(!came(&still) && still.prompt_until_ms.is_some());
    // There is no way to scroll: nobody watched, and nothing is told to be missing.
    assert!(!came(&short) && short.prompt_until_ms.is_none());
}
