//! `barometer need` and `barometer queueing`: forecasts and cases in, agents and figures out.

use crate::{folder, rows, run};

#[test]
fn a_need_has_its_columns_and_the_targets_of_its_series() {
    let folder = folder("need");
    std::fs::write(
        folder.join("forecast.csv"),
        "series,interval_start,mean,p10,p90,handle_secs\n\
         Calls,2026-11-24T09:00:00,120,100,140,300\n\
         Calls,2026-11-24T09:30:00,120,100,140,300\n\
         Chat,2026-11-24T09:00:00,60,50,70,400\n\
         Chat,2026-11-24T09:30:00,0,0,0,400\n",
    )
    .unwrap();
    std::fs::write(
        folder.join("targets.toml"),
        "service_level = 0.8\nwithin_secs = 20\nabandonment = \"none\"\noccupancy = \"none\"\n\
         patience_secs = \"none\"\nshrinkage = 0.3\n[series.Chat]\nconcurrency = 2\n",
    )
    .unwrap();
    let arguments =
        ["need", "--forecast", "forecast.csv", "--targets", "targets.toml", "--out", "out.csv"];
    let done = run(&folder, &[&arguments[..], &["--every-interval", "--chance", "0.9"]].concat());
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let rows = rows(&folder, "out.csv");
    let column = |name: &str| rows[0].iter().position(|each| each == name).unwrap();
    let of = |row: usize, name: &str| rows[row][column(name)].as_str();
    // 20 Erlangs on 24: P(wait) 0.298, level 1 − 0.298 e^(−4 × 20/300) = 0.772; so 25, and 25 / 0.7.
    assert_eq!((of(1, "need_agents"), of(1, "rostered_agents")), ("25", "36"));
    assert_eq!(of(1, "binding_target"), "service_level");
    assert!(of(1, "every_interval_agents").parse::<u32>().unwrap() < 25, "it begins empty");
    assert!(of(1, "need_at_chance_agents").parse::<u32>().unwrap() > 25);
    let chats: u32 = of(3, "need_agents").parse().unwrap();
    assert!((8..=9).contains(&chats), "13.3 Erlangs, two at once: {chats}");
    assert_eq!(of(4, "need_agents"), "0");
}

#[test]
fn a_wrong_target_or_forecast_is_named_and_nothing_is_written() {
    let folder = folder("need-wrong");
    let said = |forecast: &str, targets: &str| {
        std::fs::write(folder.join("f.csv"), forecast).unwrap();
        std::fs::write(folder.join("t.toml"), targets).unwrap();
        let done =
            run(&folder, &["need", "--forecast", "f.csv", "--targets", "t.toml", "--out", "o.csv"]);
        assert!(!done.status.success() && !folder.join("o.csv").exists());
        String::from_utf8_lossy(&done.stderr).into_owned()
    };
    let good =
        "interval_start,mean,handle_secs\n2026-11-24T09:00:00,10,300\n2026-11-24T09:30:00,10,300\n";
    assert!(said(good, "shrinkage = 1.0").contains("breaks: must be 0 to 90 %"));
    assert!(said(good, "service_levle = 0.8").contains("service_levle is no target"));
    let zero = good.replace(",300\n2026-11-24T09:30", ",0\n2026-11-24T09:30");
    assert!(said(&zero, "").contains("row 2, column handle_secs: needs a handle time above zero"));
    assert!(said(&good.replace("09:00:00,10", "09:00:00,many"), "").contains("row 2, column mean"));
    assert!(said("interval_start,mean\n", "").contains("has no intervals"));
}

