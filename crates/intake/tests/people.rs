//! Lists of people as planners have them.
#![expect(clippy::unwrap_used, reason = "a test may stop where it cannot go on")]

use barometer_intake::{
    ListColumn, ListLayout, ListedPerson, NumberReader, PeopleReader, PrefixZones, Refusal,
};
use proptest::prelude::*;

/// Every row of a list of comma-separated lines, read in the layout of its heading.
fn read(file: &str) -> Vec<Result<ListedPerson, Refusal>> {
    let mut lines = file.lines().map(|line| line.split(',').collect::<Vec<_>>());
    let heading = lines.next().unwrap();
    let layout = ListLayout::guess(&heading, "GB");
    let heading: Vec<String> = heading.iter().map(|name| (*name).to_owned()).collect();
    let prefixes = PrefixZones::shipped();
    let mut reader = PeopleReader::new(&layout, &heading, &prefixes);
    let rows = lines.enumerate();
    rows.map(|(at, cells)| {
        let cells: Vec<&[u8]> = cells.iter().map(|cell| cell.as_bytes()).collect();
        reader.read(at as u64 + 2, &cells)
    })
    .collect()
}

fn refusals(file: &str) -> Vec<String> {
    let rows = read(file).into_iter().enumerate();
    rows.filter_map(|(at, row)| {
        row.err().map(|it| format!("{} {}: {}", at + 2, it.field, it.reason))
    })
    .collect()
}

#[test]
fn a_number_is_the_same_in_whatever_notation_it_stands() {
    let reader = NumberReader::of_country("GB");
    for text in [
        "+44 20 7946 0018",
        "0044 20 7946 0018",
        "(020) 7946 0018",
        "020-7946-0018",
        "442079460018",
        "+44 (0)20 7946 0018",
        "tel:+44-20-7946-0018",
        "020.7946.0018",
    ] {
        let read = reader.read(text, None).map(|number| number.to_string());
        assert_eq!(read.as_deref(), Ok("+442079460018"), "{text}");
    }
    let irish = reader.read("01 411 2000", Some("ie")).unwrap();
    assert_eq!(irish.to_string(), "+35314112000");
}

#[test]
fn what_cannot_be_dialled_says_why() {
    let reader = NumberReader::of_country("GB");
    let said = |text: &str| reader.read(text, None).unwrap_err();
    insta::assert_snapshot!(said(""), @"is empty; leave the row out, or give its number");
    insta::assert_snapshot!(said("4.42079E+11"), @"“4.42079E+11” was rounded by a spreadsheet; format the column as text and export it again");
    insta::assert_snapshot!(said("ask Mara"), @"“ask Mara” is no telephone number, neither with a country code nor in GB");
    insta::assert_snapshot!(said("020 7946"), @"“020 7946” is no telephone number, neither with a country code nor in GB");
    let anywhere = NumberReader::of_country("");
    insta::assert_snapshot!(anywhere.read("020 7946 0018", None).unwrap_err(), @"“020 7946 0018” is no telephone number with a country code");
}

#[test]
fn a_row_is_a_person_with_everything_that_the_list_says() {
    let file = "Phone,Time zone,Priority,Lang,Best time,Attempts,Sailing\n\
                +353 1 411 2000,,1,en,17-20,2,L17\n\
                020 7946 0018,America/New_York,,,,,";
    let people = read(file);
    let first = people[0].as_ref().unwrap();
    assert_eq!((first.zone.as_str(), first.is_zone_guessed), ("Europe/Dublin", true));
    assert_eq!((first.priority, first.attempts), (Some(1), 2));
    let hours = first.hours.unwrap();
    assert_eq!((hours.from.hour(), hours.until.hour()), (17, 20));
    assert_eq!(first.language.as_deref(), Some("en"));
    assert_eq!(first.attributes, [("Sailing".to_owned(), "L17".to_owned())]);
    let second = people[1].as_ref().unwrap();
    assert_eq!((second.zone.as_str(), second.is_zone_guessed), ("America/New_York", false));
    assert_eq!((second.priority, second.hours, second.attempts), (None, None, 0));
}

