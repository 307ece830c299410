//! The models that can be asked on files, with their columns.

use anyhow::{Context, Result};
use barometer_queueing::{
    ChatPace, ChatTeam, Class, ClassFigures, DeferrableInterval, ErlangA, ErlangC, FinitePlaces,
    GeneralPatience, QueueError, Redial, SeenWait, Start, TransientDay, TwoClasses, WhenAllBusy,
    erlang_b, erlang_b_with_redial, lines_for_blocking, load_for_blocking, mean_patience,
    modified_loads, ordered_hunting, plan_by_deadline, spread, weibull_patience,
};

use super::case::{Case, Column};
use super::columns::{
    BLOCKING, CASE, CHAT_FIGURES, ERLANG_A_FIGURES, FIGURES, HANDLE, LOAD, MAYBE_LOAD,
    MAYBE_PATIENCE, MAYBE_RATE, PATIENCE, PLACES, RATE, SERVERS, SHORT, WITHIN, levels, needed,
    not_negative, optional, patience, row_of, same_in_all, stretches, threshold,
};

/// A model: what it reads, what it writes, and how.
pub struct Family {
    /// Its name on the command line.
    pub name: &'static str,
    about: &'static str,
    /// Its columns.
    pub inputs: &'static [Column],
    /// Columns of its results.
    pub outputs: &'static [&'static str],
    /// Whether rows with the same `case` belong together.
    pub is_grouped: bool,
    /// Rows of results for one case.
    pub solve: fn(&[Case]) -> Result<Vec<Vec<f64>>>,
}

impl Family {
    /// Names of the columns that must be there.
    pub fn needed(&self) -> impl Iterator<Item = &'static str> {
        self.inputs.iter().filter(|column| column.is_needed).map(|column| column.name)
    }

    /// The columns in a sentence.
    pub fn columns(&self) -> String {
        let names: Vec<_> = self.inputs.iter().map(|column| column.name).collect();
        format!("{} reads {}", self.name, names.join(", "))
    }

    /// The model with its columns, as the list prints it.
    pub fn description(&self) -> String {
        let mut text = format!("{}: {}\n", self.name, self.about);
        for column in self.inputs {
            let needed = if column.is_needed { "" } else { " (may be empty)" };
            text += &format!("    {}: {}{needed}\n", column.name, column.about);
        }
        text += &format!("  results: {}\n", self.outputs.join(", "));
        text
    }
}

