use barometer_dialling::need::CallMix;
use barometer_dialling::pace::PacingMap;
use barometer_strategy::Campaign;

fn mix() -> CallMix {
    CallMix::of(&Campaign::named("c", "C", "team"), None)
}

#[test]
fn a_kept_agents_hour_is_looking_ringing_and_talking() {
    let mix = mix();
    let pace = mix.one_each(10.0, 20.0);
    let call = 20.0 + mix.ring_secs + mix.agent_share * mix.agent_secs;
    assert!((pace.busy_share - mix.agent_share * mix.agent_secs / call).abs() < 1e-12);
    assert!((pace.dials_per_hour - 36_000.0 / call).abs() < 1e-9);
    assert!(mix.one_each(10.0, 0.0).per_agent_hour > pace.per_agent_hour);
}

#[test]
fn one_line_each_is_the_same_by_the_chain_and_by_the_renewal() {
    let mix = mix();
    let (chain, renewal) = (mix.steady(7, 1.0).unwrap(), mix.one_each(7.0, 0.0));
    assert!((chain.busy_share - renewal.busy_share).abs() < 1e-6);
    assert!((chain.per_agent_hour - renewal.per_agent_hour).abs() < 1e-4);
    assert!((chain.dials_per_hour - renewal.dials_per_hour).abs() < 1e-2);
}

#[test]
fn people_are_called_until_they_talk_or_often_enough() {
    let mut mix = mix();
    mix.conversation_share = 0.5;
    assert_eq!(mix.calls_to_each(1), 1.0);
    assert_eq!(mix.calls_to_each(2), 1.5);
    mix.conversation_share = 0.0;
    assert_eq!(mix.calls_to_each(6), 6.0);
}

#[test]
fn the_map_grows_with_lines_and_its_boundary_is_where_the_ceiling_is() {
    let team = mix().team(12, 2.0);
    let map = PacingMap::around(team, 0.03).unwrap();
    assert!(map.agents.contains(&12) && map.lines[0] == 1.0);
    for row in &map.shares {
        assert!(row.windows(2).all(|pair| pair[0] <= pair[1] + 1e-9), "{row:?}");
    }
    let at = map.agents.iter().position(|&agents| agents == 12).unwrap();
    let exact = team.safe_lines(0.03).unwrap();
    assert!((map.boundary[at] - exact).abs() < 0.25, "{} {exact}", map.boundary[at]);
    assert!(map.boundary.windows(2).all(|pair| pair[0] <= pair[1] + 0.3));
}
