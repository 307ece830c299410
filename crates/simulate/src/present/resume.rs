//! Takes a day up in a replication that has just begun.
//!
//! Where callers' luck was carried, they go on as they would have. Where it is not known, as of a state
//! that a telephone system tells, each has a luck that fits what is seen: draws are repeated until the
//! patience is longer than the wait so far, and the talk longer than it has lasted. That is the exact
//! distribution under that condition.

use barometer_routing::{ContactId, End, Errand, Host, ResumedAt, Router, Seconds, State, Work};

use super::taken::{Taken, TakenAt, TakenContact};
use crate::customer::Customer;
use crate::draws::{Key, Purpose};
use crate::observers::Observer;
use crate::simulation::Simulation;

/// Told apart from the keys of everybody who comes in.
const TAKEN_UP: u64 = 1 << 42;
/// Draws that are tried for a luck that fits. Where none does, what is left is exponential with the mean:
/// somebody has waited or talked longer than the model thinks possible.
const MOST_TRIES: u64 = 400;

/// Puts everybody where they were; gives those with agents, by their place in the state. `luck` is what was
/// carried of each contact, by that place too.
pub(crate) fn resume<O: Observer>(
    router: &mut Router<'_, Simulation<'_, O>>,
    taken: &Taken,
    luck: &[Customer],
    key: Key,
) -> Vec<(usize, ContactId)> {
    taken.agents.iter().for_each(|&agent| router.resume_agent(agent));
    let mut with_agent = Vec::new();
    for each in &taken.contacts {
        let id = router.readmit(each.contact);
        let carried = luck.get(each.place);
        let customer = match carried {
            Some(customer) => Customer { patience: None, over: None, ..*customer },
            None => fitting(router, each, key.of(TAKEN_UP + each.place as u64)),
        };
        router.host.customers.set(id, customer);
        let at = match each.at {
            TakenAt::Nowhere => {
                router.resume_ended(id, End::CallbackFailed);
                continue;
            }
            TakenAt::At(at) => at,
        };
        router.host.plan_patience(&router.floor, id);
        router.resume_at(id, at);
        // Others may be gone already, and their numbers those of somebody else.
        if let ResumedAt::WithAgent { .. } = at {
            with_agent.push((each, id));
        }
    }
    for &(each, id) in &with_agent {
        plan_end(router, id, each.since, luck.get(each.place));
    }
    with_agent.into_iter().map(|(each, id)| (each.place, id)).collect()
}

/// A customer whose luck fits what is seen.
fn fitting<O: Observer>(
    router: &Router<'_, Simulation<'_, O>>,
    each: &TakenContact,
    key: Key,
) -> Customer {
    let (model, now) = (router.host.model, router.floor.now);
    let kind = &model.contact_types[each.contact.contact_type];
    let waited = each.contact.waiting_since.map_or(0.0, |since| now - since);
    let lasted = now - each.since;
    let handle_secs = kind.intervals[each.interval as usize].handle_secs;
    let waits = matches!(each.at, TakenAt::At(ResumedAt::Waiting { .. } | ResumedAt::Start));
    let fits = |key: Key| match each.at {
        TakenAt::At(ResumedAt::WithAgent { agent, work, .. }) => match work {
            Work::Talking => {
                let pace = model.teams[model.strategy.agents[agent].team].pace;
                pace * handle_secs * kind.handling.secs(key, Purpose::HANDLING) > lasted
            }
            Work::WrappingUp => kind
                .wrap_up
                .as_ref()
                .is_some_and(|wrap_up| wrap_up.secs(key, Purpose::WRAP_UP) > lasted),
            Work::CallingBack | Work::Dialling => true,
        },
        _ if waits => {
            let patience = kind.patience.as_ref();
            patience.is_none_or(|patience| patience.secs(key, Purpose::PATIENCE) > waited)
        }
        _ => true,
    };
    let key = (0..MOST_TRIES).map(|nth| key.of(nth)).find(|&key| fits(key)).unwrap_or(key);
    let mut customer =
        Customer { attempt: each.attempt.max(1), ..Customer::new(key, each.interval) };
    if waits && !fits(key) {
        let mean = waited.max(1.0);
        customer.patience_at = Some(now + mean * key.exponential(Purpose::PATIENCE));
    }
    customer
}

/// Plans the end of what an agent does with a contact.
fn plan_end<O: Observer>(
    router: &mut Router<'_, Simulation<'_, O>>,
    id: ContactId,
    since: Seconds,
    carried: Option<&Customer>,
) {
    let State::WithAgent { agent, work, .. } = router.floor.contacts[id].state else { return };
    let now = router.floor.now;
    let Router { floor, host, .. } = router;
    if let Some(customer) = carried {
        return host.plan_handled(floor, id, (customer.over_at - now).max(0.0));
    }
    let key = host.customers[id].key;
    let lasted = now - since;
    let left = match work {
        Work::CallingBack | Work::Dialling => host.unanswered_secs(floor, id),
        Work::WrappingUp => host.wrap_up_secs(floor, id) - lasted,
        Work::Talking => {
            let slower = host.slower_by(floor, agent);
            let is_call_of_campaign = matches!(floor.contacts[id].errand, Errand::Campaign(_));
            if is_call_of_campaign {
                host.customers[id].work_left =
                    host.mean_handle_secs(floor, id) * key.exponential(Purpose::HANDLING) + lasted;
            }
            let alone = host.handle_secs(floor, id, agent) - lasted / slower;
            let customer = &mut host.customers[id];
            (customer.work_left, customer.work_since) = (alone.max(0.0), now);
            alone * slower
        }
    };
    // Nothing that fits was drawn: it goes on for as long as it has lasted, on average.
    let left = if left > 0.0 { left } else { lasted.max(1.0) * key.exponential(Purpose::WRAP_UP) };
    if work == Work::Talking {
        let slower = host.slower_by(floor, agent);
        host.customers[id].work_left = left / slower;
    }
    host.customers[id].wraps_up_since = since;
    host.plan_handled(floor, id, left);
}
