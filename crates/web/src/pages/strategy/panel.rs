//! What stands beside the map about the open part: what it does to a caller, what is wrong with it, where
//! contacts go from it.

use askama::Template;
use barometer_preflight::Finding;
use barometer_strategy::{Campaign, PartId, StepName, Stop, Strategy, WayEnd};

use super::map::class_of;
use super::parts::pacing_words;
use super::query_of;
use super::seen::Seen;
use super::timeline::TimelineView;
use crate::access::RequestContext;
use crate::words;

/// The panel, above the form of the part.
#[derive(Template)]
#[template(path = "strategy/panel.html")]
pub(super) struct PanelView {
    sentence: String,
    findings: Vec<FindingView>,
    ways: Vec<WayRow>,
    timeline: Option<TimelineView>,
    /// Where the trial of this version tells what happened here.
    in_trial: Option<String>,
    repair_address: String,
    /// Where it is asked what a repair would do.
    effect_address: String,
    change_address: String,
    based_on: String,
    /// The part, as forms say it.
    key: String,
    /// Where a way can be led to: as forms say it, and by name.
    targets: Vec<(String, String)>,
    kinds: [StepName; 11],
    /// How it differs from the version that differences are told from.
    mark: Option<&'static str>,
    may_plan: bool,
}

/// A finding with its repairs.
pub(super) struct FindingView {
    pub title: &'static str,
    pub class: &'static str,
    pub severity: &'static str,
    pub reason: String,
    pub key: String,
    pub repairs: Vec<String>,
    /// Whether contacts notice a repair; nobody notices another number.
    pub changes_the_day: bool,
    /// Where it is, for lists of all findings.
    pub place: String,
    pub address: String,
    pub contacts: Option<String>,
}

struct WayRow {
    cause: String,
    to: String,
    share: Option<String>,
    address: Option<String>,
    /// The exit, as a JSON pointer within the part; none where nothing can be set.
    exit: Option<String>,
    /// Whether contacts may also stay where they are.
    may_stay: bool,
    /// Where it leads, as forms say it.
    led_to: String,
}

impl FindingView {
    pub fn of(finding: &Finding, strategy: &Strategy, address: &str) -> Self {
        let place = finding.part.of(strategy);
        Self {
            title: finding.rule.title(),
            class: class_of(finding.rule.severity()),
            severity: finding.rule.severity().words(),
            reason: finding.reason.clone(),
            key: finding.key(),
            repairs: finding.repairs.iter().map(|repair| repair.what.clone()).collect(),
            changes_the_day: !finding.rule.is_of_numbering(),
            place: place.map_or_else(|_| String::new(), |part| part.name().to_owned()),
            address: format!("{address}&part={}", finding.part),
            contacts: finding.contacts.map(words::thousands),
        }
    }
}

impl PanelView {
    pub fn of(seen: &Seen, part: &PartId, context: &RequestContext, address: &str) -> Self {
        let strategy = &seen.opened.strategy;
        let mine = seen.findings.iter().filter(|finding| finding.part == *part);
        Self {
            sentence: sentence(seen, part),
            findings: mine.map(|finding| FindingView::of(finding, strategy, address)).collect(),
            ways: ways(seen, part, address),
            timeline: TimelineView::of(seen, part, &context.centre.zone),
            in_trial: in_trial(seen, part),
            repair_address: format!("/strategy/repair?day={}", context.day),
            effect_address: format!(
                "/strategy/repair-effect?day={}&{}",
                context.day,
                query_of(&seen.opened)
            ),
            change_address: format!("/strategy/change?day={}", context.day),
            based_on: seen.opened.basis.to_string(),
            key: part.to_string(),
            targets: targets(strategy),
            kinds: StepName::ALL,
            mark: seen.mark_of(part),
            may_plan: context.may_plan(),
        }
    }
}

/// Where the trial of the open version tells what happened at a step.
fn in_trial(seen: &Seen, part: &PartId) -> Option<String> {
    let PartId::Step(step) = part else { return None };
    let (trial, open) = (seen.trial.as_ref()?, seen.opened.version()?);
    (trial.version == open.version).then(|| format!("/trials/{}/steps/{step}", trial.id))
}

