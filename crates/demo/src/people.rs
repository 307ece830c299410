//! People of the smaller teams, who work named shifts. All made up.

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
