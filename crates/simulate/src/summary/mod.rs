//! Replications folded into sums, from which every measure and its confidence follow.

mod estimate;
mod measures;
mod paired;
mod single;

use serde::{Deserialize, Serialize};

use crate::observers::{
    AgentTally, CampaignTally, DayTally, LabelTally, ServicePointTally, TeamTally, TypeTally,
};
use crate::sketch::{WaitSketch, Waits};
pub use estimate::Estimate;
pub(crate) use estimate::Pair;
pub use measures::{
    AgentMeasures, CampaignMeasures, LabelMeasures, Measures, ServicePointMeasures, TeamMeasures,
};
use measures::{Flow, Sums, Tallied, Whole};
pub use paired::{COMPARED, Compared, Paired};
pub use single::{SINGLE_DAYS, SingleDay, TeamOfDay, TypeOfDay};

/// Sums over replications, and the first [`SINGLE_DAYS`] one by one: its size is bounded however many there are.
///
/// Summaries of parts can be [merged](Self::merge). Floating-point sums depend on their order, so
/// whoever splits a trial splits it the same way each time and merges in order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Summary {
    replications: u32,
    intervals: usize,
    interval_secs: f64,
    /// All contacts: the day, then its intervals.
    whole: Table,
    types: Vec<Table>,
    service_points: Vec<Table>,
    teams: Vec<Table>,
    /// The day, then its intervals, by campaign.
    campaigns: Vec<Table>,
    agents: Table,
    labels: Table,
    flows: Table,
    /// The same by contact type, one after the other.
    type_flows: Table,
    answer_waits: Vec<WaitSketch>,
    abandon_waits: Vec<WaitSketch>,
    /// Agents by interval, where that is asked for; not kept.
    #[serde(skip)]
    agent_intervals: Table,
    /// The last field: sums that were kept without it are read as if it were empty.
    single: Vec<SingleDay>,
}

/// Rows of sums, one after the other.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
struct Table {
    pairs: Vec<Pair>,
}

impl Table {
    /// Adds one replication: one tally per row.
    fn add<T: Tallied>(&mut self, rows: impl Iterator<Item = T>) {
        let mut place = 0;
        for row in rows {
            for (top, bottom) in row.pairs() {
                if place == self.pairs.len() {
                    self.pairs.push(Pair::default());
                }
                self.pairs[place].add(top, bottom);
                place += 1;
            }
        }
    }

    fn merge(&mut self, other: &Self) {
        self.pairs.resize(self.pairs.len().max(other.pairs.len()), Pair::default());
        self.pairs.iter_mut().zip(&other.pairs).for_each(|(pair, other)| pair.merge(other));
    }
}

impl Summary {
    /// An empty summary of trials with so many intervals.
    pub fn new(intervals: usize, interval_secs: f64) -> Self {
        Self {
            replications: 0,
            intervals,
            interval_secs,
            whole: Table::default(),
            types: Vec::new(),
            service_points: Vec::new(),
            teams: Vec::new(),
            campaigns: Vec::new(),
            agents: Table::default(),
            labels: Table::default(),
            flows: Table::default(),
            type_flows: Table::default(),
            answer_waits: Vec::new(),
            abandon_waits: Vec::new(),
            agent_intervals: Table::default(),
            single: Vec::new(),
        }
    }

