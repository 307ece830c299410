//! Kinds of shifts as a form: a row for each kind.

use barometer_plan::{FreeDays, ShiftShape};
use barometer_store::ContactType;
use jiff::civil::Time;
use serde::Deserialize;

use crate::words;

/// Kinds of shifts that a form has room for.
const KINDS: usize = 3;

/// Cost of an hour where none is known: rosters are compared by hours then.
const NO_COST: f64 = 1.0;

/// How free days lie, as the form sends it.
const TOGETHER: &str = "together";
const ANYWHERE: &str = "anywhere";

/// Chances that the form offers, in per cent of days; none is the expected day.
const CHANCES: [u8; 3] = [70, 80, 90];

/// Kinds of shifts as typed: a column for each field, an entry for each kind.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct ShapesForm {
    pub name: Vec<String>,
    pub first_start: Vec<String>,
    pub last_start: Vec<String>,
    pub hours: Vec<String>,
    pub break_minutes: Vec<String>,
    pub days: Vec<String>,
    pub free_days: Vec<String>,
    pub most_people: Vec<String>,
    pub cost: Vec<String>,
    pub chance: String,
    pub limit_secs: String,
    pub day: String,
    #[serde(skip)]
    pub wrong: Option<String>,
}

/// One kind of shift in the form.
pub(crate) struct KindRow {
    pub number: usize,
    pub name: String,
    pub first_start: String,
    pub last_start: String,
    pub hours: String,
    pub break_minutes: String,
    pub days: String,
    pub is_anywhere: bool,
    pub most_people: String,
    pub cost: String,
}

impl ShapesForm {
    /// The kinds that were last used, or two that suit most centres.
    pub fn of(shapes: &[ShiftShape], contact_type: &ContactType) -> Self {
        let cost_per_hour = contact_type.rules.cost_per_hour.unwrap_or(NO_COST);
        let kind = |name: &str, last_start, length, break_length| ShiftShape {
            name: name.to_owned(),
            first_start: 7 * 60,
            last_start,
            length,
            break_length,
            break_margin: margin(length, break_length),
            days: 5,
            free_days: FreeDays::Together,
            cost_per_hour,
            most_people: None,
        };
        let usual = [kind("Full time", 13 * 60, 8 * 60, 30), kind("Part time", 17 * 60, 4 * 60, 0)];
        let shapes = if shapes.is_empty() { &usual[..] } else { shapes };
        let mut form = Self { limit_secs: "20".to_owned(), ..Self::default() };
        for shape in shapes.iter().take(KINDS) {
            form.name.push(shape.name.clone());
            form.first_start.push(clock(shape.first_start));
            form.last_start.push(clock(shape.last_start));
            form.hours.push(words::plain(f64::from(shape.length) / 60.0));
            form.break_minutes.push(shape.break_length.to_string());
            form.days.push(shape.days.to_string());
            let is_anywhere = shape.free_days == FreeDays::Anywhere;
            form.free_days.push(if is_anywhere { ANYWHERE } else { TOGETHER }.to_owned());
            let most = shape.most_people.map(|most| most.to_string());
            form.most_people.push(most.unwrap_or_default());
            form.cost.push(words::plain(shape.cost_per_hour));
        }
        form
    }

    pub fn rows(&self) -> Vec<KindRow> {
        let at = |column: &[String], number: usize| column.get(number).cloned().unwrap_or_default();
        (0..KINDS)
            .map(|number| KindRow {
                number: number + 1,
                name: at(&self.name, number),
                first_start: at(&self.first_start, number),
                last_start: at(&self.last_start, number),
                hours: at(&self.hours, number),
                break_minutes: at(&self.break_minutes, number),
                days: at(&self.days, number),
                is_anywhere: at(&self.free_days, number) == ANYWHERE,
                most_people: at(&self.most_people, number),
                cost: at(&self.cost, number),
            })
            .collect()
    }

    /// The share of days on which the need shall hold; `None` for the need of the expected day.
    pub(super) fn chance(&self) -> Option<f64> {
        let typed = self.chance.parse::<u8>().ok();
        typed.filter(|chance| CHANCES.contains(chance)).map(|chance| f64::from(chance) / 100.0)
    }

    /// The chances to choose from: value, words, whether chosen.
    pub fn chances(&self) -> Vec<(String, String, bool)> {
        let offered = CHANCES.map(|chance| {
            let words = format!("that holds on {} of 10 days", chance / 10);
            (chance.to_string(), words, self.chance == chance.to_string())
        });
        let expected = ("".to_owned(), "of the expected day".to_owned(), self.chance().is_none());
        std::iter::once(expected).chain(offered).collect()
    }

