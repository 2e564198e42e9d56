use super::*;
use crate::testing::sample;
use newtfern_model::design::{Field, Layer};
use newtfern_model::expectation::{CalendarDay, Form, OutsideHours, Start, TextSet};
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::region::Region;
use newtfern_model::site::SiteField;
use newtfern_standards::observation::Viewport;
use std::collections::BTreeSet;

/// Everything that a site's results rest on, owned.
#[derive(Clone)]
struct World {
    fields: SiteFields,
    widget: Widget,
    further: Vec<Widget>,
    consent_exception: Option<ConsentException>,
    design: Design,
    brand: Option<Rgb>,
    client: String,
    agency: String,
    supplier: Supplier,
    rival: Supplier,
    consent: ConsentManager,
    platform: Platform,
    tag_manager: Platform,
    region: Region,
    sample_words: SampleWords,
    written: (i64, i64),
    stands: BTreeMap<Family, Standing>,
}

fn world() -> World {
    let supplier = sample();
    let platform: Platform = Platform::from_toml(include_str!(
        "../../../../profiles/platforms/hand-written.toml"
    ))
    .expect("a shipped platform is valid");
    let mut rival = sample();
    rival.id = "rival".into();
    World {
        fields: SiteFields {
            supplier_id: Some(supplier.id.clone()),
            ..SiteFields::default()
        },
        widget: Widget::of(&supplier.id, "abcd-1234"),
        further: Vec::new(),
        consent_exception: None,
        design: Design::of_layer(&Layer::new()),
        brand: None,
        client: "Wendle Tide Mill".into(),
        agency: "Fenwick & Sallow".into(),
        supplier,
        rival,
        consent: ConsentManager::default(),
        tag_manager: platform.clone(),
        platform,
        region: Region::strictest_of_all(),
        sample_words: SampleWords::default(),
        written: (0, 0),
        stands: Family::ALL.map(|f| (f, Standing::Passing)).into(),
    }
}

impl World {
    fn prints(&self) -> Prints {
        Prints::of(&SiteInputs {
            fields: &self.fields,
            widget: &self.widget,
            further: &self.further,
            consent_exception: self.consent_exception.as_ref(),
            design: &self.design,
            brand: self.brand,
            client: &self.client,
            agency: &self.agency,
            supplier: Some(&self.supplier),
            suppliers: &[self.supplier.clone(), self.rival.clone()],
            consent: Some(&self.consent),
            platform: Some(&self.platform),
            tag_manager: Some(&self.tag_manager),
            region: &self.region,
            sample_words: &self.sample_words,
            slots_written: self.written.0,
            console_written: self.written.1,
        })
        .with_results(&self.stands)
    }

    /// With another value in one of the site's fields, whatever its type is.
    fn with_field(&self, field: SiteField) -> World {
        let mut json = serde_json::to_value(&self.fields).expect("fields are JSON");
        json[field.column()] = match field {
            SiteField::Budget => 81.5.into(),
            _ => "other".into(),
        };
        World {
            fields: serde_json::from_value(json).expect("these are fields"),
            ..self.clone()
        }
    }
}

/// One change of everything that there is, with the inputs that it changes.
fn changes() -> Vec<(String, World, Vec<Input>)> {
    let before = world();
    let mut out: Vec<(String, World, Vec<Input>)> = SiteField::ALL
        .iter()
        .map(|f| {
            // Which suppliers are rivals follows from which one is chosen.
            let also = (*f == SiteField::Supplier).then_some(Input::Rivals);
            let inputs = [Input::Site(*f)].into_iter().chain(also).collect();
            (f.heading().to_string(), before.with_field(*f), inputs)
        })
        .collect();
    for field in Field::ALL {
        let mut after = before.clone();
        after.design = Design::of_layer(&Layer::from([(*field, "another value".into())]));
        out.push((field.key().into(), after, vec![Input::Design]));
    }
    let mut one = |name: &str, input: Input, change: fn(&mut World)| {
        let mut after = before.clone();
        change(&mut after);
        out.push((name.into(), after, vec![input]));
    };
    one("brand colour", Input::Design, |w| {
        w.brand = Rgb::parse("#102030").ok()
    });
    one("launcher colour", Input::Design, |w| {
        w.widget.design.set(Field::ButtonColour, Some("#102030"));
    });
    one("texts", Input::Texts, |w| {
        w.widget.texts.insert("nb".into(), TextSet::default());
    });
    one("start", Input::Start, |w| w.widget.start = Start::Open);
    one("form", Input::Form, |w| w.widget.form = Form::Tab);
    one("screens", Input::Screens, |w| {
        w.widget.viewports = vec![Viewport::Phone]
    });
    one("delay", Input::Delay, |w| w.widget.delay_s = Some(3.0));
    one("outside hours", Input::Hours, |w| {
        w.widget.outside_hours = OutsideHours::Hide;
    });
    one("a further widget", Input::FurtherWidgets, |w| {
        w.further.push(Widget::of("second", "k"));
    });
    one("an exception", Input::Exception, |w| {
        w.consent_exception = Some(ConsentException {
            by: "Ida".into(),
            on: CalendarDay::of(jiff::civil::date(2026, 11, 2)),
            reason: String::new(),
        });
    });
    one("supplier's profile", Input::Supplier, |w| {
        w.supplier.alive.script = "window.other".into();
    });
    one("a rival's marks", Input::Rivals, |w| {
        w.rival
            .recognise
            .script_hosts
            .push("cdn.other.example".into());
    });
    one("sample words", Input::SampleWords, |w| {
        w.sample_words = SampleWords::read("cy: Enw eich cwmni").expect("a list");
    });
    one("consent profile", Input::ConsentManager, |w| {
        w.consent.name = "Other".into()
    });
    one("platform profile", Input::Platform, |w| {
        w.platform.name = "Other".into()
    });
    one("tag manager profile", Input::TagManager, |w| {
        w.tag_manager.name = "Other".into();
    });
    one("region", Input::Region, |w| w.region.name = "Other".into());
    one("client's name", Input::Client, |w| {
        w.client = "Other".into()
    });
    one("agency's name", Input::Agency, |w| {
        w.agency = "Other".into()
    });
    one("slots", Input::Slots, |w| w.written.0 = 1);
    one("console", Input::Console, |w| w.written.1 = 1);
    for family in Family::ALL {
        let mut after = before.clone();
        after.stands.insert(family, Standing::Failing);
        out.push((family.key().into(), after, vec![Input::Result(family)]));
    }
    out
}

