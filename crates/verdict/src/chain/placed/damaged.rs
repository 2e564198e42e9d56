//! The snippet is there, in a state in which it does not run. The codes differ by the state only,
//! so a table says which; where there are several, the one nearest to running is told.

use crate::chain::answer::Answer;
use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code::{self, *};
use newtfern_model::finding::Finding;
use newtfern_model::placement::{Piece, PieceState};

/// The codes this rule can give.
pub const CODES: &[Code] = &[
    PlacedBadQuotes,
    PlacedTruncated,
    PlacedDoubleWrapped,
    PlacedWrongType,
    PlacedInert,
    PlacedAsText,
    PlacedCommented,
    AllowedConsentStuck,
];

/// Meaning of a state: how near to running it is (less is nearer), code, summary and remedy; `{}`
/// in the summary is the state's own detail.
type Meaning = (u8, Code, &'static str, &'static str);

#[rustfmt::skip]
fn meaning(state: &PieceState) -> Option<Meaning> {
    Some(match state {
        PieceState::BadQuotes => (0, PlacedBadQuotes, "Typographic quotes or hard blanks \
            broke the code.",
            "Paste the code again as plain text, not through a word processor or visual editor."),
        PieceState::Truncated => (1, PlacedTruncated, "The code is cut off before its end.",
            "Copy the whole code again and check that its last line arrived."),
        PieceState::DoubleWrapped => (2, PlacedDoubleWrapped, "The code, with its own script tags, \
            is inside another script element.",
            "In the code box, which adds the script tags itself, paste the code without them."),
        PieceState::ConsentHeld(_) => (3, AllowedConsentStuck, "The script is held back for \
            consent ({}) and was not let go.",
            "In the consent manager, assign the script to the category that the visitor granted."),
        PieceState::WrongType(_) => (4, PlacedWrongType, "The script has {}, which keeps browsers \
            from running it.",
            "Remove that attribute, or have the consent manager or optimiser that set it \
            let the script go."),
        PieceState::Delayed(_) => (4, PlacedWrongType, "The script's address is in {} and was \
            never put in place.",
            "In the optimiser or consent manager of the site, exempt this script."),
        PieceState::Inert(by) if by == "innerHTML" => (5, PlacedInert,
            "The code is put in as markup by another script; browsers do not run script elements \
            put in that way.",
            "Place the snippet in the page itself, or create the script element by \
            document.createElement."),
        PieceState::Inert(_) => (5, PlacedInert, "The code is inside a {} element, whose \
            content does not run.",
            "Move the code out of that element, to just before the end of the body."),
        PieceState::AsText => (6, PlacedAsText, "The code is shown to visitors as text.",
            "In the editor, switch to source or code mode and paste it there, or use the \
            site-wide code box."),
        PieceState::Commented => (7, PlacedCommented, "The code is inside an HTML comment.",
            "Remove the comment marks around the code."),
        PieceState::Live | PieceState::Mentioned => return None,
    })
}

fn detail(state: &PieceState) -> &str {
    match state {
        PieceState::ConsentHeld(t)
        | PieceState::WrongType(t)
        | PieceState::Delayed(t)
        | PieceState::Inert(t) => t,
        _ => "",
    }
}

