//! Countries: ISO 3166-1 alpha-2 codes with their English short names, as in Debian's package
//! iso-codes (iso_3166-1.json, 4.15.0-1, which follows the standard's list).

use std::collections::HashMap;
use std::sync::LazyLock;

/// Code and name, by code.
#[rustfmt::skip]
pub const COUNTRIES: &[(&str, &str)] = &[
    ("AD", "Andorra"), ("AE", "United Arab Emirates"), ("AF", "Afghanistan"),
    ("AG", "Antigua and Barbuda"), ("AI", "Anguilla"), ("AL", "Albania"),
    ("AM", "Armenia"), ("AO", "Angola"), ("AQ", "Antarctica"),
    ("AR", "Argentina"), ("AS", "American Samoa"), ("AT", "Austria"),
    ("AU", "Australia"), ("AW", "Aruba"), ("AX", "Åland Islands"),
    ("AZ", "Azerbaijan"), ("BA", "Bosnia and Herzegovina"), ("BB", "Barbados"),
    ("BD", "Bangladesh"), ("BE", "Belgium"), ("BF", "Burkina Faso"),
    ("BG", "Bulgaria"), ("BH", "Bahrain"), ("BI", "Burundi"),
    ("BJ", "Benin"), ("BL", "Saint Barthélemy"), ("BM", "Bermuda"),
    ("BN", "Brunei Darussalam"), ("BO", "Bolivia"), ("BQ", "Bonaire, Sint Eustatius and Saba"),
    ("BR", "Brazil"), ("BS", "Bahamas"), ("BT", "Bhutan"),
    ("BV", "Bouvet Island"), ("BW", "Botswana"), ("BY", "Belarus"),
    ("BZ", "Belize"), ("CA", "Canada"), ("CC", "Cocos (Keeling) Islands"),
    ("CD", "Congo, The Democratic Republic of the"), ("CF", "Central African \
        Republic"), ("CG", "Congo"),
    ("CH", "Switzerland"), ("CI", "Côte d'Ivoire"), ("CK", "Cook Islands"),
    ("CL", "Chile"), ("CM", "Cameroon"), ("CN", "China"),
    ("CO", "Colombia"), ("CR", "Costa Rica"), ("CU", "Cuba"),
    ("CV", "Cabo Verde"), ("CW", "Curaçao"), ("CX", "Christmas Island"),
    ("CY", "Cyprus"), ("CZ", "Czechia"), ("DE", "Germany"),
    ("DJ", "Djibouti"), ("DK", "Denmark"), ("DM", "Dominica"),
    ("DO", "Dominican Republic"), ("DZ", "Algeria"), ("EC", "Ecuador"),
    ("EE", "Estonia"), ("EG", "Egypt"), ("EH", "Western Sahara"),
    ("ER", "Eritrea"), ("ES", "Spain"), ("ET", "Ethiopia"),
    ("FI", "Finland"), ("FJ", "Fiji"), ("FK", "Falkland Islands (Malvinas)"),
    ("FM", "Micronesia, Federated States of"), ("FO", "Faroe Islands"), ("FR", "France"),
    ("GA", "Gabon"), ("GB", "United Kingdom"), ("GD", "Grenada"),
    ("GE", "Georgia"), ("GF", "French Guiana"), ("GG", "Guernsey"),
    ("GH", "Ghana"), ("GI", "Gibraltar"), ("GL", "Greenland"),
    ("GM", "Gambia"), ("GN", "Guinea"), ("GP", "Guadeloupe"),
    ("GQ", "Equatorial Guinea"), ("GR", "Greece"), ("GS", "South Georgia and the South Sandwich \
        Islands"),
    ("GT", "Guatemala"), ("GU", "Guam"), ("GW", "Guinea-Bissau"),
    ("GY", "Guyana"), ("HK", "Hong Kong"), ("HM", "Heard Island and McDonald Islands"),
    ("HN", "Honduras"), ("HR", "Croatia"), ("HT", "Haiti"),
    ("HU", "Hungary"), ("ID", "Indonesia"), ("IE", "Ireland"),
    ("IL", "Israel"), ("IM", "Isle of Man"), ("IN", "India"),
    ("IO", "British Indian Ocean Territory"), ("IQ", "Iraq"), ("IR", "Iran"),
    ("IS", "Iceland"), ("IT", "Italy"), ("JE", "Jersey"),
    ("JM", "Jamaica"), ("JO", "Jordan"), ("JP", "Japan"),
    ("KE", "Kenya"), ("KG", "Kyrgyzstan"), ("KH", "Cambodia"),
    ("KI", "Kiribati"), ("KM", "Comoros"), ("KN", "Saint Kitts and Nevis"),
    ("KP", "North Korea"), ("KR", "South Korea"), ("KW", "Kuwait"),
    ("KY", "Cayman Islands"), ("KZ", "Kazakhstan"), ("LA", "Laos"),
    ("LB", "Lebanon"), ("LC", "Saint Lucia"), ("LI", "Liechtenstein"),
    ("LK", "Sri Lanka"), ("LR", "Liberia"), ("LS", "Lesotho"),
    ("LT", "Lithuania"), ("LU", "Luxembourg"), ("LV", "Latvia"),
    ("LY", "Libya"), ("MA", "Morocco"), ("MC", "Monaco"),
    ("MD", "Moldova"), ("ME", "Montenegro"), ("MF", "Saint Martin (French part)"),
    ("MG", "Madagascar"), ("MH", "Marshall Islands"), ("MK", "North Macedonia"),
    ("ML", "Mali"), ("MM", "Myanmar"), ("MN", "Mongolia"),
    ("MO", "Macao"), ("MP", "Northern Mariana Islands"), ("MQ", "Martinique"),
    ("MR", "Mauritania"), ("MS", "Montserrat"), ("MT", "Malta"),
    ("MU", "Mauritius"), ("MV", "Maldives"), ("MW", "Malawi"),
    ("MX", "Mexico"), ("MY", "Malaysia"), ("MZ", "Mozambique"),
    ("NA", "Namibia"), ("NC", "New Caledonia"), ("NE", "Niger"),
    ("NF", "Norfolk Island"), ("NG", "Nigeria"), ("NI", "Nicaragua"),
    ("NL", "Netherlands"), ("NO", "Norway"), ("NP", "Nepal"),
    ("NR", "Nauru"), ("NU", "Niue"), ("NZ", "New Zealand"),
    ("OM", "Oman"), ("PA", "Panama"), ("PE", "Peru"),
    ("PF", "French Polynesia"), ("PG", "Papua New Guinea"), ("PH", "Philippines"),
    ("PK", "Pakistan"), ("PL", "Poland"), ("PM", "Saint Pierre and Miquelon"),
    ("PN", "Pitcairn"), ("PR", "Puerto Rico"), ("PS", "Palestine, State of"),
    ("PT", "Portugal"), ("PW", "Palau"), ("PY", "Paraguay"),
    ("QA", "Qatar"), ("RE", "Réunion"), ("RO", "Romania"),
    ("RS", "Serbia"), ("RU", "Russian Federation"), ("RW", "Rwanda"),
    ("SA", "Saudi Arabia"), ("SB", "Solomon Islands"), ("SC", "Seychelles"),
    ("SD", "Sudan"), ("SE", "Sweden"), ("SG", "Singapore"),
    ("SH", "Saint Helena, Ascension and Tristan da Cunha"), ("SI", "Slovenia"), ("SJ", "Svalbard \
        and Jan Mayen"),
    ("SK", "Slovakia"), ("SL", "Sierra Leone"), ("SM", "San Marino"),
    ("SN", "Senegal"), ("SO", "Somalia"), ("SR", "Suriname"),
    ("SS", "South Sudan"), ("ST", "Sao Tome and Principe"), ("SV", "El Salvador"),
    ("SX", "Sint Maarten (Dutch part)"), ("SY", "Syria"), ("SZ", "Eswatini"),
    ("TC", "Turks and Caicos Islands"), ("TD", "Chad"), ("TF", "French Southern Territories"),
    ("TG", "Togo"), ("TH", "Thailand"), ("TJ", "Tajikistan"),
    ("TK", "Tokelau"), ("TL", "Timor-Leste"), ("TM", "Turkmenistan"),
    ("TN", "Tunisia"), ("TO", "Tonga"), ("TR", "Türkiye"),
    ("TT", "Trinidad and Tobago"), ("TV", "Tuvalu"), ("TW", "Taiwan"),
    ("TZ", "Tanzania"), ("UA", "Ukraine"), ("UG", "Uganda"),
    ("UM", "United States Minor Outlying Islands"), ("US", "United States"), ("UY", "Uruguay"),
    ("UZ", "Uzbekistan"), ("VA", "Holy See (Vatican City State)"), ("VC", "Saint Vincent and the \
        Grenadines"),
    ("VE", "Venezuela"), ("VG", "Virgin Islands, British"), ("VI", "Virgin Islands, U.S."),
    ("VN", "Vietnam"), ("VU", "Vanuatu"), ("WF", "Wallis and Futuna"),
    ("WS", "Samoa"), ("YE", "Yemen"), ("YT", "Mayotte"),
    ("ZA", "South Africa"), ("ZM", "Zambia"), ("ZW", "Zimbabwe"),
];

