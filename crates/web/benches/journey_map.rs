//! The journey map of about eighty steps, drawn at the server, beside reading the same strategy from its JSON
//! form: what every page that shows one has to do anyway.

use barometer_strategy::Strategy;
use barometer_timing::compare;
use barometer_web::journey_map;

fn main() {
    // The demo's strategy three times side by side: entries, gates, menus, queues and exits of three centres.
    let parts =
        ["north", "south", "west"].map(|name| (name.to_owned(), barometer_demo::strategy()));
    let strategy = Strategy::joined("Three centres", parts);
    let json = strategy.to_json();
    let name = format!("map of {} steps, beside reading its JSON", strategy.steps.len());
    let read = || serde_json::from_str::<serde_json::Value>(&json).expect("it was written as JSON");
    compare(&name, read, || journey_map(&strategy).expect("it can be drawn"));
}
