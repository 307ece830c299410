//! What is played: the strategy that is live, with the callers and people of the hidden truth.

use barometer_simulate::{
    Arrivals, Burst, Cover, Demand, DemandInterval, Experiment, People, TeamCover, TypeDemand,
};
use barometer_wire::{Caller, DayPlan, Disturbance};
use jiff::tz::TimeZone;

use crate::known::{Known, read};
use crate::span::Span;
use crate::truth::{self, STEP_SECS};

/// The experiment of a span; none as long as there is no strategy, or nobody is planned.
pub(crate) fn experiment(
    known: &Known,
    span: &Span,
    zone: &TimeZone,
    seed: u64,
) -> Option<Result<Experiment, String>> {
    let release = known.release.as_ref()?;
    let plan = known.plans.get(&span.date)?;
    let strategy = match read(&release.release) {
        Ok(strategy) => strategy,
        Err(message) => return Some(Err(message)),
    };
    let types = known.types.iter().filter_map(|name| demand(known, span, plan, name, seed));
    let demand = Demand {
        start: span.origin,
        zone: zone.clone(),
        interval_secs: STEP_SECS,
        types: types.collect(),
    };
    // A team that this strategy does not have has nothing to do.
    let teams =
        plan.teams.iter().filter(|team| strategy.teams.iter().any(|known| known.id == team.team));
    let cover = teams.map(|team| {
        let mut people = vec![0; span.first_step];
        people.extend(truth::people(plan, team, &known.disturbances, seed));
        people.resize(span.steps, 0);
        TeamCover { team: team.team.clone(), people: People::Counted(people) }
    });
    let cover = Cover { teams: cover.collect() };
    let experiment = Experiment::new(&strategy, &demand, &cover, 1, seed);
    let experiment = experiment.map_err(|error| error.to_string());
    Some(experiment.map(|experiment| with_bursts(experiment, known, span)))
}

/// The experiment with what its campaigns are made to do. One that this strategy does not have does nothing.
fn with_bursts(experiment: Experiment, known: &Known, span: &Span) -> Experiment {
    known.disturbances.iter().fold(experiment, |experiment, disturbance| match disturbance {
        Disturbance::CampaignBurst { campaign, from, minutes, factor } => {
            let from_secs = span.secs(*from);
            let burst =
                Burst { from_secs, until_secs: from_secs + 60.0 * minutes, factor: *factor };
            experiment.with_burst(campaign, burst)
        }
        _ => experiment,
    })
}

/// What comes of a contact type: nobody new yesterday, and today what the truth is.
fn demand(known: &Known, span: &Span, plan: &DayPlan, name: &str, seed: u64) -> Option<TypeDemand> {
    let of = |plan: &'_ DayPlan| -> Option<Caller> {
        plan.callers.iter().find(|caller| caller.contact_type == name).cloned()
    };
    let truth =
        |plan: &DayPlan, caller: &Caller| truth::demand(plan, caller, &known.disturbances, seed);
    let today = of(plan);
    let caller = today.clone().or_else(|| known.plans.values().find_map(of))?;
    let handle_secs = caller.customers.handling.mean_secs();
    let nobody = DemandInterval { contacts: 0.0, handle_secs };
    let mut intervals = vec![nobody; span.first_step];
    // Who came yesterday is handled as long as contacts took then.
    let before = span.date.yesterday().ok().and_then(|date| known.plans.get(&date));
    if let Some((plan, caller)) = before.and_then(|plan| Some((plan, of(plan)?))) {
        for (step, came) in intervals.iter_mut().zip(truth(plan, &caller)) {
            step.handle_secs = came.handle_secs;
        }
    }
    intervals.extend(today.iter().flat_map(|caller| truth(plan, caller)));
    intervals.resize(span.steps, nobody);
    Some(TypeDemand {
        name: name.to_owned(),
        customers: caller.customers,
        within_secs: caller.within_secs,
        intervals,
        arrivals: Arrivals::Random,
        luck: None,
    })
}