/// Every model.
pub const FAMILIES: &[Family] = &[
    Family {
        name: "erlang-b",
        about: "who finds every line busy is refused",
        inputs: &[LOAD, SERVERS],
        outputs: &["result_blocking_share", "result_carried_erlangs"],
        is_grouped: false,
        solve: |case| {
            let load = case[0].number("offered_erlangs")?;
            let blocking = erlang_b(load, case[0].count("servers")?)?;
            Ok(vec![vec![blocking, load * (1.0 - blocking)]])
        },
    },
    Family {
        name: "erlang-b-lines",
        about: "the fewest lines that block at most this share",
        inputs: &[LOAD, BLOCKING],
        outputs: &["result_lines", "result_blocking_share"],
        is_grouped: false,
        solve: |case| {
            let load = case[0].number("offered_erlangs")?;
            let lines = lines_for_blocking(load, case[0].number("blocking_share")?)?;
            Ok(vec![vec![f64::from(lines), erlang_b(load, lines)?]])
        },
    },
    Family {
        name: "erlang-b-load",
        about: "the largest load of which at most this share is blocked",
        inputs: &[SERVERS, BLOCKING],
        outputs: &["result_offered_erlangs"],
        is_grouped: false,
        solve: |case| {
            let blocking = case[0].number("blocking_share")?;
            Ok(vec![vec![load_for_blocking(case[0].count("servers")?, blocking)?]])
        },
    },
    Family {
        name: "erlang-b-redial",
        about: "extended Erlang B: a share of the refused tries again",
        inputs: &[
            LOAD,
            SERVERS,
            needed("redial_share", "share of the blocked who redial, after each attempt"),
        ],
        outputs: &[
            "result_total_erlangs",
            "result_blocking_share",
            "result_lost_share",
            "result_tries_per_caller",
            "result_carried_erlangs",
        ],
        is_grouped: false,
        solve: |case| {
            let (load, servers) = (case[0].number("offered_erlangs")?, case[0].count("servers")?);
            let got = erlang_b_with_redial(load, servers, case[0].number("redial_share")?)?;
            Ok(vec![vec![
                got.total_erlangs,
                got.blocking,
                got.lost,
                got.tries,
                got.carried_erlangs,
            ]])
        },
    },
    Family {
        name: "erlang-c",
        about: "callers wait for ever",
        inputs: &[
            MAYBE_LOAD,
            MAYBE_RATE,
            HANDLE,
            SERVERS,
            WITHIN,
            optional(
                "percentile_share",
                "share of callers whose longest wait is asked; 0.9 where empty",
            ),
        ],
        outputs: &[
            "result_wait_share",
            "result_service_level_share",
            "result_answer_secs",
            "result_mean_waiting",
            "result_occupancy_share",
            "result_percentile_secs",
        ],
        is_grouped: false,
        solve: |case| {
            let line = ErlangC::new(case[0].traffic()?, case[0].count("servers")?)?;
            Ok(vec![vec![
                line.wait_probability(),
                line.service_level(threshold(&case[0])?),
                line.mean_wait_secs(),
                line.mean_waiting(),
                line.occupancy(),
                line.wait_percentile_secs(case[0].maybe("percentile_share").unwrap_or(0.9))?,
            ]])
        },
    },
    Family {
        name: "erlang-a",
        about: "callers wait until their exponential patience ends",
        inputs: &[
            MAYBE_LOAD,
            MAYBE_RATE,
            HANDLE,
            SERVERS,
            PATIENCE,
            WITHIN,
            SHORT,
            optional(
                "percentile_share",
                "share of the answered whose longest wait is asked; 0.9 where empty",
            ),
        ],
        outputs: ERLANG_A_FIGURES,
        is_grouped: false,
        solve: |case| {
            let case = &case[0];
            let patience = case.number("patience_secs")?;
            let line = ErlangA::new(case.traffic()?, case.count("servers")?, patience)?;
            let within = threshold(case)?;
            let mut figures = line.figures()?;
            figures.answer_secs = line.answer_secs();
            figures.abandonment = line.abandonment();
            figures.wait_probability = line.wait_probability();
            figures.occupancy = line.occupancy();
            let levels = levels(case)?.map(|of| line.service_level_of(within, of));
            let levels = levels.into_iter().collect::<Result<Vec<f64>, QueueError>>()?;
            let abandoned = line.abandoned_within(within)?;
            let percentile =
                line.wait_percentile_secs(case.maybe("percentile_share").unwrap_or(0.9))?;
            Ok(vec![[row_of(figures), levels, vec![abandoned, percentile]].concat()])
        },
    },
    Family {
        name: "patience",
        about: "callers wait until their patience of any distribution ends (M/M/n+G)",
        inputs: &[
            MAYBE_LOAD,
            MAYBE_RATE,
            HANDLE,
            SERVERS,
            needed("distribution", "exponential, constant, hyperexponential, weibull or lognormal"),
            optional("patience_secs", "mean patience; all but hyperexponential need it"),
            optional("shape", "Weibull shape, or standard deviation / mean of lognormal"),
            optional("first_share", "hyperexponential: share of the first kind of callers"),
            optional("first_patience_secs", "hyperexponential: mean of the first kind"),
            optional("second_patience_secs", "hyperexponential: mean of the second kind"),
            WITHIN,
            SHORT,
        ],
        outputs: FIGURES,
        is_grouped: false,
        solve: |case| {
            let case = &case[0];
            let line =
                GeneralPatience::new(case.traffic()?, case.count("servers")?, patience(case)?)?;
            let within = threshold(case)?;
            let levels = levels(case)?.map(|of| line.service_level(within, of));
            let abandoned = line.abandoned_within(within);
            Ok(vec![[row_of(line.figures()), levels.to_vec(), vec![abandoned]].concat()])
        },
    },
    Family {
        name: "places",
        about: "a limited number of places to wait in, with patience or without (M/M/n/K+M)",
        inputs: &[MAYBE_LOAD, MAYBE_RATE, HANDLE, SERVERS, PLACES, MAYBE_PATIENCE, WITHIN, SHORT],
        outputs: FIGURES,
        is_grouped: false,
        solve: |case| {
            let case = &case[0];
            let line = FinitePlaces::new(
                case.traffic()?,
                case.count("servers")?,
                case.maybe_count("places")?,
                case.maybe("patience_secs"),
            )?;
            let within = threshold(case)?;
            let levels = levels(case)?.map(|of| line.service_level(within, of));
            let abandoned = line.abandoned_within(within);
            Ok(vec![[row_of(line.figures()), levels.to_vec(), vec![abandoned]].concat()])
        },
    },
    Family {
        name: "priority",
        about: "two classes on the same agents, the urgent answered first, nobody interrupted",
        inputs: &[
            needed("urgent_per_hour", "urgent contacts offered"),
            needed("others_per_hour", "other contacts offered"),
            HANDLE,
            SERVERS,
            optional(
                "urgent_patience_secs",
                "mean patience of the urgent; empty for both: for ever",
            ),
            optional("others_patience_secs", "mean patience of the others"),
            WITHIN,
        ],
        outputs: &[
            "result_wait_share",
            "result_urgent_abandonment_share",
            "result_urgent_answer_secs",
            "result_urgent_mean_wait_secs",
            "result_urgent_service_level_share",
            "result_others_abandonment_share",
            "result_others_answer_secs",
            "result_others_mean_wait_secs",
            "result_others_service_level_share",
            "result_occupancy_share",
        ],
        is_grouped: false,
        solve: |case| {
            let case = &case[0];
            let class = |rate, patience| -> Result<Class, QueueError> {
                Ok(Class {
                    contacts_per_sec: case.number(rate)? / 3600.0,
                    patience_secs: case.maybe(patience),
                })
            };
            let classes = TwoClasses {
                urgent: class("urgent_per_hour", "urgent_patience_secs")?,
                others: class("others_per_hour", "others_patience_secs")?,
                handle_secs: case.number("handle_secs")?,
                servers: case.count("servers")?,
            };
            let both = classes.figures(threshold(case)?)?;
            let row = |of: &ClassFigures| {
                [of.abandonment, of.answer_secs, of.mean_wait_secs, of.service_level]
            };
            let rows = both.iter().flat_map(row);
            let row = std::iter::once(both[0].wait_probability).chain(rows);
            Ok(vec![row.chain([classes.occupancy(&both)]).collect()])
        },
    },
    Family {
        name: "redial",
        about: "a share of those who abandon or are refused calls again after a while",
        inputs: &[
            MAYBE_LOAD,
            MAYBE_RATE,
            HANDLE,
            SERVERS,
            PLACES,
            MAYBE_PATIENCE,
            needed("redial_share", "share of them who redial, after each attempt"),
            needed("redial_after_secs", "mean time until they do"),
            WITHIN,
        ],
        outputs: &[
            "result_calls_per_caller",
            "result_callers_answered_share",
            "result_blocking_share",
            "result_wait_share",
            "result_abandonment_share",
            "result_service_level_share",
            "result_mean_returning",
            "result_occupancy_share",
            "result_first_blocking_share",
            "result_mean_wait_secs",
        ],
        is_grouped: false,
        solve: |case| {
            let case = &case[0];
            let redial = Redial {
                traffic: case.traffic()?,
                servers: case.count("servers")?,
                places: case.maybe_count("places")?,
                patience_secs: case.maybe("patience_secs"),
                share: case.number("redial_share")?,
                after_secs: case.number("redial_after_secs")?,
            };
            let got = redial.figures(threshold(case)?)?;
            Ok(vec![vec![
                got.calls_per_caller,
                got.callers_answered,
                got.blocked,
                got.wait_probability,
                got.abandonment,
                got.service_level,
                got.mean_returning,
                got.occupancy,
                got.first_blocked,
                got.mean_wait_secs,
            ]])
        },
    },
    Family {
        name: "chat",
        about: "agents hold several chats at once, which slow each other down",
        inputs: &[
            needed("chats_per_hour", "offered chats"),
            needed("agents", "agents, whole"),
            needed("at_once", "most chats of one agent"),
            needed("alone_secs", "mean time of a chat that is alone with its agent"),
            needed(
                "slowing_share",
                "by how much each further chat lengthens the others, of alone_secs",
            ),
            PLACES,
            MAYBE_PATIENCE,
            WITHIN,
            SHORT,
        ],
        outputs: CHAT_FIGURES,
        is_grouped: false,
        solve: |case| {
            let case = &case[0];
            let pace = ChatPace {
                at_once: case.count("at_once")?,
                alone_secs: case.number("alone_secs")?,
                slowing: case.number("slowing_share")?,
            };
            let team = ChatTeam::new(
                case.number("chats_per_hour")? / 3600.0,
                case.count("agents")?,
                pace,
                case.maybe_count("places")?,
                case.maybe("patience_secs"),
            )?;
            let within = threshold(case)?;
            let levels = levels(case)?.map(|of| team.service_level(within, of));
            let chats = vec![team.abandoned_within(within), team.mean_chats()];
            Ok(vec![[row_of(team.figures()), levels.to_vec(), chats].concat()])
        },
    },
    Family {
        name: "hunting",
        about: "members offered every contact from the top: one row of results per member",
        inputs: &[
            MAYBE_LOAD,
            MAYBE_RATE,
            HANDLE,
            needed("members", "members, whole"),
            optional("waits", "1: who finds all busy waits, 0 or empty: is refused"),
            PLACES,
            MAYBE_PATIENCE,
        ],
        outputs: &["result_member", "result_busy_share"],
        is_grouped: false,
        solve: |case| {
            let case = &case[0];
            let when_all_busy = if case.maybe("waits").unwrap_or(0.0) == 0.0 {
                WhenAllBusy::Refused
            } else {
                WhenAllBusy::Waits {
                    places: case.maybe_count("places")?,
                    patience_secs: case.maybe("patience_secs"),
                }
            };
            let loads = ordered_hunting(case.traffic()?, case.count("members")?, when_all_busy)?;
            let rows = loads.iter().enumerate();
            Ok(rows.map(|(at, load)| vec![at as f64 + 1.0, *load]).collect())
        },
    },
    Family {
        name: "day",
        about: "a day stretch by stretch (M(t)/M/n(t)+M), exact; who is on a call when people leave finishes it",
        inputs: &[
            CASE,
            needed("secs", "length of the stretch"),
            RATE,
            HANDLE,
            SERVERS,
            MAYBE_PATIENCE,
            WITHIN,
            optional(
                "in_system_at_start",
                "contacts in the system when the day begins; 0 where empty",
            ),
            optional("most_waiting", "longest line that is followed; fitting where empty"),
        ],
        outputs: &[
            "result_service_level_share",
            "result_wait_share",
            "result_abandoned",
            "result_finished",
            "result_mean_waiting",
            "result_mean_busy",
            "result_in_system_at_end",
            "result_empty_at_end_share",
        ],
        is_grouped: true,
        solve: |cases| {
            let plan = stretches(cases, true)?;
            let first = &cases[0];
            for name in ["patience_secs", "within_secs"] {
                same_in_all(cases, name)?;
            }
            let mut day = TransientDay::new(first.maybe("patience_secs"), threshold(first)?, &plan);
            if let Some(most) = first.maybe_count("most_waiting")? {
                day.most_waiting = most;
            }
            let start = Start::InSystem(first.maybe_count("in_system_at_start")?.unwrap_or(0));
            let figures = day.evaluate(&start, &plan)?;
            Ok(figures
                .iter()
                .map(|of| {
                    vec![
                        of.service_level,
                        of.wait_probability,
                        of.abandoned,
                        of.finished,
                        of.mean_waiting,
                        of.mean_busy,
                        of.in_system_at_end,
                        of.empty_at_end,
                    ]
                })
                .collect())
        },
    },
    Family {
        name: "modified-load",
        about: "the load that a changing day puts on its agents, behind its arrivals (M(t)/M/∞)",
        inputs: &[
            CASE,
            needed("secs", "length of the stretch"),
            RATE,
            HANDLE,
            optional("start_erlangs", "busy agents when the day begins; 0 where empty"),
        ],
        outputs: &["result_mean_erlangs", "result_peak_erlangs", "result_end_erlangs"],
        is_grouped: true,
        solve: |cases| {
            let day = stretches(cases, false)?;
            let start = cases[0].maybe("start_erlangs").unwrap_or(0.0);
            let loads = modified_loads(&day, start)?;
            Ok(loads
                .iter()
                .map(|load| vec![load.mean_erlangs, load.peak_erlangs, load.end_erlangs])
                .collect())
        },
    },
    Family {
        name: "patience-estimate",
        about: "patience from calls that waited; the answered hide theirs. One row of results per case, beside its first row",
        inputs: &[
            CASE,
            needed("wait_secs", "how long the call waited"),
            needed("abandoned", "1: it gave up, 0: it was answered"),
            optional("confidence_share", "of the ranges; 0.95 where empty"),
        ],
        outputs: &[
            "result_mean_secs",
            "result_low_secs",
            "result_high_secs",
            "result_weibull_shape",
            "result_weibull_shape_low",
            "result_weibull_shape_high",
            "result_weibull_mean_secs",
        ],
        is_grouped: true,
        solve: |cases| {
            let waits = cases
                .iter()
                .map(|case| {
                    let abandoned = case.number("abandoned")? != 0.0;
                    Ok(SeenWait { secs: case.number("wait_secs")?, abandoned })
                })
                .collect::<Result<Vec<_>, QueueError>>()?;
            let confidence = cases[0].maybe("confidence_share").unwrap_or(0.95);
            let total = waits.iter().map(|wait| wait.secs).sum();
            let gave_up = waits.iter().filter(|wait| wait.abandoned).count() as u64;
            let mean = mean_patience(total, gave_up, confidence)?;
            let weibull = weibull_patience(&waits, confidence)?;
            Ok(vec![vec![
                mean.mean_secs,
                mean.low_secs,
                mean.high_secs,
                weibull.shape,
                weibull.shape_range.0,
                weibull.shape_range.1,
                weibull.mean_secs,
            ]])
        },
    },
    Family {
        name: "handle-time-spread",
        about: "how handle times spread. One row of results per case, beside its first row",
        inputs: &[CASE, needed("handle_secs", "how long the contact took")],
        outputs: &[
            "result_mean_secs",
            "result_standard_deviation_per_mean",
            "result_median_secs",
            "result_p90_secs",
        ],
        is_grouped: true,
        solve: |cases| {
            let times = cases
                .iter()
                .map(|case| not_negative("handle_secs", case.number("handle_secs")?))
                .collect::<Result<Vec<f64>, QueueError>>()?;
            let of = spread(&times).context("a spread takes two handle times above zero")?;
            Ok(vec![vec![of.mean, of.variation, of.median, of.p90]])
        },
    },
    Family {
        name: "deadline",
        about: "work that can wait: the smoothest plan that has everything done by its deadline",
        inputs: &[
            CASE,
            needed("contacts", "contacts that come in during the interval"),
            HANDLE,
            needed("interval_secs", "length of the interval"),
            needed("deadline_secs", "open time from coming in until it must be done"),
            optional("open", "0: nobody works in this interval; 1 or empty: open"),
        ],
        outputs: &["result_agents", "result_level_agents", "result_backlog_hours"],
        is_grouped: true,
        solve: |cases| {
            let intervals = cases
                .iter()
                .map(|case| {
                    Ok(DeferrableInterval {
                        contacts: case.number("contacts")?,
                        handle_secs: case.number("handle_secs")?,
                        open: case.maybe("open") != Some(0.0),
                    })
                })
                .collect::<Result<Vec<_>, QueueError>>()?;
            let length = cases[0].number("interval_secs")?;
            let plan = plan_by_deadline(&intervals, length, cases[0].number("deadline_secs")?)?;
            Ok(plan
                .iter()
                .map(|of| vec![f64::from(of.agents), of.level, of.backlog_hours])
                .collect())
        },
    },
];