#[test]
fn each_change_makes_exactly_those_families_old_that_read_it() {
    let then = world().prints();
    let mut met = BTreeSet::new();
    for (name, after, inputs) in changes() {
        let now = after.prints();
        for family in Family::ALL {
            let wanted: BTreeSet<Input> = family
                .reads()
                .into_iter()
                .filter(|i| inputs.contains(i))
                .collect();
            let is: BTreeSet<Input> = changed(family, &then, &now).into_iter().collect();
            assert_eq!(is, wanted, "{name}, {family:?}");
        }
        met.extend(inputs);
    }
    let all: BTreeSet<Input> = Input::all().collect();
    assert_eq!(met, all, "every input was changed");
}

#[test]
fn each_input_has_a_name_of_its_own_and_no_family_reads_itself() {
    let keys: BTreeSet<String> = Input::all().map(Input::key).collect();
    assert_eq!(keys.len(), Input::all().count());
    for family in Family::ALL {
        let mut reads = family.reads();
        assert!(!reads.contains(&Input::Result(family)), "{family:?}");
        reads.sort_unstable();
        reads.dedup();
        assert_eq!(
            reads.len(),
            family.reads().len(),
            "{family:?} names one twice"
        );
    }
}

/// How another family stands: only what is known there contradicts.
#[test]
fn a_result_grows_old_by_another_only_where_that_is_known() {
    let with = |standing| {
        let mut w = world();
        w.stands.insert(Family::Load, standing);
        w.prints()
    };
    let (up, down) = (with(Standing::Passing), with(Standing::Failing));
    let echo = |then: &Prints, now: &Prints| changed(Family::Echo, then, now);
    let load = vec![Input::Result(Family::Load)];
    assert_eq!(echo(&up, &down), load);
    assert_eq!(echo(&down, &up), load, "what failed may hold by now");
    assert_eq!(why_old(&load, &down), "Load is failing since this check.");
    for open in [Standing::Undecided, Standing::Stale, Standing::NotYet] {
        assert!(echo(&up, &with(open)).is_empty(), "{open:?}");
        assert_eq!(echo(&with(open), &down), load);
    }
}

#[test]
fn judging_again_takes_no_new_address_for_an_old_look() {
    let then = world().prints();
    let moved = world().with_field(SiteField::Address);
    let mut wider = moved.clone();
    wider.design = Design::of_layer(&Layer::from([(Field::Size, "90".into())]));
    let again = wider.prints().judged_again(&then);
    let left = changed(Family::Brand, &again, &wider.prints());
    assert_eq!(left, [Input::Site(SiteField::Address)]);
    assert_eq!(why_old(&left, &again), "Changed since this check: address.");
}

/// Of a check that an earlier version made nothing is known; an input that came to a family since
/// is new.
#[test]
fn prints_that_are_not_there_are_no_change_only_where_none_are() {
    let now = world().prints();
    assert!(changed(Family::Load, &Prints::default(), &now).is_empty());
    let mut some = now.clone();
    some.0.remove(&Input::Hours.key());
    assert_eq!(changed(Family::Load, &some, &now), [Input::Hours]);
}

/// A sheet tells other families' results: what makes one of them old makes the sheet old.
#[test]
fn a_sheet_rests_on_all_that_the_results_rest_on_which_it_tells() {
    let sheet = Family::HandOver.reads();
    for family in Family::ALL {
        if sheet.contains(&Input::Result(family)) {
            for input in family.reads() {
                assert!(sheet.contains(&input), "{family:?} reads {input:?}");
            }
        }
    }
}
