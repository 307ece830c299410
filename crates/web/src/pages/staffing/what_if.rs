//! What if: more contacts, longer calls, other targets; what a point of service costs; two queues in
//! one.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{
    ForecastInterval, IntervalLoad, Model, NeedError, PlannedInterval, Pooling, PricedLevel, Rules,
    Service, Shrinkage, Verdict, agent_hours, may_pool, need_of_all, peak_of_levels, pooling,
    price_of_levels, service_of,
};
use barometer_store::ContactType;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::head::{Head, Tab};
use super::in_background;
use super::period::{period_words, span_of};
use super::{Asked, day_tabs};
use crate::App;
use crate::access::RequestContext;
use crate::charts;
use crate::extract::{Form, Path, Query};
use crate::page_error::PageError;
use crate::pages::{Choice, page};
use crate::words;
use barometer_app::staffing::Source;

/// Where the sliders stand: changes in per cent, points, and a target.
#[derive(Clone, Debug, Deserialize)]
#[serde(default)]
pub(crate) struct Sliders {
    pub volume: String,
    pub handle: String,
    pub patience: String,
    pub shrinkage: String,
    pub level: String,
    #[serde(flatten)]
    pub asked: Asked,
}

impl Default for Sliders {
    fn default() -> Self {
        let still = || "0".to_owned();
        Self {
            volume: still(),
            handle: still(),
            patience: still(),
            shrinkage: still(),
            level: String::new(),
            asked: Asked::default(),
        }
    }
}

#[derive(Template)]
#[template(path = "staffing/what_if.html")]
struct WhatIfPage {
    head: Head,
    id: Uuid,
    days: Vec<Choice>,
    day: String,
    span: String,
    sliders: Vec<Slider>,
    result: WhatIfResult,
}

/// One slider.
struct Slider {
    name: &'static str,
    label: &'static str,
    least: i32,
    most: i32,
    step: f64,
    value: String,
    unit: &'static str,
    is_change: bool,
}

#[derive(Template)]
#[template(path = "staffing/what_if_result.html")]
struct WhatIfResult {
    answer: String,
    curve: Option<String>,
    prices: Vec<Price>,
    has_cost: bool,
    pools: Vec<PoolRow>,
    cover: Option<CoverNow>,
}

struct Price {
    promised: String,
    hours: String,
    peak: u32,
    more: String,
    cost: String,
    is_today: bool,
}

struct PoolRow {
    name: String,
    apart: String,
    together: String,
    gain: String,
}

struct CoverNow {
    hours: String,
    level: String,
    abandonment: String,
    occupancy: String,
}

#[derive(Serialize)]
struct Curve {
    /// (agent-hours, service level in per cent, promised in per cent) of each promise.
    curve: Vec<(f64, f64, f64)>,
    cover: Option<(f64, f64)>,
    target: f64,
}

/// `GET /staffing/{contact_type}/what-if`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(asked): Query<Asked>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let types = app.store.contact_types(context.centre.id).await?;
    let typed = Sliders { asked: asked.clone(), ..Sliders::default() };
    let period = asked.period(&context);
    let days = day_tabs(&context, id, period).into_iter().map(|mut tab| {
        tab.address = tab.address.replacen("?", "/what-if?", 1);
        tab
    });
    page(&WhatIfPage {
        head: Head::new(&context, &types, &contact_type, Tab::WhatIf),
        id,
        days: days.collect(),
        day: context.day.to_string(),
        span: span_of(period),
        sliders: sliders(&contact_type.rules),
        result: result(&app, &context, &contact_type, &types, &typed).await?,
    })
}

/// `POST /staffing/{contact_type}/what-if`: the numbers for where the sliders stand.
pub(crate) async fn try_out(
    State(app): State<App>,
    mut context: RequestContext,
    Path(id): Path<Uuid>,
    Form(typed): Form<Sliders>,
) -> Result<Response, PageError> {
    context.day = typed.asked.day.parse().unwrap_or(context.day);
    let contact_type = app.store.contact_type(id).await?;
    let types = app.store.contact_types(context.centre.id).await?;
    page(&result(&app, &context, &contact_type, &types, &typed).await?)
}

