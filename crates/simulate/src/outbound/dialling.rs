//! When a campaign begins calls, and the beginning of a call.

use barometer_dialling::pacing::Situation;
use barometer_routing::{Id, Seconds, Serves};

use super::lines::{self, Line, Phase};
use super::{CampaignModel, Outbound, Played, count};
use crate::calendar::Event;
use crate::draws::Purpose;
use crate::observers::{Observer, PacingMoment};

/// Between two looks of a campaign that gives way to inbound contacts.
const GIVES_WAY_SECS: Seconds = 10.0;

impl<'m> Outbound<'m> {
    /// Begins as many calls of a campaign as its dialler asks for.
    pub(super) fn dial<O: Observer>(&mut self, router: &mut Played<'m, O>, place: usize) {
        let now = router.floor.now;
        let of = self.at_work[place].model;
        // What is still under way when the last interval is over is finished, and nothing is begun.
        let is_day = now < router.host.end_of_day();
        let stretch = self.at_work[place].dialler.stretch(now);
        let is_dialling = is_day && stretch.is_dialling();
        let gives_way = is_dialling && self.gives_way(router, of);
        let keeps = is_dialling && !gives_way && self.at_work[place].dialler.has_people(now);
        let kept_for_it = if keeps { of.campaign.blending.kept_for_calls } else { 0 };
        router.keep_for_campaign(of.id, kept_for_it);
        if !is_dialling && self.at_work[place].now.is_dialling {
            self.account(router, place);
            self.at_work[place].now.is_dialling = false;
        }
        if is_dialling {
            let free = router.free_agents(of.id);
            let on_shift = router.campaign_agents_on_shift(of.id);
            let busy = &self.at_work[place].now;
            let changed = (!busy.is_dialling, busy.free, busy.on_shift)
                != (false, f64::from(free), f64::from(on_shift));
            if changed {
                self.account(router, place);
                let busy = &mut self.at_work[place].now;
                busy.is_dialling = true;
                (busy.free, busy.on_shift) = (f64::from(free), f64::from(on_shift));
            }
            let kept = of.campaign.blending.kept_free;
            let at_work = &mut self.at_work[place];
            let at = Situation {
                now,
                free: free.saturating_sub(kept),
                owed: kept.saturating_sub(free),
                on_shift,
                left_secs: stretch.left_secs(now),
                left_people: at_work.dialler.book.left(),
                talking_since: &at_work.talking_since,
                ringing_since: &at_work.ringing_since,
            };
            let lines_in_use = at_work.now.lines as u32;
            let factor = of.lines_factor(now);
            let calls = if gives_way {
                0
            } else {
                at_work.dialler.calls_to_begin(&at, lines_in_use, factor)
            };
            for _ in 0..calls {
                if !self.begin_call(router, place) {
                    break;
                }
            }
            let at_work = &self.at_work[place];
            router.host.observer.campaign_decides(place, now, || PacingMoment {
                at_secs: now,
                campaign: place,
                on_shift,
                free,
                talking: at_work.talking.len() as u32,
                ringing: at_work.ringing.len() as u32,
                asked_for: if gives_way { 0 } else { at_work.dialler.asked_for() },
                gives_way,
                answered_today: at_work.dialler.answered_today(),
                left: at_work.dialler.book.left(),
                reckoned: at_work.dialler.reckoned(),
            });
        }
        if is_day {
            self.plan_look(router, place, gives_way);
        }
    }

    /// Whether a campaign does not dial because inbound contacts need its agents.
    fn gives_way<O: Observer>(&self, router: &Played<'m, O>, of: &CampaignModel) -> bool {
        let blending = &of.campaign.blending;
        blending
            .pause_at_waiting
            .is_some_and(|most| router.floor.waiting_at(&of.inbound_points) >= most)
            || blending.pause_below_service_level.is_some_and(|least| {
                router.host.levels[of.id.place()].now(router.floor.now).is_some_and(|at| at < least)
            })
    }

    fn plan_look<O: Observer>(
        &mut self,
        router: &mut Played<'m, O>,
        place: usize,
        gives_way: bool,
    ) {
        let now = router.floor.now;
        let at_work = &mut self.at_work[place];
        let is_planned = at_work.looks.is_some() && at_work.looks_at > now;
        if is_planned && !gives_way {
            return;
        }
        let at = at_work.dialler.next_look(now, at_work.is_under_way());
        // Contacts give up, and a bad half hour passes, without anything that would stir the campaign.
        let at = if gives_way { at.min(now + GIVES_WAY_SECS) } else { at };
        if is_planned && at_work.looks_at <= at {
            return;
        }
        if at < f64::INFINITY && at > now {
            at_work.looks = Some(router.host.calendar.plan(at, Event::DiallerLooks, place));
            at_work.looks_at = at;
        }
    }

    /// Begins a call; says whether there was somebody to call.
    fn begin_call<O: Observer>(&mut self, router: &mut Played<'m, O>, place: usize) -> bool {
        let now = router.floor.now;
        let of = self.at_work[place].model;
        let Some(person) = self.at_work[place].dialler.next_person(now) else { return false };
        let nth = self.at_work[place].dialler.book.calls_to(person);
        let key = of.key_of_call(self.key, person.0, nth);
        let assumed = &of.campaign.assumed;
        let dialler = &self.at_work[place].dialler;
        let zone = dialler.book.zone_of(person);
        let answered = assumed.answered_at(of.times.local_hour(zone, now))
            * of.zone_factors[zone]
            * dialler.number_factor();
        let drawn = key.uniform(Purpose::LINE);
        let answer = barometer_dialling::carrier::answer(assumed, answered, drawn);
        let mut line = Line { campaign: place, person, key, answer, since: now, ..Line::default() };
        let keeps = of.campaign.pacing.keeps_an_agent()
            && matches!(router.strategy().campaigns[of.id].serves, Serves::Agents(_));
        if keeps {
            let contact = self.admit(router, &line);
            if router.keep_agent(contact).is_none() {
                self.at_work[place].dialler.book.put_back(person, now);
                return false;
            }
            line.contact = Some(contact);
        }
        self.account(router, place);
        let busy = &mut self.at_work[place].now;
        busy.free = f64::from(router.free_agents(of.id));
        let looks = of.look.as_ref().map(|look| look.secs(key, Purpose::LOOK));
        self.at_work[place].dialler.note_shown();
        let id = self.lines.open(line);
        if let Some(contact) = line.contact {
            self.lines.note_contact(contact, id);
        }
        self.at_work[place].ringing.push(id);
        self.at_work[place].ringing_since.push(now);
        match looks {
            Some(secs) => {
                self.at_work[place].now.looking += 1.0;
                router.host.calendar.plan(now + secs, Event::LineOver, id);
            }
            None => self.ring(router, id),
        }
        true
    }

    /// The number is dialled.
    pub(super) fn ring<O: Observer>(&mut self, router: &mut Played<'m, O>, id: usize) {
        let now = router.floor.now;
        let line = self.lines[id];
        let of = self.at_work[line.campaign].model;
        let limit = of.campaign.ring_limit_secs;
        let (answer, secs) = lines::rings_for(of, line.answer, line.key, limit);
        let line = &mut self.lines[id];
        (line.answer, line.phase, line.since) = (answer, Phase::Ringing, now);
        let campaign = line.campaign;
        let busy = &mut self.at_work[campaign].now;
        busy.lines += 1.0;
        if line.contact.is_some() {
            busy.kept += 1.0;
        }
        count(router, campaign, router.host.clock.interval, |tally| tally.dials += 1.0);
        router.host.calendar.plan(now + secs, Event::LineOver, id);
    }
}
