//! What a search has found, as planners read it: the answer, the people, the targets, what else there was.

use std::collections::BTreeSet;

use barometer_plan::{Searchable, Sweepable, Verdict};
use barometer_search::{
    Answer, Claim, DayKind, DesignFigures, GoalAnswer, GoalName, Measure, Promise, Question, Reach,
    SettingKnob, SettingRange, TriedWhat, ValueTried,
};
use barometer_store::Search;
use jiff::tz::TimeZone;

use super::form::promise_words;
use super::parallel::Parallel;
use super::picture::{HEIGHT, Picture, WIDTH};
use super::typed::value_words;
use crate::holding_words::{days_name, share_words};
use crate::words;

/// A target within this share of its bound is what people are there for.
const BINDS: f64 = 0.01;

pub(super) struct ResultView {
    pub verdict: Verdict,
    pub sentence: String,
    pub notes: Vec<String>,
    pub heads: Vec<String>,
    pub teams: Vec<TeamRow>,
    pub goals: Vec<GoalRow>,
    pub settings: Vec<SettingRow>,
    /// Whether one of them differs from the trial's.
    pub changes_settings: bool,
    pub frontier: Vec<FrontierRow>,
    pub picture: Picture,
    pub parallel: Option<Parallel>,
    pub width: f64,
    pub height: f64,
    pub has_prices: bool,
    pub tried: String,
}

pub(super) struct TeamRow {
    pub name: String,
    pub cells: Vec<PeopleCell>,
    pub hours: String,
    pub change: String,
}

#[derive(Default)]
pub(super) struct PeopleCell {
    pub people: String,
    pub change: String,
    /// "more", "fewer", or nothing.
    pub class: &'static str,
}

pub(super) struct GoalRow {
    pub of: String,
    pub measure: &'static str,
    pub verdict: Verdict,
    pub wanted: String,
    pub got: String,
    pub start: String,
    pub days: String,
    pub price: String,
}

pub(super) struct SettingRow {
    pub name: String,
    pub value: String,
    /// What each value does to the design: the value, whether every target holds, and the points of the worst.
    pub values: Vec<(String, Verdict, String)>,
    /// How far it may move; empty where that is not known.
    pub range: String,
}

pub(super) struct FrontierRow {
    pub cost: String,
    pub hours: String,
    pub worst: String,
    pub level: String,
    pub days: String,
    pub is_best: bool,
}

impl ResultView {
    pub fn of(search: &Search, answer: &Answer, zone: &TimeZone) -> Self {
        let question = &search.question;
        let (is_money, setting_names) = (question.is_in_money(), setting_names(question));
        let view = View { search, answer, zone, is_money, setting_names };
        let froms: BTreeSet<usize> = answer.blocks.iter().map(|block| block.from).collect();
        let starts: Vec<_> = question.base.starts().collect();
        let is_one_day = search.subject.days == 1;
        let heads = froms.iter().filter_map(|&from| {
            let start = *starts.get(from)?;
            Some(if is_one_day { words::clock(start, zone) } else { words::day_clock(start, zone) })
        });
        Self {
            verdict: match answer.claim {
                Claim::Holds => Verdict::Holds,
                Claim::NotSure => Verdict::Marginal,
                Claim::OutOfReach => Verdict::Breaks,
            },
            sentence: view.sentence(),
            notes: view.notes(),
            heads: heads.collect(),
            teams: view.teams(&froms.into_iter().collect::<Vec<_>>()),
            goals: view.goals(),
            settings: view.settings(),
            changes_settings: answer.best.design.settings.iter().any(Option::is_some),
            frontier: view.frontier(),
            picture: Picture::of(answer),
            parallel: Parallel::of(question, answer, &view.setting_names),
            width: WIDTH,
            height: HEIGHT,
            has_prices: answer.best.goals.iter().any(|goal| goal.price_per_point > 0.0),
            tried: view.tried(),
        }
    }
}

struct View<'a> {
    search: &'a Search,
    answer: &'a Answer,
    zone: &'a TimeZone,
    is_money: bool,
    /// What each setting is called.
    setting_names: Vec<String>,
}