fn sliders(rules: &Rules) -> Vec<Slider> {
    let change = |name, label, least, most| Slider {
        name,
        label,
        least,
        most,
        step: 1.0,
        value: "0".to_owned(),
        unit: " %",
        is_change: true,
    };
    let mut sliders = vec![
        change("volume", "Contacts", -40, 60),
        change("handle", "Handle time", -40, 60),
        Slider { unit: " points", ..change("shrinkage", "Shrinkage", -15, 25) },
    ];
    if rules.patience_secs.is_some() {
        sliders.push(change("patience", "Patience", -80, 200));
    }
    if Model::for_rules(rules) != Model::Deadline {
        sliders.push(Slider {
            name: "level",
            label: "Service level",
            least: 50,
            most: 99,
            step: 0.5,
            value: words::plain(rules.service_level * 100.0),
            unit: " %",
            is_change: false,
        });
    }
    sliders
}

/// The rules and the factor of the contacts that the sliders stand for.
fn moved(saved: &Rules, typed: &Sliders) -> (Rules, f64, f64) {
    let number = |text: &str, least: f64, most: f64| {
        text.trim()
            .parse::<f64>()
            .ok()
            .filter(|number| number.is_finite())
            .map(|n| n.clamp(least, most))
    };
    let factor = |text: &str| 1.0 + number(text, -90.0, 400.0).unwrap_or(0.0) / 100.0;
    let points = number(&typed.shrinkage, -80.0, 80.0).unwrap_or(0.0) / 100.0;
    let shrinkage = if points == 0.0 {
        saved.shrinkage
    } else {
        Shrinkage::of((saved.shrinkage.total() + points).clamp(0.0, 0.9))
    };
    let level = number(&typed.level, 1.0, 99.9).map_or(saved.service_level, |level| level / 100.0);
    let rules = Rules {
        service_level: level,
        patience_secs: saved.patience_secs.map(|secs| (secs * factor(&typed.patience)).max(1.0)),
        shrinkage,
        ..*saved
    };
    (rules, factor(&typed.volume), factor(&typed.handle))
}

async fn result(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    types: &[ContactType],
    typed: &Sliders,
) -> Result<WhatIfResult, PageError> {
    let saved = &contact_type.rules;
    let source = super::source(app, context, contact_type, &typed.asked).await?;
    let plan = source.plan(*saved).await?;
    let (rules, volume, handle) = moved(saved, typed);
    let when = period_words(typed.asked.period(context));
    if plan.is_empty() {
        return Ok(WhatIfResult::nothing(format!(
            "{} has nothing forecast {when}.",
            contact_type.name
        )));
    }
    if Model::for_rules(saved) == Model::Deadline {
        return Ok(WhatIfResult::nothing(format!(
            "{} can wait: its need is its work, spread until the deadline. Another volume or handle time changes it in proportion.",
            contact_type.name
        )));
    }
    let secs = source.interval_secs();
    let loads: Vec<IntervalLoad> = plan
        .iter()
        .map(|interval| IntervalLoad {
            contacts: interval.load.contacts * volume,
            handle_secs: interval.load.handle_secs * handle,
        })
        .collect();
    let cover: Option<Vec<u32>> = plan.iter().map(|interval| interval.assessment.cover).collect();
    let levels = levels_around(rules.service_level);
    let moved = Moved { loads, secs, rules, levels, cover: cover.clone() };
    let starts: Vec<Timestamp> = plan.iter().map(|interval| interval.start).collect();
    let pools =
        pools(app, context, contact_type, types, &typed.asked, moved.forecast(&starts), &moved);
    let pools = pools.await?;
    let Priced { agents, priced, peaks, now } = in_background(move || moved.price()).await?;
    Ok(WhatIfResult {
        answer: answer(contact_type, &plan, &agents, cover.as_deref(), &rules, secs, &when),
        curve: Some(charts::embedded(&curve(&priced, now.as_ref(), rules.service_level))?),
        prices: prices(&priced, &peaks, &rules),
        has_cost: rules.cost_per_hour.is_some(),
        pools,
        cover: now.map(|service| CoverNow {
            hours: words::thousands(service.agent_hours),
            level: words::percent(service.service_level),
            abandonment: words::percent(service.abandonment),
            occupancy: words::percent(service.occupancy),
        }),
    })
}

