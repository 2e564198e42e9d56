use super::*;
use crate::profile::tests::SAMPLE;
use newtfern_standards::observation::DeliveredPage;

const GOOD: &str =
    "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>";

fn copy(path: &str, html: &str) -> PageCopy {
    let url = Url::parse(&format!("https://kites.example{path}")).unwrap();
    PageCopy {
        found: if path == "/" {
            FoundBy::Given
        } else {
            FoundBy::Link
        },
        page: DeliveredPage {
            final_url: url.to_string(),
            status: Some(200),
            mime: "text/html".into(),
            headers: vec![("x-made-with".into(), "PageMill 4".into())],
            html: format!("<!doctype html><html lang=en><title>{path}</title><body>{html}"),
            ..DeliveredPage::default()
        },
        url,
    }
}

fn profiles() -> Profiles {
    let mut all = Profiles::default();
    for (i, text) in [
        SAMPLE,
        "id = 'bar'\nname = 'Bar'\n[recognise]\nhosts = ['consent.bar.test']\nselectors = \
        ['#bar-banner']\n[banner]\naccept = '#yes'\n[gating]\ntype = \
        'text/plain'\nattribute = 'data-bar'",
        "id = 'mill'\nname = 'Page mill'\n[recognise]\nheaders = ['x-made-with: \
        pagemill']\nmarkers = ['mill-page']\n[[slot]]\nid = 'a'\nname = 'A'\ntakes = 'markup'",
        "id = 'tags'\nname = 'Tag set'\n[sets]\nhosts = ['tags.set.test']\npatterns = \
        ['tags\\.set\\.test/(?P<set>S-[0-9]+)\\.js']\n[[slot]]\nid = 'tag'\nname = \
        'Tag'\ntakes = 'markup'",
    ]
    .iter()
    .enumerate()
    {
        all.add(&format!("{i}.toml"), text).unwrap();
    }
    all
}

fn survey(copies: &[PageCopy]) -> Survey {
    let url = copies[0].url.clone();
    let gathered = SurveyInput {
        url: &url,
        copies,
        left: &[],
        closed: &[],
        shut: None,
        told: &[],
    };
    read(&gathered, &profiles())
}

#[test]
fn what_is_there_is_told_with_its_evidence() {
    let tags = "<script src='https://tags.set.test/S-42.js'></script><script \
        src='https://consent.bar.test/b.js'></script>";
    let s = survey(&[
        copy(
            "/",
            &format!("{tags}{GOOD}<link rel=alternate hreflang=cy href=/cy/>"),
        ),
        copy("/shop/kite", &format!("{tags}{GOOD}")),
        copy("/privacy", &format!("<!-- {GOOD} -->")),
    ]);
    let kinds: Vec<PageKind> = s.pages.iter().map(|p| p.kind).collect();
    assert_eq!(kinds, [PageKind::Home, PageKind::Item, PageKind::Legal]);
    assert_eq!(s.widgets.len(), 1);
    let w = &s.widgets[0];
    assert_eq!(
        (w.supplier.as_deref(), w.key.as_deref(), w.pages, w.runs),
        (Some("example"), Some("abcd-1234"), 3, 2)
    );
    assert_eq!(w.states, ["in a comment"]);
    assert!(w.evidence.line().contains("cdn.example.test"));
    let platform = s.platform.as_ref().unwrap();
    assert_eq!(
        platform.evidence,
        ["its answer has the header x-made-with: PageMill 4"]
    );
    assert_eq!(
        (
            platform.id.as_str(),
            s.consent.as_ref().unwrap().id.as_str()
        ),
        ("mill", "bar")
    );
    assert_eq!(
        (s.tag_sets[0].set.as_str(), s.tag_sets[0].pages),
        ("S-42", 2)
    );
    assert_eq!(s.languages, ["en", "cy"]);
    // Taken on without typing.
    let e = s.expectation();
    assert_eq!(
        (e.consent.as_str(), e.platform.as_deref()),
        ("bar", Some("mill"))
    );
    assert_eq!(Expectation::read(&e.write()).unwrap(), e);
    assert_eq!(e.widgets[0].wanted_key(), Some("abcd-1234"));
}

#[test]
fn a_widget_that_nobody_knows_is_told_by_its_host() {
    let external = "<script async src='https://static.parley.test/chat/widget.js'></script>";
    let inline = "<script>(function () \
        { var s = document.createElement('script'); s.src = 'https://js.banter.test/livechat.js'; \
        document.head.appendChild(s) })()</script>";
    let other = "<script src='https://cdn.numbers.test/count.js'></script><script \
        src='/chat-page.js'></script><script>var chat = 'https://x.test/y'</script>";
    let s = survey(&[
        copy("/", &format!("{external}{inline}{other}")),
        copy("/a", external),
    ]);
    let names: Vec<&str> = s.widgets.iter().map(|w| w.name.as_str()).collect();
    assert_eq!(
        names,
        [
            "a widget of unknown origin from static.parley.test",
            "a widget of unknown origin from js.banter.test"
        ]
    );
    assert_eq!((s.widgets[0].pages, s.widgets[1].pages), (2, 1));
    // No profile, no expectation of it.
    assert!(s.expectation().widgets.is_empty());
}

#[test]
fn what_keeps_us_out_and_what_was_left_is_told() {
    let mut lost = copy("/b", "");
    lost.page.status = Some(403);
    let closed: Vec<Url> = (0..25)
        .map(|i| Url::parse(&format!("https://kites.example/c{i}")).unwrap())
        .collect();
    let copies = [copy("/", "hello"), lost];
    let told = [(
        "https://kites.example/map.xml".to_string(),
        "not read: status 500".to_string(),
    )];
    let gathered = SurveyInput {
        url: &copies[0].url,
        copies: &copies,
        left: &closed[..3],
        closed: &closed,
        shut: None,
        told: &told,
    };
    let s = read(&gathered, &Profiles::default());
    assert_eq!(s.kept_out[0].why, "it answers with status 403");
    assert_eq!(s.kept_out.last().unwrap().what, "5 further pages");
    assert!(s.not_looked_at[0].what.contains("3 further pages"));
    assert!(s.not_looked_at[1].why.contains("status 500"));
    assert!(s.platform.is_none() && s.widgets.is_empty());
}

/// Held back by the site's own consent manager it comes up once it is let go; by anything else it
/// does not.
#[test]
fn what_waits_for_consent_is_there() {
    let held = GOOD.replace(
        "<script async",
        "<script type=text/plain data-bar=chat async",
    );
    let s = survey(&[copy("/", &format!("<div id=bar-banner></div>{held}"))]);
    assert_eq!(
        (s.widgets[0].runs, s.widgets[0].states.as_slice()),
        (1, &["held back until consent".to_string()][..])
    );
    let other = GOOD.replace("<script async", "<script type=text/plain data-other async");
    let s = survey(&[copy("/", &other)]);
    assert_eq!(s.widgets[0].runs, 0);
    assert!(s.expectation().widgets.is_empty());
}