impl View<'_> {
    /// "Planned: 98 hours" and the like.
    fn cost_words(&self, figures: &DesignFigures) -> String {
        let hours = format!("{} agent-hours", words::one_decimal(figures.hours));
        if !self.is_money {
            return hours;
        }
        let of_contacts = match self.search.question.prices.are_any() {
            true => format!(", {} of it for contacts", words::thousands(figures.priced)),
            false => String::new(),
        };
        format!("{hours} (cost {}{of_contacts})", words::thousands(figures.cost))
    }

    fn name(&self, of: GoalName) -> String {
        let base = &self.search.question.base;
        match of {
            GoalName::ContactType(at) => {
                base.types.get(at).map_or_else(String::new, |each| each.name.clone())
            }
            GoalName::OnDayKind { contact_type, day_kind } => {
                let kind = self.search.question.day_kinds.get(day_kind);
                let kind = kind.map_or("", |kind| kind.name.as_str());
                format!("{}, {kind}", self.name(GoalName::ContactType(contact_type)))
            }
            GoalName::Team(at) => {
                base.strategy.teams.get(at).map_or_else(String::new, |team| team.name.clone())
            }
        }
    }

    /// Whose target it is, and of which interval.
    fn goal_name(&self, goal: &GoalAnswer) -> String {
        let name = self.name(goal.of);
        let start = goal.interval.and_then(|at| self.search.question.base.starts().nth(at));
        let Some(start) = start else { return name };
        let at = match self.search.subject.days {
            1 => words::clock(start, self.zone),
            _ => words::day_clock(start, self.zone),
        };
        format!("{name}, worst at {at}")
    }

    fn days_words(&self, figures: &DesignFigures) -> String {
        let subject = &self.search.subject;
        let held = share_words(figures.days_held, &days_name(subject.day, subject.days));
        if figures.days_held <= 0.0 || figures.days_held >= 1.0 {
            return held;
        }
        let half_width = words::plus_minus(Some(figures.days_held_half_width), 100.0);
        format!("{held} ({}{half_width})", words::percent(figures.days_held))
    }

    fn sentence(&self) -> String {
        let (best, start) = (&self.answer.best, &self.answer.start);
        let promise = promise_words(self.search.question.promise);
        let found = self.cost_words(best);
        let before = format!(
            "The trial's {} hold them all on {}",
            self.cost_words(start),
            self.days_words(start)
        );
        match self.answer.claim {
            Claim::Holds => {
                format!(
                    "{found} hold every target {promise}; all hold at once on {}. {before}.",
                    self.days_words(best)
                )
            }
            Claim::NotSure => format!(
                "{found} is the best found, but fresh days do not confirm every target {promise}: all hold at once on {}. {before}.",
                self.days_words(best)
            ),
            Claim::OutOfReach => {
                let missed: Vec<String> = best
                    .goals
                    .iter()
                    .filter(|goal| goal.score() < 0.0)
                    .map(|goal| {
                        let (of, got) = (self.goal_name(goal), words::percent(goal.got));
                        format!("{of} reaches {} {got}", measure_words(goal.measure))
                    })
                    .collect();
                format!(
                    "No design within these bounds holds every target {promise}: with the most people allowed, {}.",
                    if missed.is_empty() {
                        format!("they hold on {}", self.days_words(best))
                    } else {
                        words::listing(&missed)
                    }
                )
            }
        }
    }

    fn notes(&self) -> Vec<String> {
        let (answer, mut notes) = (self.answer, Vec::new());
        let binding: Vec<String> = answer
            .best
            .goals
            .iter()
            .filter(|goal| goal.price_per_point > 1e-3 && goal.score().abs() < 3.0 * BINDS)
            .map(|goal| {
                format!(
                    "{} of {} (its last point costs {})",
                    measure_words(goal.measure),
                    self.goal_name(goal),
                    self.price_words(goal.price_per_point)
                )
            })
            .collect();
        if !binding.is_empty() && answer.claim != Claim::OutOfReach {
            notes.push(format!("What people are there for: {}.", words::listing(&binding)));
        }
        let prices = self.search.question.prices.named();
        let priced = prices.iter().filter(|(_, price)| *price > 0.0);
        let priced: Vec<String> = priced
            .map(|(name, price)| format!("{} for each {name}", words::plain(*price)))
            .collect();
        if !priced.is_empty() {
            notes.push(format!(
                "What contacts cost: {}. People are worth adding where they save more than they cost.",
                words::listing(&priced)
            ));
        }
        for kind in &self.search.question.day_kinds {
            notes.push(day_kind_words(kind));
        }
        if let Some(point) = answer.breaking_point {
            notes.push(format!(
                "It breaks on days with more than {} contacts ({} of days; this tells {} of days right).",
                words::thousands(point.contacts),
                words::whole_percent(point.above),
                words::whole_percent(point.right)
            ));
        }
        if let Some(proof) = answer.proof {
            notes.push(format!(
                "Proven on simulated days: nothing cheaper is sure to hold{}. {} designs were simulated to rule it out; more people never serve worse.",
                match (self.search.question.settings.is_empty(), proof.of_all_settings) {
                    (true, _) => "",
                    (false, true) => " with any of the settings’ values",
                    (false, false) => " with these settings",
                },
                words::thousands(proof.designs as f64),
            ));
        } else if let Some(bound) = answer.bound.filter(|_| answer.claim != Claim::OutOfReach) {
            let gap = (answer.best.cost - bound) / answer.best.cost.max(1e-9);
            notes.push(format!(
                "The cutting planes allow nothing below {} ({} less){} where service is concave in people; it is the best found, not a proven optimum.",
                words::one_decimal(bound),
                words::percent(gap.max(0.0)),
                if self.search.question.settings.is_empty() { "" } else { " with these settings" },
            ));
        }
        if answer.is_cut_short {
            notes.push(
                "The search ended before it was done; more days may find a cheaper design.".into(),
            );
        }
        notes
    }

    fn price_words(&self, price: f64) -> String {
        match self.is_money {
            true => words::one_decimal(price),
            false => format!("{} h", words::one_decimal(price)),
        }
    }

    fn teams(&self, froms: &[usize]) -> Vec<TeamRow> {
        let (answer, question) = (self.answer, &self.search.question);
        let best = &answer.best.design.people;
        let hours = answer.best.design.hours_by_team(question, &answer.blocks);
        let row = |knob: usize, team: &barometer_search::TeamKnob| {
            let of_team = || (0..answer.blocks.len()).filter(|&at| answer.blocks[at].knob == knob);
            let hours = hours[knob];
            let agents = question.base.teams.iter().find(|each| each.team == team.team);
            let agents = agents.map_or(&[][..], |each| each.agents.as_slice());
            // The mean of the trial's people in a block.
            let in_trial = |at: usize| {
                let block = &answer.blocks[at];
                let people = agents.get(block.from..block.until).unwrap_or_default();
                f64::from(people.iter().sum::<u32>()) / people.len().max(1) as f64
            };
            let hours_in_trial: f64 =
                of_team().map(|at| answer.blocks[at].hours * in_trial(at)).sum();
            let cells = froms.iter().map(|&from| {
                let Some(at) = of_team().find(|&at| answer.blocks[at].from == from) else {
                    return PeopleCell::default();
                };
                let change = f64::from(best[at]) - in_trial(at);
                let rounded = words::signed_one_decimal(change);
                let (class, change) = match rounded.as_str() {
                    "0.0" => ("", String::new()),
                    _ => (
                        if change > 0.0 { "more" } else { "fewer" },
                        rounded.trim_end_matches(".0").to_owned(),
                    ),
                };
                PeopleCell { people: best[at].to_string(), change, class }
            });
            let named = question.base.strategy.teams.iter().find(|each| each.id == team.team);
            TeamRow {
                name: named.map_or_else(|| team.team.clone(), |each| each.name.clone()),
                cells: cells.collect(),
                hours: words::one_decimal(hours),
                change: words::signed_one_decimal(hours - hours_in_trial),
            }
        };
        question.teams.iter().enumerate().map(|(knob, team)| row(knob, team)).collect()
    }

    fn goals(&self) -> Vec<GoalRow> {
        let promise = self.search.question.promise;
        let pairs = self.answer.best.goals.iter().zip(&self.answer.start.goals);
        pairs
            .map(|(goal, start)| GoalRow {
                of: self.goal_name(goal),
                measure: measure_words(goal.measure),
                verdict: verdict_of(goal, promise),
                wanted: match goal.measure {
                    Measure::ServiceLevel => format!("≥ {}", words::short_percent(goal.wanted)),
                    _ => format!("≤ {}", words::short_percent(goal.wanted)),
                },
                got: format!(
                    "{}{}",
                    words::percent(goal.got),
                    words::plus_minus(Some(goal.half_width), 100.0)
                ),
                start: words::percent(start.got),
                days: words::percent(goal.days_held),
                price: if goal.price_per_point > 1e-3 {
                    self.price_words(goal.price_per_point)
                } else {
                    words::NONE.to_owned()
                },
            })
            .collect()
    }

    fn settings(&self) -> Vec<SettingRow> {
        let question = &self.search.question;
        let chosen = question.settings.iter().zip(&self.answer.best.design.settings);
        chosen
            .zip(&self.answer.has_effect)
            .enumerate()
            .map(|(nth, ((knob, value), has_effect))| SettingRow {
                name: self.setting_names[nth].clone(),
                value: match (value, has_effect) {
                    (_, false) => "no effect on these days".to_owned(),
                    (None, true) => "stays as it is: no value is better".to_owned(),
                    (Some(value), true) => value_words(&knob.setting, *value),
                },
                values: self
                    .answer
                    .values
                    .get(nth)
                    .into_iter()
                    .flatten()
                    .map(|tried| tried_words(&knob.setting, tried))
                    .collect(),
                range: self
                    .answer
                    .ranges
                    .get(nth)
                    .and_then(Option::as_ref)
                    .map_or_else(String::new, range_words),
            })
            .collect()
    }

    fn frontier(&self) -> Vec<FrontierRow> {
        let best = &self.answer.best.design;
        self.answer
            .frontier
            .iter()
            .map(|point| FrontierRow {
                cost: words::one_decimal(point.cost),
                hours: words::one_decimal(point.hours),
                worst: words::signed_one_decimal(100.0 * point.worst),
                level: words::percent(point.service_level),
                days: words::percent(point.days_held),
                is_best: point.design == *best,
            })
            .collect()
    }

    fn tried(&self) -> String {
        let count = |what: TriedWhat| {
            self.answer.tried.iter().filter(|tried| tried.what == what).count() as f64
        };
        format!(
            "{} designs on {} simulated days: {} by cutting planes, {} nearby, {} for what is cheaper, {} for the frontier",
            words::thousands(self.answer.tried.len() as f64),
            words::thousands(self.answer.days as f64),
            words::thousands(count(TriedWhat::Cuts)),
            words::thousands(count(TriedWhat::Nearby) + count(TriedWhat::Settings)),
            words::thousands(count(TriedWhat::Proof)),
            words::thousands(count(TriedWhat::Frontier)),
        )
    }
}

