-- Who was on shift, as the switch has told it, each interval once.
CREATE TABLE switch_staffing (
    switch       text NOT NULL,
    sequence     bigint NOT NULL,
    centre_id    uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    team         text NOT NULL,
    started_at   timestamptz NOT NULL,
    secs         double precision NOT NULL,
    staffed_secs double precision NOT NULL,
    busy_secs    double precision NOT NULL,
    PRIMARY KEY (switch, sequence)
);
CREATE INDEX switch_staffing_by_time ON switch_staffing (centre_id, started_at);

-- Each day as it was planned when it began: what its account starts from.
CREATE TABLE opening_plans (
    centre_id  uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    date       date NOT NULL,
    -- By the switch's clock.
    kept_at    timestamptz NOT NULL,
    version_id uuid NOT NULL REFERENCES strategy_versions ON DELETE CASCADE,
    inputs     jsonb NOT NULL,
    PRIMARY KEY (centre_id, date)
);

-- Accounts of days: why a day ended differently from its plan. Each is a run.
CREATE TABLE day_accounts (
    id        uuid PRIMARY KEY REFERENCES runs ON DELETE CASCADE,
    centre_id uuid NOT NULL REFERENCES centres ON DELETE CASCADE,
    date      date NOT NULL,
    -- The account covers the day until then.
    until     timestamptz NOT NULL,
    inputs    jsonb NOT NULL,
    account   jsonb,
    UNIQUE (centre_id, date, until)
);

ALTER TABLE runs DROP CONSTRAINT runs_kind_check;
ALTER TABLE runs ADD CONSTRAINT runs_kind_check
    CHECK (kind IN ('trial', 'comparison', 'shifts', 'forecasts', 'account'));
