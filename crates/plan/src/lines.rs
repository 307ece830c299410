//! Lines, menu ports and announcement ports: who is connected, not only who is talked to.

use barometer_queueing::{QueueError, erlang_b, lines_for_blocking};
use serde::{Deserialize, Serialize};

/// How long a call holds a line besides being waited for and talked to, what the lines promise, and what equipment,
/// seats and licences there are.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LineRules {
    /// Share of calls that may find no line, at most.
    pub blocking: f64,
    /// Seconds that a call rings before anything answers it.
    pub ring_secs: f64,
    /// Seconds in the menu; 0 without a menu.
    pub menu_secs: f64,
    /// Seconds of the announcement that everybody who waits hears.
    pub announcement_secs: f64,
    /// Share of the handle time that is wrap-up: the caller has hung up by then.
    pub wrap_up: f64,
    /// Lines there are; `None` when not known.
    pub lines: Option<u32>,
    /// Menu ports there are; `None` when not known.
    pub menu_ports: Option<u32>,
    /// Announcement ports there are; `None` when not known.
    pub announcement_ports: Option<u32>,
    /// Seats for agents; `None` when not known.
    #[serde(default)]
    pub seats: Option<u32>,
    /// Agents who may be signed in at the switch at once; `None` when not known.
    #[serde(default)]
    pub licences: Option<u32>,
}

/// The calls of one contact type in one interval, as its lines see them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LineCalls {
    /// Calls offered per hour.
    pub calls_per_hour: f64,
    /// Mean handle time of the answered in seconds, wrap-up included.
    pub handle_secs: f64,
    /// Share that is answered.
    pub answered: f64,
    /// Share that waits.
    pub wait_probability: f64,
    /// Mean wait of everybody, in seconds.
    pub mean_wait_secs: f64,
}

/// Load of one kind of equipment, what it needs and what there is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Equipment {
    /// Offered load in Erlangs.
    pub erlangs: f64,
    /// The fewest that refuse no more than promised.
    pub needed: u32,
    /// How many there are; `None` when not known.
    pub existing: Option<u32>,
    /// Share of calls that those would refuse.
    pub existing_blocking: Option<f64>,
}

/// What a busy interval asks of lines and ports.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LineNeed {
    /// Lines: ringing, menu, waiting and talking.
    pub lines: Equipment,
    /// Ports that play the menu.
    pub menu: Equipment,
    /// Ports that play the announcement.
    pub announcement: Equipment,
}

impl LineRules {
    /// Rules that suit a new centre: 1% blocking, 6 s ringing, no menu, an announcement of 12 s, a
    /// tenth of the handle time wrap-up.
    pub const STARTING: Self = Self {
        blocking: 0.01,
        ring_secs: 6.0,
        menu_secs: 0.0,
        announcement_secs: 12.0,
        wrap_up: 0.1,
        lines: None,
        menu_ports: None,
        announcement_ports: None,
        seats: None,
        licences: None,
    };

    /// Checks every rule.
    ///
    /// # Errors
    ///
    /// Field and message of all that are out of range.
    pub fn check(self) -> Result<Self, Vec<(&'static str, &'static str)>> {
        let mut wrong = Vec::new();
        let mut ensure = |right: bool, field, message| {
            if !right {
                wrong.push((field, message));
            }
        };
        let blocking = (1e-6..=0.5).contains(&self.blocking);
        ensure(blocking, "blocking", "must be 0.0001 to 50 %; 0 % would need endless lines");
        for (field, secs) in [
            ("ring_secs", self.ring_secs),
            ("menu_secs", self.menu_secs),
            ("announcement_secs", self.announcement_secs),
        ] {
            ensure((0.0..=3600.0).contains(&secs), field, "must be 0 s to 3600 s");
        }
        ensure((0.0..0.95).contains(&self.wrap_up), "wrap_up", "must be 0 to 95 %");
        if wrong.is_empty() { Ok(self) } else { Err(wrong) }
    }

    /// What `calls` of all contact types that share the lines ask of them. Whoever is connected
    /// holds a line, whatever for; so Erlang B holds with the mean time of all.
    ///
    /// # Errors
    ///
    /// [`QueueError`] for numbers out of range.
    pub fn need(&self, calls: &[LineCalls]) -> Result<LineNeed, QueueError> {
        let sum = |secs: &dyn Fn(&LineCalls) -> f64| -> f64 {
            calls.iter().map(|each| each.calls_per_hour / 3600.0 * secs(each)).sum()
        };
        let talked = |each: &LineCalls| each.answered * each.handle_secs * (1.0 - self.wrap_up);
        let connected =
            |each: &LineCalls| self.ring_secs + self.menu_secs + each.mean_wait_secs + talked(each);
        let announced = |each: &LineCalls| each.wait_probability * self.announcement_secs;
        Ok(LineNeed {
            lines: self.equipment(sum(&connected), self.lines)?,
            menu: self.equipment(sum(&|_| self.menu_secs), self.menu_ports)?,
            announcement: self.equipment(sum(&announced), self.announcement_ports)?,
        })
    }

    fn equipment(&self, erlangs: f64, existing: Option<u32>) -> Result<Equipment, QueueError> {
        let needed = if erlangs == 0.0 { 0 } else { lines_for_blocking(erlangs, self.blocking)? };
        let existing_blocking = existing.map(|lines| erlang_b(erlangs, lines)).transpose()?;
        // Without load nobody is refused, whatever there is.
        let existing_blocking =
            existing_blocking.map(|share| if erlangs == 0.0 { 0.0 } else { share });
        Ok(Equipment { erlangs, needed, existing, existing_blocking })
    }
}