impl WhatIfResult {
    fn nothing(answer: String) -> Self {
        Self {
            answer,
            curve: None,
            prices: Vec::new(),
            has_cost: false,
            pools: Vec::new(),
            cover: None,
        }
    }
}

/// The usual levels with the one that is promised.
fn levels_around(promised: f64) -> Vec<f64> {
    let mut levels = vec![0.5, 0.6, 0.7, 0.75, 0.8, 0.85, 0.9, 0.95, 0.98, 0.99];
    if !levels.iter().any(|level| (level - promised).abs() < 1e-9) {
        levels.push(promised);
    }
    levels.sort_by(f64::total_cmp);
    levels
}

/// Loads and rules as the sliders stand.
#[derive(Clone)]
struct Moved {
    loads: Vec<IntervalLoad>,
    secs: f64,
    rules: Rules,
    levels: Vec<f64>,
    cover: Option<Vec<u32>>,
}

/// What they come to.
struct Priced {
    /// People needed, interval by interval.
    agents: Vec<u32>,
    /// What each level takes, and the most people at once.
    priced: Vec<PricedLevel>,
    peaks: Vec<u32>,
    /// What the cover gives.
    now: Option<Service>,
}

impl Moved {
    fn forecast(&self, starts: &[Timestamp]) -> Vec<ForecastInterval> {
        let intervals = starts.iter().zip(&self.loads);
        intervals.map(|(&start, &load)| ForecastInterval { start, load }).collect()
    }

    fn price(&self) -> Result<Priced, NeedError> {
        let Self { loads, secs, rules, levels, cover } = self;
        Ok(Priced {
            agents: need_of_all(loads, *secs, rules, Model::for_rules(rules))?,
            priced: price_of_levels(loads, *secs, rules, levels)?,
            peaks: peak_of_levels(loads, *secs, rules, levels)?,
            now: match cover {
                Some(cover) => service_of(loads, cover, *secs, rules)?,
                None => None,
            },
        })
    }
}

fn answer(
    contact_type: &ContactType,
    plan: &[PlannedInterval],
    agents: &[u32],
    cover: Option<&[u32]>,
    rules: &Rules,
    secs: f64,
    when: &str,
) -> String {
    let saved: Vec<u32> = plan.iter().map(|interval| interval.assessment.need).collect();
    let hours = |people: &[u32]| agent_hours(people.iter().copied(), secs);
    let (then, now) = (hours(&saved), hours(agents));
    let peak = agents.iter().max().copied().unwrap_or(0);
    let peak_then = saved.iter().max().copied().unwrap_or(0);
    let mut said = if agents == saved.as_slice() {
        format!(
            "{} {when} needs {} people at its peak and {} agent-hours on the phones.",
            contact_type.name,
            peak,
            words::thousands(now)
        )
    } else {
        format!(
            "{} {when} would need {peak} people at its peak instead of {peak_then}, and {} agent-hours instead of {} ({}).",
            contact_type.name,
            words::thousands(now),
            words::thousands(then),
            words::change(now / then.max(1e-9) - 1.0)
        )
    };
    let (roster, roster_then) =
        (now / rules.shrinkage.present(), then / contact_type.rules.shrinkage.present());
    if (roster - roster_then).abs() > 0.5 {
        said += &format!(
            " On the roster: {} hours instead of {}.",
            words::thousands(roster),
            words::thousands(roster_then)
        );
    }
    if let Some(cover) = cover {
        let verdicts =
            agents.iter().zip(cover).map(|(&need, &cover)| Verdict::on_cover(need, cover));
        let broken = verdicts.filter(|verdict| *verdict == Verdict::Breaks).count();
        said += &match broken {
            0 => " The cover holds.".to_owned(),
            1 => " The cover breaks in one interval.".to_owned(),
            many => format!(" The cover breaks in {} intervals.", words::count_word(many)),
        };
    }
    said
}

