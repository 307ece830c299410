//! The cover of a trial: people per interval and team, or agents with their hours.

use std::collections::BTreeMap;
use std::path::Path;

use anyhow::{Result, bail};
use barometer_simulate::{Cover, Demand, People, Stretch, TeamCover};
use barometer_strategy::Strategy;
use jiff::Timestamp;
use jiff::tz::TimeZone;

use super::columns::{Cell, Columns};
use crate::headless::csv_file;

/// A cover, and what was taken for granted in reading it.
pub(super) struct ReadCover {
    pub cover: Cover,
    pub notes: Vec<String>,
}

/// Reads a cover for the intervals of `demand`.
pub(super) async fn read(
    path: &Path,
    strategy: &Strategy,
    demand: &Demand,
    zone: &TimeZone,
) -> Result<ReadCover> {
    let (heading, rows) = csv_file::read(path).await?;
    let columns = Columns::of(path, &heading);
    if rows.is_empty() {
        bail!("{} has a heading and no rows; nobody would be on shift", path.display());
    }
    if columns.find(&["agent"]).is_some() && columns.find(&["agents"]).is_some() {
        bail!(
            "{} has the columns agent and agents; keep agent, from and until for named people, or \
             interval_start and agents for a head count",
            path.display()
        );
    }
    let team_at = columns.find(&["team"]);
    let team_of = |cell: Option<Cell<'_>>| match cell.filter(|cell| !cell.text.is_empty()) {
        Some(cell) => {
            let named =
                |team: &&barometer_strategy::Team| team.id == cell.text || team.name == cell.text;
            match strategy.teams.iter().find(named) {
                Some(team) => Ok(team.id.clone()),
                None => {
                    let teams: Vec<&str> =
                        strategy.teams.iter().map(|team| team.id.as_str()).collect();
                    Err(cell.wrong(&format!("a team of the strategy: {}", teams.join(", "))))
                }
            }
        }
        None => match strategy.teams.as_slice() {
            [only] => Ok(only.id.clone()),
            _ => bail!(
                "{}: the strategy has several teams; a column team must say whose people these are",
                path.display()
            ),
        },
    };
    let mut reader =
        Reader { demand, zone, beyond: 0, counted: BTreeMap::new(), rostered: BTreeMap::new() };
    if let Some(agent_at) = columns.find(&["agent"]) {
        let (from_at, until_at) = (columns.need(&["from"])?, columns.need(&["until"])?);
        for (nth, row) in rows.iter().enumerate() {
            let cell = |column: usize| columns.cell(row, nth, column);
            let team = team_of(team_at.map(cell))?;
            reader.stretch(team, &cell(agent_at), &cell(from_at), &cell(until_at))?;
        }
    } else {
        let (start_at, agents_at) =
            (columns.need(&["interval_start"])?, columns.need(&["agents"])?);
        for (nth, row) in rows.iter().enumerate() {
            let cell = |column: usize| columns.cell(row, nth, column);
            let team = team_of(team_at.map(cell))?;
            reader.count(team, &cell(start_at), &cell(agents_at))?;
        }
    }
    reader.done(path)
}

struct Reader<'a> {
    demand: &'a Demand,
    zone: &'a TimeZone,
    /// Rows of times that the forecast does not have.
    beyond: usize,
    counted: BTreeMap<String, Vec<Option<u32>>>,
    rostered: BTreeMap<String, Vec<Stretch>>,
}

impl Reader<'_> {
    /// Seconds from the trial's start.
    fn secs(&self, at: Timestamp) -> f64 {
        at.duration_since(self.demand.start).as_secs_f64()
    }

    fn count(&mut self, team: String, start: &Cell<'_>, agents: &Cell<'_>) -> Result<()> {
        let people = agents
            .text
            .parse::<u32>()
            .map_err(|_| agents.wrong("a whole number of people, zero or more"))?;
        let nth = self.secs(start.moment(self.zone)?) / self.demand.interval_secs;
        if nth.fract() != 0.0 {
            bail!(start.wrong("the start of an interval of the forecast"));
        }
        if nth < 0.0 || nth >= self.demand.len() as f64 {
            self.beyond += 1;
            return Ok(());
        }
        let row = self.counted.entry(team).or_insert_with(|| vec![None; self.demand.len()]);
        if row[nth as usize].replace(people).is_some() {
            bail!(start.wrong("a new interval: this team has it already"));
        }
        Ok(())
    }

    fn stretch(
        &mut self,
        team: String,
        agent: &Cell<'_>,
        from: &Cell<'_>,
        until: &Cell<'_>,
    ) -> Result<()> {
        let end = self.demand.len() as f64 * self.demand.interval_secs;
        let from_secs = self.secs(from.moment(self.zone)?).max(0.0);
        let until_secs = self.secs(until.moment(self.zone)?);
        if until.moment(self.zone)? <= from.moment(self.zone)? {
            bail!(until.wrong("after the beginning"));
        }
        if until_secs <= 0.0 || from_secs >= end {
            self.beyond += 1;
            return Ok(());
        }
        let agent = agent.text.to_owned();
        let stretch = Stretch { agent, from_secs, until_secs };
        self.rostered.entry(team).or_default().push(stretch);
        Ok(())
    }

    fn done(self, path: &Path) -> Result<ReadCover> {
        let mut notes = Vec::new();
        if self.beyond > 0 {
            notes.push(format!(
                "{}: {} rows are for times that the forecast does not have; they are left out",
                path.display(),
                self.beyond
            ));
        }
        for (team, row) in &self.counted {
            let missing = row.iter().filter(|people| people.is_none()).count();
            if missing > 0 {
                notes.push(format!(
                    "{team}: {missing} intervals are not in the cover; nobody is on shift"
                ));
            }
        }
        let counted = self.counted.into_iter().map(|(team, row)| TeamCover {
            team,
            people: People::Counted(row.into_iter().map(|people| people.unwrap_or(0)).collect()),
        });
        let rostered = self
            .rostered
            .into_iter()
            .map(|(team, stretches)| TeamCover { team, people: People::Rostered(stretches) });
        Ok(ReadCover { cover: Cover { teams: counted.chain(rostered).collect() }, notes })
    }
}
