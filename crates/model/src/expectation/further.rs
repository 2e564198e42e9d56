//! What an expectation file says of a further widget beyond its supplier, its key and its pages: as
//! text for the form of that widget.

use super::{Expectation, ExpectationError, Widget};

/// Lines before those of the form.
const HEAD: &str =
    "address = \"https://any.example/\"\n[[widget]]\nsupplier = \"any\"\nkey = \"any\"\n";

/// Returns the lines of a widget that its form has no field of its own for: texts, hours, channels,
/// design.
pub fn more_of(widget: &Widget) -> String {
    let mut bare = Widget {
        supplier: "any".into(),
        key: "any".into(),
        host: String::new(),
        ..widget.clone()
    };
    let usual = Widget::of("any", "any");
    (bare.on, bare.not_on) = (usual.on, usual.not_on);
    let mut file = match Expectation::kept(HEAD) {
        Ok(file) => file,
        Err(_) => return String::new(),
    };
    file.widgets = vec![bare];
    let text = file.write();
    // Only what follows the head that every such file has.
    let own = text
        .split_once("key = \"any\"\n")
        .map_or("", |(_, own)| own);
    own.trim().to_string()
}

/// Reads those lines into a widget, in place of what it says beyond its supplier, key and pages.
///
/// # Errors
/// [`ExpectationError`], where the lines are none of a widget's.
///
/// ```
/// use newtfern_model::expectation::{Widget, more_of, read_more};
/// let mut widget = Widget::of("brindle", "mill-2");
/// read_more(&mut widget, "delay_s = 3\n[widget.texts.en]\ntitle = 'Write to us'").unwrap();
/// assert_eq!((widget.key.as_str(), widget.delay_s), ("mill-2", Some(3.0)));
/// assert!(more_of(&widget).contains("title = \"Write to us\""));
/// assert!(read_more(&mut widget, "titel = 'x'").is_err());
/// ```
pub fn read_more(widget: &mut Widget, lines: &str) -> Result<(), ExpectationError> {
    let file = Expectation::read(&format!("{HEAD}{lines}"))?;
    if let Some(mut read) = file.widgets.into_iter().next() {
        std::mem::swap(widget, &mut read);
        (widget.supplier, widget.key, widget.host) = (read.supplier, read.key, read.host);
        (widget.on, widget.not_on) = (read.on, read.not_on);
    }
    Ok(())
}

/// Line numbers of an error are those of the file; the form's begin after its head.
pub fn form_line(told: &str) -> String {
    let head = HEAD.lines().count();
    let mut out = String::new();
    let mut rest = told;
    while let Some((before, after)) = rest.split_once("line ") {
        let digits = after.len() - after.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        let line: usize = after[..digits].parse().unwrap_or(0);
        out.push_str(before);
        out.push_str("line ");
        match line > head {
            true => out.push_str(&(line - head).to_string()),
            false => out.push_str(&after[..digits]),
        }
        rest = &after[digits..];
    }
    out + rest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_widget_without_more_has_no_lines_and_what_it_has_comes_back() {
        let mut widget = Widget::of("brindle", "mill-2");
        assert_eq!(more_of(&widget), "");
        let lines = "outside_hours = 'hide'\n[[widget.hours]]\ndays = ['fri']\nfrom = '09:00'\n\
            to = '17:00'\n[widget.design]\nlauncher_colour = '#2f6b4f'";
        read_more(&mut widget, lines).unwrap();
        let again = more_of(&widget);
        let mut other = Widget::of("brindle", "mill-2");
        read_more(&mut other, &again).unwrap();
        assert_eq!(other, widget, "{again}");
        assert_eq!(widget.supplier, "brindle");
        read_more(&mut widget, "").unwrap();
        assert_eq!(widget, Widget::of("brindle", "mill-2"));
    }

    #[test]
    fn lines_of_an_error_are_those_of_the_form() {
        let mut widget = Widget::of("brindle", "mill-2");
        let error = read_more(&mut widget, "delay_s = 3\ntitel = 'x'").unwrap_err();
        let told = form_line(&error.to_string());
        assert!(told.contains("line 2") && told.contains("titel"), "{told}");
        assert_eq!(form_line("no line at all, line"), "no line at all, line");
    }
}
