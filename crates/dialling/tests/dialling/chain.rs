use barometer_dialling::chain::{ChainError, SteadyTeam};

const TEAM: SteadyTeam = SteadyTeam {
    agents: 1,
    lines_per_agent: 1.0,
    answered_share: 0.3,
    ring_secs: 12.0,
    handle_secs: 120.0,
};

#[test]
fn one_line_for_each_agent_abandons_nobody_and_is_a_renewal() {
    for agents in [1, 3, 20] {
        let got = SteadyTeam { agents, ..TEAM }.solve().unwrap();
        assert!(got.abandoned_share.abs() < 1e-9);
        // 1/p calls of r seconds each, then a talk of h seconds.
        assert!((got.utilisation - 120.0 / (120.0 + 40.0)).abs() < 1e-6, "{got:?}");
        assert!((got.dials_per_hour / got.conversations_per_hour - 1.0 / 0.3).abs() < 1e-6);
    }
}

#[test]
fn one_agent_with_two_lines_that_are_always_answered_agrees_with_the_hand() {
    // States (talking, lines): free with 2 lines; talking with 1 or 0. From (0,2) at 2/r to (1,1); from
    // (1,1) at 1/r to (1,0), which is abandoned, and at 1/h to (0,2); from (1,0) at 1/h to (0,2).
    let (ring, handle) = (12.0, 120.0);
    let team = SteadyTeam { lines_per_agent: 2.0, answered_share: 1.0, ..TEAM };
    let got = team.solve().unwrap();
    // Unnormalised: x = (0,2), y = (1,1), z = (1,0): y (1/r + 1/h) = 2x/r; z/h = y/r.
    let x = 1.0;
    let y = 2.0 / ring / (1.0 / ring + 1.0 / handle) * x;
    let z = y * handle / ring;
    let lost = y / (2.0 * x + y);
    assert!((got.abandoned_share - lost).abs() < 1e-7, "{got:?} {lost}");
    assert!((got.utilisation - (y + z) / (x + y + z)).abs() < 1e-7);
}

#[test]
fn the_safe_number_of_lines_grows_with_the_team_and_falls_with_answers() {
    let safe = |agents, answered_share| {
        SteadyTeam { agents, answered_share, ..TEAM }.safe_lines(0.03).unwrap()
    };
    assert!(safe(5, 0.3) < safe(20, 0.3) && safe(20, 0.3) <= safe(60, 0.3));
    assert!(safe(20, 0.6) < safe(20, 0.3) && safe(20, 0.3) < safe(20, 0.15));
    assert!(safe(1, 1.0) >= 1.0);
    // Just below the ceiling, and just above it one step further on.
    let team = SteadyTeam { agents: 20, ..TEAM };
    let lines = team.safe_lines(0.03).unwrap();
    assert!(team.at(lines).solve().unwrap().abandoned_share <= 0.03);
    assert!(team.at(lines + 0.05).solve().unwrap().abandoned_share > 0.03);
    assert_eq!(team.safe_lines(0.0).unwrap(), 1.0);
}

#[test]
fn figures_out_of_range_are_told_by_name() {
    let bad = [
        SteadyTeam { agents: 0, ..TEAM },
        SteadyTeam { lines_per_agent: 0.5, ..TEAM },
        SteadyTeam { answered_share: 0.0, ..TEAM },
        SteadyTeam { ring_secs: f64::NAN, ..TEAM },
        SteadyTeam { handle_secs: -1.0, ..TEAM },
    ];
    for team in bad {
        let ChainError::BadNumber { what, .. } = team.solve().unwrap_err();
        assert!(!what.is_empty());
    }
}