/// The name of a country by its code, in any case.
///
/// ```
/// assert_eq!(newtfern_standards::country::name_of("gb"), Some("United Kingdom"));
/// assert_eq!(newtfern_standards::country::name_of("Germany"), None);
/// ```
pub fn name_of(code: &str) -> Option<&'static str> {
    let same = |(c, _): &&(&str, &str)| c.eq_ignore_ascii_case(code);
    COUNTRIES.iter().find(same).map(|(_, name)| *name)
}

/// The code for what a person typed: a code, or a country's whole name. Never a part of either.
///
/// ```
/// use newtfern_standards::country::code_of;
/// assert_eq!(code_of("Germany"), Some("DE"));
/// assert_eq!(code_of("ge"), Some("GE"));
/// assert_eq!(code_of("Germ"), None);
/// ```
pub fn code_of(typed: &str) -> Option<&'static str> {
    // By code and by name in small letters, made once: a spreadsheet asks for each of its rows.
    static CODES: LazyLock<HashMap<String, &'static str>> = LazyLock::new(|| {
        let names = COUNTRIES.iter().map(|(code, name)| (*name, *code));
        let codes = COUNTRIES.iter().map(|(code, _)| (*code, *code));
        let both = names.chain(codes);
        both.map(|(typed, code)| (typed.to_lowercase(), code))
            .collect()
    });
    CODES.get(&typed.trim().to_lowercase()).copied()
}

/// The codes of one country or of several, parted by commas; each once, in their order.
///
/// # Errors
/// The part that is no country.
///
/// ```
/// use newtfern_standards::country::codes_of;
/// assert_eq!(codes_of("gb, Norway, NO"), Ok(vec!["GB", "NO"]));
/// assert_eq!(codes_of("GB, Nowhere"), Err("Nowhere".to_string()));
/// ```
pub fn codes_of(typed: &str) -> Result<Vec<&'static str>, String> {
    // Some names have a comma of their own.
    if let Some(code) = code_of(typed) {
        return Ok(vec![code]);
    }
    let mut out = Vec::new();
    for part in typed.split(',').map(str::trim).filter(|p| !p.is_empty()) {
        let code = code_of(part).ok_or_else(|| part.to_string())?;
        if !out.contains(&code) {
            out.push(code);
        }
    }
    Ok(out)
}