#[test]
fn every_row_that_cannot_be_used_is_told_with_its_column() {
    let file = "number,zone,country,priority,hours,attempts\n\
                020 7946 0018,,,,,\n\
                +44 20 7946 0018,,,,,\n\
                020 7946 0019,Mars/Olympus,,,,\n\
                020 7946 0020,,Ireland,,,\n\
                020 7946 0021,,,10,,\n\
                020 7946 0022,,,,20:00-17:00,\n\
                020 7946 0023,,,,,often\n\
                +800 1234 5678,,,,,";
    insta::assert_snapshot!(refusals(file).join("\n"), @r#"
    3 number: +442079460018 stands in row 2 too; one row is enough
    4 zone: there is no time zone “Mars/Olympus”; write it as Europe/Dublin
    5 region: “Ireland” is no country; write its two letters, such as GB or IE
    6 priority: “10” is no whole number from 1 to 9
    7 hours: “20:00-17:00” are no hours of a day; write them as 17:00-20:00
    8 attempts: “often” is no whole number from 0 to 255
    9 zone: is not given, and no prefix of +80012345678 has one; name its time zone
    "#);
}

#[test]
fn a_list_of_another_encoding_is_told_by_its_row_and_a_refused_number_may_come_again() {
    let layout = ListLayout::guess(&["number", "name", "zone"], "GB");
    let prefixes = PrefixZones::shipped();
    let heading = ["number", "name", "zone"].map(str::to_owned);
    let mut reader = PeopleReader::new(&layout, &heading, &prefixes);
    let refused = reader.read(2, &[b"020 7946 0018", b"Zo\xeb", b""]).unwrap_err();
    assert_eq!(refused.field, "attribute");
    assert!(refused.reason.contains("UTF-8"), "{}", refused.reason);
    reader.read(3, &[b"020 7946 0018", "Zoë".as_bytes(), b""]).unwrap();
    // Rows that end early have empty cells.
    reader.read(4, &[b"020 7946 0019"]).unwrap();
}

#[test]
fn columns_are_known_by_their_headings_and_a_single_one_holds_numbers() {
    let layout = ListLayout::guess(&["Customer", "Mobile", "Phone", "TZ"], "GB");
    let wanted =
        [ListColumn::Attribute, ListColumn::Number, ListColumn::Attribute, ListColumn::Zone];
    assert_eq!(layout.columns, wanted);
    assert_eq!(layout.doubled(), None);
    assert_eq!(ListLayout::guess(&["Do not call"], "GB").columns, [ListColumn::Number]);
}

#[test]
fn the_zone_is_that_of_the_longest_prefix() {
    let shipped = PrefixZones::shipped();
    assert!(shipped.len() > 500);
    let reader = NumberReader::of_country("GB");
    let zone = |text: &str| shipped.zone_of(reader.read(text, None).unwrap()).unwrap().to_owned();
    assert_eq!(zone("020 7946 0018"), "Europe/London");
    assert_eq!(zone("+1 312 555 0142"), "America/Chicago");
    assert_eq!(zone("+1 602 555 0142"), "America/Phoenix");
    assert_eq!(zone("+1 808 555 0142"), "Pacific/Honolulu");
    assert_eq!(zone("+61 8 9200 0000"), "Australia/Perth");
    assert_eq!(shipped.country_in("Europe/London").as_deref(), Some("GB"));
    assert_eq!(shipped.country_in("Europe/Dublin").as_deref(), Some("IE"));
    assert_eq!(shipped.country_in("Antarctica/Vostok"), None);
    let own = PrefixZones::from_csv("prefix,zone\n+44,Europe/Paris\n+4420,Europe/London").unwrap();
    assert_eq!(own.zone_of(reader.read("020 7946 0018", None).unwrap()), Some("Europe/London"));
    assert_eq!(own.zone_of(reader.read("+353 1 411 2000", None).unwrap()), None);
}

#[test]
fn a_table_of_prefixes_that_cannot_be_used_says_where() {
    let said = |text: &str| PrefixZones::from_csv(text).unwrap_err().to_string();
    insta::assert_snapshot!(said("prefix,zone\n+44,Europe/London\n44,Europe/Paris"), @"Row 3, column prefix: “44” stands in an earlier row too.");
    insta::assert_snapshot!(said("prefix,zone\n+44"), @"Row 2, column prefix: needs two columns, such as +353,Europe/Dublin.");
    insta::assert_snapshot!(said("prefix,zone\n+44,London"), @"Row 2, column zone: there is no time zone “London”.");
    insta::assert_snapshot!(said("prefix,zone\nforty,Europe/London"), @"Row 2, column prefix: “forty” is no prefix: write the country code and up to 9 digits in all.");
    insta::assert_snapshot!(said("prefix,zone\n"), @"Row 2, column prefix: the file has no prefix under its heading.");
}

proptest! {
    /// Whatever stands in a cell is a person or a refusal that names its column.
    #[test]
    fn no_row_stops_the_reading(cells in prop::collection::vec(prop::collection::vec(any::<u8>(), 0..24), 0..8)) {
        let heading = ["number", "zone", "country", "priority", "language", "hours", "attempts", "note"];
        let layout = ListLayout::guess(&heading, "GB");
        let prefixes = PrefixZones::shipped();
        let mut reader = PeopleReader::new(&layout, &heading.map(str::to_owned), &prefixes);
        let cells: Vec<&[u8]> = cells.iter().map(Vec::as_slice).collect();
        if let Err(refusal) = reader.read(2, &cells) {
            prop_assert!(!refusal.reason.is_empty());
        }
    }

    /// A number that was read is read again from its own digits, with and without its plus.
    #[test]
    fn what_was_read_can_be_read_again(digits in 20_7946_0000u64..20_7946_9999) {
        let reader = NumberReader::of_country("GB");
        let number = reader.read(&format!("0{digits}"), None).unwrap();
        prop_assert_eq!(reader.read(&number.to_string(), None), Ok(number));
        prop_assert_eq!(reader.read(&number.digits().to_string(), None), Ok(number));
    }
}
