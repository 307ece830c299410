//! Breaks handed out: the programme counts the breaks that begin at each time of a day; here each
//! person gets one that lies where the shift allows it.
//!
//! Windows of one kind of shift begin and end in the order of the starts, so the earliest break goes to
//! the earliest start: it fits whenever any assignment does (Bechtold and Jacobs 1990).

use std::collections::BTreeMap;

use super::{FittedShift, ShiftShape};

/// People of one kind with the same start and days.
pub(super) struct Chosen {
    /// Start, minutes after midnight.
    pub start: u32,
    /// Days worked, Monday first.
    pub works: [bool; 7],
    /// People.
    pub people: u32,
}

/// The shifts of one kind, `chosen` in order of their starts. `begins[day]` gives the minutes after
/// midnight at which breaks begin, one for each person at work, in order.
pub(super) fn hand_out(
    number: usize,
    shape: &ShiftShape,
    chosen: &[Chosen],
    begins: &[Vec<u32>; 7],
) -> Vec<FittedShift> {
    let mut next = [0usize; 7];
    let mut shifts = Vec::new();
    for group in chosen {
        // The first person of a group gets the first break of each day, so equal weeks stand together.
        let mut alike: BTreeMap<[Option<u32>; 7], u32> = BTreeMap::new();
        for _ in 0..group.people {
            let breaks = std::array::from_fn(|day| {
                if shape.break_length == 0 || !group.works[day] {
                    return None;
                }
                let begin = begins[day].get(next[day]).copied();
                next[day] += 1;
                begin.map(|minute| minute.saturating_sub(group.start))
            });
            *alike.entry(breaks).or_default() += 1;
        }
        let Chosen { start, works, .. } = *group;
        shifts.extend(alike.into_iter().map(|(breaks, people)| FittedShift {
            shape: number,
            start,
            breaks,
            works,
            people,
        }));
    }
    shifts
}
