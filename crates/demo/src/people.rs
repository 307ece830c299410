//! People of the smaller teams, who work named shifts. All made up.

use jiff::civil::{Date, DateTime};

/// One person.
#[derive(Clone, Copy, Debug)]
pub struct Person {
    /// Name.
    pub name: &'static str,
    /// Team.
    pub team: &'static str,
    /// What they can handle.
    pub skills: &'static [&'static str],
    /// Hours a week of the contract.
    pub contract_hours: f64,
}

const fn person(
    name: &'static str,
    team: &'static str,
    skills: &'static [&'static str],
    contract_hours: f64,
) -> Person {
    Person { name, team, skills, contract_hours }
}

const GROUPS: &[&str] = &["Groups", "Norse"];
const ASSISTED: &[&str] = &["Assisted travel"];

/// The people of the Groups and Assisted travel teams.
pub const PEOPLE: [Person; 16] = [
    person("Ada Quill", "Groups", GROUPS, 37.5),
    person("Bram Ostrander", "Groups", &["Groups"], 37.5),
    person("Cleo Marchbank", "Groups", &["Groups"], 37.5),
    person("Dov Hallam", "Groups", GROUPS, 37.5),
    person("Enid Farrow", "Groups", &["Groups"], 20.0),
    person("Fitz Arundel", "Groups", &["Groups"], 20.0),
    person("Greta Sund", "Assisted travel", ASSISTED, 37.5),
    person("Hal Pemberlay", "Assisted travel", ASSISTED, 37.5),
    person("Ines Corvo", "Assisted travel", ASSISTED, 37.5),
    person("Jory Trelask", "Assisted travel", ASSISTED, 37.5),
    person("Kit Savernake", "Assisted travel", ASSISTED, 37.5),
    person("Lotte Brandvold", "Assisted travel", ASSISTED, 37.5),
    person("Mo Ashgrove", "Assisted travel", ASSISTED, 20.0),
    person("Nell Wickham", "Assisted travel", ASSISTED, 20.0),
    person("Otto Renfrey", "Evening", &["Groups", "Assisted travel"], 20.0),
    person("Pia Lundgaard", "Evening", &["Groups", "Assisted travel"], 20.0),
];

/// Whose shift begins when, how long it lasts, and on which days from Monday. A shift of eight hours has half an hour's
/// break after four.
const SHIFTS: [(&str, i8, i8, [bool; 7]); 17] = [
    ("Ada Quill", 8, 8, TO_SATURDAY),
    ("Bram Ostrander", 9, 8, WORKDAYS),
    ("Cleo Marchbank", 8, 8, WORKDAYS),
    ("Dov Hallam", 10, 8, TO_SATURDAY),
    ("Enid Farrow", 9, 4, TO_SATURDAY),
    ("Fitz Arundel", 13, 4, WORKDAYS),
    ("Greta Sund", 7, 8, WORKDAYS),
    ("Hal Pemberlay", 7, 8, TO_SUNDAY),
    ("Ines Corvo", 9, 8, TO_SATURDAY),
    ("Jory Trelask", 12, 8, TO_SUNDAY),
    ("Kit Savernake", 13, 8, WORKDAYS),
    // A swap that nobody has checked: an early shift after a late one.
    ("Lotte Brandvold", 13, 8, [false, false, true, true, true, false, false]),
    ("Lotte Brandvold", 7, 8, [false, false, false, false, false, true, true]),
    ("Mo Ashgrove", 8, 4, TO_SATURDAY),
    ("Nell Wickham", 16, 4, TO_SUNDAY),
    ("Otto Renfrey", 17, 4, TO_SATURDAY),
    ("Pia Lundgaard", 17, 4, TO_SUNDAY),
];

const WORKDAYS: [bool; 7] = [true, true, true, true, true, false, false];
const TO_SATURDAY: [bool; 7] = [false, true, true, true, true, true, false];
const TO_SUNDAY: [bool; 7] = [false, false, true, true, true, true, true];

/// The contact type that a person's shifts are for.
pub fn works_for(person: &Person) -> &'static str {
    if person.team == "Groups" { "Groups" } else { "Assisted travel" }
}

/// A person's work on a day, by the wall clock.
pub fn work_on(person: &Person, day: Date) -> Vec<(DateTime, DateTime)> {
    let weekday = day.weekday().to_monday_zero_offset().unsigned_abs() as usize;
    let shift = SHIFTS.iter().find(|(name, _, _, days)| *name == person.name && days[weekday]);
    match shift {
        Some(&(_, start, 8, _)) => vec![
            (day.at(start, 0, 0, 0), day.at(start + 4, 0, 0, 0)),
            (day.at(start + 4, 30, 0, 0), day.at(start + 8, 0, 0, 0)),
        ],
        Some(&(_, start, hours, _)) => {
            vec![(day.at(start, 0, 0, 0), day.at(start + hours, 0, 0, 0))]
        }
        None => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn everybody_works_in_the_demos_week_and_nobody_over_the_contract() {
        let week: Vec<Date> = (23..30).map(|day| date(2026, 11, day)).collect();
        for person in &PEOPLE {
            let hours: f64 = week
                .iter()
                .flat_map(|day| work_on(person, *day))
                .map(|(from, to)| to.duration_since(from).as_secs_f64() / 3600.0)
                .sum();
            assert!(hours > 15.0 && hours <= person.contract_hours, "{}: {hours}", person.name);
        }
        assert!(SHIFTS.iter().all(|(name, ..)| PEOPLE.iter().any(|each| each.name == *name)));
    }
}