    /// The kinds that were typed; a row without a name is none. Says what is wrong with the first.
    pub(super) fn shapes(&self) -> Result<Vec<ShiftShape>, String> {
        let rows = self.rows();
        let named = rows.iter().filter(|row| !row.name.trim().is_empty());
        let shapes = named.map(KindRow::shape).collect::<Result<Vec<_>, _>>()?;
        if shapes.is_empty() {
            return Err("Name at least one kind of shift.".to_owned());
        }
        Ok(shapes)
    }
}

impl KindRow {
    fn shape(&self) -> Result<ShiftShape, String> {
        let name = self.name.trim().chars().take(40).collect::<String>();
        let wrong = |field: &str, wanted: &str| format!("{name}, {field}: must be {wanted}.");
        let minutes = |text: &str, field: &str| {
            let time = text.trim().parse::<Time>();
            let time = time.map_err(|_| wrong(field, "a time such as 07:30"))?;
            Ok::<u32, String>(time.hour() as u32 * 60 + time.minute() as u32)
        };
        let number = |text: &str| text.trim().replace(',', ".").parse::<f64>().ok();
        let whole = |text: &str| text.trim().parse::<u32>().ok();
        let hours = number(&self.hours).filter(|hours| (0.5..=16.0).contains(hours));
        let length = (hours.ok_or_else(|| wrong("hours", "0.5 to 16"))? * 60.0).round() as u32;
        let break_length = match self.break_minutes.trim() {
            "" => 0,
            text => whole(text).ok_or_else(|| wrong("break", "whole minutes"))?,
        };
        let most_people = match self.most_people.trim() {
            "" => None,
            text => Some(whole(text).ok_or_else(|| wrong("most people", "a whole number"))?),
        };
        let cost = number(&self.cost).filter(|cost| *cost > 0.0 && *cost <= 1e6);
        Ok(ShiftShape {
            first_start: minutes(&self.first_start, "earliest start")?,
            last_start: minutes(&self.last_start, "latest start")?,
            length,
            break_length,
            break_margin: margin(length, break_length),
            days: whole(&self.days).ok_or_else(|| wrong("days", "1 to 7"))?,
            free_days: if self.is_anywhere { FreeDays::Anywhere } else { FreeDays::Together },
            cost_per_hour: cost.ok_or_else(|| wrong("cost", "above 0"))?,
            most_people,
            name,
        })
    }
}

/// The break lies in the middle half of the shift, on whole hours' quarters.
fn margin(length: u32, break_length: u32) -> u32 {
    let free = length.saturating_sub(break_length);
    (length / 4).min(free / 2) / 60 * 60
}

pub(super) fn clock(minutes: u32) -> String {
    format!("{:02}:{:02}", minutes / 60 % 24, minutes % 60)
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_plan::{ShiftProblem, fit_shifts};
    use std::time::Duration;

    fn form() -> ShapesForm {
        ShapesForm {
            name: vec!["Full time".into(), String::new()],
            first_start: vec!["07:00".into()],
            last_start: vec!["13:00".into()],
            hours: vec!["8".into()],
            break_minutes: vec!["30".into()],
            days: vec!["5".into()],
            free_days: vec![ANYWHERE.into()],
            most_people: vec![String::new()],
            cost: vec!["21,5".into()],
            ..ShapesForm::default()
        }
    }

    #[test]
    fn kinds_of_shifts_are_read_as_typed_and_unnamed_rows_are_none() {
        let shapes = form().shapes().unwrap();
        assert_eq!(shapes.len(), 1);
        assert_eq!(
            (shapes[0].length, shapes[0].break_margin, shapes[0].cost_per_hour),
            (480, 120, 21.5)
        );
        assert_eq!(shapes[0].free_days, FreeDays::Anywhere);
        let wrong = ShapesForm { hours: vec!["20".into()], ..form() }.shapes().unwrap_err();
        assert_eq!(wrong, "Full time, hours: must be 0.5 to 16.");
        assert!(ShapesForm::default().shapes().unwrap_err().contains("at least one kind"));
    }

    #[test]
    fn what_is_typed_can_be_solved() {
        let mut required = vec![0; 7 * 48];
        required[18..34].fill(2);
        let problem = ShiftProblem { interval: 30, required, shapes: form().shapes().unwrap() };
        let roster = fit_shifts(&problem, &|| Duration::from_secs(5), |_| true).unwrap();
        assert!(roster.there.iter().zip(&problem.required).all(|(there, need)| there >= need));
    }
}