/// Judges whether the snippet is damaged.
pub fn judge(c: &Facts) -> Answer {
    if c.alive || c.live().next().is_some() {
        return Answer::Holds;
    }
    // A piece that is cut off swallows what comes after it and may still ask for a loader, with a
    // key of rubble; all other states do not run at all.
    let arrived = c.arrived();
    let counts = |p: &&Piece| !arrived || p.state == PieceState::Truncated;
    let told = c.pieces().iter().filter(counts);
    let told = told.filter_map(|p| Some((p, meaning(&p.state)?)));
    let Some((piece, (_, code, summary, remedy))) = told.min_by_key(|(_, m)| m.0) else {
        return Answer::Holds;
    };
    Finding::broken(code, summary.replace("{}", detail(&piece.state)), remedy)
        .with_all(lines([piece]))
        .into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{
        GOOD, Wanted, consent, granted, healthy, html, loader, page, root, told, with,
    };
    use newtfern_standards::observation::FailureKind;

    #[test]
    fn each_state_has_its_code() {
        let gone = |body: String| root(page(&body));
        assert_eq!(gone(format!("<!-- {GOOD} -->")), Some(PlacedCommented));
        assert_eq!(gone(GOOD.replace('<', "&lt;")), Some(PlacedAsText));
        assert_eq!(
            gone(format!("<template>{GOOD}</template>")),
            Some(PlacedInert)
        );
        assert_eq!(
            gone(format!("<script>{GOOD}</script>")),
            Some(PlacedDoubleWrapped)
        );
        assert_eq!(gone(GOOD.replace('"', "\u{201d}")), Some(PlacedBadQuotes));
        assert_eq!(
            gone(GOOD.replace("async", "type=text/plain")),
            Some(PlacedWrongType)
        );
        assert_eq!(
            gone(GOOD.replace("src=", "data-src=")),
            Some(PlacedWrongType)
        );
        let cut = "<script async src=\"https://cdn.example.test/l.js\" data-";
        assert_eq!(root(page(cut)), Some(PlacedTruncated));
        let written = format!(
            "<script>d.innerHTML = '{}'</script>",
            GOOD.replace("</", "<\\/")
        );
        assert_eq!(gone(written), Some(PlacedInert));
    }

    #[test]
    fn tags_behind_other_code_in_a_script_box_are_double_wrapped() {
        let boxed = format!("<script>\nvar counted = 1;\n{GOOD}\n</script>");
        assert_eq!(root(page(&boxed)), Some(PlacedDoubleWrapped));
    }

    #[test]
    fn the_state_nearest_to_running_is_told() {
        let both = format!("<!-- {GOOD} -->\n{}", GOOD.replace('"', "\u{201d}"));
        assert_eq!(root(page(&both)), Some(PlacedBadQuotes));
    }

    #[test]
    fn a_cut_off_copy_that_swallows_the_good_one_is_told_not_the_supplier() {
        let cut = "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-12";
        let swallowed = with(page(&format!("{cut}\n{GOOD}")), |o| {
            o.requests.push(loader(Some(404), Some(FailureKind::Type)));
        });
        let found = told(swallowed);
        assert_eq!(found.code, PlacedTruncated);
        assert!(found.remedy.contains("whole code"));
    }

    #[test]
    fn what_came_by_another_way_is_not_damaged() {
        let brought = with(page(&format!("<!-- {GOOD} -->")), |o| {
            o.requests.push(loader(Some(200), None));
        });
        assert_eq!(root(brought), Some(StartedSilent));
    }

    #[test]
    fn held_back_by_the_managers_mark_is_a_matter_of_consent() {
        let held = page(&GOOD.replace("async", "type=text/plain data-wait=chat"));
        let wanted = Wanted {
            consent: consent(),
            ..Wanted::default()
        };
        let d = wanted.of(&[held.clone(), granted(held)]);
        assert_eq!(d.verdict.root(), Some(AllowedConsentStuck));
    }

    #[test]
    fn what_holds_it_is_named_with_what_to_do() {
        let found = |body: String| told(page(&body));
        let typed = found(GOOD.replace("async", "type=text/plain"));
        assert!(typed.summary.contains("type=\"text/plain\""), "{typed:?}");
        let delayed = found(GOOD.replace("src=", "data-src="));
        assert!(delayed.summary.contains("is in data-src"), "{delayed:?}");
        let inert = found(format!("<template>{GOOD}</template>"));
        assert!(
            inert.summary.contains("inside a template element"),
            "{inert:?}"
        );
        assert!(inert.remedy.contains("out of that element"), "{inert:?}");
        let copy = GOOD.replace("</", "<\\/");
        let written = found(format!("<script>d.innerHTML = '{copy}'</script>"));
        assert!(written.remedy.contains("createElement"), "{written:?}");
    }

    #[test]
    fn beside_a_copy_that_runs_or_a_widget_that_is_up_it_is_not_the_cause() {
        let cut = "<script async src=\"https://cdn.example.test/l.js\" data-";
        let runs = with(page(&format!("{GOOD}\n{cut}")), |o| {
            o.requests.push(loader(Some(200), None));
        });
        assert_eq!(root(runs), Some(StartedSilent));
        let up = with(healthy(), |o| o.page.html = html(cut));
        assert_eq!(root(up), None);
    }
}
