//! Campaigns as their trials found them, and the telephone lines of the busiest interval.

use super::by_name;
use crate::facts::CampaignFacts;
use crate::report::{About, Column, Part, Picture, Row, Table};
use crate::told::{Told, gone};
use crate::{Section, Unit, words};

/// The campaigns over their ceiling, a sentence each.
pub(crate) fn over_ceiling(told: &Told<'_>) -> impl Iterator<Item = String> {
    told.campaigns().filter_map(|campaign| {
        let abandoned = campaign.tried.as_ref()?.abandoned?;
        (abandoned > campaign.ceiling).then(|| {
            format!(
                "{}: {} of answered calls abandoned in its trial, ceiling {}",
                campaign.name,
                words::percent(abandoned),
                words::short_percent(campaign.ceiling),
            )
        })
    })
}

pub(super) fn campaigns(told: &Told<'_>) -> Part {
    let campaigns: Vec<&CampaignFacts> = told.campaigns().collect();
    let names = told.facts.campaigns.iter().map(|campaign| campaign.name.as_str());
    let gone = gone(&told.definition.campaigns, names);
    if campaigns.is_empty() {
        let none =
            if gone.is_empty() { "The live strategy has no campaigns." } else { gone.trim() };
        return Part::missing(Section::Campaigns, none);
    }
    let over = |campaign: &&&CampaignFacts| {
        let abandoned = campaign.tried.as_ref().and_then(|tried| tried.abandoned);
        abandoned.is_some_and(|abandoned| abandoned > campaign.ceiling)
    };
    let over: Vec<String> =
        campaigns.iter().filter(over).map(|campaign| campaign.name.clone()).collect();
    let tried = campaigns.iter().filter(|campaign| campaign.tried.is_some()).count();
    let which =
        if told.definition.campaigns.is_empty() { "every campaign" } else { "each of them" };
    let sentence = match (tried, over.len()) {
        (0, _) => "No trial has played the live strategy's campaigns yet.".to_owned(),
        (_, 0) => format!("In trials, {which} stays under its ceiling of abandoned calls."),
        _ => format!(
            "In trials, {} would break the ceiling of abandoned calls.",
            words::listing(&over)
        ),
    } + &gone;
    let rows = campaigns.iter().map(|campaign| {
        let tried = campaign.tried.as_ref();
        let verdict = match tried.and_then(|tried| tried.abandoned) {
            None => "not tried",
            Some(share) if share > campaign.ceiling => "○ breaks",
            Some(_) => "● holds",
        };
        let row = Row::of(vec![
            campaign.name.as_str().into(),
            tried.map(|tried| words::full_date(tried.day)).unwrap_or_default().into(),
            tried.map(|tried| tried.dialled).into(),
            tried.map(|tried| tried.reached).into(),
            tried.and_then(|tried| tried.abandoned).into(),
            campaign.ceiling.into(),
            verdict.into(),
        ]);
        match tried {
            Some(tried) => row.about(About::Trial(tried.trial)),
            None => row.about(About::Campaigns),
        }
    });
    Part {
        section: Section::Campaigns,
        sentence,
        is_missing: false,
        about: Some(About::Campaigns),
        pictures: picture(&campaigns).into_iter().collect(),
        tables: vec![Table {
            title: "Campaigns, as simulated: mean of a day".to_owned(),
            columns: vec![
                Column::new("Campaign", Unit::Text),
                Column::new("Day of the trial", Unit::Text),
                Column::new("Calls dialled", Unit::Count),
                Column::new("People reached", Unit::Count),
                Column::new("Abandoned", Unit::Share),
                Column::new("Ceiling", Unit::Share),
                Column::new("Verdict", Unit::Text),
            ],
            rows: rows.collect(),
            total: None,
        }],
    }
}

/// Calls abandoned of those answered; the ceiling where all have the same.
fn picture(campaigns: &[&CampaignFacts]) -> Option<Picture> {
    let abandoned = campaigns.iter().map(|campaign| {
        let tried = campaign.tried.as_ref();
        (campaign.name.clone(), tried.and_then(|tried| tried.abandoned))
    });
    let picture = by_name(("Calls abandoned", Unit::Share), "Abandoned", abandoned)?;
    let ceiling = campaigns.first()?.ceiling;
    let is_same = campaigns.iter().all(|campaign| campaign.ceiling == ceiling);
    let told = || format!("ceiling {}", words::short_percent(ceiling));
    Some(Picture { target: is_same.then(|| (ceiling, told())), ..picture })
}

pub(super) fn lines(told: &Told<'_>) -> Part {
    let Some(lines) = &told.facts.lines else {
        return Part::missing(
            Section::Lines,
            "No calls are forecast in this period: lines are sized from the forecast.",
        );
    };
    let verdict = match (lines.installed, lines.blocked) {
        (Some(installed), _) if installed >= lines.needed => {
            format!("{installed} are installed, which is enough")
        }
        (Some(installed), Some(blocked)) => format!(
            "{installed} are installed: {} of its calls find no line",
            words::percent(blocked)
        ),
        _ => "how many are installed is not known".to_owned(),
    };
    Part {
        section: Section::Lines,
        sentence: format!(
            "The busiest interval, {} {}, needs {} lines; {verdict}.",
            words::short_day(lines.at.date()),
            words::clock(lines.at.time()),
            lines.needed,
        ),
        is_missing: false,
        about: Some(About::Lines),
        pictures: Vec::new(),
        tables: vec![Table {
            title: "Telephone lines in the busiest interval".to_owned(),
            columns: vec![
                Column::new("Busiest interval", Unit::Text),
                Column::new("Calls per hour", Unit::Count),
                Column::new("Load", Unit::Erlangs),
                Column::new("Lines needed", Unit::Count),
                Column::new("Installed", Unit::Count),
                Column::new("Blocked", Unit::Share),
                Column::new("Ceiling", Unit::Share),
            ],
            rows: vec![
                Row::of(vec![
                    format!(
                        "{} {}",
                        words::short_day(lines.at.date()),
                        words::clock(lines.at.time())
                    )
                    .into(),
                    lines.calls_per_hour.into(),
                    lines.erlangs.into(),
                    f64::from(lines.needed).into(),
                    lines.installed.map(f64::from).into(),
                    lines.blocked.into(),
                    lines.blocking_target.into(),
                ])
                .about(About::Lines),
            ],
            total: None,
        }],
    }
}