fn curve(priced: &[PricedLevel], now: Option<&Service>, target: f64) -> Curve {
    let percent = |share: f64| (share * 1000.0).round() / 10.0;
    Curve {
        curve: priced
            .iter()
            .map(|each| {
                let service = each.service;
                (
                    charts::tenth(service.agent_hours),
                    percent(service.service_level),
                    percent(each.promised),
                )
            })
            .collect(),
        cover: now.map(|now| (charts::tenth(now.agent_hours), percent(now.service_level))),
        target: percent(target),
    }
}

fn prices(priced: &[PricedLevel], peaks: &[u32], rules: &Rules) -> Vec<Price> {
    priced
        .iter()
        .enumerate()
        .map(|(at, each)| {
            let before = at.checked_sub(1).map(|before| &priced[before]);
            let per_point = before.map(|before| {
                (each.service.agent_hours - before.service.agent_hours)
                    / (100.0 * (each.promised - before.promised))
            });
            let per_point_paid = per_point.map(|hours| hours / rules.shrinkage.present());
            Price {
                promised: words::short_percent(each.promised),
                hours: words::thousands(each.service.agent_hours),
                peak: peaks.get(at).copied().unwrap_or(0),
                // Below some level the other targets decide alone, and a point costs nothing.
                more: match per_point {
                    None => String::new(),
                    Some(hours) if hours < 0.05 => "other targets".to_owned(),
                    Some(hours) => format!("{hours:.1}"),
                },
                cost: match (per_point_paid, rules.cost_per_hour) {
                    (Some(hours), Some(cost)) if hours >= 0.05 => words::thousands(hours * cost),
                    _ => String::new(),
                },
                is_today: (each.promised - rules.service_level).abs() < 1e-9,
            }
        })
        .collect()
}

/// What merging with each other queue of the centre would save, under the stricter of both targets.
async fn pools(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    types: &[ContactType],
    asked: &Asked,
    own: Vec<ForecastInterval>,
    moved: &Moved,
) -> Result<Vec<PoolRow>, PageError> {
    let (rules, secs) = (moved.rules, moved.secs);
    let mut others = Vec::new();
    for other in types.iter().filter(|other| other.id != contact_type.id) {
        if may_pool(&rules, &other.rules, [secs, other.grain.secs()]) {
            let (period, zone) = (asked.period(context), &context.centre.zone);
            let source = Source::read(&app.store, other, None, period, zone).await?;
            let theirs: Vec<ForecastInterval> = source.forecast().copied().collect();
            others.push((other.name.clone(), other.rules, theirs));
        }
    }
    let gains = in_background(move || {
        // A queue whose need cannot be computed has nothing to say here.
        let gain = |(name, their_rules, theirs): (String, Rules, Vec<ForecastInterval>)| {
            let gain = pooling((&own, &rules), (&theirs, &their_rules), secs).ok()?;
            Some((name, gain))
        };
        Ok(others.into_iter().filter_map(gain).collect::<Vec<_>>())
    });
    Ok(gains.await?.into_iter().map(|(name, gain)| pool_row(name, gain)).collect())
}

fn pool_row(name: String, Pooling { apart_hours, together_hours }: Pooling) -> PoolRow {
    PoolRow {
        name,
        apart: words::thousands(apart_hours),
        together: words::thousands(together_hours),
        gain: format!(
            "{} ({})",
            words::thousands(together_hours - apart_hours),
            words::change(together_hours / apart_hours.max(1e-9) - 1.0)
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sliders_move_rules_and_loads_and_nonsense_moves_nothing() {
        let typed = Sliders {
            volume: "10".into(),
            handle: "lots".into(),
            shrinkage: "5".into(),
            level: "90".into(),
            ..Sliders::default()
        };
        let (rules, volume, handle) = moved(&Rules::STARTING, &typed);
        assert!((volume - 1.1).abs() < 1e-12 && handle == 1.0);
        assert!((rules.service_level - 0.9).abs() < 1e-12);
        let more = rules.shrinkage.total() - Rules::STARTING.shrinkage.total();
        assert!((more - 0.05).abs() < 1e-9);
    }

    #[test]
    fn the_promised_level_stands_among_the_usual_ones() {
        assert_eq!(levels_around(0.8).len(), 10);
        let levels = levels_around(0.83);
        assert!(levels.windows(2).all(|pair| pair[0] < pair[1]) && levels.contains(&0.83));
    }
}
