//! Campaign days: whether predictive pacing keeps its ceiling and beats steady pacing on the same people,
//! and the engine beside a loop written for steady pacing alone.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::hint::black_box;

use barometer_simulate::{
    Arrivals, CampaignMeasures, Cover, Demand, DemandInterval, Experiment, People, TeamCover,
    TypeDemand,
};
use barometer_strategy::{Campaign, Customers, OpenHours, Pacing, Strategy};
use barometer_timing::{compare, measure};
use jiff::civil::time;
use rand::{RngExt, SeedableRng};
use rand_distr::{Distribution, Exp1};
use rand_xoshiro::Xoshiro256PlusPlus;

const HALF_HOURS: usize = 20;
const DAY_SECS: f64 = HALF_HOURS as f64 * 1800.0;
/// Days of each kind.
const DAYS: u32 = 100;
/// Days on which a steady pacing must keep the ceiling to count as safe.
const SAFE: f64 = 0.01;

fn campaign(answered: f64, pacing: Pacing) -> Campaign {
    let mut campaign = Campaign::named("campaign", "Campaign", "team");
    campaign.hours =
        vec![OpenHours { days: Vec::new(), from: time(8, 0, 0, 0), until: time(18, 0, 0, 0) }];
    campaign.list.people = 800_000;
    campaign.assumed.answered_share = vec![answered];
    campaign.assumed.machine_share = 0.0;
    campaign.pacing = pacing;
    campaign
}

fn day(agents: u32, campaign: Campaign, days: u32) -> Experiment {
    let mut strategy = Strategy::plain("Calls");
    strategy.campaigns = vec![campaign];
    let nobody = DemandInterval { contacts: 0.0, handle_secs: 180.0 };
    let demand = Demand {
        start: "2026-01-05T08:00:00Z".parse().expect("a moment"),
        zone: jiff::tz::TimeZone::UTC,
        interval_secs: 1800.0,
        types: vec![TypeDemand {
            name: "Calls".to_owned(),
            customers: Customers::calls(180.0, None),
            within_secs: 20.0,
            intervals: vec![nobody; HALF_HOURS],
            arrivals: Arrivals::Random,
            luck: None,
        }],
    };
    let people = People::Counted(vec![agents; HALF_HOURS]);
    let cover = Cover { teams: vec![TeamCover { team: "team".to_owned(), people }] };
    Experiment::new(&strategy, &demand, &cover, days, 7).expect("a playable experiment")
}

fn played(agents: u32, campaign: Campaign, days: u32) -> CampaignMeasures {
    let experiment = day(agents, campaign, days);
    experiment.play_part(0..days).expect("an end").of_campaign(0)
}

fn share(estimate: Option<barometer_simulate::Estimate>) -> f64 {
    estimate.map_or(0.0, |estimate| estimate.mean)
}

/// Answered shares before and after noon.
fn halves(answered: f64, factor: f64) -> Vec<f64> {
    let after = (answered * factor).min(0.9);
    (0..24).map(|hour| if hour < 13 { answered } else { after }).collect()
}

fn ceilings(teams: &[u32]) {
    println!(
        "{DAYS} days of ten hours each, ceiling 3 %, answers as they are, halved and doubled at 13:00\n\
         agents answered  change   predictive: busy  abandoned  days over   steady, best safe: lines  busy  abandoned"
    );
    for &agents in teams {
        for answered in [0.1, 0.3, 0.6] {
            for factor in [1.0, 0.5, 2.0] {
                let with = |pacing: Pacing, days: u32| {
                    let mut campaign = campaign(answered, pacing);
                    campaign.assumed.answered_share = halves(answered, factor);
                    // Whatever else calls come to has room beside the answers.
                    (campaign.assumed.busy_share, campaign.assumed.unusable_share) = (0.03, 0.02);
                    played(agents, campaign, days)
                };
                let own = with(Pacing::Predictive {}, DAYS);
                let mut best: Option<(f64, CampaignMeasures)> = None;
                // Large teams ring many lines, and one of their days is like the other: coarser steps and
                // fewer days find the best as well.
                let (step, steady_days) = if agents > 50 { (0.5, DAYS / 4) } else { (0.25, DAYS) };
                for nth in 0..60 {
                    let lines_per_agent = 1.0 + step * f64::from(nth);
                    let got = with(Pacing::Steady { lines_per_agent }, steady_days);
                    if share(got.dates_over) > SAFE {
                        break;
                    }
                    if best
                        .is_none_or(|(_, other)| share(got.utilisation) > share(other.utilisation))
                    {
                        best = Some((lines_per_agent, got));
                    }
                }
                let (lines, steady) = best.map_or((1.0, own), |best| best);
                println!(
                    "{agents:>6} {answered:>8.1} {factor:>7}   {:>16.3} {:>10.4} {:>10.2}   {lines:>24.2} {:>5.3} {:>10.4}",
                    share(own.utilisation),
                    share(own.abandoned_share),
                    share(own.dates_over),
                    share(steady.utilisation),
                    share(steady.abandoned_share),
                );
            }
        }
    }
}

/// A loop for steady pacing alone: exponential times, and nothing but counts of agents and lines.
fn plain_loop(days: u32, agents: u32, lines_per_agent: f64, answered: f64) -> (u64, u64, u64) {
    let mut random = Xoshiro256PlusPlus::seed_from_u64(1);
    let (mut dials, mut talks, mut lost) = (0, 0, 0);
    for _ in 0..days {
        let mut events: BinaryHeap<Reverse<(u64, bool)>> = BinaryHeap::new();
        let (mut now, mut free, mut ringing) = (0.0, agents, 0);
        loop {
            while f64::from(ringing) < (lines_per_agent * f64::from(free)).floor() && now < DAY_SECS
            {
                let rings: f64 = Exp1.sample(&mut random);
                events.push(Reverse(((now + 20.0 * rings).to_bits(), true)));
                ringing += 1;
                dials += 1;
            }
            let Some(Reverse((at, is_line))) = events.pop() else { break };
            now = f64::from_bits(at);
            if !is_line {
                free += 1;
                continue;
            }
            ringing -= 1;
            if random.random::<f64>() < answered {
                if free == 0 {
                    lost += 1;
                    continue;
                }
                free -= 1;
                talks += 1;
                let talk: f64 = Exp1.sample(&mut random);
                events.push(Reverse(((now + 180.0 * talk).to_bits(), false)));
            }
        }
    }
    (dials, talks, lost)
}

fn main() {
    let steady = || campaign(0.3, Pacing::Steady { lines_per_agent: 2.5 });
    let experiment = day(60, steady(), DAYS);
    let one_core = rayon::ThreadPoolBuilder::new().num_threads(1).build().expect("a thread");
    let dials = experiment.play_part(0..5).expect("an end").of_campaign(0).dials.mean;
    println!("{DAYS} days of ten hours, 60 agents, {dials:.0} dials a day");
    compare(
        "Steady pacing beside a loop for it alone, one core",
        || black_box(plain_loop(DAYS, 60, 2.5, 0.3)),
        || one_core.install(|| experiment.play_part(0..DAYS).expect("an end")),
    );
    let predictive = day(60, campaign(0.3, Pacing::Predictive {}), DAYS);
    measure("Predictive pacing, the same days, all cores", || {
        predictive.play_part(0..DAYS).expect("an end")
    });
    // `cargo bench --bench outbound -- 5 20` looks at teams of these sizes alone.
    let mut teams: Vec<u32> = std::env::args().filter_map(|size| size.parse().ok()).collect();
    if teams.is_empty() {
        teams = vec![5, 10, 20, 60, 200];
    }
    ceilings(&teams);
}
