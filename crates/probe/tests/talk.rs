//! The echo test in real Chromium against the stand-in supplier's widget and console.
#![allow(clippy::unwrap_used)]

use newtfern_model::profile::Supplier;
use newtfern_probe::browser::Browser;
use newtfern_probe::echo::{EchoOrder, run};
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_probe::mailbox::{Access, MailboxFailure, wait_for};
use newtfern_standards::colour::Rgb;
use newtfern_standards::mailbox::Mailbox;
use newtfern_standards::observation::{Part, Speaker};
use newtfern_standins::estate::{Fault, SITES, Site};
use newtfern_standins::{DEMO_TOKEN, Standins, mailbox};
use newtfern_verdict::echo::{Answers, CleanUp, EchoResult, Mail, StopReason, TestVisitor, judge};
use url::Url;

pub struct World {
    pub standins: Standins,
    supplier: Supplier,
    pub browser: Browser,
    pub http: Http,
}

impl World {
    pub async fn start() -> World {
        let standins = Standins::start(0, None).await.unwrap();
        let guard = Guard::open();
        let supplier =
            Supplier::from_toml(&newtfern_standins::supplier_profile(standins.port)).unwrap();
        World {
            supplier,
            standins,
            browser: Browser::launch(&guard, None).await.unwrap(),
            http: Http::new(guard.clone(), None).unwrap(),
        }
    }

    async fn talk(
        &self,
        site: &Site,
        supplier: &Supplier,
        message: &str,
        token: &str,
    ) -> (EchoResult, Option<Vec<u8>>) {
        let url = Url::parse(&site.address(self.standins.port)).unwrap();
        let request = EchoOrder {
            url: &url,
            supplier,
            consent: None,
            key: &site.key(),
            message,
            answers: &answers(message),
            visitor: &TestVisitor::of("Fenwick & Sallow", "desk@fenwick.example"),
            token: Some(token),
            only_left: false,
            mailbox: Err("no mailbox is set"),
        };
        run(&self.browser, &self.http, &request).await.unwrap()
    }
}

/// The address of a page with this code.
pub async fn one_page(code: &str) -> Url {
    let html = format!("<!doctype html><html lang=en><title>Gust</title><body><h1>Gust</h1>{code}");
    let app = axum::Router::new().fallback(move || async { axum::response::Html(html) });
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
    Url::parse(&format!("http://gust.localhost:{port}/")).unwrap()
}

pub fn answers(message: &str) -> [String; 2] {
    [
        format!("Answer to {message}"),
        format!("One more answer to {message}"),
    ]
}