    /// Adds one replication. Add them in order: sums of floating-point numbers depend on it.
    pub fn add(&mut self, day: &DayTally) {
        self.replications += 1;
        let n = self.intervals.max(1);
        let of_interval = |interval: usize| {
            let (contacts, people) = day.of_interval(interval);
            Whole(contacts, people)
        };
        let total = Whole(day.total(), day.total_of_teams());
        self.whole.add(std::iter::once(total).chain((0..n).map(of_interval)));
        add_parts(&mut self.types, day.types.chunks(n), |row| {
            let mut total = TypeTally::default();
            row.iter().for_each(|each| total.add(each));
            let nobody = TeamTally::default();
            std::iter::once(total).chain(row.iter().copied()).map(move |each| Whole(each, nobody))
        });
        add_parts(&mut self.service_points, day.service_points.chunks(n), |row| {
            let mut total = ServicePointTally::default();
            row.iter().for_each(|each| total.add(each));
            std::iter::once(total).chain(row.iter().copied())
        });
        add_parts(&mut self.teams, day.teams.chunks(n), |row| {
            let mut total = TeamTally::default();
            row.iter().for_each(|each| total.add(each));
            std::iter::once(total).chain(row.iter().copied())
        });
        add_parts(&mut self.campaigns, day.campaigns.chunks(n), |row| {
            let mut total = CampaignTally::default();
            row.iter().for_each(|each| total.add(each));
            std::iter::once(total).chain(row.iter().copied())
        });
        self.agents.add(day.agents.iter().copied());
        self.agent_intervals.add(day.agent_intervals.iter().copied());
        self.labels.add(day.labels.iter().copied());
        let kinds = (day.types.len() / n).max(1);
        let ways = day.flows.len() / kinds;
        let of_all = |way: usize| (0..kinds).map(|kind| day.flows[kind * ways + way]).sum();
        self.flows.add((0..ways).map(|way| Flow(of_all(way))));
        self.type_flows.add(day.flows.iter().map(|&count| Flow(count)));
        record_waits(&mut self.answer_waits, &day.answer_waits);
        record_waits(&mut self.abandon_waits, &day.abandon_waits);
        if self.single.len() < SINGLE_DAYS {
            self.single.push(SingleDay::of(day, n));
        }
    }

    /// Adds the replications of another summary of the same experiment.
    pub fn merge(&mut self, other: &Self) {
        self.replications += other.replications;
        self.whole.merge(&other.whole);
        for (parts, others) in [
            (&mut self.types, &other.types),
            (&mut self.service_points, &other.service_points),
            (&mut self.teams, &other.teams),
            (&mut self.campaigns, &other.campaigns),
        ] {
            parts.resize_with(parts.len().max(others.len()), Table::default);
            parts.iter_mut().zip(others).for_each(|(part, other)| part.merge(other));
        }
        self.agents.merge(&other.agents);
        self.agent_intervals.merge(&other.agent_intervals);
        self.labels.merge(&other.labels);
        self.flows.merge(&other.flows);
        self.type_flows.merge(&other.type_flows);
        add_waits(&mut self.answer_waits, &other.answer_waits);
        add_waits(&mut self.abandon_waits, &other.abandon_waits);
        let room = SINGLE_DAYS.saturating_sub(self.single.len());
        self.single.extend(other.single.iter().take(room).cloned());
    }

    /// The sums by which candidates are compared: all contacts by interval, and the day of each contact
    /// type and team. Everything else is left out.
    #[must_use]
    pub fn in_short(mut self) -> Self {
        self.types.iter_mut().for_each(|table| table.pairs.truncate(Whole::WIDTH));
        self.teams.iter_mut().for_each(|table| table.pairs.truncate(TeamTally::WIDTH));
        self.campaigns.iter_mut().for_each(|table| table.pairs.truncate(CampaignTally::WIDTH));
        (self.agents, self.labels) = Default::default();
        (self.flows, self.type_flows) = Default::default();
        (self.service_points, self.answer_waits, self.abandon_waits) = Default::default();
        self.single.clear();
        self
    }

    /// Replications added so far.
    pub fn replications(&self) -> u32 {
        self.replications
    }

    /// The first [`SINGLE_DAYS`] replications, one by one.
    pub fn single_days(&self) -> &[SingleDay] {
        &self.single
    }

    /// The day as a whole.
    pub fn day(&self) -> Measures {
        self.day_of::<Whole>(&self.whole)
    }

    /// All contacts, interval by interval.
    pub fn intervals(&self) -> Vec<Measures> {
        self.rows::<Whole>(&self.whole)
    }

    /// One contact type: the day.
    pub fn of_type(&self, kind: usize) -> Measures {
        self.day_of::<Whole>(&self.types[kind])
    }

