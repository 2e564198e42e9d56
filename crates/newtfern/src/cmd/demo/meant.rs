//! What the made-up clients want of their widgets beyond the usual, and what nobody has carried to
//! the supplier yet.

use super::program::{ids_of, program};
use anyhow::Result;
use newtfern_acts::{Acts, Intended};
use newtfern_model::design::{Field, Layer};
use newtfern_model::expectation::Expectation;

/// Seeds what some widgets are meant to do and to look like beyond the usual.
pub(super) async fn seed(acts: &Acts, port: u16) -> Result<()> {
    expectations(acts, port).await?;
    looks(acts, port).await
}

/// Seeds hours, channels and second languages.
async fn expectations(acts: &Acts, port: u16) -> Result<()> {
    let always = "[[widget.hours]]\ndays = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']\nfrom \
        = '00:00'\nto = '24:00'\n";
    let weekdays = "[[widget.hours]]\ndays = ['mon', 'tue', 'wed', 'thu', 'fri']\nfrom = \
        '09:00'\nto = '17:30'\n[[widget.hours]]\ndays = ['sat']\nfrom = '10:00'\nto = \
        '14:00'\n[[widget.closed]]\non = '2026-12-25'\n";
    let welsh = "[widget.texts.cy]\ngreeting = 'Helo! Sut allwn ni helpu?'\nnotice = 'Cyn \
        ysgrifennu, darllenwch sut rydym yn trin eich data.'\n";
    let channels = |slug: &str| {
        format!(
            "[[widget.channel]]\nkind = 'phone'\ntarget = \
            'tel:+441632960123'\n[[widget.channel]]\nkind = 'mail'\ntarget = \
            'mailto:hello@{slug}.example'\n[[widget.channel]]\nkind = 'messaging'\ntarget = \
            'https://messages.example/{slug}'\n"
        )
    };
    let meant = [
        ("wendlemill", format!("{weekdays}{welsh}")),
        ("santa.corrievalley", always.to_string()),
        ("dock.skerrin", always.to_string()),
        // Somebody is there for half an hour a night, and the widget is there all day.
        (
            "tickets.wendlemill",
            format!(
                "outside_hours = 'hide'\n{}",
                always.replace("00:00", "03:00").replace("24:00", "03:30")
            ),
        ),
        // Its supplier speaks English to everybody.
        ("crew.skerrin", format!("{weekdays}{welsh}")),
        (
            "fringe.threetowers",
            "[widget.texts.he]\ngreeting = 'שלום! איך אפשר לעזור?'\n".to_string(),
        ),
        // It comes at once.
        ("shop.harrowdown", "delay_s = 8\n".to_string()),
        ("friends.wendlemill", channels("wendlemill")),
        ("wind.gustkites", channels("gustkites")),
    ];
    for (host, text) in meant {
        let id = ids_of(acts, port, [host].into_iter()).await?;
        let file =
            format!("address = 'https://any.example/'\n[[widget]]\nsupplier = 'any'\n{text}");
        let file = Expectation::read(&file)?;
        for id in id {
            let meant = Intended::of(&file, &file.widgets[0]);
            acts.sites()
                .change_intended(&program(), id, meant, None)
                .await?;
        }
    }
    Ok(())
}

/// Seeds looks: lists of channels, promises that the hours are held against, and wishes that
/// nobody has carried to the supplier.
// Long: a list of values.
async fn looks(acts: &Acts, port: u16) -> Result<()> {
    let own = |values: &[(Field, &str)]| -> Layer {
        values.iter().map(|(f, v)| (*f, v.to_string())).collect()
    };
    let list = |title| own(&[(Field::Form, "channels"), (Field::Title, title)]);
    let promise = own(&[
        (Field::Subtitle, "We answer within five minutes."),
        (Field::Promise, "5"),
    ]);
    let [face, mark] =
        ["face", "mark"].map(|p| format!("http://w.farthing.localhost:{port}/{p}.png"));
    let asks = own(&[
        (Field::Subtitle, "We answer within five minutes."),
        (Field::Promise, "5"),
        (Field::Size, "64"),
        (Field::Asked, "name*, mail*"),
        (Field::AgentName, "Ida"),
        (Field::AgentPhoto, &face),
        (Field::Logo, "shown"),
        (Field::LogoPicture, &mark),
    ]);
    // A number was wished for, and nobody entered it at the supplier.
    let mut more = asks.clone();
    more.insert(Field::Asked, "name*, mail*, phone".into());
    // Wishes that nobody has carried to the supplier yet.
    let beyond = own(&[
        (Field::Size, "72"),
        (Field::SupplierMark, "hidden"),
        (Field::AnswerBubble, "#cfe3ea"),
        (Field::Typeface, "Georgia"),
        (Field::PhoneSize, "48"),
        (Field::PhoneOffsetY, "84"),
    ]);
    let moved = own(&[
        (Field::OffsetX, "48"),
        (Field::Prompt, "Any questions?"),
        (Field::PromptDelay, "1"),
        (Field::NoticeLink, "/imprint"),
        (Field::OwnBubble, "#e0a11f"),
    ]);
    let opened = own(&[(Field::Start, "open")]);
    let tab = own(&[(Field::Form, "tab")]);
    let looks = [
        ("friends.wendlemill", &list("Reach Wendle Tide Mill")),
        ("wind.gustkites", &list("Reach Gust Kite Workshop")),
        ("crew.skerrin", &promise),
        ("sky.harrowdown", &asks),
        ("lost.skerrin", &more),
        ("guides.reedwater", &beyond),
        ("shop.pellclocks", &moved),
        ("prints.inkwell", &opened),
        ("timetable.corrievalley", &tab),
    ];
    for (host, layer) in looks {
        for id in ids_of(acts, port, [host].into_iter()).await? {
            acts.clients()
                .change_design(&program(), id, layer, None)
                .await?;
        }
    }
    Ok(())
}