fn code(seen: &EchoResult) -> Option<String> {
    judge(seen).first().map(|f| f.code.to_string())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_message_gets_there_and_its_answer_back_or_the_step_that_failed_is_told() {
    // One browser for all ways to fail: starting it costs more than they do.
    let world = World::start().await;
    let site = SITES
        .iter()
        .find(|s| s.fault.is_none() && !s.banner)
        .unwrap();

    let (seen, picture) = world
        .talk(
            site,
            &world.supplier,
            "Test 1 \u{2014} \u{201c}quotes\u{201d} & <b>",
            DEMO_TOKEN,
        )
        .await;
    assert_eq!(
        (seen.sent, seen.stopped.as_str(), code(&seen)),
        (true, "", None),
        "{seen:?}"
    );
    let times = [
        Some(0.0),
        seen.at_console_ms,
        seen.answered_ms,
        seen.answer_seen_ms,
    ];
    assert!(
        times.iter().all(Option::is_some) && times.is_sorted(),
        "{seen:?}"
    );
    // The console names the page from which the visitor wrote.
    assert_eq!(seen.page_at_console, site.address(world.standins.port));
    assert!(picture.unwrap().starts_with(b"\x89PNG"));
    // The visitor's own bubble, in the client's colour as the panel's style has it.
    let looks = seen.looks.unwrap();
    let own = looks.bubbles.iter().find(|b| b.by == Speaker::Visitor);
    let primary = Rgb::parse(site.client().primary).unwrap();
    assert_eq!(Rgb::parse(&own.unwrap().ground), Ok(primary));

    // A second test is told apart from the first by its stamp.
    let (seen, _) = world
        .talk(site, &world.supplier, "Test 2", DEMO_TOKEN)
        .await;
    assert_eq!(code(&seen), None, "{seen:?}");

    // What fails does so by waiting, so all that fails is tried at once.
    let with_fault = |fault| SITES.iter().find(|s| s.fault == Some(fault)).unwrap();
    let (mut mute, mut unread) = (world.supplier.clone(), world.supplier.clone());
    mute.echo.as_mut().unwrap().send = "#no-such-control".into();
    unread.echo = None;
    let (stolen, no_send, no_console, stray, absent) = tokio::join!(
        world.talk(site, &world.supplier, "Test 3", "stolen token"),
        world.talk(site, &mute, "Test 4", DEMO_TOKEN),
        world.talk(site, &unread, "Test 5", DEMO_TOKEN),
        world.talk(
            with_fault(Fault::WrongKey),
            &world.supplier,
            "Test 6",
            DEMO_TOKEN
        ),
        world.talk(
            with_fault(Fault::Absent),
            &world.supplier,
            "Test 7",
            DEMO_TOKEN
        ),
    );
    let told = |(seen, _): &(EchoResult, Option<Vec<u8>>)| {
        (code(seen).unwrap_or_default(), seen.stopped.clone())
    };
    assert_eq!(
        told(&stolen),
        (
            "echo.not-arrived".into(),
            "the console answers with status 401".into()
        )
    );
    assert_eq!(
        told(&no_send),
        (
            "echo.not-sent".into(),
            "the panel shows no control to send".into()
        )
    );
    assert!(
        no_send.1.is_none() && no_console.0.stopped.contains("[echo]"),
        "{:?}",
        no_console.0
    );
    // With somebody else's key the message goes to somebody else's console.
    assert_eq!(told(&stray), ("echo.not-arrived".into(), String::new()));
    assert!(stray.0.sent);
    assert_eq!(
        told(&absent),
        ("echo.not-sent".into(), "the widget did not come up".into())
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_before_the_talk_is_filled_in_as_a_test_and_the_talk_tidied_up() {
    let world = World::start().await;
    let port = world.standins.port;
    let supplier = Supplier::from_toml(&newtfern_standins::farthing_profile(port)).unwrap();
    let site = one_page(&supplier.snippet_for("gustkites-live")).await;
    let mut untidy = supplier.clone();
    untidy.echo.as_mut().unwrap().console_tidy =
        format!("http://desk.farthing.localhost:{port}/no");
    let mut mistaken = supplier.clone();
    mistaken.echo.as_mut().unwrap().before[1] =
        newtfern_model::profile::EchoStep::Tick("input.no-such-box".into());
    let talk = |supplier: Supplier, message: &'static str| {
        let (world, site) = (&world, &site);
        async move {
            let request = EchoOrder {
                url: site,
                supplier: &supplier,
                consent: None,
                key: "gustkites-live",
                message,
                answers: &answers(message),
                visitor: &TestVisitor::of("Fenwick & Sallow", "desk@fenwick.example"),
                token: Some(DEMO_TOKEN),
                only_left: false,
                mailbox: Err("no mailbox is set"),
            };
            run(&world.browser, &world.http, &request).await.unwrap().0
        }
    };
    let (seen, left, stopped) = tokio::join!(
        talk(supplier.clone(), "Test 1"),
        talk(untidy, "Test 2"),
        talk(mistaken, "Test 3"),
    );
    assert_eq!((code(&seen), seen.steps), (None, 4), "{seen:?}");
    assert_eq!(seen.tidied, Some(CleanUp::Proven));
    // Both answers in their order, and the file that was sent along.
    let both = Answers {
        given: 2,
        seen: 2,
        in_order: true,
    };
    assert_eq!((seen.answers, seen.file), (Some(both), Some(true)));
    // The place for files comes with the talk.
    let parts = seen.looks.clone().unwrap().parts;
    let files = parts.iter().find(|p| p.part == Part::Files);
    assert_eq!(files.unwrap().shown, Some(true));
    assert!(!seen.left_a_message);
    assert_eq!(seen.page_at_console, site.as_str());
    assert_eq!(seen.language_at_console, seen.language);
    assert_eq!(code(&left).as_deref(), Some("echo.left"), "{left:?}");
    assert_eq!(code(&stopped).as_deref(), Some("echo.form"));
    assert_eq!(
        stopped.stopped,
        "step 2 of 4 before the chat: nothing that can be seen fits input.no-such-box"
    );
}

/// The stand-in mailbox as a test reads it.
fn access(world: &World) -> Access {
    let port = world.standins.mailbox.imap_port;
    let server = format!("imap://{}@mail.localhost:{port}", mailbox::USER);
    Access {
        mailbox: Mailbox::read(mailbox::ADDRESS, &server).unwrap(),
        password: mailbox::PASSWORD.into(),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn while_nobody_is_there_a_message_is_left_and_its_mail_read() {
    let world = World::start().await;
    let port = world.standins.port;
    let supplier = Supplier::from_toml(&newtfern_standins::farthing_profile(port)).unwrap();
    let reads = access(&world);
    let (world_, supplier_) = (&world, &supplier);
    let talk = |key: &'static str, message: &'static str, only_left, mailbox| async move {
        let url = one_page(&supplier_.snippet_for(key)).await;
        let request = EchoOrder {
            url: &url,
            supplier: supplier_,
            consent: None,
            key,
            message,
            answers: &answers(message),
            visitor: &TestVisitor::of("Fenwick & Sallow", mailbox::ADDRESS),
            token: Some(DEMO_TOKEN),
            only_left,
            mailbox,
        };
        let ran = run(&world_.browser, &world_.http, &request).await;
        ran.unwrap().0
    };
    let (left, unread, silent, quiet) = tokio::join!(
        talk("gustkites-live-away", "Left (no. 1)", true, Ok(&reads)),
        talk(
            "gustkites-live-away",
            "Left (no. 2)",
            false,
            Err("no mailbox is set")
        ),
        talk("gustkites-live-nomail", "Left (no. 3)", true, Ok(&reads)),
        talk("gustkites-live", "Never sent (no. 4)", true, Ok(&reads)),
    );
    assert_eq!((code(&left), left.left_a_message), (None, true), "{left:?}");
    assert_eq!(left.after_sending, "Thank you, we have your message.");
    assert_eq!(left.tidied, Some(CleanUp::Proven));
    let Some(Mail::Came { from, subject, .. }) = &left.mail else {
        panic!("{left:?}");
    };
    assert_eq!(
        (from.as_str(), subject.as_str()),
        ("desk@farthing.example", "We have your message")
    );
    // What nobody looked at is told as that, and is no fault.
    let why = "no mailbox is set".to_string();
    assert_eq!(unread.mail, Some(Mail::NotLooked { why }));
    assert_eq!(code(&unread), None);
    assert_eq!(code(&silent).as_deref(), Some("echo.no-mail"), "{silent:?}");
    let told = judge(&silent);
    assert!(told[0].remedy.contains("SPF, DKIM, DMARC"), "{told:?}");
    // Somebody is there though nobody should be: nothing rings.
    assert_eq!(
        (quiet.sent, quiet.stopped_by, code(&quiet).as_deref()),
        (false, Some(StopReason::Quiet), Some("echo.quiet"))
    );
    // The first test's mail was taken away again; the second's, at which nobody looked, is still
    // there.
    assert_eq!(world.standins.mailbox.len(), 1);

    // A password that is wrong is told at once, and not as a mail that did not come.
    let mut locked_out = reads.clone();
    locked_out.password = "other".into();
    let wait = std::time::Duration::from_secs(30);
    let refused = wait_for(world.http.guard(), &locked_out, "Left", wait).await;
    assert!(
        matches!(&refused, Err(MailboxFailure::Refused { why, .. }) if why.contains("wrong name \
            or password")),
        "{refused:?}"
    );
}