    /// How many contact types there are.
    pub fn type_count(&self) -> usize {
        self.types.len()
    }

    /// How many teams there are.
    pub fn team_count(&self) -> usize {
        self.teams.len()
    }

    /// One contact type, interval by interval.
    pub fn type_intervals(&self, kind: usize) -> Vec<Measures> {
        self.rows::<Whole>(&self.types[kind])
    }

    /// One queue or hunt group: the day.
    pub fn of_service_point(&self, line: usize) -> ServicePointMeasures {
        self.day_of::<ServicePointTally>(&self.service_points[line])
    }

    /// One queue or hunt group, interval by interval.
    pub fn service_point_intervals(&self, line: usize) -> Vec<ServicePointMeasures> {
        self.rows::<ServicePointTally>(&self.service_points[line])
    }

    /// One team: the day.
    pub fn of_team(&self, team: usize) -> TeamMeasures {
        self.day_of::<TeamTally>(&self.teams[team])
    }

    /// One team, interval by interval.
    pub fn team_intervals(&self, team: usize) -> Vec<TeamMeasures> {
        self.rows::<TeamTally>(&self.teams[team])
    }

    /// How many campaigns there are.
    pub fn campaign_count(&self) -> usize {
        self.campaigns.len()
    }

    /// One campaign: the whole of the replication.
    pub fn of_campaign(&self, campaign: usize) -> CampaignMeasures {
        self.day_of::<CampaignTally>(&self.campaigns[campaign])
    }

    /// One campaign, interval by interval.
    pub fn campaign_intervals(&self, campaign: usize) -> Vec<CampaignMeasures> {
        self.rows::<CampaignTally>(&self.campaigns[campaign])
    }

    /// Agent by agent.
    pub fn agents(&self) -> Vec<AgentMeasures> {
        self.all::<AgentTally>(&self.agents)
    }

    /// One agent interval by interval; nothing unless that was [asked for](crate::Counting).
    pub fn agent_intervals(&self, agent: usize) -> Vec<AgentMeasures> {
        let all = self.agent_intervals.pairs.len() / AgentTally::WIDTH;
        let rows = (agent * self.intervals..(agent + 1) * self.intervals).filter(|row| *row < all);
        rows.map(|row| self.read::<AgentTally>(&self.agent_intervals, row, self.interval_secs))
            .collect()
    }

    /// Label by label.
    pub fn labels(&self) -> Vec<LabelMeasures> {
        self.all::<LabelTally>(&self.labels)
    }

    /// Contacts per replication on each way from step to step.
    pub fn flows(&self) -> Vec<Estimate> {
        self.all::<Flow>(&self.flows)
    }

    /// Contacts of one type per replication on each way from step to step.
    pub fn type_flows(&self, kind: usize) -> Vec<Estimate> {
        let ways = self.flows.pairs.len() / Flow::WIDTH;
        let rows = kind * ways..(kind + 1) * ways;
        rows.map(|row| self.read::<Flow>(&self.type_flows, row, self.interval_secs)).collect()
    }

    /// Waits of those who were answered, by contact type.
    pub fn answer_waits(&self) -> &[WaitSketch] {
        &self.answer_waits
    }

    /// Waits of those who abandoned, by contact type.
    pub fn abandon_waits(&self) -> &[WaitSketch] {
        &self.abandon_waits
    }

    fn day_secs(&self) -> f64 {
        self.intervals as f64 * self.interval_secs
    }

    fn read<T: Tallied>(&self, table: &Table, row: usize, interval_secs: f64) -> T::Measures {
        self.read_of_width::<T>(table, T::WIDTH, row, interval_secs)
    }

    fn read_of_width<T: Tallied>(
        &self,
        table: &Table,
        width: usize,
        row: usize,
        interval_secs: f64,
    ) -> T::Measures {
        let row = table.pairs.get(row * width..).unwrap_or_default();
        let pairs = row[..width.min(row.len())].iter();
        T::measures(&mut Sums { pairs, replications: self.replications, interval_secs })
    }