/// What the part does to a caller at the moment, in the planner's present numbers.
fn sentence(seen: &Seen, part: &PartId) -> String {
    let strategy = &seen.opened.strategy;
    let at = seen.at.strftime("%H:%M");
    if let Some(campaign) = campaign_of(strategy, part) {
        return campaign_sentence(campaign);
    }
    let PartId::Step(_) = part else { return String::new() };
    let Some(step) = part.find(strategy) else { return String::new() };
    let Some(now) = seen.now.get(step) else { return String::new() };
    let coming = match now.contacts {
        contacts if contacts >= 1.0 => {
            let minutes = seen.premises.interval_secs / 60.0;
            let contacts = words::thousands(contacts);
            format!("{contacts} contacts arrive here in the {minutes:.0} minutes from {at}")
        }
        _ => format!("Hardly anything arrives here at {at}"),
    };
    let staffed = match (now.ranks.is_empty(), now.on_shift()) {
        (true, _) => String::new(),
        (false, 0) => "; nobody who answers here is on shift".to_owned(),
        (false, on_shift) => match now.pressure() {
            Some(pressure) => format!(
                "; {} on shift, pressure {}",
                words::people(on_shift),
                words::pressure(pressure)
            ),
            None => format!("; {} on shift", words::people(on_shift)),
        },
    };
    let waits = seen.load.as_ref().and_then(|load| load.wait_secs[step]);
    let waits = waits.map_or_else(String::new, |secs| {
        format!(". On the day of its trial contacts spent {secs:.0} s here on average")
    });
    format!("{coming}{staffed}{waits}.")
}

fn campaign_of<'a>(strategy: &'a Strategy, part: &PartId) -> Option<&'a Campaign> {
    let PartId::Campaign(id) = part else { return None };
    strategy.campaign(id)
}

/// Whom a campaign calls, when and how.
fn campaign_sentence(campaign: &Campaign) -> String {
    if let Some(reason) = &campaign.paused_because {
        return format!("Paused: {reason}.");
    }
    let hours = campaign.hours.iter().map(|hours| {
        format!("{}–{}", words::clock_time(hours.from), words::clock_time(hours.until))
    });
    let hours = words::listing(&hours.collect::<Vec<_>>());
    format!(
        "Calls {} people at {hours}, {}; up to {} of those who answer may be abandoned.",
        words::thousands(f64::from(campaign.list.people)),
        pacing_words(&campaign.pacing),
        words::percent(campaign.abandoned_ceiling)
    )
}

fn ways(seen: &Seen, part: &PartId, address: &str) -> Vec<WayRow> {
    let strategy = &seen.opened.strategy;
    let Some(stop) = strategy.stop_of(part) else { return Vec::new() };
    let links = seen.journey.links.iter().enumerate().filter(|(_, link)| link.from == stop);
    let total = seen.load.as_ref().map_or(0.0, |load| load.stops[stop]);
    links
        .map(|(nth, link)| {
            let contacts = seen.load.as_ref().and_then(|load| load.links[nth]);
            let share = contacts.filter(|_| total > 0.0).map(|contacts| contacts / total);
            let (to, address) = match seen.journey.stops[link.to] {
                Stop::Step(at) => {
                    let step = &strategy.steps[at];
                    (step.name.clone(), Some(format!("{address}&part=step.{}", step.id)))
                }
                Stop::End(end) => (end.words().to_owned(), None),
                Stop::Entry(_) | Stop::Campaign(_) => (String::new(), None),
            };
            let cause = if link.cause.is_empty() { "first".to_owned() } else { link.cause.clone() };
            let led_to = match seen.journey.stops[link.to] {
                Stop::Step(at) => format!("step.{}", strategy.steps[at].id),
                Stop::End(WayEnd::BusyTone) => "busy_tone".to_owned(),
                _ => "release".to_owned(),
            };
            WayRow {
                cause,
                to,
                share: share.map(|share| words::percent(share.min(1.0))),
                address,
                may_stay: link.exit.as_ref().is_some_and(|exit| exit.contains("/exits/")),
                exit: link.exit.clone(),
                led_to,
            }
        })
        .collect()
}

/// Every step and every end that a way can be led to.
pub(super) fn targets(strategy: &Strategy) -> Vec<(String, String)> {
    let steps = strategy.steps.iter().map(|step| (format!("step.{}", step.id), step.name.clone()));
    let ends = [("release", "released"), ("busy_tone", "busy tone")];
    steps.chain(ends.map(|(key, words)| (key.to_owned(), words.to_owned()))).collect()
}