/// "Storm day: 140 % of the contacts and 10.0 % of people missing, on average over such days."
fn day_kind_words(kind: &DayKind) -> String {
    let missing = match kind.absent_share > 0.0 {
        true => format!(", {} of people missing", words::percent(kind.absent_share)),
        false => String::new(),
    };
    format!(
        "{}: {} of the contacts{missing}; its targets hold on average over such days.",
        words::capitalised(&kind.name),
        words::percent(kind.volume),
    )
}

/// What the settings that may change are called.
fn setting_names(question: &Question) -> Vec<String> {
    if question.settings.is_empty() {
        return Vec::new();
    }
    let all = Searchable::all(&question.base.strategy);
    let name = |knob: &SettingKnob| {
        let key = knob.setting.key();
        let named = all.iter().find(|known| known.setting.key() == key);
        named.map_or(key, |known| known.name.clone())
    };
    question.settings.iter().map(name).collect()
}

/// Of a target on average, by its confidence interval; of one on a share of days, by that share.
fn verdict_of(goal: &GoalAnswer, promise: Promise) -> Verdict {
    match promise {
        // How busy people are, and other kinds of day, are promised for all days together.
        Promise::OnShareOfDays(share) if matches!(goal.of, GoalName::ContactType(_)) => {
            if goal.days_held >= share { Verdict::Holds } else { Verdict::Breaks }
        }
        _ if goal.score() >= goal.half_width => Verdict::Holds,
        _ if goal.score() < -goal.half_width => Verdict::Breaks,
        _ => Verdict::Marginal,
    }
}

/// A value of a setting, and what it would do.
fn tried_words(setting: &Sweepable, tried: &ValueTried) -> (String, Verdict, String) {
    (
        tried
            .value
            .map_or_else(|| "as in the trial".to_owned(), |value| value_words(setting, value)),
        if tried.worst >= 0.0 { Verdict::Holds } else { Verdict::Breaks },
        format!("{} points", words::signed_one_decimal(100.0 * tried.worst)),
    )
}

/// "Every target holds from 10 (breaks at 9) to 80 or more."
fn range_words(range: &SettingRange) -> String {
    let end = |reach: &Reach, beyond: &str| {
        let holds = words::plain_number(reach.holds);
        reach.breaks.map_or_else(
            || format!("{holds}{beyond}"),
            |breaks| format!("{holds} (breaks at {})", words::plain_number(breaks)),
        )
    };
    format!(
        "Every target holds from {} to {}.",
        end(&range.down, " or less"),
        end(&range.up, " or more")
    )
}

fn measure_words(measure: Measure) -> &'static str {
    match measure {
        Measure::ServiceLevel => "service level",
        Measure::Abandonment => "abandonment",
        Measure::Occupancy => "occupancy",
    }
}