    /// The day's row of a table that has one for the day and, unless they were left out, one for each interval.
    fn day_of<T: Tallied>(&self, table: &Table) -> T::Measures {
        self.read_of_width::<T>(table, self.width_of::<T>(table), 0, self.day_secs())
    }

    /// All rows behind the first, which is the day's.
    fn rows<T: Tallied>(&self, table: &Table) -> Vec<T::Measures> {
        let width = self.width_of::<T>(table);
        let read = |row| self.read_of_width::<T>(table, width, row, self.interval_secs);
        (1..=self.intervals).map(read).collect()
    }

    /// Pairs in a row of the day or of an interval. Sums that were kept by an earlier build may have fewer: what
    /// has been counted since stands behind the rest and is not there.
    fn width_of<T: Tallied>(&self, table: &Table) -> usize {
        let pairs = table.pairs.len();
        if pairs <= T::WIDTH { pairs } else { (pairs / (1 + self.intervals)).min(T::WIDTH) }
    }

    fn all<T: Tallied>(&self, table: &Table) -> Vec<T::Measures> {
        let rows = table.pairs.len() / T::WIDTH;
        (0..rows).map(|row| self.read::<T>(table, row, self.interval_secs)).collect()
    }
}

fn add_parts<'a, T: 'a, R: Tallied, I: Iterator<Item = R>>(
    tables: &mut Vec<Table>,
    rows: impl Iterator<Item = &'a [T]>,
    laid_out: impl Fn(&'a [T]) -> I,
) {
    for (place, row) in rows.enumerate() {
        if place == tables.len() {
            tables.push(Table::default());
        }
        tables[place].add(laid_out(row));
    }
}

fn record_waits(sums: &mut Vec<WaitSketch>, waits: &[Waits]) {
    sums.resize(sums.len().max(waits.len()), WaitSketch::default());
    sums.iter_mut().zip(waits).for_each(|(sum, waits)| sum.record(waits));
}

fn add_waits(sums: &mut Vec<WaitSketch>, waits: &[WaitSketch]) {
    sums.resize(sums.len().max(waits.len()), WaitSketch::default());
    sums.iter_mut().zip(waits).for_each(|(sum, waits)| sum.add(waits));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sums_that_were_kept_without_a_measure_are_read_as_they_were() {
        let dialled = CampaignTally {
            dials: 40.0,
            people: 10.0,
            abandoned: 2.0,
            people_abandoned: 2.0,
            abandoned_again: 1.0,
            ..CampaignTally::default()
        };
        let mut summary = Summary::new(3, 1800.0);
        for _ in 0..2 {
            summary.add(&DayTally {
                intervals: 3,
                campaigns: vec![dialled; 3],
                ..DayTally::default()
            });
        }
        let now = summary.of_campaign(0);
        assert_eq!(now.people_abandoned.map(|people| people.mean), Some(6.0));
        assert_eq!(now.abandoned_again.map(|share| share.mean), Some(0.5));
        // An earlier build counted two measures less.
        let mut kept = summary.clone();
        let rows = kept.campaigns[0].pairs.chunks(CampaignTally::WIDTH);
        kept.campaigns[0].pairs =
            rows.flat_map(|row| row[..CampaignTally::WIDTH - 2].to_vec()).collect();
        let before = kept.of_campaign(0);
        assert_eq!((before.people_abandoned, before.abandoned_again), (None, None));
        assert_eq!((before.dials, before.abandoned_share), (now.dials, now.abandoned_share));
        let (then, all) = (kept.campaign_intervals(0), summary.campaign_intervals(0));
        assert_eq!(then.len(), 3);
        for (then, now) in then.iter().zip(&all) {
            assert_eq!((then.dials, then.used_up), (now.dials, now.used_up));
            assert_eq!(then.people_abandoned, None);
        }
        // The day alone, as comparisons keep it.
        kept.campaigns[0].pairs.truncate(CampaignTally::WIDTH - 2);
        assert_eq!(kept.of_campaign(0).dials, now.dials);
    }
}
