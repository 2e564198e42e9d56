//! Spreadsheets as other programs write them: the dialects of Python's `csv` module (CPython 3.11),
//! kept with the script that made them in `dialects/`.
#![allow(clippy::unwrap_used, clippy::disallowed_methods)]

use newtfern_model::intake;
use newtfern_model::site::SiteField;

#[test]
fn the_dialects_of_spreadsheet_programs_are_read_alike() {
    for name in [
        "excel.csv",
        "excel-tab.csv",
        "semicolon-utf8-mark.csv",
        "semicolon-windows-1252.csv",
        "tab-utf16.csv",
        "unix.csv",
    ] {
        let path = format!("{}/tests/dialects/{name}", env!("CARGO_MANIFEST_DIR"));
        let sheet = intake::read(&std::fs::read(path).unwrap()).unwrap();
        let cells: Vec<_> = sheet
            .rows
            .iter()
            .map(|r| r.cells.clone().unwrap())
            .collect();
        assert_eq!(cells.len(), 3, "{name}");
        let of = |row: usize, field: SiteField| cells[row].fields[&field].as_str();
        assert_eq!(cells[0].client, "Pell & Daughter Clocks", "{name}");
        assert_eq!(of(0, SiteField::Name), "The \"turret\"", "{name}");
        assert_eq!(of(0, SiteField::Languages), "en, cy", "{name}");
        assert_eq!(of(0, SiteField::Contact), "keeper; bell", "{name}");
        assert_eq!(cells[1].client, "F\u{e4}hre Nord", "{name}");
        assert_eq!(of(1, SiteField::Name), "Two\nlines", "{name}");
        assert_eq!(of(1, SiteField::On), "/fahrplan/** kind:home", "{name}");
        assert_eq!(cells[2].client, "=1+1 Sums", "{name}");
        assert_eq!(of(2, SiteField::Contact), "a,b;c\td", "{name}");
        let told = sheet.remarks.join(" ");
        assert_eq!(
            name.contains("1252"),
            told.contains("Windows-1252"),
            "{name}: {told}"
        );
    }
}