#[test]
fn the_calculator_answers_every_case_and_says_why_not() {
    let folder = folder("queueing");
    std::fs::write(
        folder.join("cases.csv"),
        "note,offered_erlangs,handle_secs,servers,within_secs\nfine,20,180,24,20\nunstable,20,180,20,20\n",
    )
    .unwrap();
    let arguments = ["queueing", "erlang-c", "--in", "cases.csv", "--out", "out.csv"];
    let done = run(&folder, &arguments);
    assert!(done.status.success());
    assert!(String::from_utf8_lossy(&done.stderr).contains("1 of 2 cases have no result"));
    let rows = rows(&folder, "out.csv");
    let column = |name: &str| rows[0].iter().position(|each| each == name).unwrap();
    assert_eq!(rows[1][0], "fine", "other columns are passed on");
    // 20 Erlangs on 24: P(wait) 0.2980, from the textbook recursion.
    let blocking = (1..=24).fold(1.0, |b, n| 20.0 * b / (f64::from(n) + 20.0 * b));
    let wait = 24.0 * blocking / (24.0 - 20.0 * (1.0 - blocking));
    let got: f64 = rows[1][column("result_wait_share")].parse().unwrap();
    assert!((got / wait - 1.0).abs() < 1e-12, "{got} {wait}");
    assert!(rows[2].last().unwrap().contains("needs at least 21"));
    std::fs::write(folder.join("cases.csv"), "offered_erlangs,handle_secs,servers\n20,180,many\n")
        .unwrap();
    let wrong = run(&folder, &arguments);
    let said = String::from_utf8_lossy(&wrong.stderr).into_owned();
    assert!(said.contains("there is no column within_secs"), "{said}");
    let unknown = run(&folder, &["queueing", "erlang-z"]);
    assert!(
        String::from_utf8_lossy(&unknown.stderr)
            .contains("erlang-z is no model; use one of erlang-b")
    );
    let listed = run(&folder, &["queueing"]);
    assert!(String::from_utf8_lossy(&listed.stdout).contains("patience-estimate"));
}

#[test]
fn hunting_and_days_have_several_rows_of_results() {
    let folder = folder("queueing-rows");
    std::fs::write(folder.join("h.csv"), "offered_erlangs,handle_secs,members\n1.5,100,3\n")
        .unwrap();
    assert!(
        run(&folder, &["queueing", "hunting", "--in", "h.csv", "--out", "h.out.csv"])
            .status
            .success()
    );
    let members = rows(&folder, "h.out.csv");
    assert_eq!(members.len(), 4);
    let busy: f64 = members[1][4].parse().unwrap();
    // The first member carries a / (1 + a).
    assert!((busy - 1.5 / 2.5).abs() < 1e-12, "{members:?}");
    let day = "case,secs,contacts_per_hour,handle_secs,servers,patience_secs,within_secs\n\
               a,1800,60,300,6,180,20\na,1800,60,300,4,180,20\nb,1800,60,300,6,180,20\n";
    std::fs::write(folder.join("d.csv"), day).unwrap();
    assert!(
        run(&folder, &["queueing", "day", "--in", "d.csv", "--out", "d.out.csv"]).status.success()
    );
    let rows = rows(&folder, "d.out.csv");
    let level = |row: usize| rows[row][7].parse::<f64>().unwrap();
    assert!(level(2) < level(1), "fewer people, and those who are left over");
    // What comes after decides only the last twenty seconds.
    assert!((level(3) - level(1)).abs() < 0.01 && level(3) != level(1));
}

#[test]
fn a_day_whose_patience_changes_within_a_case_is_refused() {
    let folder = folder("queueing-day-patience");
    let day = "case,secs,contacts_per_hour,handle_secs,servers,patience_secs,within_secs\n\
               a,1800,60,300,6,180,20\na,1800,60,300,4,90,20\n";
    std::fs::write(folder.join("d.csv"), day).unwrap();
    run(&folder, &["queueing", "day", "--in", "d.csv", "--out", "d.out.csv"]);
    let rows = rows(&folder, "d.out.csv");
    let error = rows[1].join(",");
    assert!(error.contains("patience_secs must be the same in all rows"), "{error}");
}
